"""Columns that a query with totals neither totals nor groups by, and what its ``group by`` would be with them.

Some databases refuse such a query, others take the value of any row. A column is let be where it has one value in each
group: when the rows of its table are grouped by the table's key.
"""

from collections.abc import Collection, Iterator, Sequence
from itertools import accumulate
from typing import Any

import sqlglot
from msgspec import Struct
from sqlglot import exp
from sqlglot.tokens import TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

from northmoor.core.errors import Correction
from northmoor.core.expr.identifiers import table_name
from northmoor.core.expr.placeholders import mark_placeholders
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.read_only import CheckedQuery

TAKING_ANY = ("sqlite", "mysql")
"""Dialects in which a column that is not grouped by has the value of any row."""
_CLAUSES = (TokenType.HAVING, TokenType.ORDER_BY, TokenType.LIMIT, TokenType.OFFSET, TokenType.FETCH, TokenType.WINDOW,
            TokenType.QUALIFY, TokenType.UNION, TokenType.EXCEPT, TokenType.INTERSECT, TokenType.SEMICOLON)  # fmt: skip
"""What may come behind ``group by``."""
_SETS = ("grouping_sets", "cube", "rollup", "totals", "all")


def ungrouped_columns(checked: CheckedQuery, catalog: Catalog) -> Iterator[tuple[exp.Column, Correction | None]]:
    """The columns, those of each select in the order of its text, with the correction that groups by them too."""
    for select in checked.tree.find_all(exp.Select):
        for column in _Grouping(select, checked.dialect, catalog).ungrouped():
            yield column, _correction(checked, column)


class _Grouping(Struct, frozen=True, eq=False):
    """A select with its own totals and groups."""

    select: exp.Select
    dialect: str
    catalog: Catalog

    def ungrouped(self) -> Iterator[exp.Column]:
        group = self.select.args.get("group")
        if not group and not any(map(_is_total, self._nodes())):
            return
        if group and any(group.args.get(part) for part in _SETS):
            return
        if any(isinstance(each, exp.Star) or each.is_star for each in self.select.selects) or self._takes_its_row():
            return
        grouped = [self._meant(each) for each in (group.expressions if group else ())]
        seen: set[str] = set()
        for part in self._parts():
            for column in _loose(part, grouped):
                if column.sql() not in seen and "start" in column.this.meta and self._is_own(column, grouped):
                    seen.add(column.sql())
                    yield column

    def _parts(self) -> Iterator[exp.Expr]:
        yield from self.select.selects
        yield from (part for name in ("having", "order") if (part := self.select.args.get(name)) is not None)

    def _nodes(self) -> Iterator[exp.Expr]:
        for part in self._parts():
            yield from part.walk(prune=lambda node: isinstance(node, exp.Query))

    def _takes_its_row(self) -> bool:
        """Whether SQLite takes other columns from the row that has the one least or greatest value."""
        totals = [node for node in self._nodes() if _is_total(node)]
        return self.dialect == "sqlite" and len(totals) == 1 and isinstance(totals[0], exp.Min | exp.Max)

    def _meant(self, item: exp.Expr) -> exp.Expr:
        """What a group is made of: a column of the result may be named by its number or its name."""
        selects = self.select.selects
        if isinstance(item, exp.Literal) and item.is_int and 0 < int(item.this) <= len(selects):
            return selects[int(item.this) - 1].unalias()
        if isinstance(item, exp.Column) and not item.table:
            named = next((each for each in selects if each.alias and each.alias.lower() == item.name.lower()), None)
            return named.unalias() if named is not None else item
        return item

    def _is_own(self, column: exp.Column, grouped: Sequence[exp.Expr]) -> bool:
        """Whether a column is one of this select's tables, and may have several values in a group."""
        aliases = {each.alias.lower() for each in self.select.selects if each.alias}
        if not column.table and (column.name.lower() in aliases and column.find_ancestor(exp.Having, exp.Order)):
            return False
        sources = {source.alias_or_name.lower(): source for source in self._sources()}
        if column.table:
            source = sources.get(column.table.lower())
        else:
            source = next(iter(sources.values())) if len(sources) == 1 else None
            if source is None and self.select.find_ancestor(exp.Query) is not None:
                return False  # it may be one of the query around
        if source is None:
            return not column.table
        return source.alias_or_name.lower() not in self._settled_tables(grouped)

    def _sources(self) -> Iterator[exp.Expr]:
        begin = self.select.args.get("from_") or self.select.args.get("from")
        yield from (each.this for each in (begin, *(self.select.args.get("joins") or ())) if each is not None)

    def _settled_tables(self, grouped: Sequence[exp.Expr]) -> set[str]:
        """The tables that have one row in each group, by the names they have here: those that are grouped by their key
        and, where the database does not mind, those that are joined to one of these by their own key."""
        if self.dialect == "duckdb":
            return set()
        known = {(each.table.lower(), each.name.lower()) for each in grouped if isinstance(each, exp.Column)}
        sources = {each.alias_or_name.lower(): each for each in self._sources() if isinstance(each, exp.Table)}
        pairs, found = tuple(self._equal_columns()) if self.dialect in TAKING_ANY else (), set[str]()
        while True:
            new = {name for name, table in sources.items() if name not in found and self._has_key(name, table, known)}
            if not new:
                return found
            found |= new
            for one, other in (*pairs, *((b, a) for a, b in pairs)):
                if one[0] in found or (not one[0] and found):
                    known.add(other)

    def _equal_columns(self) -> Iterator[tuple[tuple[str, str], tuple[str, str]]]:
        """Pairs of columns that joins compare, each with its table."""
        for join in self.select.args.get("joins") or ():
            on = join.args.get("on")
            for part in on.flatten() if isinstance(on, exp.And) else (on,):
                if (
                    isinstance(part, exp.EQ)
                    and isinstance(part.this, exp.Column)
                    and isinstance(part.expression, exp.Column)
                ):
                    one, other = part.this, part.expression
                    yield (one.table.lower(), one.name.lower()), (other.table.lower(), other.name.lower())
            for name in join.args.get("using") or ():
                yield ("", name.name.lower()), (join.this.alias_or_name.lower(), name.name.lower())

    def _has_key(self, name: str, table: exp.Table, known: Collection[tuple[str, str]]) -> bool:
        """Whether all of a table's key is among columns that are known in each group."""
        found = self.catalog.table(table_name(table.name, table.db))
        keys = {column.name.lower() for column in found.columns if column.is_key} if found is not None else set()
        return bool(keys) and all((name, key) in known or ("", key) in known for key in keys)


def _is_total(node: exp.Expr) -> bool:
    if isinstance(node, exp.Filter):  # what it counts is in its condition too
        return not isinstance(node.parent, exp.Window)
    return isinstance(node, exp.AggFunc) and not isinstance(node.parent, exp.Window)


def _loose(part: exp.Expr, grouped: Sequence[exp.Expr]) -> Iterator[exp.Column]:
    """The columns in a part that are in no total and in nothing that is grouped by; those of queries within it, and of
    functions that are not known, which may total, are not among them."""

    def is_settled(node: exp.Expr) -> bool:
        if _is_total(node) or isinstance(node, exp.Query | exp.Anonymous):
            return True
        return any(_is_same(node, each) for each in grouped)

    for node in part.walk(prune=is_settled):
        if isinstance(node, exp.Column) and not is_settled(node) and isinstance(node.this, exp.Identifier):
            yield node


def _is_same(node: exp.Expr, other: exp.Expr) -> bool:
    """Whether two expressions are the same; a column may be with its table in one and without it in the other."""
    if isinstance(node, exp.Column) and isinstance(other, exp.Column):
        tables = {node.table.lower(), other.table.lower()} - {""}
        return node.name.lower() == other.name.lower() and len(tables) < 2
    return type(node) is type(other) and _without_tables(node) == _without_tables(other)


def _without_tables(node: exp.Expr) -> str:
    copy = node.copy()
    for column in copy.find_all(exp.Column):
        column.set("table", None)
    return str(copy.sql(comments=False)).lower()


def _correction(checked: CheckedQuery, column: exp.Column) -> Correction | None:
    """The text with which the select of a column groups by it too; None where its place is not known."""
    text = mark_placeholders(checked.sql, checked.dialect)
    tokens = sqlglot.tokenize(text.sql, dialect=checked.dialect)
    named = [part.meta.get("start") for part in (column.args.get("table"), column.this) if part is not None]
    clause = _own_clauses(tokens, named[0])
    if not clause:
        return None
    own, last = text.sql[named[0] : column.this.meta["end"] + 1], clause[-1]
    if any(token.token_type is TokenType.GROUP_BY for token in clause):
        more = f", {own}"
    else:
        gap, keyword = "\n" if "\n" in text.sql else " ", "GROUP BY" if clause[0].text.isupper() else "group by"
        more = f"{gap}{keyword} {own}"
    piece = text.sql[last.start : last.end + 1]
    return Correction(text.original(last.start), len(piece), f"{piece}{more}")


def _own_clauses(tokens: Sequence[Any], place: int | None) -> list[Any]:
    """The tokens of the select around a place, up to the end of its ``group by``, or to where that would begin."""
    depths = _depths(tokens)
    at = next((number for number, token in enumerate(tokens) if token.start == place), None)
    if at is None:
        return []
    begins = (n for n in range(at, -1, -1) if tokens[n].token_type is TokenType.SELECT)
    begin = next((n for n in begins if min(depths[n : at + 1]) >= depths[n]), None)
    if begin is None:
        return []
    depth = depths[begin]
    further = {(depth, clause) for clause in _CLAUSES}
    ends = (n for n in range(begin, len(tokens)) if depths[n] < depth or (depths[n], tokens[n].token_type) in further)
    return list(tokens[begin : next(ends, None)])


def _depths(tokens: Sequence[Any]) -> list[int]:
    """In how many brackets each token is; a bracket is where what it holds is not."""
    steps = [(t.token_type is TokenType.L_PAREN) - (t.token_type is TokenType.R_PAREN) for t in tokens]
    after = list(accumulate(steps))
    return [here - (step == 1) for here, step in zip(after, steps, strict=True)]
