"""Conditions over signals, such as ``underway = 1 and speed > 3``: which signals they name, and when they hold; and how
far apart the sides of their comparisons are."""

from collections.abc import Iterator, Mapping, Sequence, Set
from typing import Any

import pyarrow as pa
from msgspec import Struct
from sqlglot import exp

from northmoor.core.base.arrays import Floats
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.embedded import Engine, EngineError, engine_message
from northmoor.core.errors import QueryError
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import Expression, parse


def signals_in(condition: str) -> tuple[str, ...]:
    """The signals that a condition names, in the order of their names. Raises ExpressionError."""
    return tuple(sorted({_signal(column) for column in parse(condition).tree.find_all(exp.Column)}))


def values_in(condition: str) -> frozenset[str]:
    """The names of values that a condition names, such as :limit. Raises ExpressionError."""
    return parse(condition).parameters


def _signal(column: exp.Column) -> str:
    """A signal's name, in which points may be: ``engine1.running`` is one name."""
    return ".".join(part.name for part in column.parts)


def hold(
    conditions: Sequence[str], columns: Mapping[str, pa.Array], values: Mapping[str, Any], stop: CancelToken
) -> list[pa.Array]:
    """Whether each condition holds, row by row; null where it is not known.

    Raises QueryError for one that cannot be computed, ExpressionError for one that cannot be read, or Cancelled.
    """
    asked = [(text, f"cast({_sql(_row_by_row(parse(text)))} as boolean)") for text in conditions]
    return _computed(asked, columns, values, stop)


class SignalComparison(Struct, frozen=True):
    """A comparison in a condition of which a side names a signal that changes evenly; its sides meet where the
    difference is zero."""

    condition: str
    difference: exp.Expr


def comparisons_of(condition: str, lines: Set[str]) -> Iterator[SignalComparison]:
    """The comparisons of a condition with signals whose values are on lines. Raises ExpressionError or QueryError."""
    for node in _row_by_row(parse(condition)).find_all(exp.GT, exp.GTE, exp.LT, exp.LTE, exp.EQ, exp.NEQ, exp.Between):
        if any(_signal(column) in lines for column in node.find_all(exp.Column)):
            bounds = [node.args["low"], node.args["high"]] if isinstance(node, exp.Between) else [node.expression]
            for bound in bounds:
                one, other = (exp.cast(side.copy(), exp.DType.DOUBLE) for side in (node.this, bound))
                yield SignalComparison(condition, exp.Sub(this=one, expression=other))


def differences(
    comparisons: Sequence[SignalComparison],
    columns: Mapping[str, pa.Array],
    values: Mapping[str, Any],
    stop: CancelToken,
) -> list[Floats]:
    """How far apart the sides of each comparison are, row by row; not a number where that is not known.

    Raises QueryError for one that cannot be computed, or Cancelled.
    """
    asked = [(each.condition, _sql(each.difference)) for each in comparisons]
    found = _computed(asked, columns, values, stop)
    return [array.to_numpy(zero_copy_only=False) for array in found]


def _computed(
    asked: Sequence[tuple[str, str]], columns: Mapping[str, pa.Array], values: Mapping[str, Any], stop: CancelToken
) -> list[pa.Array]:
    """Expressions of some conditions, row by row."""
    table = pa.table(dict(columns)) if columns else pa.table({"": pa.nulls(1)})
    found = []
    with Engine(stop) as engine:
        engine.register("log", table)
        for condition, sql in asked:
            try:
                found.append(engine.run(f"select {sql} as found from log", values)["found"])
            except EngineError as error:
                raise QueryError(f"The condition {condition!r} cannot be decided: {engine_message(error)}.") from error
    return [chunks.combine_chunks() for chunks in found]


def _row_by_row(condition: Expression) -> exp.Expr:
    """The tree of a condition over the values at one time. Raises QueryError for others."""
    for node in condition.tree.find_all(exp.AggFunc, exp.Window):
        raise QueryError(f"A condition is over the values at one time; remove {node.sql('duckdb')}.")
    return condition.tree


def _sql(tree: exp.Expr) -> str:
    """What the engine is asked for a tree of an expression over signals."""

    def renamed(node: exp.Expr) -> exp.Expr:
        if isinstance(node, exp.Column):
            return exp.column(exp.to_identifier(_signal(node), quoted=True))
        if isinstance(node, exp.Placeholder):
            return exp.Parameter(this=exp.Var(this=node.name))
        return node

    return tree.copy().transform(renamed).sql("duckdb")


def as_name(signal: str) -> str:
    """A signal's name as it is written in a condition."""
    return signal if all(part.isidentifier() for part in signal.split(".")) else quoted(signal)
