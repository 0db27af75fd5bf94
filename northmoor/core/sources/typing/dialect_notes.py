"""What SQL written by hand means otherwise in its database than the same words mean on the pages."""

from collections.abc import Callable, Iterator

from sqlglot import exp

from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.read_only import CheckedQuery
from northmoor.core.sources.typing.inference import typed_tree

DIALECT_NAMES = {"sqlite": "SQLite", "postgres": "PostgreSQL", "mysql": "MariaDB and MySQL", "duckdb": "DuckDB"}
"""What the databases of a dialect are called."""
WHOLE_DIVISION = ("sqlite", "postgres")
"""Where whole numbers divided are a whole number."""
LIKE_ANY_CASE = ("sqlite", "mysql")
"""Where `like` mostly does not regard capitals."""
_LONGEST = 50


def dialect_notes(query: CheckedQuery, read_catalog: Callable[[], Catalog]) -> tuple[str, ...]:
    """Sentences about the pieces of a query that may be other figures or rows than on a page; none for a cut quotient
    that is made a whole number in so many words."""
    if query.is_call:
        return ()
    return (*dict.fromkeys(_cut_quotients(query, read_catalog)), *dict.fromkeys(_any_case(query)))


def _cut_quotients(query: CheckedQuery, read_catalog: Callable[[], Catalog]) -> Iterator[str]:
    is_cut = query.dialect in WHOLE_DIVISION and query.tree.find(exp.Div) is not None
    typed = typed_tree(query, read_catalog()) if is_cut else None
    for node in typed.find_all(exp.Div) if typed is not None else ():
        sides = (node.this, node.expression)
        if all(_is_whole(side) for side in sides) and not isinstance(_around(node), exp.Cast | exp.Floor):
            piece, where = _short(node, query.dialect), DIALECT_NAMES[query.dialect]
            yield (
                f"{piece} divides whole numbers, which {where} cuts to a whole number: 7 / 2 is 3 "
                "there, and 3.5 on pages. Multiply one by 1.0, or cast the result to integer if that is meant."
            )


def _is_whole(node: exp.Expression) -> bool:
    return node.type is not None and node.type.this in exp.DataType.INTEGER_TYPES


def _around(node: exp.Expr) -> exp.Expr | None:
    parent = node.parent
    while isinstance(parent, exp.Paren):
        parent = parent.parent
    return parent


def _any_case(query: CheckedQuery) -> Iterator[str]:
    for node in query.tree.find_all(exp.Like) if query.dialect in LIKE_ANY_CASE else ():
        pattern = node.expression
        has_letters = not isinstance(pattern, exp.Literal) or pattern.name.lower() != pattern.name.upper()
        if has_letters and not isinstance(node.this, exp.Lower | exp.Upper):
            piece, where = _short(node, query.dialect), DIALECT_NAMES[query.dialect]
            yield f"{piece} does not regard capitals in {where}; on pages it does."


def _short(node: exp.Expr, dialect: str) -> str:
    """A piece without the names of tables that were found for it."""
    bare = node.copy()
    for column in list(bare.find_all(exp.Column)):
        column.set("table", None)
        column.this.set("quoted", False)
    text = bare.sql(dialect=dialect)
    return text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"
