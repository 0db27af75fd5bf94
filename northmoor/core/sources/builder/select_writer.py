"""A changed sentence written into its SQL: only the pieces that differ are touched, every other byte stays.

Pieces are matched by their content: what is the same in both keeps its text with comments, line breaks, case and
quotes; what is new is written as the query writes such things. Comments never go, even beside what is removed.
"""

from collections.abc import Callable, Sequence
from typing import Any

import sqlglot
from sqlglot.tokens import TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

from northmoor.core.base.replace import replace
from northmoor.core.errors import QueryError, RefusedQuery
from northmoor.core.sources.builder.condition_writer import ConditionWriter, flat_condition
from northmoor.core.sources.builder.select_model import (
    FromItem,
    GroupItem,
    Keyword,
    NamedStep,
    OrderItem,
    SelectItem,
    SelectModel,
    SourceSpan,
    StackedSelect,
    condition_text,
    from_text,
    group_text,
    item_text,
    joined_by_text,
    order_text,
    select_sql,
    stacked_text,
    step_text,
)
from northmoor.core.sources.builder.select_parser import comment_runs, parse_select
from northmoor.core.sources.builder.source_text import ListText, SourceText, keyword_of, place


def rewrite_select(sql: str, changed: SelectModel, dialect: str) -> str:
    """The SQL with what a changed sentence says, everything that did not change as it was.

    Raises QueryError when what was written into a piece is more than it, as an expression with a bracket too few.
    """
    old = parse_select(sql, dialect) if sql.strip() else None
    if old is None and sql.strip():
        raise QueryError("This SQL says more than a sentence can; change it in the SQL.")
    if old is None:
        return select_sql(changed)
    if old == changed:
        return sql
    written = _SelectWriter(sql, dialect, old).text(changed)
    try:
        again = parse_select(written, dialect)
    except RefusedQuery as error:
        raise QueryError(
            f"With this change the SQL cannot be understood; nothing was changed. {error.message}"
        ) from error
    if again is None or _comparable(again) != _comparable(changed):
        raise QueryError(
            "What was written is not one expression; look for a bracket, a comma or a quote too many or too few."
        )
    return written


def wrap_select(sql: str, name: str, dialect: str) -> str:
    """The SQL as a named step, and a new query on its rows. Raises QueryError for a name that is none, or taken."""
    ends = [t for t in sqlglot.tokenize(sql, dialect=dialect) if t.token_type is TokenType.SEMICOLON]
    for end in reversed(ends):
        sql = sql[: end.start] + sql[end.end + 1 :]
    old, body = parse_select(sql, dialect), sql.strip()
    before = f"with {name} as ("
    if old is not None and old.steps:
        after, start = old.places.clauses["with"][1], old.places.clauses["select"][0]
        before, body = f"{sql[:after]},{sql[after:start].rstrip()}\n{name} as (", sql[start:].strip()
    wrapped = f"{before}\n{body}\n)\nselect *\nfrom {name}\n"
    try:
        again = parse_select(wrapped, dialect)
    except RefusedQuery:
        again = None
    is_taken = old is not None and name in {step.name for step in old.steps}
    if again is None or again.from_items[0].table != name or is_taken:
        raise QueryError(f"{name} cannot name the result; choose another name, of letters, digits and _.")
    return wrapped


def _comparable(sentence: SelectModel) -> SelectModel:
    return replace(sentence, where=flat_condition(sentence.where), having=flat_condition(sentence.having))


def _source(sql: str, dialect: str, old: SelectModel) -> SourceText:
    """How a query is written: keywords in capitals, clauses in lines of their own, and how far these are indented."""
    start, at = old.places.clauses["select"][0], old.places.clauses["from"][0]
    before = sql[sql.rfind("\n", 0, at) + 1 : at]
    has_lines = "\n" in sql[start:at] and not before.strip()
    keyword = keyword_of(sql[start:at])
    return SourceText(sql, comment_runs(sql, dialect), keyword, has_lines, before if has_lines else "")


class _SelectWriter:
    """Writes the pieces of one query."""

    def __init__(self, sql: str, dialect: str, old: SelectModel) -> None:
        self._source, self._old, self._places = _source(sql, dialect, old), old, old.places.clauses
        self._conditions = ConditionWriter(self._source)

    def text(self, new: SelectModel) -> str:
        """The whole query."""
        splices = self._distinct(new.distinct)
        for clause in _CLAUSES:
            splices += self._clause(clause, _content(clause, self._old), _content(clause, new))
        text, done = "", 0
        for (start, end), written in sorted(splices, key=lambda splice: splice[0]):
            text += self._source.sql[done:start] + written
            done = end
        return text + self._source.sql[done:]

    def _clause(self, clause: str, before: Any, after: Any) -> list[tuple[SourceSpan, str]]:
        """What to put where so that a clause says what the new sentence says."""
        if before == after:
            return []
        if not before:
            return [self._insertion(clause, after)]
        if not after:
            return self._removals(clause, before)
        if clause in ("limit", "offset"):
            end = self._places[clause][1]
            return [((end - len(before), end), after)]
        if clause in ("where", "having"):
            return [self._conditions.splice(before, after)]
        between, write, change = self._lists()[clause]
        source = self._source
        return [
            ListText[Any](source, between, lambda piece: write(piece, source.keyword), change).splice(before, after)
        ]

    def _lists(self) -> dict[str, tuple[str, Callable[[Any, Keyword], str], Callable[[Any, Any], str]]]:
        """For each clause that is a list: what is between its pieces, how one is written, and how one is changed."""
        old, between, line = self._old, self._source.between, self._source.line_or_space()
        return {
            "with": (between(old.steps, ",") or ",\n", step_text, self._change_step),
            "select": (between(old.select_items, ",") or self._between_columns(), item_text, self._change_column),
            "from": (between(old.from_items, "") or line, from_text, self._change_table),
            "group by": (between(old.groups, ",") or ", ", group_text, self._change_group),
            "union": (between(old.stacked, "") or line, stacked_text, self._change_stacked),
            "order by": (between(old.sorting, ",") or ", ", order_text, self._change_order),
        }

    def _between_columns(self) -> str:
        """What is between columns in a query that has one: a line for each, where that one has its own."""
        at = place(self._old.select_items[0])[0]
        line = self._source.sql[self._source.sql.rfind("\n", 0, at) + 1 : at]
        return f",\n{line}" if not line.strip() and "\n" in self._source.sql[:at] else ", "

    def _distinct(self, is_wanted: bool) -> list[tuple[SourceSpan, str]]:
        if is_wanted == self._old.distinct:
            return []
        at = self._old.places.distinct
        if at is not None:
            end = at[1] + (self._source.sql[at[1] : at[1] + 1] == " ")
            return [((at[0], end), "")]
        after = self._places["select"][0] + len("select")
        return [((after, after), self._source.keyword(" distinct"))]

    def _insertion(self, clause: str, content: Any) -> tuple[SourceSpan, str]:
        """A new clause, after the one that comes before it."""
        source = self._source
        text = _clause_text(clause, content, source.keyword)
        if clause == "with":
            start = self._places["select"][0]
            return (start, start), f"{text}\n{source.indent}"
        earlier = _ORDER[: _ORDER.index(clause)]
        end = max(at[1] for name, at in self._places.items() if name in earlier)
        at = source.after_comment(end) if source.has_lines else end
        between = f"\n{source.indent}" if source.ends_in_line_comment(at) else source.line_or_space()
        return (at, at), between + text

    def _removals(self, clause: str, content: Any) -> list[tuple[SourceSpan, str]]:
        """A clause removed with the space before it; its comments stay."""
        if clause == "union":
            return [self._removal(place(piece)) for piece in content]
        return [self._removal(self._places[clause])]

    def _removal(self, at: SourceSpan) -> tuple[SourceSpan, str]:
        source, start = self._source, at[0]
        kept = source.comments_in(*at).rstrip()
        while start > 0 and source.sql[start - 1].isspace():
            start -= 1
        if kept:
            return (start, at[1]), source.closed(f"\n{source.indent}{kept}", at[1])
        if start == 0:
            end = at[1] + len(source.sql[at[1] :]) - len(source.sql[at[1] :].lstrip())
            return (0, end), ""
        is_line_next = source.sql[at[1] :].lstrip(" \t")[:1] in ("\n", "")
        return (start, at[1]), "" if is_line_next or not source.ends_in_line_comment(start) else "\n"

    # pieces

    def _change_column(self, old: SelectItem, new: SelectItem) -> str:
        if old == new:
            return self._source.of(old)
        if old.name and new.name:
            pairs = zip(old.parts_at, (old.expression, old.name), (new.expression, new.name), strict=True)
            return self._source.patched(place(old), [(at, b) for at, a, b in pairs if a != b])
        if old.expression == new.expression and not old.name:
            return f"{self._source.of(old)} {self._source.keyword('as')} {new.name}"
        return self._source.patched(place(old), [(place(old), item_text(new, self._source.keyword))])

    def _change_table(self, old: FromItem, new: FromItem) -> str:
        join_at, table_at, alias_at, by_at = old.parts_at
        assert table_at is not None
        patches: list[tuple[SourceSpan, str]] = []
        if old.join != new.join and join_at is not None:
            patches.append((join_at, self._source.keyword(new.join)))
        if old.table != new.table:
            patches.append((table_at, new.table))
        if old.alias != new.alias:
            patches.append((alias_at, new.alias) if alias_at else ((table_at[1], table_at[1]), f" {new.alias}"))
        if (old.using, old.on) != (new.using, new.on):
            end = (alias_at or table_at)[1]
            by = joined_by_text(new, self._source.keyword)
            patches.append((by_at, by) if by_at else ((end, end), f" {by}"))
        return self._source.patched(place(old), patches)

    def _change_order(self, old: OrderItem, new: OrderItem) -> str:
        if old == new:
            return self._source.of(old)
        return self._source.patched(place(old), [(place(old), order_text(new, self._source.keyword))])

    def _change_group(self, old: GroupItem, new: GroupItem) -> str:
        return self._source.patched(place(old), [(place(old), new.expression)] if old != new else [])

    def _change_step(self, old: NamedStep, new: NamedStep) -> str:
        start = place(old)[0]
        patches = [((start, start + len(old.name)), new.name)] if old.name != new.name else []
        if old.sql != new.sql and old.sql_at is not None:
            patches.append((old.sql_at, new.sql))
        return self._source.patched(place(old), patches)

    def _change_stacked(self, old: StackedSelect, new: StackedSelect) -> str:
        if old == new:
            return self._source.of(old)
        if old.sql == new.sql:
            return self._source.keyword(new.words) + self._source.of(old)[len(old.words) :]
        end = place(old)[1]
        return self._source.patched(place(old), [((end - len(old.sql), end), new.sql)])


_CLAUSES = ("with", "select", "from", "where", "group by", "having", "union", "order by", "limit", "offset")
_ORDER = ("with", "select", "from", "where", "group by", "having", "window", "qualify", "union", "intersect", "except",
          "order by", "limit", "offset", "fetch", "for")  # fmt: skip


def _content(clause: str, sentence: SelectModel) -> Any:
    return {
        "with": sentence.steps,
        "select": sentence.select_items,
        "from": sentence.from_items,
        "where": sentence.where,
        "group by": sentence.groups,
        "having": sentence.having,
        "union": sentence.stacked,
        "order by": sentence.sorting,
        "limit": sentence.first,
        "offset": sentence.offset,
    }[clause]


def _clause_text(clause: str, content: Any, keyword: Keyword) -> str:
    """A clause as a new sentence would write it."""
    if clause in ("where", "having"):
        return f"{keyword(clause)} {condition_text(content, keyword, ' {} ')}"
    if clause in ("limit", "offset"):
        return f"{keyword(clause)} {content}"
    if clause == "union":
        return "\n".join(stacked_text(stacked, keyword) for stacked in content)
    return f"{keyword(clause)} {_listed(clause, content, keyword)}"


def _listed(clause: str, content: Sequence[Any], keyword: Keyword) -> str:
    write: dict[str, Callable[[Any, Keyword], str]] = {
        "with": step_text,
        "group by": group_text,
        "order by": order_text,
    }
    return (",\n" if clause == "with" else ", ").join(write[clause](piece, keyword) for piece in content)
