"""Conditions over signals, such as ``underway = 1 and speed > 3``: which signals they name, and when they hold."""

from collections.abc import Mapping, Sequence
from typing import Any

import pyarrow as pa
from sqlglot import exp

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
    table = pa.table(dict(columns)) if columns else pa.table({"": pa.nulls(1)})
    found = []
    with Engine(stop) as engine:
        engine.register("log", table)
        for condition in conditions:
            sql = _condition_sql(parse(condition))
            try:
                found.append(engine.run(f"select cast({sql} as boolean) as holds from log", values)["holds"])
            except EngineError as error:
                raise QueryError(f"The condition {condition!r} cannot be decided: {engine_message(error)}.") from error
    return [chunks.combine_chunks() for chunks in found]


def _condition_sql(condition: Expression) -> str:
    def renamed(node: exp.Expr) -> exp.Expr:
        if isinstance(node, exp.Column):
            return exp.column(exp.to_identifier(_signal(node), quoted=True))
        if isinstance(node, exp.Placeholder):
            return exp.Parameter(this=exp.Var(this=node.name))
        return node

    for node in condition.tree.find_all(exp.AggFunc, exp.Window):
        raise QueryError(f"A condition is over the values at one time; remove {node.sql('duckdb')}.")
    return condition.tree.copy().transform(renamed).sql("duckdb")


def as_name(signal: str) -> str:
    """A signal's name as it is written in a condition."""
    return signal if all(part.isidentifier() for part in signal.split(".")) else quoted(signal)
