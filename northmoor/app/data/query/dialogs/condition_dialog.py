"""Asks for a condition: a column or expression, how it compares and with what; or any condition as SQL."""

from collections.abc import Callable
from datetime import datetime
from zoneinfo import ZoneInfo

from msgspec import Struct, field
from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.data.query.dialogs.operand_editor import OperandChoices, OperandEditor, OperandListEditor
from northmoor.app.data.query.dialogs.step_dialog import StepDialog
from northmoor.app.data.query.sentence_context import AskRows
from northmoor.app.data.query.sentence_text import operator_words
from northmoor.app.language.period_text import shown_period, typed_period
from northmoor.app.language.translation import number_text, tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.widget_tools import items_in_list
from northmoor.core.authoring.queries.query_filters import period_condition, period_parameter
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import NorthmoorError, QueryError
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.parameters import Parameter
from northmoor.core.sources.builder.operands import Operand, OperandKind, kind_of_column
from northmoor.core.sources.builder.select_model import OPERATORS, Comparison, Condition
from northmoor.core.values.relative_periods import COMMON, COMMON_MOMENTS, Clock, period

_NONE_NEEDED, _TWO_NEEDED, _LISTS = ("is null", "is not null"), ("between", "not between"), ("in", "not in")
_TEXT_ONLY = ("like", "not like")
_PERIOD = "period"
"""Not an operator of SQL: that a day or moment lies within a period in words, which a parameter holds."""
_CLOCK = Clock(datetime(2025, 1, 1), ZoneInfo("UTC"))
"""Any moment: whether words are a period does not depend on it."""


class ConditionScope(Struct, frozen=True):
    """What a condition can refer to: columns with the kinds of values in them, parameters, how to ask for values."""

    dialect: str
    columns: dict[str, OperandKind] = field(default_factory=dict)
    parameters: tuple[str, ...] = ()
    ask: AskRows | None = None
    values_sql: Callable[[str], str] | None = None
    """The SQL for the values of an expression."""


class AskedCondition(Struct, frozen=True):
    """A condition, and the parameter that the report gets for it, if any."""

    condition: Condition
    parameter: Parameter | None = None


class ConditionDialog(StepDialog):
    """Asks for a condition. What is not changed in it stays as it is written."""

    def __init__(
        self,
        scope: ConditionScope,
        comparison: Comparison | None,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(tr("Condition"), parent)
        self.setMinimumWidth(560)
        self._scope, self._given = scope, comparison
        choices = OperandChoices(scope.dialect, tuple(scope.columns), scope.parameters)
        self.left = QComboBox()
        self.left.setEditable(True)
        self.left.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.left.addItems(list(scope.columns))
        self.left.setCurrentText("")
        self.left.setAccessibleName(tr("Column or expression"))
        self.operator = QComboBox()
        self.operator.setAccessibleName(tr("How it compares"))
        self.first, self.second = OperandEditor(choices, tr("Value"), self), OperandEditor(choices, tr("And"), self)
        self.list = OperandListEditor(choices, self)
        self.whole = QPlainTextEdit()
        self.whole.setAccessibleName(tr("Condition as SQL"))
        self.whole.setTabChangesFocus(True)
        self.whole.setFixedHeight(96)
        self.period = QComboBox()
        self.period.setEditable(True)
        self.period.setAccessibleName(tr("Period in words"))
        self.period.setToolTip(
            tr("Such as last full month; the report gets a parameter with it, so another can be chosen")
        )
        self.values = QPushButton(icon("list"), tr("Values in the data…"))
        self.values.setAutoDefault(False)
        self.values.setVisible(scope.ask is not None)
        self._place()
        self._wanted: OperandKind = "text"
        self._fill_operators("")
        self._fill(comparison)
        self.left.editTextChanged.connect(lambda _: self._follow_column())
        self.operator.currentIndexChanged.connect(lambda _: self._fit())
        self.values.clicked.connect(self._ask_values)
        self._asking: CancelToken | None = None
        self.finished.connect(lambda _: self._stop_asking())

    def _place(self) -> None:
        self.form = QFormLayout()
        self.form.addRow(tr("&Where"), self.left)
        self.form.addRow("", self.operator)
        self.form.addRow(tr("&Value"), self.first)
        self.form.addRow(tr("&And"), self.second)
        self.form.addRow(tr("&Period"), self.period)
        self.form.addRow(tr("&Values"), self.list)
        self.form.addRow(tr("&Condition"), self.whole)
        more = QHBoxLayout()
        more.addWidget(self.values)
        more.addStretch(1)
        layout = QVBoxLayout(self)
        layout.addLayout(self.form)
        layout.addLayout(more)
        layout.addWidget(self.fault)
        layout.addWidget(self.buttons)

    # filling in

    def _fill(self, given: Comparison | None) -> None:
        if given is None:
            self.left.setCurrentIndex(-1)
            self._follow_column()
            return
        self.left.setCurrentText(given.left)
        self._wanted = kind_of_column(self._scope.columns, given.left) or "text"
        self._fill_operators(given.operator)
        if not given.operator:
            self.whole.setPlainText(given.left)
        elif given.operator in _LISTS:
            self.list.show_sql(given.right, self._wanted)
        for editor, sql in zip((self.first, self.second), (*given.right, "", ""), strict=False):
            editor.show_sql(sql if given.operator not in _LISTS else "", self._wanted)
        self._fit()

    def _fill_operators(self, chosen: str) -> None:
        self.operator.blockSignals(True)
        self.operator.clear()
        for operator in OPERATORS:
            if operator not in _TEXT_ONLY or self._wanted in ("text", "sql") or operator == chosen:
                self.operator.addItem(operator_words(operator, self._wanted), operator)
        if self._wanted in ("date", "timestamp"):
            self.operator.addItem(tr("is in the period, in words"), _PERIOD)
            self.period.clear()
            offered = COMMON if self._wanted == "date" else COMMON_MOMENTS
            self.period.addItems([shown_period(words) for words in offered])
            self.period.setCurrentText(shown_period("last full month"))
        self.operator.addItem(tr("any condition, as SQL"), "")
        self.operator.setCurrentIndex(max(self.operator.findData(chosen), 0) if chosen or self._given else 0)
        self.operator.blockSignals(False)

    def _follow_column(self) -> None:
        """A value is of the kind that the column has; one that is filled in stays what it is."""
        wanted = kind_of_column(self._scope.columns, self.left.currentText().strip())
        if wanted is None or wanted == self._wanted:
            return
        self._wanted = wanted
        self._fill_operators(self.operator.currentData())
        for editor in (self.first, self.second):
            if not editor.operand().value:
                editor.show_operand(Operand(wanted, ""))
        if not self.list.lines.toPlainText():
            self.list.show_values(wanted, ())
        self._fit()

    def _fit(self) -> None:
        operator = self.operator.currentData()
        shown = {
            self.left: bool(operator),
            self.first: operator not in ("", _PERIOD, *_NONE_NEEDED, *_LISTS),
            self.second: operator in _TWO_NEEDED,
            self.period: operator == _PERIOD,
            self.list: operator in _LISTS,
            self.whole: operator == "",
        }
        for widget, is_shown in shown.items():
            self.form.setRowVisible(widget, is_shown)
        self.values.setEnabled(operator not in ("", _PERIOD, *_NONE_NEEDED, *_TWO_NEEDED, *_TEXT_ONLY))
        if operator == "" and not self.whole.toPlainText().strip() and self.left.currentText().strip():
            self.whole.setPlainText(self.left.currentText().strip())
        self.adjustSize()

    # the result

    def comparison(self) -> Comparison:
        """The condition that is filled in. Raises QueryError when something is missing or is none of its kind."""
        operator = self.operator.currentData()
        if not operator:
            text = self.whole.toPlainText().strip()
            if not text:
                raise QueryError(tr("Write a condition, as in amount > 100 or kind = 'car'."))
            return Comparison(text)
        left = self.left.currentText().strip()
        if not left:
            raise QueryError(tr("Choose a column, or write an expression."))
        if operator in _LISTS:
            right = self.list.sql()
            if not right:
                raise QueryError(tr("Enter at least one value, one per line."))
            return Comparison(left, operator, right)
        editors = () if operator in _NONE_NEEDED else (self.first, self.second)[: 1 + (operator in _TWO_NEEDED)]
        return Comparison(left, operator, tuple(editor.sql() for editor in editors))

    def asked(self) -> AskedCondition:
        """The condition that is filled in, and the parameter of a period. Raises QueryError like `comparison`."""
        if self.operator.currentData() != _PERIOD:
            return AskedCondition(self.comparison())
        left, words = self.left.currentText().strip(), typed_period(self.period.currentText().strip())
        if not left:
            raise QueryError(tr("Choose a column, or write an expression."))
        kind: KindName = "date" if self._wanted == "date" else "timestamp"
        try:
            period(words, _CLOCK)
        except ValueError as error:
            raise QueryError(str(error)) from error
        parameter = period_parameter(left, kind, words, self._scope.parameters)
        return AskedCondition(period_condition(left, kind, parameter.name), parameter)

    def check(self) -> None:
        """See that what is filled in is whole. Raises QueryError."""
        self.asked()

    # values in the data

    def _ask_values(self) -> None:
        left = self.left.currentText().strip()
        if not left or self._scope.ask is None or self._scope.values_sql is None:
            self.fault.setText(tr("Choose a column first."))
            return
        self.fault.setText("")
        self.values.setEnabled(False)
        self.values.setText(tr("Reading values …"))
        self._asking = self._scope.ask(self._scope.values_sql(left), self._show_values)

    def _stop_asking(self) -> None:
        if self._asking is not None:
            self._asking.cancel()

    def _show_values(self, answer: object) -> None:
        self.values.setText(tr("Values in the data…"))
        self.values.setEnabled(True)
        if isinstance(answer, NorthmoorError):
            self.fault.setText(answer.message)
            return
        assert isinstance(answer, Rows)
        popup = ValueList(answer, self.operator.currentData() in _LISTS, self)
        popup.chosen.connect(self._take_values)
        popup.move(self.values.mapToGlobal(QPoint(0, self.values.height() + 2)))
        popup.show()

    def _take_values(self, values: list[str]) -> None:
        kind = self._wanted if self._wanted in ("number", "date", "timestamp") else "text"
        if self.operator.currentData() in _LISTS:
            self.list.show_values(kind, values)
        elif values:
            self.first.show_operand(Operand(kind, values[0]))


class ValueList(QWidget):
    """The values of a column with their numbers of rows, to choose from: one by a click, or several by ticks."""

    chosen = pyqtSignal(list)

    def __init__(self, rows: Rows, is_several: bool, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("popup")
        self.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        self._is_several = is_several
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Values in the data"))
        values, counts = (column.to_pylist() for column in rows.table.columns[:2])
        for value, count in zip(values, counts, strict=True):
            if value is None:
                continue
            item = QListWidgetItem(f"{value}   ·   {number_text(count)}")
            item.setData(Qt.ItemDataRole.UserRole, str(value))
            if is_several:
                item.setCheckState(Qt.CheckState.Unchecked)
            self.list.addItem(item)
        self.list.setMinimumSize(300, 260)
        column = QVBoxLayout(self)
        column.addWidget(self.list)
        if is_several:
            take = QPushButton(tr("Use the selected values"))
            take.clicked.connect(self._take)
            column.addWidget(take)
        else:
            self.list.itemActivated.connect(lambda _: self._take())
            self.list.itemClicked.connect(lambda _: self._take())

    def _take(self) -> None:
        items = items_in_list(self.list)
        if self._is_several:
            taken = [item for item in items if item.checkState() == Qt.CheckState.Checked]
        else:
            taken = [item for item in items if item is self.list.currentItem()]
        self.chosen.emit([item.data(Qt.ItemDataRole.UserRole) for item in taken])
        self.close()
