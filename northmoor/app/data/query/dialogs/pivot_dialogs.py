"""Ask for values that become columns, and for columns that become rows."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.data.query.dialogs.compute_dialog import ColumnBox
from northmoor.app.data.query.dialogs.step_dialog import StepDialog
from northmoor.app.data.query.sentence_context import SentenceContext
from northmoor.app.data.query.sentence_text import value_words
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import in_sentence, number_text, tr
from northmoor.app.widgets.widget_tools import items_in_list
from northmoor.core.authoring.queries.query_filters import value_sql
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import NorthmoorError, QueryError
from northmoor.core.model.kinds.aggregates import TOTALS
from northmoor.core.sources.builder.asides import values_sql
from northmoor.core.sources.builder.pivoting import Pivot, PivotInSelect, PivotValue, change_pivot, pivot
from northmoor.core.sources.builder.select_model import SelectModel

_TICKED = 24
"""Values that are ticked by themselves; more columns are rarely wanted."""
_VALUE = Qt.ItemDataRole.UserRole


class PivotDialog(StepDialog):
    """Asks which column's values become columns, and what is totalled in them; the values are those in the data, and
    those that a pivot which is changed (`present`) has."""

    def __init__(
        self,
        sentence: SelectModel,
        around: SentenceContext,
        parent: QWidget | None = None,
        present: PivotInSelect | None = None,
    ) -> None:
        super().__init__(tr("A column for each value"), parent)
        self.resize(480, 460)
        self._sentence, self._around, self._present = sentence, around, present
        self._asking: CancelToken | None = None
        columns = list(dict.fromkeys([*around.columns(sentence), *(k.expression for k in sentence.select_items)]))
        columns = [name for name in columns if name != "*"]
        self.across, self.value = ColumnBox(columns, tr("Values of")), ColumnBox(columns, tr("Total of"))
        self.total = QComboBox()
        self.total.setAccessibleName(tr("Operation"))
        for name, label in TOTALS.items():
            self.total.addItem(in_sentence(tr(label)), name)
        self.values = QListWidget()
        self.values.setAccessibleName(tr("Values that become columns"))
        self.message = QLabel(tr("Choose a column, and its values are shown here."))
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        self.has_whole = QCheckBox(tr("And a column with the &total of all rows"))
        form = QFormLayout()
        form.addRow(tr("A column for each &value of"), self.across)
        form.addRow(tr("&Operation"), self.total)
        form.addRow(tr("Total &of"), self.value)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        for widget in (self.message, self.values, self.has_whole, self.fault, self.buttons):
            layout.addWidget(widget)
        self.across.activated.connect(lambda _: self._ask_values())
        line = self.across.lineEdit()
        assert line is not None
        line.editingFinished.connect(self._ask_values)
        self.finished.connect(lambda _: self._stop())
        self._asked = ""
        if present is not None:
            self._read(present.pivot)

    def _read(self, present: Pivot) -> None:
        """Fill in a pivot; the other values of its column are added when they have been read."""
        self.across.setCurrentText(present.across)
        self.value.setCurrentText(present.value)
        self.total.setCurrentIndex(self.total.findData(present.total))
        self.has_whole.setChecked(present.has_whole)
        self._begin_values(present.across)
        self._ask_values()

    def _begin_values(self, across: str) -> None:
        """Show the values that are columns now, if they are of this column; no others before they have been read."""
        self.values.clear()
        present = self._present.pivot if self._present is not None else None
        for value in present.values if present is not None and present.across == across else ():
            self._add_value(value_words(value.sql) if value.sql is not None else tr("(blank)"), value, True)

    def _ask_values(self) -> None:
        """Read the values of the column that is chosen."""
        across = self.across.currentText().strip()
        if not across or across == self._asked or self._around.ask is None:
            return
        self._stop()
        self._asked = across
        self._begin_values(across)
        self.message.setText(tr("Reading values …"))
        self._asking = self._around.ask(values_sql(self._sentence, across), self._show_values)

    def _stop(self) -> None:
        if self._asking is not None:
            self._asking.cancel()

    def _show_values(self, answer: object) -> None:
        if isinstance(answer, NorthmoorError):
            self.message.setText(core_text(answer.message))
            return
        assert isinstance(answer, Rows)
        found, counts = (column.to_pylist() for column in answer.table.columns[:2])
        ordered = sorted(zip(found, counts, strict=True), key=lambda each: (each[0] is None, each[0]))
        present = {item.data(_VALUE).sql: item for item in items_in_list(self.values)}
        for number, (value, count) in enumerate(ordered):
            words = f"{tr('(blank)') if value is None else value}   ·   {number_text(count)}"
            written = value_sql(value, self._around.dialect) if value is not None else None
            if written in present:
                present[written].setText(words)
            else:
                own = PivotValue("blank" if value is None else str(value), written)
                self._add_value(words, own, not present and number < _TICKED)
        self.message.setText(tr("Tick the values that become columns; a value that comes later has none."))

    def _add_value(self, words: str, value: PivotValue, is_ticked: bool) -> None:
        item = QListWidgetItem(words)
        item.setData(_VALUE, value)
        item.setCheckState(Qt.CheckState.Checked if is_ticked else Qt.CheckState.Unchecked)
        self.values.addItem(item)

    def pivot(self) -> Pivot:
        """What is chosen. Raises QueryError when something is missing."""
        across, value = self.across.sql(), self.value.sql()
        items = items_in_list(self.values)
        ticked = tuple(item.data(_VALUE) for item in items if item.checkState() == Qt.CheckState.Checked)
        return Pivot(across, ticked, value, self.total.currentData(), self.has_whole.isChecked())

    def sentence(self) -> SelectModel:
        """The sentence with a column for each value. Raises QueryError when something is missing."""
        dialect, keyword = self._around.dialect, self._around.keyword
        if self._present is not None:
            return change_pivot(self._sentence, self._present, self.pivot(), dialect, keyword)
        return pivot(self._sentence, self.pivot(), dialect, keyword)

    def check(self) -> None:
        """See that what is filled in is whole. Raises QueryError."""
        self.sentence()


class UnpivotDialog(StepDialog):
    """Asks which columns become rows, and how the two columns are named that they make."""

    def __init__(self, columns: Sequence[str], parent: QWidget | None = None) -> None:
        super().__init__(tr("A row for each column"), parent)
        self.resize(420, 400)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Columns that become rows"))
        for name in columns:
            item = QListWidgetItem(name)
            item.setCheckState(Qt.CheckState.Unchecked)
            self.list.addItem(item)
        message = QLabel(tr("Tick the columns that become rows. The others are repeated in each of them."))
        message.setObjectName("quiet")
        message.setWordWrap(True)
        self.name, self.value = QLineEdit("item"), QLineEdit("value")
        form = QFormLayout()
        form.addRow(tr("The column's &name goes to"), self.name)
        form.addRow(tr("Its &value goes to"), self.value)
        layout = QVBoxLayout(self)
        layout.addWidget(message)
        layout.addWidget(self.list)
        layout.addLayout(form)
        layout.addWidget(self.fault)
        layout.addWidget(self.buttons)

    def chosen(self) -> list[str]:
        """The columns that are ticked."""
        items = items_in_list(self.list)
        return [item.text() for item in items if item.checkState() == Qt.CheckState.Checked]

    def check(self) -> None:
        """Two columns are needed, and two names. Raises QueryError."""
        name, value = self.name.text().strip(), self.value.text().strip()
        if len(self.chosen()) < 2 or not name or not value or name == value:
            raise QueryError(tr("Choose two or more columns, and two names for what becomes of them."))
