"""A query's rows crossed by some of its columns, with totals on both sides: for checking totals by eye."""

from collections.abc import Sequence
from typing import Any

from msgspec import Struct

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.embedded import Engine, EngineError, engine_message
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import QueryError
from northmoor.core.expr.identifiers import quoted
from northmoor.core.model.kinds.aggregates import aggregate_of

MOST_TOTAL_ROWS = 5_000
MOST_TOTAL_COLUMNS = 200
Key = tuple[Any, ...]


class CrossTable(Struct, frozen=True):
    """Totals of a measure.

    `rows` and `columns` are keys in order (one value for each crossing column); `cells` hold the measure by row and
    column key, where the key `()` represents all. A combination without rows has no cell.
    """

    row_names: tuple[str, ...]
    column_names: tuple[str, ...]
    rows: tuple[Key, ...]
    columns: tuple[Key, ...]
    cells: dict[tuple[Key, Key], Any]


def cross_totals(
    rows: Rows, by_rows: Sequence[str], by_columns: Sequence[str], aggregate: str, measure: str, stop: CancelToken
) -> CrossTable:
    """The measure's aggregate (of the model's list) for each combination, each row, each column and all.

    Raises QueryError for too many combinations or an aggregate that the column does not have, or Stopped.
    """
    downs, acrosses = [quoted(n) for n in by_rows], [quoted(n) for n in by_columns]
    every = [*downs, *acrosses]
    value = aggregate_of(aggregate, quoted(measure))
    sets = ", ".join(f"({', '.join(s)})" for s in dict.fromkeys(map(tuple, (every, downs, acrosses, []))))
    marks = ", ".join(f"grouping({name})" for name in every)
    listed = ", ".join([*every, *([marks] if every else []), f"{value} as value"])
    order = ", ".join(f"{name} nulls last" for name in every)
    sql = f"select {listed} from given group by grouping sets ({sets}){f' order by {order}' if order else ''}"
    with Engine(stop) as engine:
        engine.register("given", rows.table)
        try:
            found = engine.run(sql)
        except EngineError as error:
            raise QueryError(f"{aggregate} of {measure} cannot be made ({engine_message(error)}).") from error
    combined = list(zip(*(column.to_pylist() for column in found.columns), strict=True))
    return _table(combined, tuple(by_rows), tuple(by_columns))


def _table(found: list[tuple[Any, ...]], by_rows: tuple[str, ...], by_columns: tuple[str, ...]) -> CrossTable:
    down, width = len(by_rows), len(by_rows) + len(by_columns)
    cells: dict[tuple[Key, Key], Any] = {}
    rows: dict[Key, None] = {}
    columns: dict[Key, None] = {}
    for row in found:
        keys, marks, value = row[:width], row[width:-1], row[-1]
        row_key = () if any(marks[:down]) else tuple(keys[:down])
        column_key = () if any(marks[down:]) else tuple(keys[down:])
        cells[row_key, column_key] = value
        rows.setdefault(row_key)
        columns.setdefault(column_key)
    whole_rows, whole_columns = tuple(k for k in rows if k), tuple(k for k in columns if k)
    if len(whole_rows) > MOST_TOTAL_ROWS or len(whole_columns) > MOST_TOTAL_COLUMNS:
        raise QueryError(
            f"That makes {len(whole_rows):,} rows by {len(whole_columns):,} columns, too many to look at; "
            "cross by columns with fewer values."
        )
    return CrossTable(by_rows, by_columns, whole_rows, whole_columns, cells)
