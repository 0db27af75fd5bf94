"""How much a query would fetch, before it is run."""

from sqlglot import exp

from northmoor.core.expr.placeholders import without_end
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.read_only import CheckedQuery

_REDUCING = ("group", "distinct", "limit", "having")


def rows_at_most(query: CheckedQuery, catalog: Catalog) -> int | None:
    """The rows of the largest table that a query sends row by row; None where it groups, totals or limits them, or
    where a table's rows are not known. Conditions may leave fewer, and joins without a key give more."""
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
