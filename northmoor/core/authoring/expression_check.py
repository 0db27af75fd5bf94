"""What is wrong with an expression while it is being typed, where, and what would put it right."""

import re
from collections.abc import Collection
from dataclasses import dataclass
from difflib import get_close_matches

from northmoor.core.errors import ExpressionError
from northmoor.core.expr.function_help import FUNCTION_HELP
from northmoor.core.expr.language import columns_in, parse
from northmoor.core.expr.templates import Slot, parse_template

_WORD = re.compile(r"[A-Za-z_]\w*")
_NEAR = 0.6


@dataclass(frozen=True)
class ExpressionFault:
    """A fault: a sentence, the characters it is about, and the text that would be right, if that is known."""

    message: str
    position: int
    length: int
    corrected: str | None = None


def check_expression(text: str, fields: Collection[str], is_template: bool = False) -> ExpressionFault | None:
    """The first fault of an expression, or of those in a template, over a query's fields; None where there is none."""
    if not text.strip():
        return None
    try:
        texts = [part.expression.text for part in parse_template(text) if isinstance(part, Slot)] if is_template else [
            parse(text).text
        ]  # fmt: skip
    except ExpressionError as error:
        return _syntax_fault(text, error, is_template)
    known = {name.lower(): name for name in fields}
    for own in texts:
        for name in sorted(columns_in(own) - set(known)):
            found = re.search(rf'(?<![\w.:])"?{re.escape(name)}"?(?![\w(.])', text, re.IGNORECASE)
            if found is not None and known:
                return _unknown(text, found.start(), found[0], "field", list(known.values()))
    return None


def _syntax_fault(text: str, error: ExpressionError, is_template: bool) -> ExpressionFault:
    at = min(error.position or 0, max(len(text) - 1, 0))
    word = _WORD.match(text, at)
    if word is not None and text[word.end() :].startswith("("):
        return _unknown(text, at, word[0], "function", list(FUNCTION_HELP))
    closed = (
        None
        if is_template
        else next((f"{text}{more}" for more in (")", "))", ")))") if _parses(f"{text}{more}")), None)
    )
    return ExpressionFault(error.message, at, len(word[0]) if word is not None else 1, closed)


def _parses(text: str) -> bool:
    try:
        parse(text)
    except ExpressionError:
        return False
    return True


def _unknown(text: str, at: int, word: str, what: str, known: list[str]) -> ExpressionFault:
    near = get_close_matches(word.strip('"').lower(), [name.lower() for name in known], 1, _NEAR)
    name = next((own for own in known if near and own.lower() == near[0]), None)
    corrected = f"{text[:at]}{name}{text[at + len(word) :]}" if name is not None else None
    hint = f" Did you mean {name}?" if name is not None else ""
    return ExpressionFault(f"There is no {what} {word}.{hint}", at, len(word), corrected)
