"""Which rows a new report has: all, those that compare with a value, or those that its readers choose."""

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QCheckBox, QComboBox, QGridLayout, QWidget

from northmoor.app.language.translation import tr
from northmoor.core.authoring.starters.starter_layouts import Field
from northmoor.core.authoring.starters.starter_query import OPERATOR_WORDS, StarterFilter, operators_of
from northmoor.core.model.kinds.value_types import ValueType


class FilterRow(QWidget):
    """`changed` when other rows are wanted; `column_chosen` when a column's values can be offered."""

    changed = pyqtSignal()
    column_chosen = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self._types: Mapping[str, ValueType] = {}
        self.column, self.operator, self.value = QComboBox(), QComboBox(), QComboBox()
        self.asked = QCheckBox(tr("Readers choose the value from a list"))
        for widget, name, tip in (
            (self.column, tr("Rows"), tr("The field by which rows are kept")),
            (self.operator, tr("Condition"), tr("How its values compare")),
            (self.value, tr("Value"), tr("The value, chosen or typed")),
            (self.asked, "", tr("A parameter of the report, with the field's values as its list, or all")),
        ):
            widget.setToolTip(tip)
            if name:
                widget.setAccessibleName(name)
        self.value.setEditable(True)
        self.value.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        for combo in (self.column, self.value):
            combo.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            combo.setMinimumContentsLength(6)
        grid = QGridLayout(self)
        grid.setContentsMargins(0, 0, 0, 0)
        grid.setSpacing(6)
        grid.addWidget(self.column, 0, 0, 1, 2)
        grid.addWidget(self.operator, 1, 0)
        grid.addWidget(self.value, 1, 1)
        grid.addWidget(self.asked, 2, 0, 1, 2)
        grid.setColumnStretch(1, 1)
        self.show_fields((), {})
        self.column.activated.connect(lambda _: self._choose_column())
        self.operator.activated.connect(lambda _: self._update())
        self.value.activated.connect(lambda _: self.changed.emit())
        line = self.value.lineEdit()
        assert line is not None
        line.editingFinished.connect(self._typed)
        self.asked.toggled.connect(lambda _: self._update())
        self._last = ""

    def show_fields(self, fields: Sequence[Field], types: Mapping[str, ValueType]) -> None:
        """Offer the fields of other rows; all rows are kept at first."""
        self._types = types
        self.column.clear()
        self.column.addItem(tr("All rows"), "")
        for field in fields:
            self.column.addItem(tr("Only rows by {label}").format(label=field.label), field.name)
        self._show_parts()

    def offer_values(self, column: str, values: Sequence[str]) -> None:
        """Offer the values of a column that are known."""
        if column == self.column.currentData():
            text = self.value.currentText()
            self.value.clear()
            self.value.addItems(values)
            self.value.setCurrentText(text)

    @property
    def wanted(self) -> StarterFilter | None:
        """The condition; None for all rows, and while no value is given."""
        name = self.column.currentData()
        if not name:
            return None
        operator, value, is_asked = self.operator.currentData(), self.value.currentText(), self.asked.isChecked()
        if not (is_asked or value or operator.endswith("null")):
            return None
        return StarterFilter(name, self._types[name].kind, operator, value, is_asked)

    def _choose_column(self) -> None:
        name = self.column.currentData()
        self.operator.clear()
        for operator in operators_of(self._types[name].kind) if name else ():
            self.operator.addItem(tr(OPERATOR_WORDS[operator]), operator)
        self.value.clear()
        self.value.setCurrentText("")
        self._last = ""
        if name:
            self.column_chosen.emit(name)
        self._update()

    def _typed(self) -> None:
        if self.value.currentText() != self._last:
            self._last = self.value.currentText()
            self.changed.emit()

    def _update(self) -> None:
        self._show_parts()
        self.changed.emit()

    def _show_parts(self) -> None:
        """Only what the condition needs is there."""
        is_given = bool(self.column.currentData())
        is_compared = is_given and not self.asked.isChecked()
        self.operator.setVisible(is_compared)
        self.value.setVisible(is_compared and not str(self.operator.currentData()).endswith("null"))
        self.asked.setVisible(is_given)
