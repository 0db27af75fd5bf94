"""What every control of the parameter bar has in common: what it shows, and how it tells a choice."""

from typing import Any

from msgspec import Struct, field
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QToolButton, QVBoxLayout, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.widget_tools import mark_invalid, pass_focus
from northmoor.core.compute.parameters.choices import Choices
from northmoor.core.model.parameters import Parameter
from northmoor.core.values.parameter_values import Held

YES, NO = tr("yes"), tr("no")
"""How a choice of two is written and typed."""


class ControlState(Struct, frozen=True):
    """What a control shows: the value as it was given (None for none), what is held of it, and what can be chosen.

    `label` is what was chosen as it is printed.
    """

    parameter: Parameter
    given: Any = None
    chosen: Held = None
    choices: Choices = field(default_factory=lambda: Choices(()))
    label: str = ""

    @property
    def value(self) -> Any:
        """The current value: the one held, or what was given where that is no value yet."""
        return self.chosen if self.chosen is not None else self.given


def value_text(value: Any) -> str:
    """A single value as it is typed."""
    if value is None:
        return ""
    if isinstance(value, bool):
        return YES if value else NO
    return value.isoformat(" ", "minutes") if hasattr(value, "hour") else str(value)


class Control(QWidget):
    """A control of one parameter. `changed` tells the value that was chosen: a text, typed values, or None for none."""

    changed = pyqtSignal(object)

    def show_state(self, state: ControlState) -> None:
        """Show a state."""
        raise NotImplementedError

    @property
    def target(self) -> QWidget:
        """What takes the keyboard."""
        proxy = self.focusProxy()
        return self if proxy is None else proxy  # an empty drop-down counts as false

    def mark(self, is_faulty: bool) -> None:
        """Mark what is filled in as no value, or take the mark away."""


class Popup(QFrame):
    """A panel that opens below a control; a click outside or Esc closes it."""

    closed = pyqtSignal()

    def __init__(self, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("popup")
        self.column = QVBoxLayout(self)
        self.column.setContentsMargins(8, 8, 8, 8)
        self.column.setSpacing(6)

    def open_below(self, widget: QWidget) -> None:
        """Show the panel below a widget, within the screen."""
        self.adjustSize()
        at = widget.mapToGlobal(QPoint(0, widget.height() + 2))
        screen = widget.screen()
        if screen is not None:
            room = screen.availableGeometry()
            at.setX(max(room.left(), min(at.x(), room.right() - self.width())))
            at.setY(max(room.top(), min(at.y(), room.bottom() - self.height())))
        self.move(at)
        self.show()

    def hideEvent(self, event: Any) -> None:
        """Tell that it was closed."""
        super().hideEvent(event)
        self.closed.emit()


class PopupControl(Control):
    """A button that tells the value and opens a panel to choose another."""

    def __init__(self, drawing: str) -> None:
        super().__init__()
        self.button = QToolButton()
        self.button.setObjectName("opener")
        self.button.setIcon(icon(drawing))
        self.button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.button.setLayoutDirection(Qt.LayoutDirection.RightToLeft)  # its mark is behind its text
        self.button.clicked.connect(self.open)
        pass_focus(self, self.button)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.button)
        self.popup = Popup(self)

    def open(self) -> None:
        """Open the panel."""
        raise NotImplementedError

    def mark(self, is_faulty: bool) -> None:
        """Mark the button."""
        mark_invalid(self.button, is_faulty)
