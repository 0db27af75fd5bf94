"""One parameter in the bar: its name, its control, and beside it what is wrong or was changed."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QToolButton, QWidget

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.parameters.control_base import Control, ControlState
from northmoor.app.parameters.date_controls import CalendarControl, PeriodControl
from northmoor.app.parameters.inline_controls import (
    DropDownControl,
    EndsControl,
    FieldControl,
    StepperControl,
    SwitchControl,
    TogglesControl,
)
from northmoor.app.parameters.list_controls import LinesControl, TicksControl
from northmoor.app.widgets.widget_tools import hide_and_delete, set_style_name
from northmoor.core.compute.parameters.choices import Choices
from northmoor.core.compute.parameters.resolution import ResolvedValues
from northmoor.core.model.kinds.value_kinds import ControlName
from northmoor.core.model.parameters import Parameter

CONTROLS: dict[ControlName, Callable[[Parameter], Control]] = {
    "field": lambda p: FieldControl(p.kind),
    "stepper": lambda p: StepperControl(p.kind),
    "calendar": lambda p: CalendarControl(p.kind),
    "switch": lambda _: SwitchControl(),
    "drop_down": lambda _: DropDownControl(),
    "toggles": lambda _: TogglesControl(),
    "ticks": lambda _: TicksControl(),
    "lines": lambda _: LinesControl(),
    "period": PeriodControl,
    "ends": lambda p: EndsControl(p.kind),
}
_WIDEST_NOTE = 300
_LONGEST_DROP = 300


class ParameterBarItem(QWidget):
    """A parameter's name (which asks for its menu), its control, and a note."""

    chosen = pyqtSignal(str, object)
    menu_wanted = pyqtSignal(str, QPoint)

    def __init__(self, parameter: Parameter) -> None:
        super().__init__()
        self.parameter = parameter
        name = parameter.shown_name
        self.setObjectName(f"unit-{parameter.name}")
        self.name = QToolButton()
        self.name.setObjectName("parameter-name")
        self.name.setText(name.replace("&", "&&"))
        self.name.setAccessibleName(tr("{name}: more").format(name=name))
        self.name.setToolTip(f"{parameter.hint or name} (:{parameter.name})")
        self.name.clicked.connect(self._open_menu)
        self.note = QLabel()
        self.note.setTextFormat(Qt.TextFormat.PlainText)
        self.note.hide()
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(0, 0, 0, 0)
        self.row.setSpacing(3)
        self.row.addWidget(self.name)
        self.row.addWidget(self.note)
        self.control = self._placed(CONTROLS[parameter.control or parameter.controls[0]](parameter))

    def _placed(self, control: Control) -> Control:
        """A control put between the name and the note."""
        parameter, focus = self.parameter, control.target
        for widget in {control, focus}:
            widget.setAccessibleName(parameter.shown_name)
        if focus.objectName() != "opener":
            focus.setObjectName(f"parameter-{parameter.name}")
        focus.setToolTip(self.name.toolTip())
        control.changed.connect(lambda value: self.chosen.emit(parameter.name, value))
        self.row.insertWidget(1, control)
        return control

    def _fit(self, offers: Choices) -> None:
        """A list too long to drop down is searched instead."""
        if len(offers.entries) > _LONGEST_DROP and isinstance(self.control, DropDownControl | TogglesControl):
            old, self.control = self.control, self._placed(TicksControl())
            self.row.removeWidget(old)
            hide_and_delete(old)

    def show_resolved(self, resolved: ResolvedValues | None, asked: dict[str, object]) -> None:
        """Show what became of the value, and what is wrong with it."""
        name = self.parameter.name
        given = asked.get(name)
        if resolved is None:
            self.control.show_state(ControlState(self.parameter, given))
            return
        label = resolved.values.labels.get(name, "")
        offers = resolved.choices.get(name)
        held = resolved.chosen.get(name)
        if offers is not None:
            self._fit(offers)
        state = ControlState(self.parameter, given, held, label=label)
        self.control.show_state(state if offers is None else ControlState(self.parameter, given, held, offers, label))
        self._show_note(resolved, name)

    def _show_note(self, resolved: ResolvedValues, name: str) -> None:
        fault, dropped = resolved.faults.get(name), resolved.dropped.get(name, ())
        message, kind = "", "quiet"
        if fault is not None:
            message, kind = core_text(fault.message), "fault"
        elif dropped:
            message = tr("{names}{more} dropped: not in the list any more").format(
                names=", ".join(dropped[:3]), more=" …" if len(dropped) > 3 else ""
            )
            kind = "warning"
        elif name in resolved.choices and not resolved.choices[name].entries:
            message, kind = core_text(resolved.choices[name].why_empty), "warning"
        elif name in resolved.from_samples:
            message = "sample"
        self.control.mark(fault is not None)
        set_style_name(self.note, kind)
        self.note.setText(self.note.fontMetrics().elidedText(message, Qt.TextElideMode.ElideRight, _WIDEST_NOTE))
        self.note.setToolTip(
            message if kind != "quiet" else tr("A sample value; the real one is given when the report is run.")
        )
        self.note.setVisible(bool(message))

    def contextMenuEvent(self, event: QContextMenuEvent | None) -> None:
        """The menu of the parameter, where its control has none of its own."""
        if event is not None:
            self.menu_wanted.emit(self.parameter.name, event.globalPos())

    def _open_menu(self) -> None:
        self.menu_wanted.emit(self.parameter.name, self.name.mapToGlobal(self.name.rect().bottomLeft()))
