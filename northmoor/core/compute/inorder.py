"""Whether rows stand in some order already, as those of a query with an order of its own do: then they are not sorted
again, which takes several times their memory."""

import re
from collections.abc import Sequence

import pyarrow as pa
import pyarrow.compute as pc

_COMPARED = (
    pa.types.is_integer, pa.types.is_decimal, pa.types.is_string, pa.types.is_large_string, pa.types.is_date,
    pa.types.is_timestamp, pa.types.is_boolean,
)  # fmt: skip
"""Types that are compared here as in the engine, which has an order of its own for numbers that are none."""
_TERM = re.compile(r"(\w+)(?: (asc|desc) nulls last)?")


def is_in_order(table: pa.Table, terms: Sequence[str]) -> bool:
    """Whether a table's rows are in the order of some terms, as the engine would put them: columns, ascending or
    descending with nulls at the end. False, too, where that cannot be told."""
    named = [_TERM.fullmatch(term) for term in terms]
    columns = [(found[1], found[2] == "desc") for found in named if found is not None]
    kinds = [table.schema.field(name).type for name, _ in columns]
    if len(columns) < len(terms) or not all(any(is_kind(kind) for is_kind in _COMPARED) for kind in kinds):
        return False  # a term is computed, or of a type that is not compared here
    count = table.num_rows - 1
    if count < 1:
        return True
    alike: pa.ChunkedArray | None = None
    for name, is_descending in columns:
        column = table.column(name)
        above, below = column.slice(0, count), column.slice(1)
        is_wrong = (pc.less if is_descending else pc.greater)(above, below)
        if column.null_count:
            is_last = pc.and_(pc.is_null(above), pc.is_valid(below))
            is_wrong = pc.or_(pc.fill_null(is_wrong, False), is_last)
        if pc.any(is_wrong if alike is None else pc.and_(alike, is_wrong)).as_py():
            return False
        same = pc.equal(above, below)
        if column.null_count:
            same = pc.or_(pc.fill_null(same, False), pc.and_(pc.is_null(above), pc.is_null(below)))
        alike = same if alike is None else pc.and_(alike, same)
    return True
