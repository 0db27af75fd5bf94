"""The worker thread: fetching, pagination and page pictures happen here, so that the window never freezes.

There is one thread. A newer rendering overtakes an older one, which is stopped; page pictures are made for the newest
document only. What Preflight finds in it comes after the pages in view.
"""

import logging
import threading
from collections.abc import Callable
from time import perf_counter
from typing import Any

from msgspec import Struct, field
from PyQt6.QtCore import QObject, QThread, pyqtSignal

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.preflight import preflight, preflight_values
from northmoor.core.checks.value_rules import ValuesToCheck
from northmoor.core.compute.parameters.resolution import ResolvedValues
from northmoor.core.document import Document
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import Cancelled, NorthmoorError
from northmoor.core.layout.page.hit_testing import HitMap, hit_map
from northmoor.core.layout.table.collapsing import Fold
from northmoor.core.model.findings import Finding
from northmoor.core.model.report import Report
from northmoor.core.output.raster import Raster, rasterise
from northmoor.core.session import Session
from northmoor.core.sources.library import Library

_log = logging.getLogger(__name__)
_PATIENCE = 0.02
"""Seconds in which pages of a new document are asked for, before it is checked."""
DeliveryTask = Callable[[Document, Callable[[str], None], CancelToken], object]
"""Hands a document out, telling how far it is, until it is stopped: the files written, or what was done in words."""


class RenderJob(Struct, frozen=True, eq=False):
    """A report to render with values."""

    report: Report
    values: dict[str, Any]
    edition: str | None
    library: Library
    refresh: bool = False
    folds: dict[str, Fold] = field(default_factory=dict)


class ValuesResolved(Struct, frozen=True, eq=False):
    """The values of a job's report, as far as they could be settled, and what Preflight finds where they are none."""

    resolved: ResolvedValues
    findings: tuple[Finding, ...]
    job: RenderJob


class Rendered(Struct, frozen=True, eq=False):
    """A document, the job it was made for, and how long it took, in seconds."""

    document: Document
    job: RenderJob
    seconds: float


class Checked(Struct, frozen=True, eq=False):
    """What Preflight finds in the document of a job."""

    job: RenderJob
    findings: tuple[Finding, ...]


class PageShown(Struct, frozen=True, eq=False):
    """A page's pixels and what is where on it, for the document they belong to."""

    document: Document
    index: int
    scale: float
    raster: Raster
    places: HitMap


class Worker(QObject):
    """Runs work in its thread and tells of it by signals, which arrive in the window's thread."""

    resolved = pyqtSignal(object)
    rendered = pyqtSignal(object)
    checked = pyqtSignal(object)
    failed = pyqtSignal(str)
    stopped = pyqtSignal(str)
    page_shown = pyqtSignal(object)
    progress = pyqtSignal(object)
    busy_changed = pyqtSignal(bool)
    delivered = pyqtSignal(object)
    delivery_failed = pyqtSignal(str)
    rows_fetched = pyqtSignal(object)
    rows_failed = pyqtSignal(object)
    catalog_read = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self._condition = threading.Condition(threading.RLock())
        self._render: RenderJob | None = None
        self._tasks: list[tuple[Callable[[CancelToken], None], CancelToken]] = []
        self._pages: list[tuple[int, float]] = []
        self._looked_at: tuple[int, float] | None = None
        """The page that was wanted first of late: of a new document it is made before anybody asks."""
        self._made_unasked: tuple[int, float] | None = None
        self._document: Document | None = None
        self._unchecked: Rendered | None = None
        self._session: Session | None = None
        self._stop = CancelToken()
        self.is_busy = False
        """Whether anything runs that can be stopped."""
        self._settling: CancelToken | None = None
        self._fetching: CancelToken | None = None
        self._render_runs = False
        self._ends = False
        self._thread = _Thread(self._loop)
        self._thread.start()

    def render(self, job: RenderJob) -> None:
        """Render a report, overtaking a rendering that is under way."""
        with self._condition:
            self._render = job
            self._pages, self._made_unasked = [], None
            if self._render_runs:
                self._stop.cancel()
            self._condition.notify()

    def show_pages(self, wanted: list[tuple[int, float]]) -> None:
        """Make pictures of pages (index and scale) of the newest document, in this order; earlier wishes are
        dropped."""
        with self._condition:
            self._looked_at = wanted[0] if wanted else self._looked_at
            is_begun = self._made_unasked not in self._pages
            self._pages = [page for page in wanted if page != self._made_unasked or not is_begun]
            self._made_unasked = None
            self._condition.notify()

    def resolve_values(self, job: RenderJob) -> None:
        """Settle the values of a job without rendering it, overtaking an earlier such wish."""
        with self._condition:
            if self._settling is not None:
                self._settling.cancel()
        self._settling = self._later(lambda stop: self._resolve_only(job, stop))

    def deliver(self, document: Document, task: DeliveryTask) -> None:
        """Hand a document out: to files, or to a printer."""
        self._later(lambda stop: self._deliver(document, task, stop))

    def fetch_rows(self, job: RenderJob, query: str) -> None:
        """Fetch a query's rows for looking at; the first ones are reported while the rest is on the way.

        It replaces an earlier such wish at once: that is stopped, at its server too, and reports nothing more.
        """
        with self._condition:
            if self._fetching is not None:
                self._fetching.cancel()
            self._fetching = self._later(lambda stop: self._fetch_rows(job, query, stop))

    def run_task(self, task: Callable[[CancelToken], object], done: Callable[[object], None]) -> CancelToken:
        """Run a task in the thread; `done` (a signal's emit) gets its result or the error. What stops this task."""

        def run(stop: CancelToken) -> None:
            try:
                done(task(stop))
            except NorthmoorError as error:
                done(error)

        return self._later(run)

    def ask_session(
        self, library: Library, task: Callable[[Session, CancelToken], object], done: Callable[[object], None]
    ) -> CancelToken:
        """Run a task on the library's session, which knows the rows that were fetched already; as `run_task`."""
        return self.run_task(lambda stop: task(self._session_for(library), stop), done)

    def stop(self) -> None:
        """Stop what runs now, and what waits behind it: it would only begin the same long work again."""
        with self._condition:
            self._stop.cancel()
            for _, stop in self._tasks:
                stop.cancel()

    def close(self) -> None:
        """Stop everything and end the thread."""
        with self._condition:
            self._ends = True
            self._stop.cancel()
            self._condition.notify()
        self._thread.wait()

    def _later(self, task: Callable[[CancelToken], None]) -> CancelToken:
        stop = CancelToken()
        with self._condition:
            self._tasks.append((task, stop))
            self._condition.notify()
        return stop

    def _loop(self) -> None:
        while True:
            with self._condition:
                while not (self._ends or self._render or self._tasks or (self._pages and self._document)):
                    if not self._condition.wait(_PATIENCE if self._unchecked is not None else None):
                        break
                if self._ends:
                    return
                job, self._render = self._render, None
                self._render_runs = job is not None
                task, self._stop = self._tasks.pop(0) if job is None and self._tasks else (None, CancelToken())
                is_free = job is None and task is None and self._document is not None
                page = self._pages.pop(0) if is_free and self._pages else None
            if job is not None:
                self._while_busy(lambda job=job: self._do_render(job, self._stop))  # type: ignore[misc]
                self._render_runs = False
            elif task is not None:
                self._while_busy(lambda task=task: task(self._stop))  # type: ignore[misc]
            elif page is not None:
                self._guarded(lambda page=page: self._show_page(*page))  # type: ignore[misc]
            elif self._unchecked is not None:
                self._while_busy(lambda: self._check(self._stop))

    def _while_busy(self, work: Callable[[], None]) -> None:
        self.is_busy = True
        self.busy_changed.emit(True)
        try:
            self._guarded(work)
        finally:
            self.is_busy = False
            self.busy_changed.emit(False)

    def _guarded(self, work: Callable[[], None]) -> None:
        """Run work so that a mistake of ours ends neither the thread nor the program, and with it unsaved work."""
        try:
            work()
        except Exception as error:  # noqa: BLE001  # the last place where it can be reported to the user
            _log.exception("A task of the worker failed")
            self.failed.emit(
                tr("Northmoor made a mistake ({name}: {error}). Your report is unharmed; save it.").format(
                    name=type(error).__name__, error=error
                )
            )

    def _session_for(self, library: Library) -> Session:
        session = self._session
        if session is None or session.library.root != library.root:
            session = self._session = Session(library)
        session.library = library
        return session

    def _do_render(self, job: RenderJob, stop: CancelToken) -> None:
        began = perf_counter()
        try:
            session = self._session_for(job.library)
            if job.refresh:
                session.refresh()
            resolved = self._resolve(session, job, stop)
            self.resolved.emit(self._report_progress(resolved, job, stop))
            if resolved.stopping:
                return
            document = session.render_resolved(resolved, job.edition, stop, self.progress.emit, job.folds)
            with self._condition:  # from here on nothing stops what is made of the document's pages
                stop.raise_if_cancelled()
                self._render_runs, self._stop = False, CancelToken()
        except Cancelled:
            if self._render is None:  # not overtaken by a newer rendering
                self.stopped.emit(tr("Stopped. The last good pages stay; F5 tries again."))
            return
        except NorthmoorError as error:
            self.failed.emit(core_text(error))
            return
        self._unchecked = Rendered(document, job, perf_counter() - began)
        with self._condition:
            self._document = document
            seen = self._looked_at
            self._made_unasked = seen if seen is not None and seen[0] < len(document) else None
            self._pages = [seen] if seen is not None and self._made_unasked else []
        self.rendered.emit(self._unchecked)

    def _check(self, stop: CancelToken) -> None:
        assert self._unchecked is not None
        made, self._unchecked, self._render_runs = self._unchecked, None, True
        context = made.document.composition.context
        before, context.stop = context.stop, stop
        try:
            self.checked.emit(Checked(made.job, preflight(made.document)))
        except Cancelled:
            if self._render is None:  # not overtaken by a newer rendering
                self.stopped.emit(tr("Stopped. These pages were not checked; F5 checks them."))
        finally:
            context.stop, self._render_runs = before, False  # its pages can be drawn all the same

    def _resolve_only(self, job: RenderJob, stop: CancelToken) -> None:
        try:
            resolved = self._resolve(self._session_for(job.library), job, stop)
            self.resolved.emit(self._report_progress(resolved, job, stop))
        except Cancelled:
            pass  # a newer wish overtook this one
        except NorthmoorError as error:
            self.failed.emit(core_text(error))

    def _resolve(self, session: Session, job: RenderJob, stop: CancelToken) -> ResolvedValues:
        return session.resolve_parameters(
            job.report, job.values, stop, self.progress.emit, designing=True, forgiving=True
        )

    @staticmethod
    def _report_progress(resolved: ResolvedValues, job: RenderJob, stop: CancelToken) -> ValuesResolved:
        findings = preflight_values(ValuesToCheck(resolved, job.library, stop)) if resolved.stopping else ()
        return ValuesResolved(resolved, findings, job)

    def _show_page(self, index: int, scale: float) -> None:
        document = self._document
        if document is None or index >= len(document):
            return
        raster = rasterise(document.page_pdf(index), 0, scale)
        places = hit_map(document.composition, index)
        self.page_shown.emit(PageShown(document, index, scale, raster, places))

    def _deliver(self, document: Document, task: DeliveryTask, stop: CancelToken) -> None:
        try:
            document = self._unfolded(document, stop)
            self.delivered.emit(task(document, self.progress.emit, stop))
        except Cancelled:
            self.delivery_failed.emit(tr("Stopped. What was under way is not there."))
        except NorthmoorError as error:
            self.delivery_failed.emit(core_text(error))

    def _unfolded(self, document: Document, stop: CancelToken) -> Document:
        """The document as it is delivered: what is folded for looking only is open."""
        if not document.composition.context.folds:
            return document
        session = self._session_for(document.library)
        return session.render_resolved(document.resolved, document.edition.name, stop, self.progress.emit)

    def _fetch_rows(self, job: RenderJob, query: str, stop: CancelToken) -> None:
        def show(rows: Rows) -> None:
            if stop is self._fetching:  # no newer wish has replaced this one
                self.rows_fetched.emit(rows)

        try:
            session = self._session_for(job.library)
            if job.refresh:
                session.refresh()
            names = session.names_in(job.report, query)
            values = self._resolve(session, job, stop).values_for(names)
            rows: Rows = session.rows(job.report, query, values, stop, self.progress.emit, show)
        except Cancelled:
            if stop is self._fetching:
                self.rows_failed.emit(NorthmoorError(tr("Stopped. Run the query again to see its rows.")))
        except NorthmoorError as error:
            if stop is self._fetching:
                self.rows_failed.emit(error)
        else:
            show(rows)


class _Thread(QThread):
    def __init__(self, loop: Callable[[], None]) -> None:
        super().__init__()
        self._run = loop
        self.setStackSize(64 * 1024 * 1024)  # deeply nested SQL is parsed recursively

    def run(self) -> None:
        """Qt's entry point of the thread."""
        self._run()


def stop_all(*workers: Worker) -> None:
    """Stop whatever is waited for."""
    for worker in workers:
        worker.stop()
