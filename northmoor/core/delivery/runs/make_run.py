"""From a request to a run in the archive: the report is rendered, checked and written, and what came of it is noted.

Whatever goes wrong becomes a run that says so; only an archive that cannot be written raises.
"""

import hashlib
import time
from collections.abc import Callable, Iterator, Sequence
from datetime import UTC, datetime
from functools import partial
from pathlib import Path

import pyarrow.parquet as pq
from msgspec import Struct, field
from PIL import Image

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.preflight import preflight
from northmoor.core.delivery.archive.archive import Archive
from northmoor.core.delivery.archive.run_folder import RunFolder, digest, new_run_id
from northmoor.core.delivery.archive.run_record import (
    RecordCounts,
    RunFile,
    RunFinding,
    RunRecord,
    RunState,
    ValueText,
)
from northmoor.core.delivery.archive.run_texts import TextCollector
from northmoor.core.delivery.runs.bundle import (
    RecordFiles,
    ReportDone,
    finish_bundle,
    make_record_files,
    prepared_for_bundle,
)
from northmoor.core.delivery.runs.bundle_journal import RecordResult, read_journals, remove_journals
from northmoor.core.delivery.runs.document_texts import condition_holds, document_text
from northmoor.core.delivery.runs.file_names import safe_name
from northmoor.core.delivery.runs.manifest import CSV_FILE, JSON_FILE
from northmoor.core.delivery.runs.query_bundle import make_query_records
from northmoor.core.delivery.runs.run_request import BundleRequest, RunRequest
from northmoor.core.delivery.runs.value_texts import shown_values, value_texts
from northmoor.core.document import Document
from northmoor.core.errors import Cancelled, NorthmoorError, OutputError, mistakes_caught
from northmoor.core.export.document_files import write_outputs
from northmoor.core.layout.graphics.display_list import Page
from northmoor.core.model.findings import Finding
from northmoor.core.model.report import Report
from northmoor.core.output.raster import PdfPages
from northmoor.core.session import Session, shown_edition
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import read_report_file
from northmoor.core.values.given import given_values

REPORT_COPY = "report.moor"
PICTURE = "first-page.png"
_PICTURE_SCALE = 0.2
"""Pixels to a point."""
_MOST_FINDINGS = 200
_NOTE_EVERY = 0.3
_MOST_FILES = 2_000
_BLOCKING = ("faulty block", "faulty query")


class _LeftOut(NorthmoorError):
    """The run is not worth making."""


class _Outcome(Struct):
    """What is known of a run so far."""

    report: str
    title: str = ""
    report_sha256: str = ""
    revision: str = ""
    edition: str = ""
    values: dict[str, ValueText] = field(default_factory=dict)
    shown_values: dict[str, str] = field(default_factory=dict)
    data_time: datetime | None = None
    time_zone: str = ""
    rows: int = 0
    pages: int = 0
    files: tuple[RunFile, ...] = ()
    findings: Sequence[Finding] = ()
    texts: dict[str, str] = field(default_factory=dict)
    records: RecordCounts | None = None


class RunMaker:
    """Makes one run after another for a library, keeping what they share."""

    def __init__(self, library: Library, archive: Archive | None = None) -> None:
        self.library = library
        self.archive = archive or Archive(library.root)
        self.session = Session(library)

    def make(
        self,
        request: RunRequest,
        stop: CancelToken | None = None,
        report_progress: ReportDone = lambda _text, _done, _of: None,
        started: datetime | None = None,
        is_late: Callable[[], bool] = lambda: False,
    ) -> RunRecord:
        """Make a run and put it into the archive; `is_late` says whether it was stopped for taking too long.

        Raises OutputError where the archive cannot be written.
        """
        stop, began = stop or CancelToken(), datetime.now(UTC)
        started = started or began
        run_id = request.run_id or new_run_id(started)
        folder = RunFolder(self.archive.root, run_id)
        outcome, state, reason = _Outcome(request.report, Path(request.report).stem), "failed", ""
        try:
            folder.note(
                id=run_id, report=request.report, started=started.isoformat(), asked_by=request.asked_by,
                order=request.order, key=request.key, because=request.because,
            )  # fmt: skip
            report_progress = _noted(folder, report_progress)
            _forget_unfinished(folder)
            with mistakes_caught("making the run"):
                _RunWork(self, request, folder, stop, report_progress, outcome).do()
            state = "done_with_findings" if any(f.is_error for f in outcome.findings) else "done"
        except _LeftOut as error:
            state, reason = "left_out", error.message
        except Cancelled:
            state, reason = "stopped", "It was stopped."
            if is_late():
                state, reason = "failed", late_reason(request)
        except NorthmoorError as error:
            reason = str(error)
        except OSError as error:
            reason = f"It cannot be written ({error.strerror}); see that there is room."
        except BaseException:
            folder.close()  # it goes on another time
            raise
        if state not in ("done", "done_with_findings"):
            for path in folder.files.iterdir():
                path.unlink()
            remove_journals(folder.path)
            outcome.files, outcome.records = (), None
        record = _record(request, run_id, started, began, outcome, state, reason)  # type: ignore[arg-type]  # a state
        self.archive.keep(folder, record)
        return record


def _noted(folder: RunFolder, report_progress: ReportDone) -> ReportDone:
    """Progress that is noted in the run's folder too, a few times a second."""
    last = 0.0

    def note(text: str, done: int, of: int) -> None:
        nonlocal last
        report_progress(text, done, of)
        now = time.monotonic()
        if now - last > _NOTE_EVERY:
            last = now
            folder.progress(text, done, of)

    return note


def late_reason(request: RunRequest) -> str:
    """Why a run failed that took too long."""
    return f"It took longer than {request.seconds:,} seconds and was ended; narrow it, or raise its limit."


def _forget_unfinished(folder: RunFolder) -> None:
    """Remove what an interrupted maker left that is not noted as done."""
    done = {name for result in read_journals(folder.path).values() for name in result.files}
    for path in folder.files.iterdir():
        if path.name not in done:
            path.unlink()


class _RunWork(Struct):
    """The steps of one run."""

    maker: RunMaker
    request: RunRequest
    folder: RunFolder
    stop: CancelToken
    report_progress: ReportDone
    outcome: _Outcome

    def do(self) -> None:
        """All of them. Raises whatever goes wrong."""
        report = self._report()
        bundle = self.request.bundle
        if bundle is not None and bundle.query is not None:
            self._query_bundle(report, bundle)
            return
        document = self._document(report, bundle)
        self._check(document)
        self._fill_texts(document)
        collector = TextCollector()
        if bundle is not None:
            self._record_files(document, bundle, collector)
        else:
            self._outputs(document, collector)
        self._keep_beside(document, collector)

    def _report(self) -> Report:
        """The report, a copy of which is kept."""
        library = self.maker.library
        path = library.report_path(self.request.report)
        self.outcome.report = path.relative_to(library.root.resolve()).as_posix()
        file = read_report_file(path)
        (self.folder.path / REPORT_COPY).write_bytes(file.data)
        self.outcome.title = file.report.title
        self.outcome.report_sha256 = hashlib.sha256(file.data).hexdigest()
        self.outcome.time_zone = file.report.time_zone
        return file.report

    def _document(self, report: Report, bundle: BundleRequest | None) -> Document:
        session, request, outcome = self.maker.session, self.request, self.outcome
        given = given_values(report, value_set=request.value_set) | request.values
        resolved = session.resolve_parameters(report, given, self.stop, self._say)
        outcome.values, outcome.shown_values = value_texts(resolved), shown_values(resolved)
        edition = shown_edition(report, request.edition, resolved.complete_values(), self.stop).name
        if bundle is not None and bundle.for_each is not None:
            changes: dict[str, object] = {
                name: value
                for name in ("file_name", "address", "listed_total")
                if (value := getattr(bundle, name)) is not None
            }
            changes |= {"without_rows": "left_out"} if bundle.only_with_rows else {}
            prepared = prepared_for_bundle(report, edition, bundle.for_each, changes)
            resolved = session.resolve_parameters(prepared, given, self.stop, self._say)
        document = session.render_resolved(resolved, edition, self.stop, self._say)
        outcome.title, outcome.edition = document.title, document.edition.name
        outcome.revision = document.metadata.entries["NorthmoorRevision"]
        outcome.data_time, outcome.rows, outcome.pages = document.data_time, document.row_count, len(document)
        return document

    def _check(self, document: Document) -> None:
        """See that the run is worth making. Raises OutputError and _LeftOut."""
        outcome, only_if = self.outcome, self.request.only_if
        blocked = [finding for finding in document.findings if finding.rule in _BLOCKING]
        if blocked:
            raise OutputError(str(blocked[0]))
        if only_if.has_rows and not outcome.rows:
            raise _LeftOut("Its queries return no rows.")
        if only_if.holds is not None and not condition_holds(document, only_if.holds, self.stop):
            raise _LeftOut(f"The condition {only_if.holds} does not hold.")
        self._say("Checking the pages")
        outcome.findings = preflight(document)
        errors = [finding for finding in outcome.findings if finding.is_error]
        if only_if.no_errors and errors:
            raise _LeftOut(f"Preflight finds errors, such as: {errors[0]}")

    def _fill_texts(self, document: Document) -> None:
        self.outcome.texts = {text: document_text(document, text, self.stop) for text in self.request.texts}

    def _outputs(self, document: Document, collector: TextCollector) -> None:
        name = safe_name(document_text(document, self.request.file_name, self.stop))
        made: list[Path] = []
        for suffix in self.request.formats:
            output = document.output(suffix, self._say, options=self.request.options)
            if suffix == "pdf" and not collector.pages:
                output = output.with_pages(partial(_collected, collector, output.pages))
            made += write_outputs(self.folder.files / f"{name}.{suffix}", output)
        self.outcome.files = tuple(
            RunFile(name=path.name, size=path.stat().st_size, sha256=digest(path)) for path in made[:_MOST_FILES]
        )

    def _record_files(self, document: Document, bundle: BundleRequest, collector: TextCollector) -> None:
        assert bundle.for_each is not None
        name = document_text(document, self.request.file_name, self.stop)
        files = RecordFiles(document, bundle.for_each, self.request.formats, self.request.options, name)
        if not files.records:
            raise _LeftOut(f"The for-each {bundle.for_each} has no records.")
        results = make_record_files(
            files, self.folder.files, self.folder.path, self.request.processes, self.stop, self.report_progress
        )
        self._finish_bundle(results, bundle)
        for page in document.output("pdf").pages():
            collector.add(page)
            if collector.is_full:
                break

    def _query_bundle(self, report: Report, bundle: BundleRequest) -> None:
        results, document = make_query_records(
            self.maker.session, report, self.request, self.folder.files, self.folder.path, self.stop,
            self.report_progress,
        )  # fmt: skip
        outcome = self.outcome
        outcome.pages = sum(result.pages for result in results)
        if document is not None:
            outcome.values, outcome.data_time = value_texts(document.resolved), document.data_time
            outcome.edition, outcome.revision = document.edition.name, document.metadata.entries["NorthmoorRevision"]
            for name in bundle.values:
                outcome.values.pop(name, None)
            collector = TextCollector()
            collector.add(document.page(0))
            self._fill_texts(document)
            self._keep_beside(document, collector)
        self._finish_bundle(results, bundle)

    def _finish_bundle(self, results: list[RecordResult], bundle: BundleRequest) -> None:
        states = [result.state for result in results]
        counts = {name: states.count(name) for name in ("made", "failed", "left_out")}
        if not counts["made"]:
            reasons = {result.reason for result in results if result.reason} or {"No record has rows."}
            error = OutputError if counts["failed"] else _LeftOut
            raise error(f"No record has a file: {sorted(reasons)[0]}")
        finish_bundle(self.folder.files, self.folder.path, results, bundle.pack)
        self.outcome.records = RecordCounts(**counts)
        listed = (CSV_FILE, JSON_FILE) if bundle.pack == "files" else (CSV_FILE, JSON_FILE, "bundle.zip")
        own = [self.folder.files / name for name in listed]
        self.outcome.files = tuple(
            RunFile(name=path.name, size=path.stat().st_size, sha256=digest(path)) for path in own
        )

    def _keep_beside(self, document: Document, collector: TextCollector) -> None:
        """What is kept beside the outputs: the texts of the pages, a picture of the first, and rows if wanted."""
        if not collector.pages:
            for page in document.output("pdf", self._say).pages():
                collector.add(page)
        collector.write(self.folder.path)
        picture: Image.Image = PdfPages(document.page_pdf(0)).picture(0, _PICTURE_SCALE)
        picture.save(self.folder.path / PICTURE)
        if self.request.keep_rows:
            rows = self.folder.path / "rows"
            rows.mkdir(exist_ok=True)
            for name, own in document.rows.items():
                pq.write_table(own.table, rows / f"{name}.parquet", compression="zstd")

    def _say(self, text: str) -> None:
        self.report_progress(text, 0, 0)


def _collected(collector: TextCollector, pages: Callable[[], Iterator[Page]]) -> Iterator[Page]:
    return collector.passing(pages())


def _record(
    request: RunRequest,
    run_id: str,
    started: datetime,
    began: datetime,
    outcome: _Outcome,
    state: RunState,
    reason: str,
) -> RunRecord:
    ended = started + (datetime.now(UTC) - began)
    findings = tuple(
        RunFinding(rule=f.rule, place=str(f.place), message=f.message, is_error=f.is_error)
        for f in outcome.findings[:_MOST_FINDINGS]
    )
    return RunRecord(
        id=run_id, key=request.key, report=outcome.report, title=outcome.title or "Report",
        report_sha256=outcome.report_sha256, revision=outcome.revision, edition=outcome.edition,
        values=outcome.values, shown_values=outcome.shown_values,
        data_time=outcome.data_time, time_zone=outcome.time_zone, asked_by=request.asked_by,
        order=request.order, because=request.because, started=started, ended=ended, state=state, reason=reason,
        rows=outcome.rows, pages=outcome.pages, files=outcome.files, findings=findings, records=outcome.records,
        texts=outcome.texts,
    )  # fmt: skip
