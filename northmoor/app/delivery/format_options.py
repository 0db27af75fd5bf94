"""The choices of formats, to be made: one line for each, in words."""

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any, Literal, get_args, get_origin

from PyQt6.QtWidgets import QFormLayout, QLabel, QWidget

from northmoor.app.widgets.value_editors import ChoiceEditor, LineEditor, NumberEditor, SwitchEditor
from northmoor.core.model.output_options import OutputOptions

_NAMES = {
    "tagged": "Can be read aloud",
    "archive": "To be kept",
    "allowed": "Readers may",
    "password": "Password",
    "sheets": "Sheets",
    "sheet_for": "A sheet for",
    "columns": "Rows",
    "numbers": "Numbers",
    "resolution": "Pixels an inch",
    "colors": "Colours",
    "quality": "Quality",
    "glyphs": "Texts",
    "interactive": "Groups open and close",
}
_WORDS = {
    "archive": {"no": "As any PDF", "pages": "For an archive (PDF/A)", "pages_and_data": "With its rows (PDF/A)"},
    "allowed": {
        "everything": "Do everything",
        "no_changes": "Print and copy",
        "printing": "Print only",
        "reading": "Read only",
    },
    "sheets": {"as_seen": "As on the pages", "rows": "The rows of the queries"},
    "sheet_for": {"edition": "All together", "block": "Each table", "group": "Each page break between blocks"},
    "columns": {"as_seen": "Cells, with totals", "rows": "The rows of the queries"},
    "numbers": {"exact": "Exact", "printed": "As printed"},
    "colors": {"color": "Colour", "gray": "Grays", "black": "Black and white"},
    "glyphs": {"text": "Texts, with their fonts", "outlines": "Outlines"},
}
Changed = Callable[[str, Any], object]


class FormatOptions(QWidget):
    """The choices of some formats."""

    def __init__(self, options: OutputOptions, names: Sequence[str], changed: Changed) -> None:
        super().__init__()
        form = QFormLayout(self)
        form.setContentsMargins(0, 0, 0, 0)
        for name in names:
            editor = _editor(name, getattr(options, name), partial(changed, name))
            editor.setAccessibleName(_NAMES[name])
            editor.setToolTip(OutputOptions.help_of(name))
            label = QLabel(_NAMES[name])
            label.setBuddy(editor)
            form.addRow(label, editor)


def _editor(name: str, value: Any, commit: Callable[[Any], object]) -> QWidget:
    kind = OutputOptions.model_fields[name].annotation
    if get_origin(kind) is Literal:
        words = _WORDS[name]
        return ChoiceEditor({each: words[each] for each in get_args(kind)}, value, commit, None)
    if kind is bool:
        return SwitchEditor(value, commit)
    if kind == str | None:
        line = LineEditor(value or "", lambda text: commit(text.strip() or None))
        line.setPlaceholderText("none, or the name of one")
        return line
    limits = OutputOptions.model_fields[name].metadata
    least, most = (next(getattr(each, end) for each in limits if hasattr(each, end)) for end in ("ge", "le"))
    return NumberEditor(value, commit, (least, most))
