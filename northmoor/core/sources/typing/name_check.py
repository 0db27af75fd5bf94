"""What can be seen to be wrong with a query before it runs: words that cannot be parsed, and names that no table, no
column and no parameter has.

A name is a fault only where all that it could be is known: tables that the catalog has, and columns of named subqueries
that list theirs. What the catalog does not know (functions that give rows, other schemas) is left to the database.
"""

from collections.abc import Iterable, Iterator, Mapping
from difflib import get_close_matches

from msgspec import Struct
from sqlglot import exp
from sqlglot.errors import SqlglotError
from sqlglot.optimizer.scope import Scope, traverse_scope

from northmoor.core.errors import Correction, MissingParameter, RefusedQuery, did_you_mean
from northmoor.core.expr.identifiers import bare_or_quoted, sql_table, table_name
from northmoor.core.expr.placeholders import DriverSql, mark_placeholders, placeholders
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.read_only import CheckedQuery, check_query
from northmoor.core.sources.drivers.syntax_faults import extra_commas
from northmoor.core.sources.typing.grouping_check import TAKING_ANY, ungrouped_columns

_SYSTEM_TABLES = ("sqlite_", "pg_", "duckdb_", "dual")
_SYSTEM_COLUMNS = frozenset(
    ("rowid", "oid", "_rowid_", "ctid", "xmin", "xmax", "tableoid", "current_date", "current_time", "current_timestamp",
     "current_user", "session_user", "user", "sysdate", "localtime", "localtimestamp", "year", "quarter", "month",
     "week", "day", "hour", "minute", "second", "millisecond", "microsecond")
)  # fmt: skip
"""Names that are columns of every table, values of the server, or units of time."""
_QUOTED_TEXTS = ("sqlite", "mysql")
"""Dialects in which a quoted name that is no column is a text."""
Names = dict[str, str]
"""Names of columns as they are written, by themselves in small letters."""


class SqlFault(Struct, frozen=True):
    """A fault in SQL: the character it begins at (from 0) and how many it takes, a sentence, and what is likely meant;
    `parameter` is the one that is missing, if that is what is wrong."""

    position: int
    length: int
    message: str
    correction: Correction | None = None
    parameter: str | None = None


def sql_faults(sql: str, dialect: str, catalog: Catalog, parameters: Iterable[str]) -> tuple[SqlFault, ...]:
    """The faults of a text of SQL over the tables of a catalog, in their order; only the first where it cannot be
    parsed."""
    try:
        checked = check_query(sql, dialect)
    except RefusedQuery as refusal:
        at = refusal.position or 0
        length = next(
            (n for n, letter in enumerate(sql[at:]) if not (letter.isalnum() or letter == "_")), len(sql) - at
        )
        return (SqlFault(at, max(length, 1), refusal.message, refusal.correction),) if sql.strip() else ()
    known = set(parameters)
    missing = [
        SqlFault(p.start, p.end - p.start, MissingParameter(p.name, known).message, parameter=p.name)
        for p in placeholders(sql, dialect)
        if p.name not in known
    ]
    commas = [
        SqlFault(at, 1, "A comma has nothing behind it.", correction)
        for at, correction in extra_commas(mark_placeholders(sql, dialect), dialect)
    ]
    names = [] if checked.is_call or not catalog.tables else list(_NameCheck(checked, catalog).faults())
    grouping = list(_grouping_faults(checked, catalog))
    return tuple(sorted((*missing, *commas, *names, *grouping), key=lambda fault: fault.position))


def _grouping_faults(checked: CheckedQuery, catalog: Catalog) -> Iterator[SqlFault]:
    """Columns that a query with totals neither totals nor groups by."""
    text = mark_placeholders(checked.sql, checked.dialect)
    for column, correction in ungrouped_columns(checked, catalog):
        begin, end = column.this.meta["start"], column.this.meta["end"] + 1
        message = f"{column.name} is neither totalled nor grouped by."
        if checked.dialect in TAKING_ANY:
            message = f"{column.name} is neither totalled nor grouped by; its value is that of any row."
        yield SqlFault(text.original(begin), end - begin, message, correction)


class _NameCheck:
    """The tables and columns that a parsed query names, against a catalog."""

    def __init__(self, checked: CheckedQuery, catalog: Catalog) -> None:
        self._checked, self._catalog = checked, catalog
        self._text: DriverSql = mark_placeholders(checked.sql, checked.dialect)
        try:
            self._scopes = {id(scope.expression): scope for scope in traverse_scope(checked.tree)}
        except (SqlglotError, RecursionError):
            self._scopes = {}  # what sqlglot cannot follow is left to the database
        self._outputs: dict[int, Names | None] = {}

    def faults(self) -> Iterator[SqlFault]:
        """Those of all names."""
        for table in self._checked.tables:
            is_own = not table.db and not table.name.lower().startswith(_SYSTEM_TABLES)
            if is_own and self._catalog.table(table_name(table.name)) is None:
                names = [each.name for each in self._catalog.tables]
                yield self._fault(table.this, f"There is no table {table.name}.", names)
        if self._checked.tree.find(exp.Pivot):
            return  # it names columns that it makes
        for column in self._checked.tree.find_all(exp.Column):
            if isinstance(column.this, exp.Identifier) and not column.db and not column.find_ancestor(exp.Lambda):
                yield from self._of_column(column)

    def _fault(self, name: exp.Expr, message: str, known: Iterable[str]) -> SqlFault:
        begin, end = name.meta["start"], name.meta["end"] + 1
        by_lower = {each.lower(): each for each in known}
        near = get_close_matches(name.name.lower(), by_lower, 1, 0.6)
        meant = by_lower[near[0]] if near else None
        hint = f"Did you mean {meant}?" if meant else did_you_mean(name.name, by_lower.values())
        write = sql_table if isinstance(name.parent, exp.Table) else bare_or_quoted
        instead = write(meant, self._checked.dialect) if meant else None
        position, length = self._text.original(begin), end - begin
        correction = Correction(position, length, instead) if instead else None
        return SqlFault(position, length, f"{message} {hint}".strip(), correction)

    def _of_column(self, column: exp.Column) -> Iterator[SqlFault]:
        around = list(self._around(column))
        sources = [pair for scope in reversed(around) for pair in scope.sources.items()]  # inner names hide outer ones
        known = {name.lower(): self._names_of(source) for name, source in sources}
        own, of = column.name.lower(), column.table.lower()
        are_known = bool(known) and None not in known.values()
        every = {lower: name for names in known.values() for lower, name in (names or {}).items()}
        if own in _SYSTEM_COLUMNS or "start" not in column.this.meta:
            return
        if of and of in known:
            names = known[of]
            if names is not None and own not in names:
                yield self._fault(column.this, f"{column.table} has no column {column.name}.", names.values())
        elif of and are_known and of not in every:
            yield self._fault(column.args["table"], f"{column.table} is none of the tables here.", known)
        elif not of and are_known and not (own in every or own in known or self._is_made(column, around)):
            only = next(iter(known)) if len(known) == 1 else ""
            message = f"{only} has no column {column.name}." if only else f"No table has a column {column.name}."
            yield self._fault(column.this, message, every.values())

    def _is_made(self, column: exp.Column, around: list[Scope]) -> bool:
        """Whether a name may be that of a result of the query, or a text in quotes."""
        if column.this.quoted and self._checked.dialect in _QUOTED_TEXTS:
            return True
        within = {id(alias) for alias in _ancestors(column) if isinstance(alias, exp.Alias)}
        made: list[exp.Expr] = []
        for scope in around:
            if isinstance(scope.expression, exp.Select):
                made += [each for each in scope.expression.selects if isinstance(each, exp.Alias)]
            elif isinstance(scope.expression, exp.SetOperation):
                made += scope.expression.selects
        return any(each.alias_or_name.lower() == column.name.lower() and id(each) not in within for each in made)

    def _around(self, node: exp.Expr) -> Iterator[Scope]:
        """The parts of the query that a name is in, the innermost first."""
        return (self._scopes[id(each)] for each in _ancestors(node) if id(each) in self._scopes)

    def _names_of(self, source: exp.Expr | Scope) -> Names | None:
        """The columns of a table or of a subquery; None where they are not known."""
        if isinstance(source, exp.Table):
            renamed = source.alias_column_names
            return self._columns(source) if not renamed else None
        if not isinstance(source, Scope):
            return None
        outer = source.expression.parent
        while isinstance(outer, exp.SetOperation | exp.Paren):  # a recursive query reads itself by its first part
            outer = outer.parent
        renamed = outer.alias_column_names if isinstance(outer, exp.CTE | exp.Subquery) else []
        return {name.lower(): name for name in renamed} if renamed else self._results(source)

    def _columns(self, table: exp.Table) -> Names | None:
        found = self._catalog.table(table_name(table.name, table.db))
        return {column.name.lower(): column.name for column in found.columns} if found and found.columns else None

    def _results(self, scope: Scope) -> Names | None:
        """The columns that a subquery gives."""
        key = id(scope.expression)
        if key not in self._outputs:
            self._outputs[key] = None  # one that reads itself is not known meanwhile
            self._outputs[key] = self._listed(scope)
        return self._outputs[key]

    def _listed(self, scope: Scope) -> Names | None:
        if not isinstance(scope.expression, exp.Select):  # the first of united queries names the columns
            united = scope.expression.this if isinstance(scope.expression, exp.SetOperation) else None
            first = self._scopes.get(id(united))
            return self._results(first) if first is not None else None
        found: Names = {}
        for item in scope.expression.selects:
            if not item.is_star:
                found[item.alias_or_name.lower()] = item.alias_or_name
                continue
            for names in self._starred(item, scope.sources):
                if names is None:
                    return None
                found |= names
        return found

    def _starred(self, item: exp.Expr, sources: Mapping[str, exp.Expr | Scope]) -> list[Names | None]:
        table = item.table if isinstance(item, exp.Column) else ""
        return [self._names_of(source) for name, source in sources.items() if not table or name == table]


def _ancestors(node: exp.Expr) -> Iterator[exp.Expr]:
    """What a part of a query is in, the innermost first."""
    parent = node.parent
    while parent is not None:
        yield parent
        parent = parent.parent
