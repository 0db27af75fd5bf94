"""How much a query would fetch, before it is run."""

from msgspec import Struct
from sqlglot import exp

from northmoor.core.engine.arrow_types import arrow_type
from northmoor.core.expr.placeholders import without_end
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.read_only import CheckedQuery
from northmoor.core.sources.typing.inference import infer_types

_REDUCING = ("group", "distinct", "limit", "having")
_TEXT_BYTES = 20
"""About as many does a name or a short text take; longer texts take more."""


class FetchSize(Struct, frozen=True):
    """Rows that are fetched, and about how many bytes each takes; None where the columns are not known."""

    rows: int
    row_bytes: int | None

    @property
    def bytes(self) -> int | None:
        """About how many bytes all of them take."""
        return None if self.row_bytes is None else self.rows * self.row_bytes


def fetched_at_most(query: CheckedQuery, catalog: Catalog) -> FetchSize | None:
    """The rows of the largest table that a query sends row by row; None where it groups, totals or limits them, or
    where a table's rows are not known. Conditions may leave fewer, and joins without a key give more."""
    rows = _rows_at_most(query, catalog)
    return None if rows is None else FetchSize(rows, _row_bytes(query, catalog))


def _row_bytes(query: CheckedQuery, catalog: Catalog) -> int | None:
    """The bytes of a row by the types of its columns; what has no known type counts as a text."""
    types = infer_types(query, catalog)
    fixed = [arrow_type(kind) for kind in types if kind is not None and kind.kind not in ("text", "boolean")]
    return sum(kind.bit_width // 8 for kind in fixed) + _TEXT_BYTES * (len(types) - len(fixed)) if types else None


def _rows_at_most(query: CheckedQuery, catalog: Catalog) -> int | None:
    tree = query.tree
    if query.is_call or not isinstance(tree, exp.Select) or any(tree.args.get(part) for part in _REDUCING):
        return None
    if any(each.find(exp.AggFunc) is not None and each.find(exp.Window) is None for each in tree.selects):
        return None
    counts = [table.rows for table in query.tables_in(catalog) if table.rows is not None]
    return max(counts) if counts and len(counts) == len(query.tables) else None


def counting_sql(sql: str, dialect: str) -> str:
    """The SQL that counts the rows of a query."""
    return f"select count(*) as n from (\n{without_end(sql, dialect)}\n) as counted"
