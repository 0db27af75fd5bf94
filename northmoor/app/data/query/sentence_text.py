"""How conditions and values of a sentence read in words."""

import re

from northmoor.app.language.translation import tr
from northmoor.core.sources.builder.joins import read_join_kind, read_join_pairs
from northmoor.core.sources.builder.operands import OperandKind
from northmoor.core.sources.builder.select_model import Comparison, FromItem, one_line

_OPERATOR_WORDS = {
    "=": tr("is"),
    "<>": tr("is not"),
    "<": tr("is below"),
    "<=": tr("is at most"),
    ">": tr("is above"),
    ">=": tr("is at least"),
    "between": tr("is between"),
    "not between": tr("is not between"),
    "in": tr("is one of"),
    "not in": tr("is none of"),
    "like": tr("is like"),
    "not like": tr("is not like"),
    "is null": tr("is blank"),
    "is not null": tr("is not blank"),
}
_MOMENT_WORDS = {"<": tr("is before"), "<=": tr("is until"), ">": tr("is after"), ">=": tr("is from")}
JOIN_WORDS = {
    "join": tr("with"),
    "left join": tr("with, if any,"),
    "right join": tr("with all"),
    "full join": tr("and all"),
    "cross join": tr("with each of"),
    ",": tr("and"),
}
_AT_MOST = {">=": "≤", ">": "<"}
"""How a row of the joined table lies before another one, by how that one is compared with it."""
_EXISTS = re.compile(r"(not )?exists\s*\(select 1 from (.+?) where (.+)\)", re.IGNORECASE | re.DOTALL)
_LONGEST = 60


def operator_words(operator: str, kind: OperandKind = "text") -> str:
    """An operator in words, for values of a kind."""
    is_moment = kind in ("date", "timestamp")
    return (_MOMENT_WORDS.get(operator) if is_moment else None) or _OPERATOR_WORDS[operator]


def value_words(value: str) -> str:
    """A value without its quotes."""
    if len(value) > 2 and value[0] == value[-1] == "'":
        return value[1:-1].replace("''", "'")
    return value


def short(text: str) -> str:
    """A text that fits on a chip."""
    text = one_line(text)
    return text if len(text) <= _LONGEST else f"{text[: _LONGEST - 1]}…"


def comparison_words(comparison: Comparison, kind: OperandKind = "text") -> str:
    """A condition in words, for values of a kind."""
    if not comparison.operator:
        found = _EXISTS.fullmatch(comparison.left)
        if found is None:
            return short(comparison.left)
        words = tr("has none in {table} with {on}") if found[1] else tr("has some in {table} with {on}")
        return short(words.format(table=found[2].strip(), on=found[3]))
    joining = tr(" and ") if "between" in comparison.operator else ", "
    values = joining.join(map(value_words, comparison.right))
    return short(f"{own_name(comparison.left)} {operator_words(comparison.operator, kind)} {values}".strip())


def own_name(expression: str) -> str:
    """A column without its table, for reading; other expressions as they are."""
    table, dot, name = expression.rpartition(".")
    return name if dot and table.replace("_", "").isalnum() and name.replace("_", "").isalnum() else expression


def join_words(taken: FromItem, dialect: str) -> str:
    """How a joined table is introduced."""
    if read_join_kind(taken, dialect) == "latest":
        return tr("with the latest of")
    plain = taken.join.replace("inner ", "").replace("outer ", "")
    return JOIN_WORDS.get(plain, taken.join)


def by_words(taken: FromItem, dialect: str) -> str:
    """By what a table is joined."""
    if taken.using:
        return ", ".join(taken.using)
    if read_join_kind(taken, dialect) == "latest":
        pairs = read_join_pairs(taken, "", dialect) or ()
        keys = [own_name(pair.right) for pair in pairs if pair.operator == "="]
        moments = [f"{own_name(pair.right)} {_AT_MOST[pair.operator]} {own_name(pair.left)}" for pair in pairs
                   if pair.operator in _AT_MOST]  # fmt: skip
        return ", ".join([*keys, *moments])
    left, equals, right = taken.on.partition(" = ")
    if equals and own_name(left) == own_name(right):
        return own_name(left)
    return short(taken.on)
