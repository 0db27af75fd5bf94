"""The road, from a report and values to a document whose pages are made as they are asked for.

A session keeps what each stage made, by what it depends on: an edit repeats only the stages it touches.
"""

from collections.abc import Hashable, Iterable, Mapping, Sequence
from contextlib import suppress
from datetime import UTC, datetime
from functools import partial
from typing import Any

import pyarrow as pa

from northmoor.core.analysis import analyse, analyse_edition
from northmoor.core.analysis.value_uses import value_names_used
from northmoor.core.authoring.includes import with_included
from northmoor.core.base.cache import GenerationalCache
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.compute.chart.borrowed_groups import with_borrowed_groups
from northmoor.core.compute.evaluate.per_page import PER_PAGE, compute_page_expressions
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.compute.parameters.resolution import (
    ParameterSources,
    ResolvedValues,
    parameter_of_name,
    resolve_parameters,
)
from northmoor.core.compute.report.correlation import CorrelatedBlock, correlate_blocks, expressions_of
from northmoor.core.compute.report.registry import BlockData, evaluate_block, plan_block
from northmoor.core.compute.report.visibility import VisibleEdition, apply_visibility, with_empty_texts
from northmoor.core.compute.table.evaluation import TableData, table_plan
from northmoor.core.compute.table.page_totals import PageRanges, compute_page_totals
from northmoor.core.document import Document, ReportProgress
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import (
    Cancelled,
    NorthmoorError,
    ParameterError,
    Place,
    QueryError,
    did_you_mean,
    mistakes_caught,
)
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.layout.context import LayoutContext, Shapers
from northmoor.core.layout.flow.layout_pass import StageResults
from northmoor.core.layout.inline.formatting import PageTotalValues
from northmoor.core.layout.page.composition import compose
from northmoor.core.layout.table.collapsing import Fold, Folds
from northmoor.core.model.blocks.containers import DataBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.report import Edition, Report
from northmoor.core.output.pdf.content_streams import ContentWriter
from northmoor.core.sources.fetch.log_reading import LogReader
from northmoor.core.sources.fetch.query_resolution import fill_shared, parameters_of, resolve
from northmoor.core.sources.fetch.query_rows import query_rows
from northmoor.core.sources.fetch.run_query import FetchRequest, ShowFirst, check
from northmoor.core.sources.fetch.signal_rows import LogWork
from northmoor.core.sources.library import Library
from northmoor.core.sources.local.reader_start import start_reader
from northmoor.core.values.parameter_values import Values

_MOST_LINES = 8_000_000


class Session:
    """Renders reports of a library, keeping what it can from one rendering to the next."""

    def __init__(self, library: Library) -> None:
        self.library = library
        self._rows = GenerationalCache(8)
        self._listed = GenerationalCache(64)
        self._now: datetime | None = None
        self._arranged = GenerationalCache(12)
        self._kept = GenerationalCache()
        self._analyses = GenerationalCache(20_000)
        self._shapers = Shapers()
        self._writer = ContentWriter()

    def render(
        self,
        report: Report,
        values: Mapping[str, Any] | None = None,
        edition: str | None = None,
        stop: CancelToken | None = None,
        report_progress: ReportProgress = lambda _: None,
    ) -> "Document":
        """The document of a report with the given parameter values.

        Raises ParameterError for values that do not fit or an unknown edition, and Stopped. A query or block that fails
        shows its fault in its place on the page and is among the document's findings.
        """
        stop = stop or CancelToken()
        return self.render_resolved(
            self.resolve_parameters(report, values, stop, report_progress), edition, stop, report_progress
        )

    def resolve_parameters(
        self,
        report: Report,
        values: Mapping[str, Any] | None = None,
        stop: CancelToken | None = None,
        report_progress: ReportProgress = lambda _: None,
        designing: bool = False,
        forgiving: bool = False,
    ) -> ResolvedValues:
        """The values of a report's parameters: given ones, else samples (when designing), else defaults.

        See `settling.settle`. Raises ParameterError for an unknown name, and Stopped.
        """
        stop = stop or CancelToken()

        def rows(query: str, known: Values) -> Rows:
            report_progress(f"Fetching the choices in {query}")
            return self._cached_rows(self._listed, report, query, known, stop, report_progress)

        report = with_included(report, self.library).report
        asker = ParameterSources(rows, lambda query: self.names_in(report, query), lambda: self.data_time(report), stop)
        resolved = resolve_parameters(report, values or {}, asker, designing, forgiving)
        return replace(resolved, unused=self._unused(report, resolved)) if resolved.faults else resolved

    def _unused(self, report: Report, resolved: ResolvedValues) -> frozenset[str]:
        """The parameters without a value that nobody gave one and nothing uses."""
        used, owner = self._parameters_bound(report) | value_names_used(report), parameter_of_name(report)
        idle = {p.name for p in report.parameters} - {owner.get(name, name) for name in used} - resolved.given
        return frozenset(idle & resolved.faults.keys())

    def names_in(self, report: Report, query: str) -> frozenset[str]:
        """The names of values that a query's rows depend on. Raises QueryError, ConnectionFault, ReportFileError."""
        return parameters_of(report, query, self.library)

    def data_time(self, report: Report) -> datetime:
        """The moment that a report's data are as of, before any are fetched: wall time of its zone.

        That of a server is when it was first needed since the last `refresh`, so that relative values do not move
        while one looks at them. Raises ConnectionFault.
        """
        self._now = self._now or datetime.now(UTC)
        names = {fill_shared(query, self.library).connection for query in report.queries if not query.use_sample}
        drivers = [self.library.driver(name) for name in sorted(name for name in names if name)]
        moments = [min(driver.data_time(), self._now) for driver in drivers]  # a server's stands still
        return max(moments, default=self._now).astimezone(report.zone).replace(tzinfo=None, microsecond=0)

    def render_resolved(
        self,
        resolved: ResolvedValues,
        edition: str | None = None,
        stop: CancelToken | None = None,
        report_progress: ReportProgress = lambda _: None,
        folds: Folds | None = None,
    ) -> "Document":
        """The document of a report whose values are settled; `folds` are for looking only, over those of the report.

        Raises like `render`.
        """
        stop = stop or CancelToken()
        self._begin_generation()
        analyse(resolved.report, self._analyses)
        known = self._edition_by_values(resolved, edition, stop)
        fetched = self._fetch_all(resolved, known.edition, stop, report_progress)
        resolved = _with_document(resolved, known.edition, _whole(fetched).values())
        shown = self._edition_by_rows(resolved, known, fetched, stop)
        correlated = correlate_blocks(shown.edition, resolved.report)
        data = self._evaluate_all(correlated, fetched, resolved.complete_values(), stop, report_progress)
        report_progress("Laying out")
        return self._lay_out(resolved, shown, fetched, correlated, data, folds or {}, stop)

    def _edition_by_values(self, resolved: ResolvedValues, name: str | None, stop: CancelToken) -> VisibleEdition:
        """The edition to show, without what its values alone make invisible."""
        values = resolved.complete_values()
        return apply_visibility(shown_edition(resolved.report, name, values, stop), None, values, stop)

    def _edition_by_rows(
        self,
        resolved: ResolvedValues,
        known: VisibleEdition,
        fetched: Mapping[str, Rows | NorthmoorError],
        stop: CancelToken,
    ) -> VisibleEdition:
        """The edition as it is laid out: without what its rows make invisible, empty texts filled in."""
        chosen = apply_visibility(known.edition, _whole(fetched), resolved.complete_values(), stop)
        own = with_borrowed_groups(chosen.edition, known.edition)
        shown = with_empty_texts(own, lambda query: self._value_labels(resolved, query))
        return VisibleEdition(shown, [*known.faults, *chosen.faults])

    def _value_labels(self, resolved: ResolvedValues, query: str) -> tuple[str, ...]:
        """The values that a query's rows depend on, as they read."""
        report = resolved.report
        named = parameter_of_name(report)
        try:
            used = {named[name] for name in self.names_in(report, query) if name in named}
        except NorthmoorError:
            return ()  # the query itself will say what is wrong with it
        return tuple(
            f"{parameter.shown_name} = {resolved.values.labels[parameter.name] or '–'}"
            for parameter in report.parameters
            if parameter.name in used
        )

    def refresh(self) -> None:
        """Fetch again with the next rendering."""
        self._rows.clear()
        self._listed.clear()
        self._now = None

    def rows(
        self,
        report: Report,
        query: str,
        values: Values,
        stop: CancelToken,
        report_progress: ReportProgress = lambda _: None,
        show: ShowFirst = lambda _: None,
    ) -> Rows:
        """The rows of one query; `show` may be called with the first ones while the rest is on the way.

        Raises QueryError, ConnectionFault, ReportFileError or Stopped.
        """
        return self._cached_rows(self._rows, report, query, values, stop, report_progress, show)

    @mistakes_caught("reading its rows")
    def _cached_rows(
        self,
        kept: GenerationalCache,
        report: Report,
        query: str,
        values: Values,
        stop: CancelToken,
        report_progress: ReportProgress,
        show: ShowFirst = lambda _: None,
    ) -> Rows:
        resolved = resolve(report, query, self.library)
        asked = resolved.query
        needed = {name: self._cached_rows(kept, report, name, values, stop, report_progress) for name in resolved.needs}
        key = (
            str(self.library.root),
            self.library.connection(asked.connection) if asked.connection and not asked.use_sample else None,
            (asked.sql, asked.detail_of, asked.sample if asked.use_sample else None),
            (asked.signals, resolved.log, values.data_time if resolved.log is not None else None),
            tuple((column.name, column.type) for column in asked.columns),
            values.key(parameters_of(report, query, self.library)),
            report.time_zone,
            tuple(needed.items()),
        )
        return kept.get(
            key,
            lambda: query_rows(
                FetchRequest(report, resolved, values, self.library, needed, stop, report_progress, show)
            ),
        )

    def log_work(self, report: Report, query: str, values: Values, stop: CancelToken) -> LogWork:
        """What a query over a signal log reads and computes, step by step. Raises like `rows`."""
        resolved = resolve(report, query, self.library)
        needed = {name: self.rows(report, name, values, stop) for name in resolved.needs}
        request = FetchRequest(report, resolved, values, self.library, needed, stop)
        if resolved.log is None or resolved.query.signals is None:
            raise QueryError(f"The query {query} reads no signal log.", Place(query=query))
        return LogWork(request, LogReader(request, resolved.log), resolved.query.signals)

    def check(self, report: Report, query: str, values: Values, stop: CancelToken) -> str:
        """Ask whether a query would run, without running it; who says so. A combined one needs the rows it is over.

        Raises like `rows`, and QueryError for a placeholder that no parameter fills.
        """
        resolved = resolve(report, query, self.library)
        needed = {name: self.rows(report, name, values, stop) for name in resolved.sources}
        check(FetchRequest(report, resolved, values, self.library, needed, stop))
        return resolved.query.connection or "The engine"

    def _begin_generation(self) -> None:
        """Let go what the last renderings did not use, and all that is known of texts when it has become too much."""
        self._kept.next_generation()
        self._analyses.next_generation()
        if self._shapers.lines() > _MOST_LINES:
            self._shapers, self._kept, self._writer = Shapers(), GenerationalCache(), ContentWriter()

    def _fetch_all(
        self, resolved: ResolvedValues, edition: Edition, stop: CancelToken, report_progress: ReportProgress
    ) -> dict[str, Rows | NorthmoorError]:
        """The rows of the queries that an edition shows or reaches, or why there are none."""
        fetched: dict[str, Rows | NorthmoorError] = {}
        report, values = resolved.report, resolved.complete_values()
        if any(query.connection is None for query in report.queries):
            start_reader()
        used = edition.queries | analyse_edition(edition, self._analyses).queries
        for query in report.queries:
            if query.name not in used:
                continue
            try:
                fetched[query.name] = self.rows(report, query.name, values, stop, report_progress)
            except Cancelled:
                raise
            except NorthmoorError as error:
                fetched[query.name] = error
        return fetched

    def _evaluate_all(
        self,
        correlated: Mapping[str, CorrelatedBlock],
        fetched: Mapping[str, Rows | NorthmoorError],
        values: Values,
        stop: CancelToken,
        report_progress: ReportProgress,
    ) -> dict[str, BlockData | NorthmoorError]:
        rows = _whole(fetched)
        data: dict[str, BlockData | NorthmoorError] = {}
        for name, each in correlated.items():
            own = fetched[each.block.query]
            if isinstance(own, NorthmoorError):
                data[name] = own
                continue
            report_progress(f"Grouping {name}")
            data[name] = self._evaluate(each.block, rows, values, stop)
        return data

    def _evaluate(
        self, block: DataBlock, rows: Mapping[str, Rows], values: Values, stop: CancelToken
    ) -> BlockData | NorthmoorError:
        plan = plan_block(block)
        key = (plan, tuple(rows.items()), _key_of(values), _document_functions_in(plan, values))

        def data() -> BlockData:
            found = evaluate_block(plan, rows, values, stop)
            pa.default_memory_pool().release_unused()  # what putting rows in order took
            return found

        try:
            with mistakes_caught("grouping and totalling it"):
                return self._arranged.get(key, data)
        except Cancelled:
            raise
        except NorthmoorError as error:
            return error

    def _lay_out(
        self,
        resolved: ResolvedValues,
        visible: VisibleEdition,
        fetched: Mapping[str, Rows | NorthmoorError],
        correlated: Mapping[str, CorrelatedBlock],
        data: Mapping[str, BlockData | NorthmoorError],
        folds: Folds,
        stop: CancelToken,
    ) -> "Document":
        report, values, edition = resolved.report, resolved.values, visible.edition
        rows = _whole(fetched)
        format_locale = FormatLocale(report.locale, report.currency, report.time_zone)
        context = LayoutContext(report, format_locale, self._shapers, self._kept, self.library.resolve_path, stop)
        context.folds = {**_folds_of_report(edition), **folds}
        for name, failure in fetched.items():
            if isinstance(failure, NorthmoorError) and name not in edition.queries:
                context.find("faulty query", failure.place, failure.message)

        def running(
            wanted: list[str],
            numbers: Sequence[int] = (1,),
            counts: Sequence[int] = (1,),
            more: Mapping[str, Any] = PER_PAGE,
        ) -> Mapping[str, Computed]:
            if not wanted:
                return {}
            own = tuple(values.of_document.items()), tuple(more.items())
            key = (tuple(wanted), tuple(rows.items()), _key_of(values), own, tuple(numbers), tuple(counts))
            return self._kept.get(
                ("running", key), lambda: compute_page_expressions(wanted, rows, values, more, numbers, counts, stop)
            )

        once = running(expressions_of(edition), more={})

        def paged(table: str, pages: PageRanges) -> PageTotalValues:
            found, block = data[table], correlated[table].block
            assert isinstance(found, TableData)  # it has been laid out
            assert isinstance(block, TableBlock)
            wanted, ordered = table_plan(block).per_page, found.ordered
            if not wanted:  # its rows that belong to pages show nothing that is computed
                return PageTotalValues({})
            assert ordered is not None
            key = (found, pages.key, tuple(rows.items()), _key_of(values), _document_functions_in(wanted, values))
            return self._kept.get(
                ("paged", key), lambda: PageTotalValues(compute_page_totals(wanted, ordered, pages, rows, values, stop))
            )

        context.paged = paged
        faults = with_included(report, self.library).faults
        missing = {fault.block: fault.error.message for fault in faults if fault.edition == edition.name}
        given = StageResults(data, correlated, once, running, missing)
        composition = compose(edition, given, context)
        for undecided in visible.faults:
            context.find("undecided", undecided.place, undecided.message)
        bound = partial(self._parameters_bound, report)
        words = partial(self._value_labels, resolved)
        return Document(resolved, self.library, composition, rows, self._writer, bound, words)

    def _parameters_bound(self, report: Report) -> frozenset[str]:
        """The parameters that queries use; a query that cannot be read uses none, and says so when it is run."""
        bound: set[str] = set()
        for query in report.queries:
            with suppress(NorthmoorError):
                bound |= resolve(report, query.name, self.library).parameters
        return frozenset(bound)


def _folds_of_report(edition: Edition) -> Folds:
    """What of an edition's tables is printed folded."""
    levels = {table.name: [level.name for level in table.levels] for table in edition.tables}
    return {t.name: Fold(1 + levels[t.name].index(t.folded)) for t in edition.tables if t.folded is not None}


def _whole(fetched: Mapping[str, Rows | NorthmoorError]) -> dict[str, Rows]:
    """The rows of those queries that could be fetched."""
    return {name: rows for name, rows in fetched.items() if isinstance(rows, Rows)}


def _with_document(resolved: ResolvedValues, edition: Edition, rows: Iterable[Rows]) -> ResolvedValues:
    """The resolved values with what the document knows of itself."""
    moment = resolved.values.data_time or max((own.data_time for own in rows), default=None)
    own = {"report_title": edition.title or resolved.report.title, "data_time": moment}
    return replace(resolved, values=replace(resolved.values, of_document=own))


def _document_functions_in(wanted: object, values: Values) -> Hashable:
    """What of the document the expressions in a plan use: only these are computed again where it changes."""
    text = repr(wanted).lower()
    return tuple((name, value) for name, value in values.of_document.items() if name in text)


def _key_of(values: Values) -> Hashable:
    return values.key(frozenset(values.by_name)), tuple(values.labels.items())


def shown_edition(report: Report, name: str | None, values: Values, stop: CancelToken) -> Edition:
    """The edition of a name; without one, that which the report's values choose, or the first.

    Raises ParameterError for a name that is none.
    """
    if name is None and report.shown_edition is not None:
        text = report.shown_edition
        computed = compute_page_expressions([text], {}, values, {}, (1,), (1,), stop)[text]
        found = computed.values[0].as_py() if computed.fault is None and not computed.faults else None
        if not isinstance(found, str):
            message = computed.fault.message if computed.fault is not None else f"{text} is {found}."
            raise ParameterError(f"Which edition to show cannot be decided: {message}")
        name = found
    edition = report.edition(name)
    if edition is None:
        known = did_you_mean(name or "", [e.name for e in report.editions])
        raise ParameterError(f"The report has no edition {name!r}. {known}")
    return edition
