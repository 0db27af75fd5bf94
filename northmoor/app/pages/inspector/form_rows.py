"""The rows of a form, and the area that shows them: widgets stay while rows are of the same kind, and show new values.

A form is changed from within the events of its own widgets. So a row that stays the same but for its value keeps its
widget; where rows come or go, the form is made again, and the old one is deleted when no event of it runs any more.
"""

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QFormLayout,
    QFrame,
    QLabel,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.pages.editing.rich_text_editor import RichTextEditor
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import LINE
from northmoor.app.widgets.value_editors import ChoiceEditor, Commit, LineEditor
from northmoor.app.widgets.widget_tools import replace_content


@dataclass(frozen=True)
class FormRow:
    """A row of a form. The widget that `make` makes calls what it is given with each value that someone sets.

    Rows whose keys are equal are shown by one widget, whose `show_value` is given the new row's value.
    """

    key: tuple[Hashable, ...]
    make: Callable[[Commit], QWidget]
    value: Any = None
    commit: Commit = lambda _: None
    label: str | None = None
    begins_section: bool = False

    def named(self, label: str) -> "FormRow":
        """The row with a name before its editor."""
        return replace(self, key=(*self.key, label), label=label)


class _Words(QLabel):
    """A text over several lines."""

    def __init__(self, look: str, text: str) -> None:
        super().__init__(text)
        self.setObjectName(look)
        self.setTextFormat(Qt.TextFormat.PlainText)
        self.setWordWrap(True)

    def show_value(self, text: str) -> None:
        """Show another text."""
        self.setText(text)


def words_row(look: str, text: str) -> FormRow:
    """A text; `look` is its name in the style sheet."""
    return FormRow(("words", look), lambda _: _Words(look, text), text)


def section_row(text: str) -> FormRow:
    """A line and a section's name."""
    return FormRow(("section", text), lambda _: _section(text), begins_section=True)


def _section(text: str) -> QWidget:
    both = QWidget()
    line = QFrame()
    line.setFixedHeight(1)
    line.setStyleSheet(f"background: {LINE};")
    label = QLabel(text)
    label.setObjectName("section")
    column = QVBoxLayout(both)
    column.setContentsMargins(0, 0, 0, 0)
    column.setSpacing(6)
    column.addWidget(line)
    column.addWidget(label)
    return both


def button_row(text: str, drawing: str, run: Callable[[], object]) -> FormRow:
    """A button that changes something."""

    def make(commit: Commit) -> QWidget:
        button = QPushButton(icon(drawing), text)
        button.setToolTip(f"{text}; it can be undone")
        button.clicked.connect(lambda: commit(None))
        return button

    return FormRow(("button", text, drawing), make, commit=lambda _: run())


def menu_row(text: str, drawing: str, entries: Sequence[tuple[str, Callable[[], object]]]) -> FormRow:
    """A button that offers several changes by name."""
    names = tuple(name for name, _ in entries)

    def make(commit: Commit) -> QWidget:
        button = QPushButton(icon(drawing), text)
        button.setToolTip(f"{text}: {', '.join(names)}")
        menu = QMenu(button)
        for at, name in enumerate(names):
            entry = menu.addAction(name)
            assert entry is not None
            entry.triggered.connect(lambda _=False, at=at: commit(at))
        button.setMenu(menu)
        return button

    return FormRow(("menu", text, drawing, names), make, commit=lambda at: entries[at][1]())


def choice_row(
    field: str, names: Mapping[Any, str], value: Any, commit: Commit, tip: str, unset: str | None = None
) -> FormRow:
    """A choice that is no property of its own."""

    def make(commit: Commit) -> QWidget:
        return _described(ChoiceEditor(names, value, commit, unset), field, tip)

    return FormRow(("choice", field, tuple(names.items()), tip), make, value, commit)


def line_row(field: str, value: str, commit: Commit, tip: str, unset: str = "", is_code: bool = False) -> FormRow:
    """A line of text that is no property of its own; `unset` is shown where it is empty."""

    def make(commit: Commit) -> QWidget:
        line = LineEditor(value, commit)
        line.setPlaceholderText(unset)
        line.setObjectName("expression" if is_code else "")
        return _described(line, field, tip)

    return FormRow(("line", field, tip), make, value, commit)


def _described(editor: QWidget, field: str, tip: str) -> QWidget:
    editor.setProperty("field", field)
    editor.setToolTip(tip)
    return editor


class FormBody(QWidget):
    """The widgets of a form's rows."""

    def __init__(self, rows: Sequence[FormRow]) -> None:
        super().__init__()
        self.setObjectName("panel")
        self._rows = list(rows)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(12, 8, 12, 12)
        self._column.setSpacing(6)
        self._fields: QFormLayout | None = None
        self._widgets = [self._add(at, row) for at, row in enumerate(rows)]
        self._column.addStretch(1)

    def show_rows(self, rows: Sequence[FormRow]) -> bool:
        """Show other values in the same widgets; False where the rows need other widgets."""
        if [row.key for row in rows] != [row.key for row in self._rows]:
            return False
        self._rows = list(rows)
        for row, widget in zip(rows, self._widgets, strict=True):
            if hasattr(widget, "show_value"):
                widget.show_value(row.value)
        return True

    def _commit(self, at: int, value: Any) -> None:
        self._rows[at].commit(value)

    def _add(self, at: int, row: FormRow) -> QWidget:
        widget = row.make(partial(self._commit, at))
        if row.label is None:
            self._column.addWidget(widget)
            self._fields = None
            return widget
        if self._fields is None:
            self._fields = self._new_fields()
        label = QLabel(row.label)
        label.setObjectName("quiet")
        label.setBuddy(widget)
        label.setMinimumWidth(96)
        label.setToolTip(widget.toolTip())
        if not widget.accessibleName():
            widget.setAccessibleName(row.label)
        self._fields.addRow(label, widget)
        return widget

    def _new_fields(self) -> QFormLayout:
        fields = QFormLayout()
        fields.setSpacing(6)
        fields.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        fields.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        fields.setRowWrapPolicy(QFormLayout.RowWrapPolicy.DontWrapRows)
        self._column.addLayout(fields)
        return fields


class FormArea(QScrollArea):
    """Shows a form, which can be scrolled."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)

    def show_rows(self, rows: Sequence[FormRow]) -> None:
        """Show a form, keeping the keyboard in the same property."""
        body = self.widget()
        if isinstance(body, FormBody) and body.show_rows(rows):
            return
        focus = self.window().focusWidget()
        field = focus.property("field") if focus is not None and self.isAncestorOf(focus) else None
        rich = self.findChild(RichTextEditor)
        chosen = rich.chosen if rich is not None and rich.text is focus else None
        body = FormBody(rows)
        replace_content(self, body)
        for editor in body.findChildren(QWidget) if field else ():
            if editor.property("field") == field:
                editor.setFocus()
        rich = body.findChild(RichTextEditor)
        if rich is not None and chosen is not None:
            rich.choose(*chosen)
