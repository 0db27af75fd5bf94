"""The widgets of a form, and the area that shows them: they stay while rows are of the same kind, and show new values.

A form is changed from within the events of its own widgets. So a row that stays the same but for its value keeps its
widget; where rows come or go, the form is made again, and the old one is deleted when no event of it runs any more.
"""

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtGui import QMouseEvent
from PyQt6.QtWidgets import (
    QFormLayout,
    QFrame,
    QHBoxLayout,
    QLabel,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.translation import tr
from northmoor.app.pages.editing.rich_text_editor import RichTextEditor
from northmoor.app.pages.inspector.choice_samples import show_fonts, show_styles
from northmoor.app.pages.inspector.form_rows import FormRow, SectionHeader
from northmoor.app.widgets.color_editor import ColorEditor, ColorOffers
from northmoor.app.widgets.value_editors import ChoiceEditor, LengthEditor
from northmoor.app.widgets.widget_tools import pass_focus, replace_content
from northmoor.core.model.styles import NamedStyle

_LABEL = 98
"""The width of names, in all sections alike."""
_PIXELS_A_STEP = 5


class SectionMemory:
    """Which sections are closed, and which show also what is rarely needed; the settings keep it."""

    def __init__(self, settings: QSettings | None = None) -> None:
        self._settings = settings
        self.closed, self.full = self._read("closed"), self._read("full")

    def _read(self, name: str) -> set[str]:
        return set(self._settings.value(f"inspector-{name}", [], list)) if self._settings is not None else set()

    def set_closed(self, section: str, is_closed: bool) -> None:
        """Keep whether a section is closed."""
        self._set("closed", self.closed, section, is_closed)

    def set_full(self, section: str, is_full: bool) -> None:
        """Keep whether a section shows also what is rarely needed."""
        self._set("full", self.full, section, is_full)

    def _set(self, name: str, known: set[str], section: str, is_in: bool) -> None:
        (known.add if is_in else known.discard)(section)
        if self._settings is not None:
            self._settings.setValue(f"inspector-{name}", sorted(known))


class _NameLabel(QLabel):
    """The name of an editor. Where that is a length, dragging the name sideways changes it."""

    def __init__(self, text: str, editor: QWidget) -> None:
        super().__init__(text)
        self.setObjectName("quiet")
        self.setBuddy(editor)
        self.setWordWrap(True)
        self.setFixedWidth(_LABEL)
        self._editor, self._from = editor, 0
        if isinstance(editor, LengthEditor):
            self.setCursor(Qt.CursorShape.SizeHorCursor)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Begin a drag, or put the keyboard into the editor."""
        if event is not None:
            self._from = event.position().toPoint().x()
            self._editor.setFocus()

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Change the length as far as it is dragged."""
        if event is None or not isinstance(self._editor, LengthEditor):
            return
        steps = (event.position().toPoint().x() - self._from) // _PIXELS_A_STEP
        if steps:
            self._from += steps * _PIXELS_A_STEP
            self._editor.step_by(steps)

    def mouseReleaseEvent(self, _: QMouseEvent | None) -> None:
        """Commit what the drag made, as one step."""
        if isinstance(self._editor, LengthEditor):
            self._editor.finish()


class _Section(QWidget):
    """A section of a form: its header, its rows, and More where some of them are rarely needed."""

    def __init__(self, header: SectionHeader | None, name: str, memory: SectionMemory) -> None:
        super().__init__()
        self._name, self._memory = name, memory
        self._header = header
        self._rows: list[tuple[FormRow, QWidget, QFormLayout | None]] = []
        self._words: list[str] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(6)
        self._content = QWidget()
        self._column = QVBoxLayout(self._content)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.setSpacing(6)
        self._fields: QFormLayout | None = None
        self._more = QToolButton()
        self._more.setObjectName("word-button")
        self._more.clicked.connect(self._toggle_rare)
        if header is not None:
            column.addWidget(header)
            header.setChecked(name not in memory.closed)
            header.toggled.connect(lambda is_open: self._toggle(is_open))
        column.addWidget(self._content)

    def add(self, row: FormRow, widget: QWidget, label: QLabel | None) -> None:
        """Add a row at the end; one with a label has two columns."""
        if label is None:
            self._column.addWidget(widget)
            self._fields = None
        else:
            if self._fields is None:
                self._fields = self._new_fields()
            self._fields.addRow(label, widget)
        self._rows.append((row, widget, self._fields if label is not None else None))

    def _new_fields(self) -> QFormLayout:
        fields = QFormLayout()
        fields.setSpacing(6)
        fields.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        fields.setLabelAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        fields.setRowWrapPolicy(QFormLayout.RowWrapPolicy.DontWrapRows)
        self._column.addLayout(fields)
        return fields

    def end(self) -> None:
        """All rows are there."""
        if any(row.is_rare for row, *_ in self._rows):
            self._column.addWidget(self._more)
        self.show_fitting([])

    def show_fitting(self, words: Sequence[str]) -> bool:
        """Show the rows that have some words, of all sections and however rare; without words, those that are usual.
        Whether there are any."""
        self._words = list(words)
        is_full = bool(words) or self._name in self._memory.full
        found = False
        for row, widget, fields in self._rows:
            text = f"{self._name} {row.label or ''} {widget.toolTip()}".lower()
            is_shown = all(word in text for word in words) and (is_full or not row.is_rare)
            found = found or is_shown
            if fields is not None:
                fields.setRowVisible(widget, is_shown)
            else:
                widget.setVisible(is_shown)
        rare = sum(row.is_rare for row, *_ in self._rows)
        self._more.setVisible(bool(rare) and not words)
        self._more.setText(tr("Less") if is_full else tr("More ({rare})").format(rare=rare))
        self._more.setToolTip(tr("Hide what is rarely needed") if is_full else tr("Show also what is rarely needed"))
        self._content.setVisible(self._header is None or bool(words) or self._name not in self._memory.closed)
        self.setVisible(found or not words)
        return found

    def _toggle(self, is_open: bool) -> None:
        self._memory.set_closed(self._name, not is_open)
        self.show_fitting(self._words)

    def _toggle_rare(self) -> None:
        self._memory.set_full(self._name, self._name not in self._memory.full)
        self.show_fitting(self._words)


class _WithReset(QWidget):
    """An editor and a dot that is seen while its value is its own, and gives it back to where it comes from."""

    def __init__(self, editor: QWidget, row: FormRow, reset: Any) -> None:
        super().__init__()
        self.editor = editor
        self._dot = QToolButton()
        self._dot.setObjectName("reset-dot")
        self._dot.setText("●")
        self._dot.setAccessibleName(tr("Reset {label}").format(label=row.label))
        policy = self._dot.sizePolicy()
        policy.setRetainSizeWhenHidden(True)
        self._dot.setSizePolicy(policy)
        self._dot.clicked.connect(lambda: reset())
        line = QHBoxLayout(self)
        line.setContentsMargins(0, 0, 0, 0)
        line.setSpacing(2)
        line.addWidget(editor, 1)
        line.addWidget(self._dot)
        pass_focus(self, editor)
        self.setToolTip(editor.toolTip())
        self.show_origin(row)

    def show_origin(self, row: FormRow) -> None:
        """Show whether the value is its own, and what holds without it."""
        self._dot.setVisible(row.value is not None)
        self._dot.setToolTip(tr("Set here. Reset it to {inherited}").format(inherited=row.inherited))
        if hasattr(self.editor, "show_unset"):
            self.editor.show_unset(row.inherited)


class FormBody(QWidget):
    """The widgets of a form's rows."""

    def __init__(self, rows: Sequence[FormRow], memory: SectionMemory) -> None:
        super().__init__()
        self.setObjectName("panel")
        self._rows, self._memory = list(rows), memory
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(12, 8, 12, 12)
        self._column.setSpacing(6)
        self._sections: list[_Section] = [_Section(None, "", memory)]
        self._column.addWidget(self._sections[0])
        self._resets: dict[int, _WithReset] = {}
        self._widgets = [self._add(at, row) for at, row in enumerate(rows)]
        for section in self._sections:
            section.end()
        self._none = QLabel(tr("No property has these words."))
        self._none.setObjectName("quiet")
        self._none.hide()
        self._column.addWidget(self._none)
        self._column.addStretch(1)

    def show_rows(self, rows: Sequence[FormRow]) -> bool:
        """Show other values in the same widgets; False where the rows need other widgets."""
        if [row.key for row in rows] != [row.key for row in self._rows]:
            return False
        self._rows = list(rows)
        for at, (row, widget) in enumerate(zip(rows, self._widgets, strict=True)):
            if hasattr(widget, "show_value"):
                widget.show_value(row.value)
            if at in self._resets:
                self._resets[at].show_origin(row)
        return True

    def show_fitting(self, words: Sequence[str]) -> None:
        """Show only what has some words; without any, all."""
        found = [section.show_fitting(words) for section in self._sections]
        self._none.setVisible(not any(found) and bool(words))

    def _commit(self, at: int, value: Any) -> None:
        self._rows[at].commit(value)

    def _add(self, at: int, row: FormRow) -> QWidget:
        widget = row.make(partial(self._commit, at))
        if row.section is not None:
            assert isinstance(widget, SectionHeader)
            self._sections.append(_Section(widget, row.section, self._memory))
            self._column.addWidget(self._sections[-1])
            return widget
        label = None
        shown = widget
        if row.label is not None:
            label = _NameLabel(row.label, widget)
            label.setToolTip(widget.toolTip())
            if not widget.accessibleName():
                widget.setAccessibleName(row.label)
        if row.inherited is not None:
            shown = self._resets[at] = _WithReset(widget, row, partial(self._commit, at, None))
        self._sections[-1].add(row, shown, label)
        return widget


class FormArea(QScrollArea):
    """Shows a form, which can be scrolled."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.memory = SectionMemory()
        self.styles_of: Callable[[], Sequence[NamedStyle]] = lambda: ()
        """Gives the styles of the report, which are shown as themselves."""
        self._words: list[str] = []
        self._offers_of: Callable[[str], ColorOffers] = lambda _: ColorOffers()

    def show_rows(self, rows: Sequence[FormRow], offers_of: Callable[[str], ColorOffers]) -> None:
        """Show a form, keeping the keyboard in the same property; `offers_of` says what is offered with the colour of
        a property."""
        self._offers_of = offers_of
        body = self.widget()
        if isinstance(body, FormBody) and body.show_rows(rows):
            return
        focus = self.window().focusWidget()
        field = focus.property("field") if focus is not None and self.isAncestorOf(focus) else None
        rich = self.findChild(RichTextEditor)
        chosen = rich.chosen if rich is not None and rich.text is focus else None
        body = FormBody(rows, self.memory)
        self.equip(body)
        if self._words:
            body.show_fitting(self._words)
        replace_content(self, body)
        for editor in body.findChildren(QWidget) if field else ():
            if editor.property("field") == field:
                editor.setFocus()
        rich = body.findChild(RichTextEditor)
        if rich is not None and chosen is not None:
            rich.choose(*chosen)

    def equip(self, body: QWidget) -> None:
        """Give new editors what they offer."""
        for editor in body.findChildren(ColorEditor):
            editor.offers = partial(self._offers_for, str(editor.property("field")))
        for box in body.findChildren(ChoiceEditor):
            field = str(box.property("field"))
            if field == "font":
                box.show_samples = partial(show_fonts, box)
            elif field.endswith("style") or field == "based_on":
                box.show_samples = partial(self._show_styles, box)

    def _show_styles(self, box: ChoiceEditor) -> None:
        show_styles(box, self.styles_of())

    def _offers_for(self, field: str) -> ColorOffers:
        return self._offers_of(field)

    def show_fitting(self, text: str) -> None:
        """Show only the properties that have some words."""
        self._words = text.lower().split()
        body = self.widget()
        if isinstance(body, FormBody):
            body.show_fitting(self._words)
