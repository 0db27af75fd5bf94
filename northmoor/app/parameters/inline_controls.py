"""Controls that are filled in where they are: a field, a stepper, a switch, a drop-down, a row of toggles."""

from contextlib import suppress
from decimal import Decimal, InvalidOperation
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent, QWheelEvent
from PyQt6.QtWidgets import QButtonGroup, QCheckBox, QComboBox, QHBoxLayout, QLabel, QLineEdit, QToolButton, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.parameters.control_base import NO, YES, Control, ControlState, value_text
from northmoor.app.widgets.kind_looks import KIND_LOOKS
from northmoor.app.widgets.widget_tools import hide_and_delete, mark_invalid, pass_focus
from northmoor.core.compute.parameters.choices import ChoiceEntry
from northmoor.core.values.parameter_values import NumberRange


def bare_row(widget: QWidget, gap: int = 0) -> QHBoxLayout:
    """A row without margins."""
    row = QHBoxLayout(widget)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(gap)
    return row


class CommitLine(QLineEdit):
    """A line that is committed by Enter or by leaving it; Esc takes the typing back."""

    def __init__(self, width: int) -> None:
        super().__init__()
        self.setFixedWidth(width)
        self.shown = ""

    def put(self, text: str) -> None:
        """Show a text, unless another is being typed."""
        if self.text() == self.shown or not self.hasFocus():
            self.setText(text)
            self.setCursorPosition(0)
        self.shown = text

    def mark(self, is_faulty: bool) -> None:
        """Mark the text as no value."""
        mark_invalid(self, is_faulty)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Esc takes the typing back."""
        if event is not None and event.key() == Qt.Key.Key_Escape and self.text() != self.shown:
            self.setText(self.shown)
        else:
            super().keyPressEvent(event)


class FieldControl(Control):
    """A field to type into."""

    def __init__(self, kind: str) -> None:
        super().__init__()
        self.line = CommitLine(KIND_LOOKS[kind].field_width)
        pass_focus(self, self.line)
        self.row = bare_row(self)
        self.row.addWidget(self.line)
        self.line.editingFinished.connect(self._typed)

    def show_state(self, state: ControlState) -> None:
        """Show the value."""
        given = state.given
        self.line.put(self._shown(given) if isinstance(given, str) else value_text(state.value))
        self.line.setPlaceholderText(tr("needs a value") if state.parameter.required else tr("none"))

    def mark(self, is_faulty: bool) -> None:
        """Mark the text."""
        self.line.mark(is_faulty)

    def _typed(self) -> None:
        if self.line.text() != self.line.shown:
            self.line.shown = self.line.text()
            self.changed.emit(self._read(self.line.text()))

    def _shown(self, given: str) -> str:
        """A value that was given as a text, as it is typed here."""
        return given

    def _read(self, text: str) -> str:
        """What was typed, as it is given."""
        return text


class StepperControl(FieldControl):
    """A field with buttons that step by one; the arrow keys and the wheel do too."""

    def __init__(self, kind: str) -> None:
        super().__init__(kind)
        self.line.setFixedWidth(64)
        self.line.setAlignment(Qt.AlignmentFlag.AlignRight)
        for text, by, where in (("−", -1, 0), ("+", 1, 2)):
            button = QToolButton()
            button.setObjectName("step")
            button.setText(text)
            button.setToolTip(tr("One less (Down)") if by < 0 else tr("One more (Up)"))
            button.setAccessibleName(tr("One less") if by < 0 else tr("One more"))
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.setAutoRepeat(True)
            button.clicked.connect(partial(self.step, by))
            self.row.insertWidget(where, button)
        self.line.installEventFilter(self)

    def step(self, by: int, _: bool = False) -> None:
        """Make the value one more or less."""
        with suppress(InvalidOperation):  # what is typed is no number: its fault is reported where it is
            self.line.setText(format(Decimal(self.line.text().strip() or "0") + by, "f"))
            self._typed()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """The arrow keys step."""
        steps = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}
        if event is not None and event.key() in steps:
            self.step(steps[Qt.Key(event.key())])
        else:
            super().keyPressEvent(event)

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """The wheel steps while the field is being used."""
        if event is not None and self.line.hasFocus() and event.angleDelta().y():
            self.step(1 if event.angleDelta().y() > 0 else -1)
            event.accept()


class EndsControl(Control):
    """Two fields for the least and the greatest number of a range."""

    def __init__(self, kind: str) -> None:
        super().__init__()
        width = KIND_LOOKS[kind].field_width
        self.least, self.greatest = CommitLine(width), CommitLine(width)
        self.least.setAccessibleName(tr("From"))
        self.greatest.setAccessibleName(tr("To"))
        pass_focus(self, self.least)
        row = bare_row(self)
        row.setSpacing(4)
        for widget in (self.least, QLabel("–"), self.greatest):
            row.addWidget(widget)
        for line in (self.least, self.greatest):
            line.editingFinished.connect(self._typed)

    def show_state(self, state: ControlState) -> None:
        """Show both ends, or what was given instead."""
        held, texts = state.chosen, [line.text().strip() for line in (self.least, self.greatest)]
        if not isinstance(held, NumberRange) and any(texts) and not all(texts):
            return  # one end is typed, and the other one is not yet
        ends = (held.least, held.greatest) if isinstance(held, NumberRange) else _two_texts(state.given)
        for line, end in zip((self.least, self.greatest), ends, strict=True):
            line.put(value_text(end))
            line.setPlaceholderText(tr("needs a value") if state.parameter.required else tr("none"))

    def mark(self, is_faulty: bool) -> None:
        """Mark both fields."""
        for line in (self.least, self.greatest):
            line.mark(is_faulty)

    def _typed(self) -> None:
        """Tell of both ends as soon as there are both, or none."""
        lines = (self.least, self.greatest)
        texts = [line.text().strip() for line in lines]
        if all(line.text() == line.shown for line in lines) or (any(texts) and not all(texts)):
            return
        for line in lines:
            line.shown = line.text()
        self.changed.emit("/".join(texts) if all(texts) else None)


def _two_texts(given: object) -> tuple[str, str]:
    """The two ends of what was given, however it is no range."""
    if isinstance(given, list | tuple) and len(given) == 2:
        return value_text(given[0]), value_text(given[1])
    first, _, last = str(given or "").partition("/")
    return first.strip(), last.strip()


class SwitchControl(Control):
    """A switch; where no value is needed, it has a third state for none."""

    def __init__(self) -> None:
        super().__init__()
        self.box = QCheckBox()
        pass_focus(self, self.box)
        bare_row(self).addWidget(self.box)
        self.box.clicked.connect(self._clicked)

    def show_state(self, state: ControlState) -> None:
        """Show the value."""
        self.box.setTristate(not state.parameter.required)
        none = Qt.CheckState.Unchecked if state.parameter.required else Qt.CheckState.PartiallyChecked
        states = {True: Qt.CheckState.Checked, False: Qt.CheckState.Unchecked}
        value = state.value if isinstance(state.value, bool) else None
        self.box.setCheckState(states[value] if value is not None else none)

    def _clicked(self) -> None:
        state = self.box.checkState()
        self.changed.emit(None if state == Qt.CheckState.PartiallyChecked else state == Qt.CheckState.Checked)


class DropDownControl(Control):
    """A list that drops down."""

    def __init__(self) -> None:
        super().__init__()
        self.box = QComboBox()
        self.box.setMaxVisibleItems(20)
        self.box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)  # the list comes after the first show
        self.box.setMaximumWidth(240)
        pass_focus(self, self.box)
        bare_row(self).addWidget(self.box)
        self.box.activated.connect(lambda at: self.changed.emit(self.box.itemData(at)))
        self._entries: tuple[ChoiceEntry, ...] | None = None

    def _fill(self, state: ControlState) -> None:
        self._entries = state.choices.entries
        self.box.clear()
        if not state.parameter.required:
            self.box.addItem(tr("none"), None)
        for entry in self._entries:
            self.box.addItem(entry.label, entry.value)

    def show_state(self, state: ControlState) -> None:
        """Show the list and the value."""
        if self._entries != state.choices.entries:
            self._fill(state)
        values = [self.box.itemData(at) for at in range(self.box.count())]
        held = state.chosen if state.chosen in values else None
        self.box.setCurrentIndex(values.index(held) if held in values else -1)
        self.box.setPlaceholderText(tr("choose") if state.choices.entries else tr("no values"))
        self.box.setEnabled(bool(state.choices.entries))

    def mark(self, is_faulty: bool) -> None:
        """Mark the box."""
        mark_invalid(self.box, is_faulty)


class TogglesControl(Control):
    """A row of buttons: one of them is on, or, for a list, any number."""

    def __init__(self) -> None:
        super().__init__()
        self.row = bare_row(self)
        self.group = QButtonGroup(self)
        self.group.setExclusive(False)
        self._state: ControlState | None = None

    def show_state(self, state: ControlState) -> None:
        """Show the buttons, and which are on."""
        if self._state is None or self._state.choices.entries != state.choices.entries:
            self._make(state)
        self._state = state
        chosen = state.chosen if isinstance(state.chosen, tuple) else (state.chosen,)
        for button, entry in zip(self.group.buttons(), self._entries(state), strict=True):
            button.setChecked(entry[0] in chosen and (state.chosen is not None or entry[0] is None))

    @staticmethod
    def _entries(state: ControlState) -> list[tuple[object, str]]:
        if state.parameter.kind == "boolean" and not state.choices.entries:
            entries: list[tuple[object, str]] = [(True, YES), (False, NO)]
        else:
            entries = [(entry.value, entry.label) for entry in state.choices.entries]
        is_optional = not state.parameter.required and state.parameter.holds == "one"
        return [(None, tr("none")), *entries] if is_optional else entries

    def _make(self, state: ControlState) -> None:
        for old in self.group.buttons():
            self.group.removeButton(old)
            hide_and_delete(old)
        for value, label in self._entries(state):
            button = QToolButton()
            button.setObjectName("choice")
            button.setText(label)
            button.setCheckable(True)
            button.setAccessibleName(f"{state.parameter.shown_name}: {label}")
            button.clicked.connect(lambda on, value=value: self._clicked(value, on))
            self.group.addButton(button)
            self.row.addWidget(button)
        if self.group.buttons():
            pass_focus(self, self.group.buttons()[0])

    def _clicked(self, value: object, on: bool) -> None:
        state = self._state
        assert state is not None
        if state.parameter.holds != "list":
            self.show_state(state)  # what is on stays on until another is settled
            self.changed.emit(value)
            return
        chosen = state.chosen if isinstance(state.chosen, tuple) else ()
        wanted = {*chosen, value} if on else {*chosen} - {value}
        self.changed.emit(tuple(entry.value for entry in state.choices.entries if entry.value in wanted))
