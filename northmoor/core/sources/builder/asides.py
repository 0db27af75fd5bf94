"""Questions asked on the side while a sentence is built: which values a column has, and what a join would match."""

from collections.abc import Sequence

from msgspec import Struct

from northmoor.core.base.replace import replace
from northmoor.core.sources.builder.select_model import (
    FromItem,
    GroupItem,
    OrderItem,
    SelectItem,
    SelectModel,
    condition_text,
    from_text,
    select_sql,
    step_text,
)

MOST_VALUES = 500
"""Distinct values that are listed of a column."""


def values_sql(sentence: SelectModel, expression: str) -> str:
    """The distinct values of an expression over a sentence's tables with their rows, the most frequent first."""
    asked = SelectModel(
        tables(sentence),
        (SelectItem(expression, "value_found"), SelectItem("count(*)", "rows_found")),
        groups=(GroupItem(expression),),
        sorting=(OrderItem("count(*)", True), OrderItem(expression)),
        first=str(MOST_VALUES),
        steps=sentence.steps,
    )
    return select_sql(asked)


def tables(sentence: SelectModel) -> tuple[FromItem, ...]:
    """A sentence's tables with their joins, in new words."""
    return tuple(replace(taken, at=None, parts_at=()) for taken in sentence.from_items)


class JoinPair(Struct, frozen=True):
    """Columns that are compared in a join, as SQL: that of a table so far, how, and that of the new table."""

    left: str
    operator: str
    right: str


def join_condition(pairs: Sequence[JoinPair]) -> str:
    """The condition that the pairs of a join make."""
    return " and ".join(f"{pair.left} {pair.operator} {pair.right}" for pair in pairs)


class JoinMatch(Struct, frozen=True):
    """What a join by a condition matches.

    `before` rows so far, of which `matched` find at least one row of the new table; `joined` pairs come of it; of the
    new table's `others` rows, `unmet` belong to none.
    """

    before: int
    matched: int
    joined: int
    others: int
    unmet: int

    def rows(self, join: str) -> int:
        """The rows that a kind of join gives."""
        if join in ("cross join", ","):
            return self.before * self.others
        left = self.before - self.matched if join.startswith(("left", "full")) else 0
        right = self.unmet if join.startswith(("right", "full")) else 0
        return self.joined + left + right


def match_sql(sentence: SelectModel, new: FromItem, condition: str) -> str:
    """One row with the figures of a `JoinMatch`, for a table that is to be joined to a sentence's tables; only the rows
    that meet the sentence's conditions are counted of these."""
    so_far, other = _from(sentence), _named(new)
    condition = condition or "1 = 1"
    where = f" where ({condition_text(sentence.where)}\n)" if sentence.where is not None else ""
    further = f"{where} and" if where else " where"
    return (
        f"{_steps(sentence)}select\n"
        f"  (select count(*) {so_far}{where}) as before_rows,\n"
        f"  (select count(*) {so_far}{further} exists (select 1 from {other} where {condition})) as matched_rows,\n"
        f"  (select count(*) {so_far} join {other} on {condition}{where}) as joined_rows,\n"
        f"  (select count(*) from {other}) as other_rows,\n"
        f"  (select count(*) from {other} where not exists (select 1 {so_far}{further} {condition})) as unmet_rows"
    )


def overlap_sql(sentence: SelectModel, new: FromItem, pairs: Sequence[JoinPair]) -> str:
    """One row with two figures for each pair of columns: the different values, and how many the new table has."""
    columns = []
    for pair in pairs:
        distinct = f"from (select distinct {pair.left} as v {_from(sentence)}) x where x.v is not null"
        met = f"{distinct} and exists (select 1 from {_named(new)} where x.v = {pair.right})"
        columns += [f"(select count(*) {distinct})", f"(select count(*) {met})"]
    listed = ",\n  ".join(f"{column} as n{number}" for number, column in enumerate(columns))
    return f"{_steps(sentence)}select\n  {listed}"


def _from(sentence: SelectModel) -> str:
    return "\n".join(f"{'' if taken.join else 'from '}{from_text(taken)}" for taken in tables(sentence))


def _steps(sentence: SelectModel) -> str:
    return "with " + ",\n".join(map(step_text, sentence.steps)) + "\n" if sentence.steps else ""


def _named(taken: FromItem) -> str:
    return f"{taken.table} {taken.alias}".strip()
