"""The bar over the pages: a control for each parameter, the switch that holds changes back, and the sets of values."""

from functools import partial

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QInputDialog, QMenu, QToolButton, QWidget

from northmoor.app.document_controller import DocumentController
from northmoor.app.help.help_actions import GUIDE_PROPERTY
from northmoor.app.language.translation import tr
from northmoor.app.parameters.bar_item import ParameterBarItem
from northmoor.app.parameters.inline_controls import bare_row
from northmoor.app.widgets.flow_layout import FlowLayout
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.menus import give_letters, key_tip
from northmoor.app.widgets.theme import HEATHER, PEAT
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.core.model import edits
from northmoor.core.values.given import assigned_values
from northmoor.core.values.parameter_values import NumberRange
from northmoor.core.values.relative_periods import Span


class ParameterBar(QWidget):
    """Controls for the report's parameters. A change shows on the pages at once, or is held back with others."""

    edit_wanted = pyqtSignal(str)
    menu_wanted = pyqtSignal(str, QPoint)

    def __init__(self, controller: DocumentController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setProperty(GUIDE_PROPERTY, "parameters#The bar")
        self._controller = controller
        self._shown: object = None
        self.units: dict[str, ParameterBarItem] = {}
        self._flow = FlowLayout(self, gap=14, leading=5)
        self.hold = self._button(
            "toggle-left", tr("Apply together"), tr("Apply changes together, when this is switched off"), "hold"
        )
        self.hold.setCheckable(True)
        self.hold.toggled.connect(self._controller.hold)
        self.define = self._button("sliders-horizontal", "", tr("Define parameters"), "parameters")
        self.define.setAccessibleName(tr("Define parameters"))
        self.define.clicked.connect(lambda: self.edit_wanted.emit(""))
        self.sets = self._button("bookmark", "", tr("Presets: apply, save, remove"), "value_sets")
        self.sets.setAccessibleName(tr("Presets"))
        self.sets.clicked.connect(self.open_sets)
        self._tools = QWidget(self)
        row = bare_row(self._tools, 2)
        for button in (self.hold, self.sets, self.define):
            row.addWidget(button)
        controller.opened.connect(self._opened)
        controller.changed.connect(self._rebuild)
        controller.resolved_changed.connect(self._show_resolved)
        controller.held_changed.connect(self._show_held)
        self._rebuild()

    def _button(self, drawing: str, text: str, tip: str, command: str) -> QToolButton:
        button = QToolButton(self)
        button.setObjectName("bar-button")
        button.setIcon(icon(drawing))
        button.setText(text)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        key_tip(button, tip, command)
        return button

    def focus(self) -> None:
        """Go to the first parameter."""
        for unit in list(self.units.values())[:1]:
            unit.control.target.setFocus()

    def _opened(self) -> None:
        self._shown = None
        self.hold.setChecked(False)
        self._rebuild()

    def _rebuild(self) -> None:
        parameters = self._controller.report.parameters if self._controller.report else ()
        shown = (parameters, self._controller.path)
        if shown == self._shown:
            return
        self._shown = shown
        while self._flow.count():
            self._flow.takeAt(0)
        for unit in self.units.values():
            hide_and_delete(unit)
        self.units = {}
        for parameter in parameters:
            unit = ParameterBarItem(parameter)
            unit.setParent(self)
            unit.chosen.connect(self._controller.set_value)
            unit.menu_wanted.connect(self.menu_wanted)
            unit.show()
            self._flow.addWidget(unit)
            self.units[parameter.name] = unit
        for button in (self.hold, self.sets):
            button.setVisible(bool(parameters))
        self._tools.setVisible(self._controller.report is not None)
        self._flow.addWidget(self._tools)
        self._show_resolved()

    def _show_resolved(self) -> None:
        resolved = self._controller.resolved
        for unit in self.units.values():
            unit.show_resolved(resolved, self._controller.requested_values)
        self._flow.invalidate()
        self.updateGeometry()

    def _show_held(self) -> None:
        count = len(self._controller.held)
        self.hold.setChecked(self._controller.is_holding)
        self.hold.setIcon(icon("toggle-left", HEATHER if self._controller.is_holding else PEAT))
        self.hold.setText(tr("Apply together · {count}").format(count=count) if count else tr("Apply together"))
        self._show_resolved()

    # sets of values

    def open_sets(self) -> None:
        """Offer the report's sets of values, and to keep the current values."""
        report = self._controller.report
        if report is None or not report.parameters:
            return
        menu = QMenu(self)
        for found in report.value_sets:
            self._add(menu, found.name, partial(self._controller.set_values, assigned_values(found)))
        if report.value_sets:
            menu.addSeparator()
        self._add(menu, tr("Defaults"), partial(self._controller.set_values, {}))
        self._add(menu, tr("Save as preset…"), self.ask_keep)
        gone = menu.addMenu(tr("Remove")) if report.value_sets else None
        for found in report.value_sets if gone is not None else ():
            assert gone is not None
            label = tr("Remove the preset {name}").format(name=found.name)
            edit = partial(edits.remove_value_set, name=found.name)
            self._add(
                gone, found.name, lambda label=label, edit=edit: self._controller.edit(label, lambda r, _: edit(r))
            )
        for each in (menu, gone):
            if each is not None:
                give_letters(each)
        menu.popup(self.sets.mapToGlobal(QPoint(0, self.sets.height() + 2)))

    def _add(self, menu: QMenu, text: str, run: object) -> None:
        action = menu.addAction(text.replace("&", "&&"))
        assert action is not None
        action.triggered.connect(lambda _=False: run())  # type: ignore[operator]  # it is callable

    def go_to(self, name: str) -> None:
        """Put the keyboard into the control of a parameter, if it is still there."""
        if name in self.units:
            self.units[name].control.target.setFocus()

    def ask_keep(self) -> None:
        """Ask for a name, and keep the current values under it in the report."""
        name, is_given = QInputDialog.getText(self, tr("Save as preset"), tr("Name of the preset:"))
        if is_given and name.strip():
            self.keep(name.strip())

    def keep(self, name: str) -> None:
        """Keep the current values under a name; those that are defaults stay so."""
        values = {n: _kept(v) for n, v in self._controller.requested_values.items() if n in self.units}
        self._controller.edit(
            tr("Keep the values {name}").format(name=name), lambda report, _: edits.keep_value_set(report, name, values)
        )


def _kept(value: object) -> object:
    """A value as a file holds it."""
    if isinstance(value, Span):
        return f"{value.start.isoformat()}/{value.end.isoformat()}"
    if isinstance(value, NumberRange):
        return f"{value.least}/{value.greatest}"
    if isinstance(value, list | tuple):
        return tuple(_kept(entry) for entry in value)
    return value if value is None or isinstance(value, str | int | float | bool) else str(value)
