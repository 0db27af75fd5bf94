"""The rows of a form: editors with their names, texts, buttons, and the beginnings of sections."""

from collections.abc import Callable, Hashable, Mapping, Sequence
from typing import Any

from msgspec import Struct
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QLabel, QMenu, QPushButton, QSizePolicy, QToolButton, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import STONE_TEXT
from northmoor.app.widgets.value_editors import ChoiceEditor, Commit, LineEditor
from northmoor.core.base.replace import replace


class FormRow(Struct, frozen=True):
    """A row of a form. The widget that `make` makes calls what it is given with each value that someone sets.

    Rows whose keys are equal are shown by one widget, whose `show_value` is given the new row's value.
    """

    key: tuple[Hashable, ...]
    make: Callable[[Commit], QWidget]
    value: Any = None
    commit: Commit = lambda _: None
    label: str | None = None
    section: str | None = None
    """The section that it begins, if it begins one."""
    is_rare: bool = False
    """Whether it is shown only with the rest of its section."""
    inherited: str | None = None
    """Where the value comes from while there is none of its own; a row that has such an origin can be reset to it."""

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
    """The beginning of a section."""
    return FormRow(("section", text), lambda _: SectionHeader(text), section=text)


class SectionHeader(QToolButton):
    """The name of a section, which a click or Space opens and closes."""

    def __init__(self, text: str) -> None:
        super().__init__()
        self.setObjectName("section-header")
        self.setText(text)
        self.setAccessibleName(text)
        self.setCheckable(True)
        self.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)
        self.toggled.connect(self._show_state)
        self._show_state(False)

    def _show_state(self, is_open: bool) -> None:
        self.setIcon(icon("chevron-down" if is_open else "chevron-right", STONE_TEXT))
        opens = tr("Close {section}") if is_open else tr("Open {section}")
        self.setToolTip(opens.format(section=self.text()))


def button_row(text: str, drawing: str, run: Callable[[], object]) -> FormRow:
    """A button that changes something."""

    def make(commit: Commit) -> QWidget:
        button = QPushButton(icon(drawing), text)
        button.setToolTip(tr("{text}; it can be undone").format(text=text))
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
