"""A bundle: one output for each record. A record that fails is listed with its reason, and the others go on.

The records of a for-each are pages of one document, which is made once. Its files are made in batches, by several
processes if wanted, and each batch is noted once its files are there: a bundle that was interrupted goes on after them.
"""

import hashlib
import os
import signal
import sys
import threading
import time
import traceback
import zipfile
from collections.abc import Callable, Iterator, Sequence
from contextlib import closing
from pathlib import Path

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.delivery.runs.bundle_journal import (
    BundleJournal,
    RecordResult,
    count_results,
    read_journals,
    remove_journals,
)
from northmoor.core.delivery.runs.file_names import UniqueNames
from northmoor.core.delivery.runs.manifest import write_manifest
from northmoor.core.document import Document, RecordPages
from northmoor.core.errors import Cancelled, NorthmoorError, OutputError, mistakes_caught
from northmoor.core.export.document_files import write_outputs
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.model.report import Edition, Report
from northmoor.core.output.output_document import OutputDocument
from northmoor.core.output.pdf.record_files import record_batches, write_records

ReportDone = Callable[[str, int, int], None]
"""Called with what is done, how far it is, and how far it goes."""
_ZIP_DATE = (1980, 1, 1, 0, 0, 0)
ZIP_FILE = "bundle.zip"
_LOOK_EVERY = 0.1


def prepared_for_bundle(report: Report, edition: str, for_each: str, changes: dict[str, object]) -> Report:
    """A report whose for-each begins each record on a page of its own, numbered from 1. Raises OutputError."""
    found = report.edition(edition)
    if found is None or not any(isinstance(b, ForEachBlock) and b.name == for_each for b in found.blocks):
        raise OutputError(f"The edition {edition} has no for-each {for_each!r} on its pages; choose another.")
    blocks = tuple(
        block.but(page_break="between", restart_page_number=True, **changes)
        if isinstance(block, ForEachBlock) and block.name == for_each
        else block
        for block in found.blocks
    )
    changed: Edition = found.but(blocks=blocks)
    return report.but(editions=tuple(changed if each is found else each for each in report.editions))


class RecordFiles:
    """Makes the files of the records of a for-each."""

    def __init__(
        self, document: Document, for_each: str, suffixes: Sequence[str], options: OutputOptions | None, name: str
    ) -> None:
        self.document = document
        self.records = document.records(for_each)
        self._suffixes, self._options = suffixes, options
        names, digits = UniqueNames(), len(str(len(self.records)))
        self._names = [names.of(_name_of(record, name, digits)) for record in self.records]

    def batches(self) -> list[range]:
        """The records in batches that follow from them alone."""
        return list(record_batches([len(record.pages) for record in self.records]))

    def make(self, batch: range, folder: Path) -> list[RecordResult]:
        """Make the files of a batch. Raises Cancelled."""
        good = [number for number in batch if not self._fault(number)]
        pdfs: dict[int, bytes] = {}
        if "pdf" in self._suffixes and good:
            try:
                with mistakes_caught("making the files of a batch"):
                    pdfs = dict(zip(good, write_records([self._output("pdf", n) for n in good]), strict=True))
            except Cancelled:
                raise
            except NorthmoorError:
                pdfs = {}  # one of them fails: each is made by itself, so that only that one is listed
        return [self._made(number, folder, pdfs.get(number)) for number in batch]

    def _output(self, suffix: str, number: int) -> OutputDocument:
        return self.document.output(suffix, options=self._options, record=self.records[number])

    def _fault(self, number: int) -> str:
        """Why a record cannot have a file."""
        texts = self.records[number].texts
        for text, what in zip(texts, ("the name of its file", "its address", "its total"), strict=False):
            if text is None:
                return f"{what[0].upper()}{what[1:]} cannot be computed; see to the template, or the row that it is of."
        return ""

    def _made(self, number: int, folder: Path, pdf: bytes | None) -> RecordResult:
        record, name = self.records[number], self._names[number]
        _, address, total = (*record.texts, "", "", "")[:3] if record.texts else ("", "", "")
        result = RecordResult(number, name, pages=len(record.pages), total=total or "", address=address or "")
        fault = self._fault(number)
        if fault:
            return replace(result, state="failed", reason=fault)
        sums, size, names = hashlib.sha256(), 0, list[str]()
        try:
            with mistakes_caught(f"making the file of {name}"):
                for path, data in self._written(number, folder / name, pdf):
                    sums.update(data)
                    size += len(data)
                    names.append(path.name)
        except Cancelled:
            raise
        except NorthmoorError as error:
            return replace(result, state="failed", reason=str(error))
        return replace(result, files=tuple(names), size=size, sha256=sums.hexdigest())

    def _written(self, number: int, stem: Path, pdf: bytes | None) -> Iterator[tuple[Path, bytes]]:
        """The files of a record with what is in them."""
        for suffix in self._suffixes:
            path = stem.with_name(f"{stem.name}.{suffix}")
            if suffix == "pdf" and pdf is not None:
                path.write_bytes(pdf)
                yield path, pdf
            else:
                yield from ((each, each.read_bytes()) for each in write_outputs(path, self._output(suffix, number)))


def _name_of(record: RecordPages, name: str, digits: int) -> str:
    own = record.texts[0] if record.texts else ""
    return own or f"{name} {record.number + 1:0{digits}}"


def make_record_files(
    files: RecordFiles, folder: Path, journals: Path, processes: int, stop: CancelToken, report_progress: ReportDone
) -> list[RecordResult]:
    """Make the files of all records that are not noted as done; what became of all. Raises Cancelled."""
    known = read_journals(journals)
    waiting = [batch for batch in files.batches() if not all(number in known for number in batch)]
    count = len(files.records)
    if processes > 1 and len(waiting) > 1:
        _by_processes(files, waiting, folder, journals, processes, stop, report_progress)
    else:
        done = count - sum(map(len, waiting))
        with closing(BundleJournal(journals, 0)) as journal:
            for batch in waiting:
                stop.raise_if_cancelled()
                journal.add(files.make(batch, folder))
                done += len(batch)
                report_progress(f"{done:,} of {count:,} records", done, count)
    known = read_journals(journals)
    return [known[number] for number in sorted(known)]


def _by_processes(
    files: RecordFiles,
    waiting: Sequence[range],
    folder: Path,
    journals: Path,
    processes: int,
    stop: CancelToken,
    report_progress: ReportDone,
) -> None:
    """Make batches in processes that share what is laid out already. Raises Cancelled, and OutputError where one
    ends."""
    parent, count, statuses, children = os.getpid(), len(files.records), list[int](), set[int]()
    for worker in range(processes):
        child = os.fork()
        if child == 0:
            os._exit(_work(files, waiting[worker::processes], folder, journals, worker, parent))
        children.add(child)
    while children:
        if stop.is_cancelled():
            for child in children:
                os.kill(child, signal.SIGKILL)
        for child in list(children):
            done, status = os.waitpid(child, os.WNOHANG)
            if done:
                children.discard(child)
                statuses.append(status)
        made = count_results(journals)
        report_progress(f"{made:,} of {count:,} records", made, count)
        time.sleep(_LOOK_EVERY if children else 0)
    stop.raise_if_cancelled()
    if any(statuses):
        raise OutputError("A process that made files of the bundle ended; make the bundle again.")


def _end_with(parent: int) -> None:
    """End this process when the one that forked it is gone."""
    while os.getppid() == parent:
        time.sleep(_LOOK_EVERY)
    os._exit(3)


def _work(files: RecordFiles, batches: Sequence[range], folder: Path, journals: Path, worker: int, parent: int) -> int:
    """What a forked process does; it never returns to what its parent was doing."""
    threading.Thread(target=_end_with, args=(parent,), daemon=True).start()
    try:
        journal = BundleJournal(journals, worker)
        for batch in batches:
            journal.add(files.make(batch, folder))
        journal.close()
    except Cancelled:
        return 2
    except BaseException:  # noqa: BLE001  # the last place of this process
        traceback.print_exc(file=sys.stderr)
        return 1
    return 0


def finish_bundle(folder: Path, journals: Path, results: list[RecordResult], pack: str) -> None:
    """Write the list of a bundle, and pack its files if wanted."""
    write_manifest(folder, results)
    if pack == "zip":
        members = [name for result in results for name in result.files]
        with zipfile.ZipFile(folder / ZIP_FILE, "w", zipfile.ZIP_DEFLATED) as packed:
            for name in members:
                entry = zipfile.ZipInfo(name, _ZIP_DATE)
                entry.compress_type = zipfile.ZIP_DEFLATED
                packed.writestr(entry, (folder / name).read_bytes())
        for name in members:
            (folder / name).unlink()
    remove_journals(journals)
