"""Rows in another order or fewer of them, for looking only: nothing of this reaches the report."""

from typing import Any

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.embedded import Engine
from northmoor.core.engine.rows import Rows
from northmoor.core.expr.identifiers import quoted


class QuickFilter(Struct, frozen=True):
    """How rows are looked at: sorted by a column, and only those in which a text is somewhere."""

    column: str | None = None
    descending: bool = False
    text: str = ""


def visible_rows(rows: Rows, look: QuickFilter, stop: CancelToken) -> Any:
    """The numbers of the rows that are seen, in the order they are seen in (int64). Raises Stopped."""
    table = rows.table
    if look == QuickFilter():
        return np.arange(len(table))
    names = [f"c{n}" for n in range(table.num_columns)]
    numbered = pa.table([*table.columns, pa.array(np.arange(len(table)))], names=[*names, "place"])
    where = ""
    if look.text.strip():
        texts = ", ".join(f"cast({quoted(name)} as varchar)" for name in names)
        where = f"where contains(lower(concat_ws(' ', {texts})), lower($text))"
    order = "place"
    if look.column is not None:
        column = names[table.column_names.index(look.column)]
        order = f"{quoted(column)} {'desc' if look.descending else 'asc'} nulls last, place"
    with Engine(stop) as engine:
        engine.register("given", numbered)
        found = engine.run(f"select place from given {where} order by {order}", {"text": look.text.strip()})
    return found["place"].to_numpy()
