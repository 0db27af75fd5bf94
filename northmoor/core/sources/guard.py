"""The read-only guard: a query's text is parsed and must be one statement that only reads."""

from dataclasses import dataclass
from functools import lru_cache
from typing import cast

import sqlglot
from sqlglot import exp
from sqlglot.errors import SqlglotError

from northmoor.core.errors import RefusedQuery

_CHANGES = (exp.DML, exp.DDL, exp.Command, exp.Pragma, exp.Attach, exp.Detach, exp.Into, exp.Drop, exp.Alter, exp.Set,
            exp.Transaction, exp.Commit, exp.Rollback, exp.Use)  # fmt: skip
_REFUSED_FUNCTIONS = frozenset({"load_extension", "readfile", "writefile", "edit", "fts3_tokenizer"})


@dataclass(frozen=True)
class CheckedQuery:
    """A query that only reads, and the names of the parameters in it."""

    sql: str
    tree: exp.Query
    parameters: frozenset[str]


@lru_cache(maxsize=512)
def check_query(sql: str) -> CheckedQuery:
    """Parse SQL (SQLite's dialect) and see that it does nothing but read one set of rows. Raises RefusedQuery."""
    try:
        trees = [tree for tree in sqlglot.parse(sql, dialect="sqlite") if tree is not None]
    except SqlglotError as error:
        details = (getattr(error, "errors", None) or [{}])[0]
        near = f" near {details['highlight']!r} in line {details['line']}" if details.get("highlight") else ""
        raise RefusedQuery(f"The SQL cannot be understood{near}; write one select statement.") from error
    except RecursionError as error:
        raise RefusedQuery("The SQL is nested too deeply.") from error
    if not trees:
        raise RefusedQuery("There is no SQL yet; write a select statement.")
    if len(trees) > 1:
        raise RefusedQuery(f"One statement is wanted, here are {len(trees)}; take out what follows the semicolon.")
    _only_reads(trees[0])
    return CheckedQuery(sql, cast(exp.Query, trees[0]), _parameters(trees[0]))


def _only_reads(tree: exp.Expr) -> None:
    if not isinstance(tree, exp.Query):
        raise RefusedQuery(f"Only select statements are run; this is {_kind(tree)}. Nothing was changed.")
    for node in tree.walk():
        if isinstance(node, _CHANGES) and not isinstance(node, exp.Query):
            raise RefusedQuery(f"Only reading is allowed; {_kind(node)} stands in the SQL. Nothing was changed.")
        if isinstance(node, exp.Anonymous) and str(node.this).lower() in _REFUSED_FUNCTIONS:
            raise RefusedQuery(f"The function {str(node.this).lower()}() is not allowed in queries.")


def _parameters(tree: exp.Expr) -> frozenset[str]:
    names = set()
    for node in tree.find_all(exp.Placeholder, exp.Parameter):
        if isinstance(node, exp.Parameter) or not node.name or node.name == "?":
            raise RefusedQuery(f"Write parameters as :name; {node.sql('sqlite')} stands in the SQL.")
        names.add(node.name)
    return frozenset(names)


def _kind(tree: exp.Expr) -> str:
    words = tree.sql("sqlite").split()
    return words[0].lower() if words else "nothing"
