"""Editors of single values: a line, a text, a length, a choice, a switch, a number.

Each calls `commit` with every new value, and shows another value with `show_value`. What someone is typing stays while
the value that holds is still the one that was shown.
"""

from collections.abc import Callable, Mapping
from typing import Any, Protocol

from PyQt6.QtCore import QEvent, QObject, QSignalBlocker, Qt
from PyQt6.QtGui import QKeyEvent, QWheelEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QLineEdit,
    QPlainTextEdit,
    QSpinBox,
)

from northmoor.app.language.length_unit import shown_unit, type_length_text
from northmoor.app.language.translation import tr, with_point
from northmoor.app.widgets.widget_tools import mark_invalid
from northmoor.core.model.lengths import parse_length

Commit = Callable[[Any], object]


class ValueEditor(Protocol):
    """What every editor can do once it is there."""

    def show_value(self, value: Any) -> None:
        """Show the value that holds now; nothing is committed by it."""


def _as_text(value: Any) -> str:
    return "" if value is None else str(value)


class LineEditor(QLineEdit):
    """A line of text; Enter or leaving it commits, Esc takes the typing back. `shown` writes a value as its text."""

    def __init__(self, value: Any, commit: Commit, shown: Callable[[Any], str] = _as_text) -> None:
        super().__init__(shown(value))
        self._before = self.text()
        self._commit = commit
        self._shown = shown
        self.setCursorPosition(0)
        self.editingFinished.connect(self._finish)

    def show_unset(self, text: str) -> None:
        """Say what holds while the line is empty."""
        self.setPlaceholderText(text)

    def show_value(self, value: Any) -> None:
        """Show another value."""
        if (text := self._shown(value)) != self._before:
            self._before = text
            self.setText(text)
            self.setCursorPosition(0)

    def _finish(self) -> None:
        if self.text() != self._before:
            self._before = self.text()
            self._commit(self.text())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Esc takes the typing back."""
        if event is not None and event.key() == Qt.Key.Key_Escape and self.text() != self._before:
            self.setText(self._before)
        else:
            super().keyPressEvent(event)


class TextEditor(QPlainTextEdit):
    """Several lines of text; Ctrl+Enter or leaving it commits."""

    def __init__(self, text: str | None, commit: Commit) -> None:
        super().__init__(text or "")
        self._before = text or ""
        self._commit = commit
        self.setTabChangesFocus(True)
        self.setFixedHeight(64)
        self.installEventFilter(self)

    def show_value(self, value: str | None) -> None:
        """Show another text."""
        if (value or "") != self._before:
            self._before = value or ""
            self.setPlainText(self._before)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Commit on leaving and on Ctrl+Enter."""
        if event is not None and event.type() == QEvent.Type.FocusOut:
            self._finish()
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            if enter and not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self._finish()
                return True
        return super().eventFilter(watched, event)

    def _finish(self) -> None:
        text = self.toPlainText()
        if text != self._before and not self.signalsBlocked():
            self._before = text
            self._commit(text)


class LengthEditor(QLineEdit):
    """A length. The unit of the window where the page is meant, points where type is; any unit may be typed."""

    def __init__(self, value: int | None, commit: Commit, optional: bool, points: bool) -> None:
        super().__init__()
        self.setPlaceholderText(tr("by content") if optional and not points else tr("as styled") if optional else "")
        self._points, self._optional, self._commit = points, optional, commit
        self._before = ""
        self._set(self._shown(value))
        self.editingFinished.connect(self.finish)

    def show_unset(self, text: str) -> None:
        """Say what holds while there is no length."""
        self.setPlaceholderText(text)

    def step_by(self, steps: int) -> None:
        """Change the length by steps of the unit, or half a point; `finish` commits it."""
        text = self.text().strip()
        try:
            now = parse_length(self._with_unit(text)) if text else 0
        except ValueError:
            return
        changed = (round(now / 500) + steps) * 500 if self._points else shown_unit().stepped(now, steps)
        self.setText(self._shown(max(changed, 0)))

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Up and Down change the length by a step, with Shift by ten."""
        ways = {Qt.Key.Key_Up: 1, Qt.Key.Key_Down: -1}
        way = ways.get(Qt.Key(event.key())) if event is not None else None
        if event is None or way is None:
            super().keyPressEvent(event)
        else:
            self.step_by(way * (10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1))

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Change the length by a step while it is being edited; else the wheel is the panel's."""
        if event is None or not self.hasFocus() or not event.angleDelta().y():
            super().wheelEvent(event)
            return
        self.step_by(1 if event.angleDelta().y() > 0 else -1)
        event.accept()

    def show_value(self, value: int | None) -> None:
        """Show another length."""
        if (text := self._shown(value)) != self._before:
            self._mark(False)
            self._set(text)

    def _set(self, text: str) -> None:
        self._before = text
        self.setText(text)

    def _shown(self, value: int | None) -> str:
        if value is None:
            return ""
        return type_length_text(value) if self._points else shown_unit().text(value)

    def _with_unit(self, text: str) -> str:
        text = with_point(text)
        return f"{text}{'pt' if self._points else shown_unit().name}" if text[-1:].isdigit() else text

    def finish(self) -> None:
        """Commit what was typed."""
        text = self.text().strip()
        if text == self._before:
            return
        if not text and self._optional:
            self._before = text
            self._commit(None)
            return
        try:
            value = parse_length(self._with_unit(text))
        except ValueError:
            self._mark(True)
            return
        self._mark(False)
        self._set(self._shown(value))
        self._commit(value)

    def _mark(self, invalid: bool) -> None:
        mark_invalid(self, invalid)
        if invalid:
            self.setToolTip(tr("That is no length. Write for example 32mm, 9pt or 1.5in."))


class ChoiceEditor(QComboBox):
    """A drop-down of options with their names, which scrolling past does not change; `unset` names having none."""

    def __init__(self, names: Mapping[Any, str], value: Any, commit: Commit, unset: str | None) -> None:
        super().__init__()
        self.setMinimumContentsLength(6)
        self.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        if unset is not None:
            self.addItem(unset, None)
        for option, name in names.items():
            self.addItem(name, option)
        self.show_samples: Callable[[], object] = lambda: None
        """Shows the choices as what they are, before they are listed."""
        self.show_value(value)
        self.activated.connect(lambda at: commit(self.itemData(at)))

    def show_value(self, value: Any) -> None:
        """Show another choice."""
        self.setCurrentIndex(max(self.findData(value), 0))

    def show_unset(self, text: str) -> None:
        """Say what holds while nothing is chosen."""
        if self.itemData(0) is None:
            self.setItemText(0, text)

    def showPopup(self) -> None:
        """List the choices."""
        self.show_samples()
        super().showPopup()

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Leave the wheel to the panel."""
        if event is not None:
            event.ignore()


class SwitchEditor(QCheckBox):
    """A switch."""

    def __init__(self, value: bool, commit: Commit, text: str = "") -> None:
        super().__init__(text)
        self.setChecked(value)
        self.toggled.connect(commit)

    def show_value(self, value: bool) -> None:
        """Show on or off."""
        with QSignalBlocker(self):
            self.setChecked(value)


class NumberEditor(QSpinBox):
    """A whole number within limits; `per` is how many of it make the value one."""

    def __init__(self, value: float, commit: Commit, limits: tuple[int, int], per: int = 1) -> None:
        super().__init__()
        self._per = per
        self.setRange(*limits)
        if per == 100:
            self.setSuffix(" %")
        self._before = round(value * per)
        self.setValue(self._before)
        self._commit = commit
        self.editingFinished.connect(self._finish)

    def show_value(self, value: float) -> None:
        """Show another number."""
        if (shown := round(value * self._per)) != self._before:
            self._before = shown
            self.setValue(shown)

    def _finish(self) -> None:
        if self.value() != self._before:
            self._before = self.value()
            self._commit(self.value() if self._per == 1 else self.value() / self._per)
