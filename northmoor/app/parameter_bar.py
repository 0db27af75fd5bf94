"""The bar over the pages: a control for each parameter. Changing one updates the pages."""

from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QCheckBox, QComboBox, QHBoxLayout, QLabel, QLineEdit, QWidget

from northmoor.app.desk import Desk
from northmoor.app.widgets import discard, restyle
from northmoor.core.errors import ParameterError
from northmoor.core.model.parameters import Parameter
from northmoor.core.values.values import read_value


class ParameterBar(QWidget):
    """Controls for the report's parameters; what is no value of its kind is marked, and the last good pages stay."""

    def __init__(self, desk: Desk, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self._shown: object = None
        self._layout = QHBoxLayout(self)
        self._layout.setContentsMargins(0, 0, 0, 0)
        self._layout.setSpacing(8)
        self._fault = QLabel()
        self._fault.setObjectName("fault")
        desk.opened.connect(self._rebuild)
        desk.changed.connect(self._rebuild)

    def _rebuild(self) -> None:
        parameters = self._desk.report.parameters if self._desk.report else ()
        if (parameters, self._desk.path) == self._shown:
            return
        self._shown = (parameters, self._desk.path)
        while self._layout.count():
            item = self._layout.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None and widget is not self._fault:
                discard(widget)
        for parameter in parameters:
            name = QLabel(parameter.label or parameter.name)
            name.setObjectName("quiet")
            name.setTextFormat(Qt.TextFormat.PlainText)
            control = self._control(parameter)
            control.setAccessibleName(parameter.label or parameter.name)
            control.setToolTip(f"{parameter.hint or (parameter.label or parameter.name)} (:{parameter.name})")
            control.setObjectName(f"parameter-{parameter.name}")
            name.setBuddy(control)
            self._layout.addWidget(name)
            self._layout.addWidget(control)
        self._fault.setText("")
        self._layout.addWidget(self._fault)
        self._layout.addStretch(1)

    def _control(self, parameter: Parameter) -> QWidget:
        value = self._desk.values.get(parameter.name, parameter.default)
        if parameter.choices:
            return self._list(parameter, value)
        if parameter.kind == "boolean":
            box = QCheckBox()
            box.setChecked(bool(value))
            box.toggled.connect(lambda on: self._desk.set_value(parameter.name, on))
            return box
        line = QLineEdit("" if value is None else str(value))
        line.setPlaceholderText("needs a value" if value is None else "")
        line.setMaximumWidth(130)
        line.editingFinished.connect(lambda: self._typed(parameter, line))
        return line

    def _list(self, parameter: Parameter, value: Any) -> QComboBox:
        box = QComboBox()
        for choice in parameter.choices:
            box.addItem(choice.label, choice.value)
        box.setCurrentIndex(box.findData(value))
        box.setPlaceholderText("choose")
        box.activated.connect(lambda at: self._desk.set_value(parameter.name, box.itemData(at)))
        return box

    def _typed(self, parameter: Parameter, line: QLineEdit) -> None:
        try:
            value = read_value(parameter, line.text(), lambda: None)
        except ParameterError as error:
            self._mark(line, True)
            self._fault.setText(error.message)
            return
        self._mark(line, False)
        self._fault.setText("")
        self._desk.set_value(parameter.name, value)

    def _mark(self, line: QLineEdit, invalid: bool) -> None:
        line.setProperty("invalid", invalid)
        restyle(line)
