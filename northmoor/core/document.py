"""The road, from a report and values to a document whose pages are made as they are asked for.

A session keeps what each stage made, by what it depends on: an edit repeats only the stages it touches.
"""

import hashlib
import io
from collections.abc import Callable, Hashable, Iterator, Mapping, Sequence
from contextlib import suppress
from dataclasses import replace
from datetime import UTC, datetime
from functools import cached_property, partial
from pathlib import Path
from typing import Any, BinaryIO

import pyarrow as pa

from northmoor.core.compute.cells import Computed
from northmoor.core.compute.choosing import choose, said_when_empty
from northmoor.core.compute.groupsof import with_groups
from northmoor.core.compute.hosting import Hosted, expressions_of, hosting
from northmoor.core.compute.kinds import ArrangedBlock, arrange_block, planned
from northmoor.core.compute.paging import PageRanges, compute_paged
from northmoor.core.compute.running import PER_PAGE, compute_running
from northmoor.core.compute.settling import Asker, Settled, owners, settle
from northmoor.core.compute.table import ArrangedTable, plan_of
from northmoor.core.deliver.files import write_outputs
from northmoor.core.errors import NorthmoorError, ParameterError, Stopped, did_you_mean
from northmoor.core.expr.formats import Customs
from northmoor.core.layout.celltext import PagedCells
from northmoor.core.layout.compose import Composition, compose
from northmoor.core.layout.context import Kept, Setting, Shapers
from northmoor.core.layout.display import TOGETHER, Page
from northmoor.core.layout.folding import Fold, Folds
from northmoor.core.layout.shelf import Given
from northmoor.core.model.blocks import DataBlock
from northmoor.core.model.files import report_text
from northmoor.core.model.findings import Finding
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.tables import TableBlock
from northmoor.core.output.content import ContentWriter
from northmoor.core.output.pdf import Metadata, write_page_pdf, write_pdf
from northmoor.core.sources.connections import Library
from northmoor.core.sources.fetch import Errand, Rows, ShowFirst, check, fetch
from northmoor.core.sources.including import with_included
from northmoor.core.sources.resolving import fill_shared, parameters_of, resolve
from northmoor.core.stopping import Stop
from northmoor.core.values.values import Values

Tell = Callable[[str], None]
_MOST_LINES = 8_000_000
_LONGEST_LIST = 1_000


class Session:
    """Renders reports of a library, keeping what it can from one rendering to the next."""

    def __init__(self, library: Library) -> None:
        self.library = library
        self._rows = Kept(8)
        self._listed = Kept(64)
        self._now: datetime | None = None
        self._arranged = Kept(12)
        self._kept = Kept()
        self._shapers = Shapers()
        self._writer = ContentWriter()

    def render(
        self,
        report: Report,
        values: Mapping[str, Any] | None = None,
        edition: str | None = None,
        stop: Stop | None = None,
        tell: Tell = lambda _: None,
    ) -> "Document":
        """The document of a report with the given parameter values.

        Raises ParameterError for values that do not fit or an unknown edition, and Stopped. A query or block that fails
        shows its fault in its place on the page and is among the document's findings.
        """
        stop = stop or Stop()
        return self.render_settled(self.settle(report, values, stop, tell), edition, stop, tell)

    def settle(
        self,
        report: Report,
        values: Mapping[str, Any] | None = None,
        stop: Stop | None = None,
        tell: Tell = lambda _: None,
        designing: bool = False,
        forgiving: bool = False,
    ) -> Settled:
        """The values of a report's parameters: given ones, else samples (when designing), else defaults.

        See `settling.settle`. Raises ParameterError for an unknown name, and Stopped.
        """
        stop = stop or Stop()

        def rows(query: str, known: Values) -> Rows:
            tell(f"Fetching the choices in {query}")
            return self._rows_kept(self._listed, report, query, known, stop, tell)

        report = with_included(report, self.library).report
        asker = Asker(rows, lambda query: self.names_in(report, query), lambda: self.data_time(report), stop)
        return settle(report, values or {}, asker, designing, forgiving)

    def names_in(self, report: Report, query: str) -> frozenset[str]:
        """The names of values that a query's rows depend on. Raises QueryError, ConnectionFault, ReportFileError."""
        return parameters_of(report, query, self.library)

    def data_time(self, report: Report) -> datetime:
        """The moment that a report's data are as of, before any are fetched: wall time of its zone.

        That of a server is when it was first needed since the last `refresh`, so that relative values stand still
        while one looks at them. Raises ConnectionFault.
        """
        self._now = self._now or datetime.now(UTC)
        names = {fill_shared(query, self.library).connection for query in report.queries if not query.use_sample}
        drivers = [self.library.driver(name) for name in sorted(name for name in names if name)]
        moments = [min(driver.data_time(), self._now) for driver in drivers]  # a server's stands still
        return max(moments, default=self._now).astimezone(report.zone).replace(tzinfo=None, microsecond=0)

    def render_settled(
        self,
        settled: Settled,
        edition: str | None = None,
        stop: Stop | None = None,
        tell: Tell = lambda _: None,
        folds: Folds | None = None,
    ) -> "Document":
        """The document of a report whose values are settled; `folds` are for looking only, over those of the report.

        Raises like `render`.
        """
        stop = stop or Stop()
        self._forget_old_lines()
        self._kept.begin_turn()
        report, values = settled.report, settled.whole()
        known = choose(shown_edition(report, edition, values, stop), None, values, stop)
        rows = self._fetch_all(report, known.edition, values, stop, tell)
        settled = _with_document(settled, known.edition, [r for r in rows.values() if isinstance(r, Rows)])
        values = settled.whole()
        chosen = choose(known.edition, {n: r for n, r in rows.items() if isinstance(r, Rows)}, values, stop)
        own = with_groups(chosen.edition, known.edition)
        shown = said_when_empty(own, lambda query: self._words(settled, query))
        hosted = hosting(shown, report)
        arranged = self._arrange_all(hosted, rows, values, stop, tell)
        tell("Laying out")
        document = self._compose(settled, shown, rows, hosted, arranged, folds or {}, stop)
        for fault in (*known.faults, *chosen.faults):
            document.composition.setting.find("undecided", fault.place, fault.message)
        return document

    def _words(self, settled: Settled, query: str) -> tuple[str, ...]:
        """The values that a query's rows depend on, as they read."""
        report = settled.report
        named = owners(report)
        try:
            used = {named[name] for name in self.names_in(report, query) if name in named}
        except NorthmoorError:
            return ()  # the query itself will say what is wrong with it
        return tuple(
            f"{parameter.shown_name} = {settled.values.labels[parameter.name] or '–'}"
            for parameter in report.parameters
            if parameter.name in used
        )

    def refresh(self) -> None:
        """Fetch anew with the next rendering."""
        self._rows.clear()
        self._listed.clear()
        self._now = None

    def rows(
        self,
        report: Report,
        query: str,
        values: Values,
        stop: Stop,
        tell: Tell = lambda _: None,
        show: ShowFirst = lambda _: None,
    ) -> Rows:
        """The rows of one query; `show` may be called with the first ones while the rest is on the way.

        Raises QueryError, ConnectionFault, ReportFileError or Stopped.
        """
        return self._rows_kept(self._rows, report, query, values, stop, tell, show)

    def _rows_kept(
        self,
        kept: Kept,
        report: Report,
        query: str,
        values: Values,
        stop: Stop,
        tell: Tell,
        show: ShowFirst = lambda _: None,
    ) -> Rows:
        resolved = resolve(report, query, self.library)
        asked = resolved.query
        needed = {name: self._rows_kept(kept, report, name, values, stop, tell) for name in resolved.needs}
        key = (
            str(self.library.root),
            self.library.connection(asked.connection) if asked.connection and not asked.use_sample else None,
            (asked.sql, asked.detail_of, asked.sample if asked.use_sample else None),
            tuple((column.name, column.type) for column in asked.columns),
            values.key(parameters_of(report, query, self.library)),
            report.time_zone,
            tuple(needed.items()),
        )
        return kept.get(key, lambda: fetch(Errand(report, resolved, values, self.library, needed, stop, tell, show)))

    def check(self, report: Report, query: str, values: Values, stop: Stop) -> str:
        """Ask whether a query would run, without running it; who says so. A combined one needs the rows it is over.

        Raises like `rows`, and QueryError for a placeholder that no parameter fills.
        """
        resolved = resolve(report, query, self.library)
        needed = {name: self.rows(report, name, values, stop) for name in resolved.sources}
        check(Errand(report, resolved, values, self.library, needed, stop))
        return resolved.query.connection or "The engine"

    def _forget_old_lines(self) -> None:
        if self._shapers.lines() > _MOST_LINES:
            self._shapers, self._kept, self._writer = Shapers(), Kept(), ContentWriter()

    def _fetch_all(
        self, report: Report, edition: Edition, values: Values, stop: Stop, tell: Tell
    ) -> dict[str, Rows | NorthmoorError]:
        fetched: dict[str, Rows | NorthmoorError] = {}
        for query in report.queries:
            if query.name not in queries_used(report, edition):
                continue
            try:
                fetched[query.name] = self.rows(report, query.name, values, stop, tell)
            except Stopped:
                raise
            except NorthmoorError as error:
                fetched[query.name] = error
        return fetched

    def _arrange_all(
        self,
        hosted: Mapping[str, Hosted],
        fetched: Mapping[str, Rows | NorthmoorError],
        values: Values,
        stop: Stop,
        tell: Tell,
    ) -> dict[str, ArrangedBlock | NorthmoorError]:
        rows = {name: r for name, r in fetched.items() if isinstance(r, Rows)}
        arranged: dict[str, ArrangedBlock | NorthmoorError] = {}
        for name, each in hosted.items():
            own = fetched[each.block.query]
            if isinstance(own, NorthmoorError):
                arranged[name] = own
                continue
            tell(f"Grouping {name}")
            arranged[name] = self._arrange(each.block, rows, values, stop)
        return arranged

    def _arrange(
        self, block: DataBlock, rows: Mapping[str, Rows], values: Values, stop: Stop
    ) -> ArrangedBlock | NorthmoorError:
        plan = planned(block)
        key = (plan, tuple(rows.items()), _key_of(values), _said_of_document(plan, values))

        def arranged() -> ArrangedBlock:
            found = arrange_block(plan, rows, values, stop)
            pa.default_memory_pool().release_unused()  # what putting rows in order took
            return found

        try:
            return self._arranged.get(key, arranged)
        except Stopped:
            raise
        except NorthmoorError as error:
            return error

    def _compose(
        self,
        settled: Settled,
        edition: Edition,
        fetched: Mapping[str, Rows | NorthmoorError],
        hosted: Mapping[str, Hosted],
        arranged: Mapping[str, ArrangedBlock | NorthmoorError],
        folds: Folds,
        stop: Stop,
    ) -> "Document":
        report, values = settled.report, settled.values
        rows = {name: r for name, r in fetched.items() if isinstance(r, Rows)}
        customs = Customs(report.locale, report.currency, report.time_zone)
        setting = Setting(report, customs, self._shapers, self._kept, self.library.inside, stop)
        setting.folds = {**_printed_folds(edition), **folds}
        shown = edition.queries
        for name, failure in fetched.items():
            if isinstance(failure, NorthmoorError) and name not in shown:
                setting.find("faulty query", failure.place, failure.message)

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
                ("running", key), lambda: compute_running(wanted, rows, values, more, numbers, counts, stop)
            )

        once = running(expressions_of(edition), more={})

        def paged(table: str, pages: PageRanges) -> PagedCells:
            found, block = arranged[table], hosted[table].block
            assert isinstance(found, ArrangedTable)  # it has been laid out
            assert isinstance(block, TableBlock)
            assert found.ordered is not None
            wanted, ordered = plan_of(block).paged, found.ordered
            key = (found, pages.key, tuple(rows.items()), _key_of(values), _said_of_document(wanted, values))
            return self._kept.get(
                ("paged", key), lambda: PagedCells(compute_paged(wanted, ordered, pages, rows, values, stop))
            )

        faults = with_included(report, self.library).faults
        missing = {fault.block: fault.error.message for fault in faults if fault.edition == edition.name}
        given = Given(arranged, hosted, once, running, paged, missing)
        composition = compose(edition, given, setting)
        bound = partial(self._parameters_bound, report)
        words = partial(self._words, settled)
        return Document(settled, self.library, composition, rows, self._writer, bound, words)

    def _parameters_bound(self, report: Report) -> frozenset[str]:
        """The parameters that queries use; a query that cannot be read uses none, and says so when it is run."""
        bound: set[str] = set()
        for query in report.queries:
            with suppress(NorthmoorError):
                bound |= resolve(report, query.name, self.library).checked.parameters
        return frozenset(bound)


class Document:
    """A rendered report: pages as they are asked for, findings, and outputs."""

    def __init__(
        self,
        settled: Settled,
        library: Library,
        composition: Composition,
        rows: Mapping[str, Rows],
        writer: ContentWriter,
        parameters_bound: Callable[[], frozenset[str]],
        words_of: Callable[[str], tuple[str, ...]],
    ) -> None:
        self.settled = settled
        self.library = library
        self.words_of = words_of
        self.report = settled.report
        self.values = settled.values
        self.title = str(self.values.of_document["report_title"])
        self.data_time = self.values.of_document["data_time"]
        self.composition = composition
        self.rows = rows
        self._parameters_bound = parameters_bound
        self._writer = writer

    def __len__(self) -> int:
        return len(self.composition)

    def page(self, index: int) -> Page:
        """The page of an index from 0."""
        return self.composition.pages(index, index + 1)[0]

    @property
    def edition(self) -> Edition:
        """The edition as its values make it."""
        return self.composition.edition

    @property
    def findings(self) -> tuple[Finding, ...]:
        """What is wrong with the report, as far as it has been laid out."""
        return tuple(self.composition.setting.findings)

    @cached_property
    def parameters_bound(self) -> frozenset[str]:
        """The parameters that the report's queries use."""
        return self._parameters_bound()

    def missing_characters(self) -> str:
        """Characters in the document's tables that no shipped font has, each once."""
        return "".join(self.composition.setting.missing)

    @property
    def row_count(self) -> int:
        """How many rows its queries returned."""
        return sum(rows.table.num_rows for rows in self.rows.values())

    def page_pdf(self, index: int) -> bytes:
        """One page as a PDF of its own: what the canvas shows."""
        return write_page_pdf(self.page(index), Metadata(self.title), self._writer)

    @cached_property
    def metadata(self) -> Metadata:
        """What outputs say about how they were made: report revision, values and data time."""
        revision = hashlib.sha256(report_text(self.report).encode()).hexdigest()[:12]
        counts = {p.names[1] for p in self.report.parameters if p.holds == "list"}
        by_name = {name: value for name, value in sorted(self.values.by_name.items()) if name not in counts}
        values = "; ".join(f"{name}={_recorded(value)}" for name, value in by_name.items())
        entries = {"NorthmoorRevision": revision, "NorthmoorValues": values}
        if self.data_time is not None:
            entries["NorthmoorDataTime"] = self.data_time.isoformat()
        return Metadata(self.title, entries)

    def pdf(self) -> bytes:
        """All pages as a PDF. Raises Stopped."""
        target = io.BytesIO()
        self._write_pdf(target)
        return target.getvalue()

    def _write_pdf(self, target: BinaryIO, tell: Tell = lambda _: None) -> None:
        write_pdf(self._pages(tell), self.metadata, target)

    def _pages(self, tell: Tell) -> Iterator[Page]:
        """All pages in order. Raises Stopped."""
        for first in range(0, len(self), TOGETHER):
            tell(f"Page {first + 1} of {len(self)}")
            self.composition.setting.stop.check()
            yield from self.composition.pages(first, min(first + TOGETHER, len(self)))

    def write(self, path: Path, tell: Tell = lambda _: None, stop: Stop | None = None) -> list[Path]:
        """Write the document in the format of the path's ending; the files written.

        Raises OutputError for an unknown ending or a place that cannot be written, and Stopped; nothing is left
        half-written.
        """
        setting = self.composition.setting
        before, setting.stop = setting.stop, stop or setting.stop
        try:
            return write_outputs(path, self.title, lambda target: self._write_pdf(target, tell), self._pages(tell))
        finally:
            setting.stop = before  # pages can be looked at though writing was stopped


def _printed_folds(edition: Edition) -> Folds:
    """What of an edition's tables is printed folded."""
    levels = {table.name: [level.name for level in table.levels] for table in edition.tables}
    return {t.name: Fold(1 + levels[t.name].index(t.folded)) for t in edition.tables if t.folded is not None}


def _with_document(settled: Settled, edition: Edition, rows: Sequence[Rows]) -> Settled:
    """The settled values with what the document knows of itself."""
    moment = settled.values.data_time or max((own.data_time for own in rows), default=None)
    own = {"report_title": edition.title or settled.report.title, "data_time": moment}
    return replace(settled, values=replace(settled.values, of_document=own))


def _said_of_document(wanted: object, values: Values) -> Hashable:
    """What of the document the expressions in a plan say: only these are computed anew where it changes."""
    text = repr(wanted).lower()
    return tuple((name, value) for name, value in values.of_document.items() if name in text)


def _key_of(values: Values) -> Hashable:
    return values.key(frozenset(values.by_name)), tuple(values.labels.items())


def _recorded(value: object) -> str:
    """A value in an output's metadata; a long list is told by its size and a digest."""
    if not isinstance(value, tuple):
        return str(value)
    listed = ",".join(map(str, value))
    if len(listed) <= _LONGEST_LIST:
        return f"[{listed}]"
    return f"[{len(value)} values, SHA-256 {hashlib.sha256(listed.encode()).hexdigest()[:16]}]"


def shown_edition(report: Report, name: str | None, values: Values, stop: Stop) -> Edition:
    """The edition of a name; without one, that which the report's values choose, or the first.

    Raises ParameterError for a name that is none.
    """
    if name is None and report.shown_edition is not None:
        text = report.shown_edition
        computed = compute_running([text], {}, values, {}, (1,), (1,), stop)[text]
        found = computed.values[0].as_py() if computed.fault is None and not computed.faults else None
        if not isinstance(found, str):
            told = computed.fault.message if computed.fault is not None else f"{text} is {found}."
            raise ParameterError(f"Which edition to show cannot be decided: {told}")
        name = found
    edition = report.edition(name)
    if edition is None:
        known = did_you_mean(name or "", [e.name for e in report.editions])
        raise ParameterError(f"The report has no edition {name!r}. {known}")
    return edition


def queries_used(report: Report, edition: Edition) -> frozenset[str]:
    """Names of the queries an edition needs: those of its tables, and those its expressions reach by name."""
    used = edition.queries
    rest = [query.name for query in report.queries if query.name not in used]
    text = edition.model_dump_json() if rest else ""
    return frozenset(used | {name for name in rest if f"{name}." in text})
