"""A name changed wherever it is used, in expressions, templates, references and SQL, as one edit.

Only the spans that hold the name change: what is around them stays as it was written. Shared queries of the library are
left as they are.
"""

from collections.abc import Callable

from northmoor.core.analysis.references import (
    column_spans,
    in_slots,
    query_spans,
    source_column_spans,
    table_spans,
    with_ranges_replaced,
    with_result_column_renamed,
)
from northmoor.core.analysis.report_texts import PropertyPath, ReportText, texts_of, with_texts
from northmoor.core.errors import NorthmoorError, Place, QueryError
from northmoor.core.expr.identifiers import bare_or_quoted, sql_table
from northmoor.core.expr.language import column_expression
from northmoor.core.expr.placeholders import placeholders
from northmoor.core.expr.window_names import rename_window
from northmoor.core.model import edits
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.data.queries import Query
from northmoor.core.model.data.signal_queries import MeasurementsQuery, SignalQuery, SpansQuery
from northmoor.core.model.report import Report
from northmoor.core.sources.fetch.query_resolution import ENGINE_DIALECT, dialect_of
from northmoor.core.sources.library import Library

Rewrite = Callable[[ReportText, str], str]
"""An expression, from the text that it is of, to the changed one."""


def rename_value(report: Report, old: str, new: str, library: Library) -> Report:
    """Give a parameter or computed value another name, wherever it is used.

    Raises pydantic.ValidationError for a name that is taken or is none.
    """
    names = {old: new}
    for parameter in report.parameters:
        if parameter.name == old:
            renamed = parameter.model_copy(update={"name": new})
            names |= dict(zip(parameter.names, renamed.names, strict=True))

    def rewrite(text: str, dialect: str) -> str:
        for found in reversed(placeholders(text, dialect)):
            if found.name in names:
                text = f"{text[: found.start]}:{names[found.name]}{text[found.end :]}"
        return text

    changed = with_sql_rewritten(report, rewrite, library)
    changed = _with_signals(changed, lambda text: rewrite(text, ENGINE_DIALECT))
    changed = with_expressions_rewritten(changed, lambda _, text: rewrite(text, ENGINE_DIALECT))
    return changed.but(
        parameters=tuple(p.but(name=new) if p.name == old else p for p in changed.parameters),
        named_values=tuple(v.but(name=new) if v.name == old else v for v in changed.named_values),
        value_sets=tuple(
            s.but(values=tuple(v.but(parameter=new) if v.parameter == old else v for v in s.values))
            for s in changed.value_sets
        ),
    )


def rename_query(report: Report, old: str, new: str) -> Report:
    """Give a query another name: in blocks, links and lists, in expressions, and in queries over it.

    Raises pydantic.ValidationError for a name that is taken or is none.
    """
    found = edits.rename_query_references(report, old, new)
    found = with_expressions_rewritten(found, lambda _, text: with_ranges_replaced(text, query_spans(text, old), new))
    combined = {
        query.name: with_ranges_replaced(query.sql, table_spans(query.sql, old, ENGINE_DIALECT), new)
        for query in found.queries
        if query.is_combined
    }
    return _with_signals_over(_with_sql(found, combined), old, new)


def rename_column(report: Report, query: str, old: str, new: str, library: Library) -> Report:
    """Give a column of a query another name: in its SQL, in what the report declares about it, in expressions over the
    query, and in queries over it, whose own columns keep their names.

    Raises QueryError where the SQL does not write the column's name, or has the other one already.
    """
    asked, place = report.query(query), Place(query=query, column=old)
    if asked.shared is not None:
        raise QueryError(f"The library's query {asked.shared} names it; change that query in the library.", place)
    if asked.signals is not None:
        raise QueryError("What is read of a signal log names its columns; give this one a label for readers.", place)
    dialect = _dialect(asked, library)
    sql = with_result_column_renamed(asked.sql, old, bare_or_quoted(new, dialect), dialect)
    if sql is None:
        raise QueryError(
            "The SQL does not write this column's name, as in select *; list its columns, then rename it.", place
        )
    if with_result_column_renamed(asked.sql, new, new, dialect) is not None:
        raise QueryError(f"The query has a column {new} already; choose another name.", place)
    written = column_expression(new)
    changed = with_expressions_rewritten(
        report, lambda text, part: with_ranges_replaced(part, column_spans(part, old, query, text.scope.query), written)
    )
    changed = _with_references_to(changed, query, old, new)
    over = {
        other.name: _with_source_column_renamed(other.sql, query, old, new)
        for other in report.queries
        if other.is_combined and other.name != query
    }
    return _with_sql(changed, {**over, query: sql})


def rename_level(report: Report, edition: str, block: str, old: str, new: str) -> Report:
    """Give a level of a table or matrix another name: in windows of the block's expressions, and in lines of header and
    footer that belong to it.

    Raises pydantic.ValidationError for a name that is taken or is none.
    """
    is_matrix = isinstance(edits.block_of(report, edition, block), MatrixBlock)
    change = edits.change_matrix_level if is_matrix else edits.change_level

    def rewrite(text: ReportText, part: str) -> str:
        is_its = (text.scope.edition, text.scope.block) == (edition, block)
        return rename_window(part, old, new) if is_its else part

    changed = with_expressions_rewritten(change(report, edition, block, old, name=new), rewrite)
    for name in ("header", "footer"):
        lines = getattr(changed.edition(edition), name)
        for at, line in enumerate(lines.lines if lines is not None else ()):
            if line.of == old:
                changed = edits.change_running_line(changed, edition, name, at, of=new)
    return changed


def rename_record_window(report: Report, edition: str, old: str, new: str) -> Report:
    """An edition where the window of a for-each has another name, as in ``sum(fare) over shipper``."""
    return with_expressions_rewritten(
        report, lambda text, part: rename_window(part, old, new) if text.scope.edition == edition else part
    )


def with_expressions_rewritten(report: Report, rewrite: Rewrite) -> Report:
    """The report with every expression rewritten, by itself or in the slots of a template."""
    changes: dict[PropertyPath, str] = {}
    for text in texts_of(report):
        if text.kind == "expression":
            changed = rewrite(text, text.text)
        elif text.kind == "template":
            changed = in_slots(text.text, lambda slot, text=text: rewrite(text, slot))  # type: ignore[misc]
        else:
            continue
        if changed != text.text:
            changes[text.path] = changed
    made: Report = with_texts(report, changes)
    return made


def with_sql_rewritten(report: Report, rewrite: Callable[[str, str], str], library: Library) -> Report:
    """The report with every SQL text rewritten, by a function of the text and its dialect."""
    return _with_sql(report, {query.name: rewrite(query.sql, _dialect(query, library)) for query in report.queries})


def _with_signals(report: Report, rewrite: Callable[[str], str]) -> Report:
    """The report with the values that queries over signal logs name rewritten, in conditions too."""

    def changed(signals: SignalQuery) -> SignalQuery:
        changes: dict[str, object] = {"objects": tuple(map(rewrite, signals.objects))}
        names = ["start", "end"]
        if isinstance(signals, SpansQuery):
            changes["ids"] = tuple(map(rewrite, signals.ids))
            names += ["condition", "begins", "ends"]
        for name in names:
            text = getattr(signals, name)
            changes[name] = rewrite(text) if text is not None else None
        return signals.but(**changes)

    return _with_each_signals(report, lambda _, signals: changed(signals))


def _with_signals_over(report: Report, old: str, new: str) -> Report:
    """The report where queries over signal logs name another query otherwise, as their spans or their log."""

    def changed(query: Query, signals: SignalQuery) -> SignalQuery:
        if isinstance(signals, MeasurementsQuery) and signals.spans == old:
            signals = signals.but(spans=new)
        return signals.but(log=new) if query.connection is None and signals.log == old else signals

    return _with_each_signals(report, changed)


def _with_each_signals(report: Report, change: Callable[[Query, SignalQuery], SignalQuery]) -> Report:
    queries = tuple(q if q.signals is None else q.but(signals=change(q, q.signals)) for q in report.queries)
    return report if queries == report.queries else report.but(queries=queries)


def _dialect(query: Query, library: Library) -> str:
    try:
        return dialect_of(query, library)
    except NorthmoorError:
        return ENGINE_DIALECT  # its connection is gone; its words are much the same


def _with_sql(report: Report, texts: dict[str, str]) -> Report:
    return report.but(
        queries=tuple(
            query.but(sql=texts[query.name]) if texts.get(query.name, query.sql) != query.sql else query
            for query in report.queries
        )
    )


def _with_source_column_renamed(sql: str, query: str, old: str, new: str) -> str:
    """SQL over a query whose column has another name; where that was the result's column, it keeps its name."""
    spans = source_column_spans(sql, query, old, ENGINE_DIALECT)
    if spans and (kept := with_result_column_renamed(sql, old, old, ENGINE_DIALECT)) is not None and kept != sql:
        sql, spans = kept, source_column_spans(kept, query, old, ENGINE_DIALECT)
    return with_ranges_replaced(sql, spans, sql_table(new, ENGINE_DIALECT))


def _with_references_to(report: Report, query: str, old: str, new: str) -> Report:
    """The report where properties that name a column of a query name it otherwise."""

    def link(each: Query) -> Query:
        if each.detail_of is None:
            return each
        columns = tuple(
            pair.but(
                own=new if each.name == query and pair.own == old else pair.own,
                other=new if each.detail_of.query == query and pair.other == old else pair.other,
            )
            for pair in each.detail_of.columns
        )
        return each.but(detail_of=each.detail_of.but(columns=columns))

    def declared(each: Query) -> Query:
        if each.name != query:
            return each
        return each.but(columns=tuple(c.but(name=new) if c.name == old else c for c in each.columns))

    changes = {
        text.path: f"{query}.{new}"
        for text in texts_of(report)
        if text.kind == "reference" and text.text == f"{query}.{old}"
    }
    changed: Report = with_texts(report, changes)
    return changed.but(
        queries=tuple(declared(link(each)) for each in changed.queries),
        parameters=tuple(edits.with_list_column(each, query, old, new) for each in changed.parameters),
    )
