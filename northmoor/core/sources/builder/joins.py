"""How tables may be joined: by foreign keys between them, by columns of the same name and type, or by any pairs."""

import re
from collections.abc import Sequence
from typing import Literal, get_args

from msgspec import Struct

from northmoor.core.base.replace import replace
from northmoor.core.errors import QueryError, RefusedQuery
from northmoor.core.expr.identifiers import bare_or_quoted, unquoted_name
from northmoor.core.sources.builder.asides import JoinPair, join_condition
from northmoor.core.sources.builder.edits import with_condition
from northmoor.core.sources.builder.select_model import BooleanGroup, Comparison, Condition, FromItem, SelectModel
from northmoor.core.sources.builder.select_parser import parse_select
from northmoor.core.sources.drivers.catalog import Catalog, CatalogTable


class JoinProposal(Struct, frozen=True):
    """A way to join a table: to a table already taken, by pairs of columns (of the new table, of the other)."""

    to: str
    pairs: tuple[tuple[str, str], ...]
    is_key: bool


def join_proposals(catalog: Catalog, taken: tuple[FromItem, ...], table: str) -> list[JoinProposal]:
    """Ways to join a table to those already taken, the likeliest first."""
    new = catalog.table(table)
    if new is None:
        return []
    found: list[JoinProposal] = []
    for present in taken:
        other = catalog.table(present.table)
        if other is not None:
            found += _by_keys(present, other, new)
    for present in taken:
        other = catalog.table(present.table)
        shared = _shared(other, new) if other is not None else ()
        pairs = tuple((name, name) for name in shared)
        if pairs and not any(way.to == present.known_as for way in found):
            found.append(JoinProposal(present.known_as, pairs, is_key=False))
    return found


def proposed_pairs(new: FromItem, way: JoinProposal, dialect: str) -> tuple[JoinPair, ...]:
    """The columns by which a table is joined in a proposed way."""
    return tuple(
        JoinPair(f"{way.to}.{bare_or_quoted(other, dialect)}", "=", f"{new.known_as}.{bare_or_quoted(own, dialect)}")
        for own, other in way.pairs
    )


_MOST_CANDIDATES = 40


def column_candidates(catalog: Catalog, taken: tuple[FromItem, ...], table: str) -> list[JoinProposal]:
    """Pairs of single columns of one type, whose values might match; those with similar names first."""
    new = catalog.table(table)
    found: list[tuple[int, JoinProposal]] = []
    for present in taken:
        other = catalog.table(present.table)
        for left in other.columns if other is not None else ():
            for right in new.columns if new is not None else ():
                if left.type.lower() == right.type.lower():
                    words = set(left.name.lower().split("_")) & set(right.name.lower().split("_"))
                    way = JoinProposal(present.known_as, ((right.name, left.name),), is_key=False)
                    found.append((-len(words), way))
    return [way for _, way in sorted(found, key=lambda each: each[0])][:_MOST_CANDIDATES]


def _by_keys(present: FromItem, other: CatalogTable, new: CatalogTable) -> list[JoinProposal]:
    to = present.known_as
    found = [
        JoinProposal(to, tuple(zip(key.columns, key.referred or key.columns, strict=False)), is_key=True)
        for key in new.keys
        if key.table.lower() == other.name.lower()
    ]
    return found + [
        JoinProposal(to, tuple(zip(key.referred or key.columns, key.columns, strict=False)), is_key=True)
        for key in other.keys
        if key.table.lower() == new.name.lower()
    ]


def _shared(other: CatalogTable, new: CatalogTable) -> tuple[str, ...]:
    """Columns both tables have with the same type; those that look like keys if there are any."""
    types = {column.name.lower(): column.type.lower() for column in other.columns}
    same = [c.name for c in new.columns if types.get(c.name.lower()) == c.type.lower()]
    return tuple([name for name in same if looks_like_key(name)] or same[:1])


def looks_like_key(column: str) -> bool:
    """Whether a column has a name that keys have."""
    return column.lower().endswith(("_id", "_key", "_no", "_nr", "_code")) or column.lower() == "id"


JOIN_OPERATORS = ("=", "<>", "<", "<=", ">", ">=")
JoinKind = Literal["join", "left join", "right join", "full join", "cross join", "some", "none", "latest"]
"""How a table is joined: by the words of SQL; or to keep rows that have some or none in it; or with the latest of its
rows before each row."""


def read_join_kind(taken: FromItem, dialect: str) -> JoinKind | None:
    """How a table is joined; None for a kind that has no name here."""
    if _read_latest(taken, dialect) is not None:
        return "latest"
    words = taken.join.replace("inner ", "").replace(" outer", "")
    kind = {",": "cross join"}.get(words, words)
    return kind if kind in get_args(JoinKind) else None  # type: ignore[return-value]  # it is one of them


def read_join_pairs(taken: FromItem, other: str, dialect: str) -> tuple[JoinPair, ...] | None:
    """The pairs of columns by which a table is joined, that of the table last; None for any other condition.

    `other` is the table that columns of `using` come from on the other side.
    """
    if (latest := _read_latest(taken, dialect)) is not None:
        return latest
    if taken.using:
        return tuple(JoinPair(f"{other}.{name}", "=", f"{taken.known_as}.{name}") for name in taken.using)
    return _pairs(taken.on, taken.known_as, dialect) if taken.on else ()


def _pairs(condition: str, new: str, dialect: str) -> tuple[JoinPair, ...] | None:
    """The pairs of columns that a condition compares, that of the new table last; None for any other condition."""
    try:
        read = parse_select(f"select 1 from t where {condition}", dialect)
    except RefusedQuery:
        return None
    where = read.where if read is not None else None
    parts = where.parts if isinstance(where, BooleanGroup) and where.joining == "and" else (where,)
    pairs = [_pair(part, new) for part in parts]
    return None if None in pairs else tuple(pair for pair in pairs if pair is not None)


_BEFORE = re.compile(r"= \(select max\(.+?\) from .+? (\S+) where (.+)\)", re.IGNORECASE | re.DOTALL)


def _read_latest(taken: FromItem, dialect: str) -> tuple[JoinPair, ...] | None:
    """The pairs of a table that is joined by the latest of its rows before each row; None where it is not."""
    found = _BEFORE.search(taken.on) if taken.join.startswith("left") else None
    pairs = _pairs(found[2], found[1], dialect) if found is not None else None
    if found is None or pairs is None:
        return None
    inner = f"{found[1]}."
    own = [replace(pair, right=f"{taken.known_as}.{pair.right.removeprefix(inner)}") for pair in pairs]
    try:
        is_same = " ".join(_latest(taken, own).split()).lower() == " ".join(taken.on.split()).lower()
    except QueryError:
        return None
    return tuple(own) if is_same else None


_TURNED = {"<": ">", "<=": ">=", ">": "<", ">=": "<="}
_COLUMN = re.compile(r'[\w"`\[\] ]+\.[\w"`\[\] .]+')


def _pair(part: Condition | None, new: str) -> JoinPair | None:
    if not isinstance(part, Comparison) or part.operator not in JOIN_OPERATORS:
        return None
    left, right = part.left, part.right[0]
    if not _COLUMN.fullmatch(left) or not _COLUMN.fullmatch(right):
        return None
    if left.startswith(f"{new}.") and not right.startswith(f"{new}."):
        return JoinPair(right, _TURNED.get(part.operator, part.operator), left)
    return JoinPair(left, part.operator, right) if right.startswith(f"{new}.") else None


def joined(
    sentence: SelectModel, new: FromItem, kind: JoinKind, pairs: Sequence[JoinPair], condition: str
) -> SelectModel:
    """A sentence with a table joined, by pairs of columns or, where there are none, by any condition.

    Raises QueryError when there is nothing to join by.
    """
    on = join_condition(pairs) or condition.strip()
    if kind == "cross join":
        return _with(sentence, replace(new, join=kind, using=(), on=""))
    if not on:
        raise QueryError("Choose by which columns the tables are joined, or join every row with every row.")
    if kind in ("some", "none"):
        test = (
            f"{'not ' if kind == 'none' else ''}exists (select 1 from {f'{new.table} {new.alias}'.strip()} where {on})"
        )
        return with_condition(sentence, Comparison(test))
    if kind == "latest":
        return _with(sentence, replace(new, join="left join", using=(), on=_latest(new, pairs)))
    return _with(sentence, replace(new, join=kind, using=(), on=on))


def _latest(new: FromItem, pairs: Sequence[JoinPair]) -> str:
    """The condition for the latest row of a table before each row: equal in all pairs but one, the greatest in that."""
    moments = [pair for pair in pairs if pair.operator in (">=", ">")]
    keys = [pair for pair in pairs if pair.operator == "="]
    if len(moments) != 1 or len(keys) + 1 != len(pairs):
        raise QueryError(
            "For the latest before, one pair says which comes before (≥ or >), and the others are equal (=)."
        )
    moment, inner = moments[0], f"{new.known_as}_before"
    own = [(pair, pair.right.replace(f"{new.known_as}.", f"{inner}.", 1)) for pair in pairs]
    tests = " and ".join(f"{right} {_TURNED.get(pair.operator, '=')} {pair.left}" for pair, right in own)
    greatest = moment.right.replace(f"{new.known_as}.", f"{inner}.", 1)
    inside = f"(select max({greatest}) from {new.table} {inner} where {tests})"
    return " and ".join([*(f"{pair.left} = {pair.right}" for pair in keys), f"{moment.right} = {inside}"])


def _with(sentence: SelectModel, taken: FromItem) -> SelectModel:
    return replace(sentence, from_items=(*sentence.from_items, taken))


def new_alias(sentence: SelectModel, table: str) -> str:
    """Another name for a table whose own name is taken already; empty where it is free."""
    names = {taken.known_as.lower() for taken in sentence.from_items}
    own, count = re.sub(r"\W+", "_", unquoted_name(FromItem(table).known_as)), 2
    if FromItem(table).known_as.lower() not in names:
        return ""
    while f"{own}_{count}".lower() in names:
        count += 1
    return f"{own}_{count}"
