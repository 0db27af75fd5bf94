"""What can be written in an expression: fields, parameters, levels and functions, each with a word about it."""

from collections.abc import Mapping

from msgspec import Struct

from northmoor.core.expr.function_help import FUNCTION_HELP
from northmoor.core.expr.language import column_expression
from northmoor.core.model.blocks.containers import DataBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, KindName
from northmoor.core.model.report import Report

COMPLETION_KINDS = FIELDS, PARAMETERS, GROUPS, FUNCTIONS = "Fields", "Parameters", "Groups", "Functions"
"""What completions are listed under."""
COMPLETION_WORDS = _PARAMETER, _COMPUTED, _LEVEL, _ALL_ROWS = "Parameter", "Computed value", "Level", "All rows"
_MOST = 60


class Completion(Struct, frozen=True):
    """A word that can be written, what it is, and what readers call it where that is another name."""

    text: str
    about: str
    kind: str = FIELDS
    """One of `COMPLETION_KINDS`."""
    shown_name: str = ""


def completions(report: Report, block: DataBlock | None, field_kinds: Mapping[str, KindName]) -> list[Completion]:
    """All that can be written in an expression over a block's rows, or outside of all blocks."""
    fields = [Completion(column_expression(name), KIND_OF_NAME[kind].label) for name, kind in field_kinds.items()]
    parameters = [
        Completion(f":{name}", _PARAMETER, PARAMETERS, parameter.shown_name)
        for parameter in report.parameters
        for name in parameter.names
    ]
    computed = [Completion(f":{value.name}", _COMPUTED, PARAMETERS) for value in report.named_values]
    levels = (*block.rows, *block.columns) if isinstance(block, MatrixBlock) else getattr(block, "levels", ())
    windows = [Completion(f"over {column_expression(each.name)}", _LEVEL, GROUPS) for each in levels]
    windows.append(Completion("over report", _ALL_ROWS, GROUPS))
    functions = [Completion(help.signature, help.sentence, FUNCTIONS) for help in FUNCTION_HELP.values()]
    return [*fields, *parameters, *computed, *windows, *functions]


def _names(text: str) -> tuple[str, ...]:
    """What a completion can be called: its text, and a column of a table also by its own name."""
    whole = text.lower().lstrip('":')
    return (whole,) if "(" in whole else (whole, whole.rpartition(".")[2])


def matching_completions(known: list[Completion], word: str) -> list[Completion]:
    """Those that begin with a word; where none does, those in whose explanation a word begins with it."""
    wanted, is_parameter = word.lower().lstrip('":'), word.startswith(":")
    of_kind = [each for each in known if each.text.startswith(":") or not is_parameter]
    begins = [each for each in of_kind if any(name.startswith(wanted) for name in _names(each.text))]
    within = [each for each in known if f" {wanted}" in f" {each.text} {each.about} {each.shown_name}".lower()]
    return (begins or within)[:_MOST]
