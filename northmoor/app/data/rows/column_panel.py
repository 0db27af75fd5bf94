"""What a query says of one column: how readers see it, its type, how it is totalled and shown, whether it is hidden."""

from collections.abc import Callable, Sequence
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QFormLayout, QLabel, QLineEdit, QVBoxLayout, QWidget

from northmoor.app.data.rows.parts_list import PartsList, ShownPart
from northmoor.app.language.translation import tr
from northmoor.app.widgets.headings import section
from northmoor.app.widgets.property_editors import editor_for
from northmoor.core.compute.explore.profile import ColumnProfile, ProfilePart
from northmoor.core.compute.explore.written_forms import WrittenForm
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.model.kinds.value_types import ValueType

_LABELS = {
    "name": tr("Name"),
    "label": tr("Label"),
    "type": tr("Type"),
    "total": tr("Total"),
    "format": tr("Format"),
    "hidden": tr("Hidden"),
}


class ColumnPanel(QWidget):
    """Editors for a column's settings, and what is in it; a value or a range that is clicked is wanted alone."""

    changed = pyqtSignal(str, dict)
    part_chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._title = section(tr("Column"))
        self._form_host = QWidget()
        self._hint = QLabel(tr("Click a column's head to set its name for readers, its type and its total."))
        self._hint.setObjectName("quiet")
        self._hint.setWordWrap(True)
        self._layout = QVBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(6)
        for widget in (self._title, self._hint, self._form_host):
            self._layout.addWidget(widget)
        self.parts = PartsList(tr("What is in the column"))
        self.far = PartsList(tr("Far from the others"))
        self.forms = PartsList(tr("How its texts are written"))
        heads = (tr("Far from the others"), tr("In these rows"), tr("Written as"))
        lists = (self.far, self.parts, self.forms)
        self._sections = [(section(head), own) for head, own in zip(heads, lists, strict=True)]
        for title, own in self._sections:
            for widget in (title, own):
                self._layout.addWidget(widget)
                widget.hide()
            own.part_chosen.connect(self.part_chosen)
        self.editors: dict[str, QWidget] = {}
        self._renamed: str | None = None
        self._shown: tuple[QueryColumn | None, ValueType | None] = None, None

    def edit_name_of(self, column: str) -> None:
        """Begin to edit the name of a column as soon as that one is shown."""
        self._renamed = column

    def show_profile(self, profile: ColumnProfile | None, words: Callable[[Any], str]) -> None:
        """Show what rows are made of, values written by `words`; None for nothing."""
        self.parts.show_parts(_shown(profile.parts, words) if profile is not None else ())
        self.far.show_parts(_shown(profile.far, words) if profile is not None else ())
        self.forms.show_parts([_shown_form(form, words) for form in profile.forms] if profile is not None else ())
        for title, own in self._sections:
            title.setVisible(bool(own.count()))
            own.setVisible(bool(own.count()))

    def show_column(self, setting: QueryColumn | None, kind: ValueType | None) -> None:
        """Show a column's settings; None for no column. Those that are shown already stay as they are, with what is
        being typed."""
        if (setting, kind) != self._shown or setting is None:
            self._shown = setting, kind
            self._fill(setting, kind)
        if setting is not None and self._renamed == setting.name:
            self._renamed = None
            name = self.editors["name"]
            name.setFocus()
            if isinstance(name, QLineEdit):
                name.selectAll()

    def _fill(self, setting: QueryColumn | None, kind: ValueType | None) -> None:
        self._form_host.hide()
        self._form_host.deleteLater()
        self._form_host = QWidget()
        self._layout.insertWidget(2, self._form_host)
        self.editors = {}
        self._hint.setVisible(setting is None)
        self._title.setText(
            tr("Column") if setting is None else tr("Column · {label}").format(label=setting.shown_name)
        )
        if setting is None:
            return
        form = QFormLayout(self._form_host)
        form.setContentsMargins(0, 0, 0, 0)
        for field, text in _LABELS.items():
            value = getattr(setting, field)
            editor = editor_for(QueryColumn, field, value, lambda new, f=field: self._commit(setting.name, f, new))  # type: ignore[misc]
            self.editors[field] = editor
            if field == "name":
                editor.setToolTip(tr("Its name in SQL and expressions; a change is followed wherever it is used"))
            label = QLabel(text)
            label.setObjectName("quiet")
            form.addRow(label, editor)
        if kind is not None and hasattr(self.editors["type"], "setPlaceholderText"):
            self.editors["type"].setPlaceholderText(str(kind))

    def _commit(self, column: str, field: str, value: Any) -> None:
        self._shown = None, None  # one that is refused is shown as it was
        self.changed.emit(column, {field: value})


def _shown(parts: Sequence[ProfilePart], words: Callable[[Any], str]) -> list[ShownPart]:
    return [ShownPart(part, _part_words(part, words), part.count) for part in parts]


def _part_words(part: ProfilePart, words: Callable[[Any], str]) -> str:
    if not part.is_range:
        return words(part.low)
    if part.low is None:
        return tr("below {high}").format(high=words(part.high))
    if part.high is None:
        return tr("{low} and above").format(low=words(part.low))
    return tr("{low} to below {high}").format(low=words(part.low), high=words(part.high))


def _shown_form(form: WrittenForm, words: Callable[[Any], str]) -> ShownPart:
    text = tr("others, as in {example}") if form.rest else tr("{form} as in {example}")
    tip = tr("A is a capital, a… other letters, 9 a digit, … more of the same, ␣ blanks at an end.")
    if form.values is None:
        tip += " " + tr("There are too many different ones to be kept alone.")
    shown = text.format(form=words(form.form), example=words(form.example))
    return ShownPart(form, shown, form.count, tip, form.values is not None)
