"""The read-only guard: a query's text is parsed and must be one statement that only reads."""

import re
from functools import lru_cache
from typing import cast

import sqlglot
from msgspec import Struct
from sqlglot import Dialect, exp
from sqlglot.errors import SqlglotError

from northmoor.core.errors import RefusedQuery
from northmoor.core.expr.identifiers import table_name
from northmoor.core.expr.placeholders import mark_placeholders, placeholders, unmark_placeholders
from northmoor.core.sources.drivers.catalog import Catalog, CatalogTable
from northmoor.core.sources.drivers.syntax_faults import syntax_fault

_CHANGES = (exp.DML, exp.DDL, exp.Command, exp.Pragma, exp.Attach, exp.Detach, exp.Into, exp.Drop, exp.Alter, exp.Set,
            exp.Transaction, exp.Commit, exp.Rollback, exp.Use, exp.Copy, exp.Kill)  # fmt: skip
_REFUSED_FUNCTIONS = {
    "sqlite": re.compile(r"load_extension|readfile|writefile|edit|fts3_tokenizer"),
    "postgres": re.compile(
        r"pg_(?!typeof$|get_|size_pretty$|column_size$|relation_size$|table_size$|total_relation_size$).*"
        r"|lo_.*|dblink.*|set_config|nextval|setval|currval|lastval|txid_.*"
        r"|(query|table|schema|database|cursor)_to_xml.*|.*_and_xmlschema"
    ),
    "mysql": re.compile(r"load_file|sleep|benchmark|get_lock|release_.*|is_.*_lock|.*_pos_wait|sys_.*|wait_.*"),
    "duckdb": re.compile(r"query|query_table|getenv|read_.*|glob|.*_scan|pragma_.*|duckdb_.*|sniff_csv"),
}
_LONGEST, _MOST_WORDS = 100_000, 10_000
"""Characters and words of a text that is read within a second."""
_SHORTER = "make a view of it in the database, or several queries and one that combines them"
_HIDDEN = re.compile(r"/\*M?!")
"""A comment that MySQL and MariaDB run."""
_CALL = re.compile(r"\s*call\b", re.IGNORECASE)


class CheckedQuery(Struct, frozen=True):
    """A query that only reads, in a dialect, and the names of the parameters in it.

    `tree` is its parsed form; that of a procedure's call is a select of the call as a function.
    """

    sql: str
    dialect: str
    tree: exp.Query
    parameters: frozenset[str]
    is_call: bool = False

    @property
    def tables(self) -> tuple[exp.Table, ...]:
        """The tables it names: neither its own named subqueries nor functions."""
        local = {cte.alias.lower() for cte in self.tree.find_all(exp.CTE)}
        named = (table for table in self.tree.find_all(exp.Table) if not isinstance(table.this, exp.Func))
        return tuple(table for table in named if table.name and table.name.lower() not in local)

    def tables_in(self, catalog: Catalog) -> tuple[CatalogTable, ...]:
        """The tables that it names, as far as a catalogue has them."""
        found = (catalog.table(table_name(table.name, table.db)) for table in self.tables)
        return tuple(table for table in found if table is not None)


@lru_cache(maxsize=512)
def check_query(sql: str, dialect: str = "sqlite") -> CheckedQuery:
    """Parse SQL and see that it does nothing but read one set of rows. Raises RefusedQuery."""
    if len(sql) > _LONGEST:
        raise RefusedQuery(f"The SQL is longer than {_LONGEST:,} characters; {_SHORTER}.")
    if dialect == "mysql" and _HIDDEN.search(sql):
        raise RefusedQuery("Comments that the server runs (/*! … */) are not allowed; remove it.")
    is_call = dialect == "mysql" and _CALL.match(sql) is not None
    tree = _parse(_CALL.sub(" select ", sql, count=1) if is_call else sql, dialect)
    if is_call:
        _only_calls(tree)
    _only_reads(tree, dialect)
    names = frozenset(p.name for p in placeholders(sql, dialect))
    for node in tree.find_all(exp.Placeholder, exp.Parameter):
        if isinstance(node, exp.Parameter) or node.name not in names:
            raise RefusedQuery(f"Write parameters as :name; {node.sql(dialect)} is in the SQL.")
    return CheckedQuery(sql, dialect, cast(exp.Query, tree), names, is_call)


def _parse(sql: str, dialect: str) -> exp.Expr:
    """The tree of one statement. Placeholders are marked meanwhile: a reserved word may be a parameter's name."""
    marked = mark_placeholders(sql, dialect)
    text = marked.sql
    try:
        tokens = sqlglot.tokenize(text, dialect=dialect)
        if len(tokens) > _MOST_WORDS:
            raise RefusedQuery(f"The SQL has more than {_MOST_WORDS:,} words and signs; {_SHORTER}.")
        parsed = Dialect.get_or_raise(dialect).parser().parse(tokens, text)
        trees = [tree for tree in parsed if tree is not None]
    except SqlglotError as error:
        raise syntax_fault(marked, dialect, error) from error
    except RecursionError as error:
        raise RefusedQuery("The SQL is nested too deeply.") from error
    if not trees:
        raise RefusedQuery("There is no SQL yet; write a select statement.")
    if len(trees) > 1:
        raise RefusedQuery(f"One statement is wanted, here are {len(trees)}; remove what follows the semicolon.")
    unmark_placeholders(trees[0])
    return trees[0]


def _only_calls(tree: exp.Expr) -> None:
    values = (exp.Literal, exp.Placeholder, exp.Null, exp.Boolean, exp.Neg)
    call = tree.selects[0] if isinstance(tree, exp.Select) and len(tree.selects) == 1 else None
    if isinstance(call, exp.Dot):
        call = call.expression
    if not isinstance(call, exp.Anonymous) or not all(isinstance(value, values) for value in call.expressions):
        raise RefusedQuery("A call takes values and parameters only; write for example call totals(:year).")


def _only_reads(tree: exp.Expr, dialect: str) -> None:
    if not isinstance(tree, exp.Query):
        raise RefusedQuery(f"Only select statements are run; this is {_kind(tree, dialect)}. Nothing was changed.")
    refused = _REFUSED_FUNCTIONS[dialect]
    for node in tree.walk():
        if isinstance(node, _CHANGES) and not isinstance(node, exp.Query):
            raise RefusedQuery(f"Only reading is allowed; {_kind(node, dialect)} is in the SQL. Nothing was changed.")
        if isinstance(node, exp.SessionParameter):
            raise RefusedQuery(f"The server's settings are not for queries; remove {node.sql(dialect)}.")
        if isinstance(node, exp.Lock):
            raise RefusedQuery("Only reading is allowed; remove what locks the rows (for update, for share).")
        if isinstance(node, exp.Func) and refused.fullmatch(_function_name(node)):
            raise RefusedQuery(f"The function {_function_name(node)}() is not allowed in queries.")


def _function_name(node: exp.Func) -> str:
    return (node.name if isinstance(node, exp.Anonymous) else node.sql_name()).lower()


def _kind(tree: exp.Expr, dialect: str) -> str:
    words = tree.sql(dialect).split()
    return words[0].lower() if words else "nothing"
