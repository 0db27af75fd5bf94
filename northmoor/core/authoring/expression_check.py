"""What is wrong with an expression while it is being typed, where, and what would put it right."""

import re
from collections.abc import Collection, Mapping
from difflib import get_close_matches

from msgspec import Struct, field

from northmoor.core.analysis.expression_types import TypeFault, expression_type, type_words
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.function_help import FUNCTION_HELP
from northmoor.core.expr.language import Expression, columns_in, parse
from northmoor.core.expr.templates import Slot, parse_template
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, KindName
from northmoor.core.model.report import Report

_WORD = re.compile(r"[A-Za-z_]\w*")
_NEAR = 0.6


class ExpressionFault(Struct, frozen=True):
    """A fault: a sentence, the characters it is about, and the text that would be right, if that is known."""

    message: str
    position: int
    length: int
    corrected: str | None = None


class KnownNames(Struct, frozen=True):
    """What an expression can name where it is written: fields with the kinds of their values (None for one that is not
    known), and parameters.

    Without fields it is not known which can be named, and names are no faults; nor are parameters without either.
    """

    fields: Mapping[str, KindName | None] = field(default_factory=dict)
    parameters: Collection[str] = ()


def known_names(report: Report, field_kinds: Mapping[str, KindName]) -> KnownNames:
    """What can be named over a query's fields."""
    if not field_kinds:
        return KnownNames(parameters=report.value_names)
    computed: dict[str, KindName | None] = {value.name: None for value in report.named_values}
    return KnownNames({**computed, **field_kinds}, report.value_names)


def check_expression(
    text: str, names: KnownNames, is_template: bool = False, is_condition: bool = False
) -> ExpressionFault | None:
    """The first fault of an expression, or of those in a template, over some names; None where there is none. One that
    is to be a condition has to say yes or no."""
    if not text.strip():
        return None
    try:
        parts = [part.expression for part in parse_template(text) if isinstance(part, Slot)] if is_template else [
            parse(text)
        ]  # fmt: skip
    except ExpressionError as error:
        return _syntax_fault(text, error, is_template)
    for part in parts:
        fault = _unknown_field(text, part, names) if names.fields else None
        if fault is None and (names.fields or names.parameters):
            fault = _unknown_parameter(text, part, names)
        if fault is None and names.fields:
            fault = _type_fault(text, part, names, is_condition)
        if fault is not None:
            return fault
    return None


def _unknown_field(text: str, part: Expression, names: KnownNames) -> ExpressionFault | None:
    """The first field that is not there."""
    for name in sorted(columns_in(part.text) - {name.lower() for name in names.fields}):
        found = re.search(rf'(?<![\w.:])"?{re.escape(name)}"?(?![\w(.])', text, re.IGNORECASE)
        if found is not None:
            return _unknown(text, found.start(), found[0], "field", list(names.fields))
    return None


def _unknown_parameter(text: str, part: Expression, names: KnownNames) -> ExpressionFault | None:
    """The first parameter that is not there."""
    for name in sorted(part.parameters - set(names.parameters)):
        found = re.search(rf"(?<!:):{re.escape(name)}(?!\w)", text)
        if found is not None:
            return _unknown(text, found.start(), found[0], "parameter", [f":{known}" for known in names.parameters])
    return None


def _type_fault(text: str, part: Expression, names: KnownNames, is_condition: bool) -> ExpressionFault | None:
    """The first part whose operands do not fit it, or that it is no condition."""
    types = {name: kind and KIND_OF_NAME[kind].sql.upper() for name, kind in names.fields.items()}
    fault = expression_type(part, types)
    if is_condition and isinstance(fault, str) and fault not in ("BOOLEAN", '"NULL"'):
        words = type_words(fault)
        return ExpressionFault(f"It is {words}, where a condition is needed; write a comparison.", 0, len(text))
    if not isinstance(fault, TypeFault):
        return None
    around = max(text.find(part.text), 0)
    before, after = text[:around], text[around + len(part.text) :]
    corrected = f"{before}{fault.corrected}{after}" if fault.corrected is not None else None
    begin = fault.begin or 0
    length = (fault.end if fault.end is not None else len(part.text) - 1) - begin + 1
    return ExpressionFault(fault.message, around + begin, length, corrected)


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
