"""How conditions and values of a sentence read in words."""

from northmoor.core.sources.builder.operands import OperandKind
from northmoor.core.sources.builder.select_model import Comparison, FromItem, one_line

_OPERATOR_WORDS = {
    "=": "is",
    "<>": "is not",
    "<": "is below",
    "<=": "is at most",
    ">": "is above",
    ">=": "is at least",
    "between": "is between",
    "not between": "is not between",
    "in": "is one of",
    "not in": "is none of",
    "like": "is like",
    "not like": "is not like",
    "is null": "is blank",
    "is not null": "is not blank",
}
_MOMENT_WORDS = {"<": "is before", "<=": "is until", ">": "is after", ">=": "is from"}
JOIN_WORDS = {
    "join": "with",
    "left join": "with, if any,",
    "right join": "with all",
    "full join": "and all",
    "cross join": "with each of",
    ",": "and",
}
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


def comparison_words(comparison: Comparison) -> str:
    """A condition in words."""
    if not comparison.operator:
        return short(comparison.left)
    joining = " and " if "between" in comparison.operator else ", "
    values = joining.join(map(value_words, comparison.right))
    return short(f"{own_name(comparison.left)} {_OPERATOR_WORDS[comparison.operator]} {values}".strip())


def own_name(expression: str) -> str:
    """A column without its table, for reading; other expressions as they are."""
    table, dot, name = expression.rpartition(".")
    return name if dot and table.replace("_", "").isalnum() and name.replace("_", "").isalnum() else expression


def join_words(taken: FromItem) -> str:
    """How a joined table is introduced."""
    plain = taken.join.replace("inner ", "").replace("outer ", "")
    return JOIN_WORDS.get(plain, taken.join)


def by_words(taken: FromItem) -> str:
    """By what a table is joined."""
    if taken.using:
        return ", ".join(taken.using)
    left, equals, right = taken.on.partition(" = ")
    if equals and own_name(left) == own_name(right):
        return own_name(left)
    return short(taken.on)
