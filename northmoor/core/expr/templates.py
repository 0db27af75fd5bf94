"""Templates: text with expressions in braces, such as ``Total for {route_name}: {sum(fare); ¤#,##0}``.

A CLDR pattern comes after the first semicolon outside quotes. ``{{`` and ``}}`` are braces.
"""

from collections.abc import Mapping
from functools import lru_cache

from msgspec import Struct

from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import Expression, parse


class Slot(Struct, frozen=True):
    """An expression in a template and the pattern its value is shown with (None: one that suits its type)."""

    expression: Expression
    pattern: str | None = None


Template = tuple[str | Slot, ...]


@lru_cache(maxsize=4096)
def parse_template(text: str) -> Template:
    """The literal texts and slots of a template, in order.

    Raises ExpressionError, its position counted in the whole template.
    """
    parts: list[str | Slot] = []
    literal: list[str] = []
    at = 0
    while at < len(text):
        pair, char = text[at : at + 2], text[at]
        if pair in ("{{", "}}"):
            literal.append(char)
            at += 2
        elif char == "{":
            if literal:
                parts.append("".join(literal))
                literal = []
            slot, at = _slot(text, at)
            parts.append(slot)
        elif char == "}":
            raise ExpressionError("A closing brace has no opening one; write }} for a brace.", at)
        else:
            literal.append(char)
            at += 1
    if literal:
        parts.append("".join(literal))
    return tuple(parts)


def with_names(text: str, named: Mapping[str, str]) -> str:
    """A template with some of its expressions replaced by others. One that does not parse stays as it is."""
    try:
        template = parse_template(text)
    except ExpressionError:
        return text

    def written(part: str | Slot) -> str:
        if isinstance(part, str):
            return part.replace("{", "{{").replace("}", "}}")
        name = named.get(part.expression.text, part.expression.text)
        return f"{{{name}; {part.pattern}}}" if part.pattern else f"{{{name}}}"

    return "".join(map(written, template))


def _slot(text: str, start: int) -> tuple[Slot, int]:
    semicolon: int | None = None
    quote: str | None = None
    for at in range(start + 1, len(text)):
        char = text[at]
        if semicolon is None and char in "'\"":
            quote = None if quote == char else quote or char
        elif quote is None and char == ";" and semicolon is None:
            semicolon = at
        elif quote is None and char == "}":
            return _slot_of(text, start, semicolon, at), at + 1
    raise ExpressionError("A brace is opened and not closed; write {{ for a brace.", start)


def _slot_of(text: str, start: int, semicolon: int | None, end: int) -> Slot:
    expression = text[start + 1 : semicolon if semicolon is not None else end]
    pattern = text[semicolon + 1 : end].strip() or None if semicolon is not None else None
    try:
        return Slot(parse(expression.strip()), pattern)
    except ExpressionError as error:
        inner = len(expression) - len(expression.lstrip()) + (error.position or 0)
        raise ExpressionError(error.message, start + 1 + inner, error.place) from error
