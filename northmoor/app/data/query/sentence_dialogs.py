"""What the chips of a sentence open: a condition, the columns, the order."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QListWidget,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.data.query.sentence_text import OPERATOR_WORDS, value_words
from northmoor.app.widgets.icons import icon
from northmoor.core.model.kinds.aggregates import TOTALS, aggregate_of
from northmoor.core.sources.builder.edits import literal_text, split_aggregate
from northmoor.core.sources.builder.select_ast import OPERATORS, Comparison, OrderItem, SelectItem

_NONE_NEEDED, _TWO_NEEDED = ("is null", "is not null"), ("between", "not between")
_LISTS = ("in", "not in")


class ComparisonDialog(QDialog):
    """Asks for a condition: a column or expression, how it compares, and with what."""

    def __init__(
        self,
        columns: Sequence[str],
        parameters: Sequence[str],
        comparison: Comparison | None,
        parent: QWidget | None = None,
        can_remove: bool = False,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("Condition")
        self.setMinimumWidth(520)
        self.is_removed = False
        self._columns = list(columns)
        offered = [*(f":{name}" for name in parameters), *columns]
        self.left = _box(self._columns, "Column or expression")
        self.operator = QComboBox()
        self.operator.setAccessibleName("How it compares")
        for operator in OPERATORS:
            self.operator.addItem(OPERATOR_WORDS[operator], operator)
        self.operator.addItem("holds (any SQL condition)", "")
        self.first, self.second = _box(offered, "Compared with"), _box(offered, "and")
        self._and = QLabel("and")
        self._hint = QLabel()
        self._hint.setObjectName("quiet")
        parts = QGridLayout()
        for row, (text, widget) in enumerate(
            (("Where", self.left), ("", self.operator), ("", self.first), ("and", self.second))
        ):
            label = self._and if text == "and" else QLabel(text)
            parts.addWidget(label, row, 0)
            parts.addWidget(widget, row, 1)
        parts.setColumnStretch(1, 1)
        buttons = _buttons(self)
        if can_remove:
            gone = buttons.addButton("Remove", QDialogButtonBox.ButtonRole.DestructiveRole)
            assert gone is not None
            gone.clicked.connect(self._remove)
        layout = QVBoxLayout(self)
        layout.addLayout(parts)
        layout.addWidget(self._hint)
        layout.addWidget(buttons)
        self.operator.currentIndexChanged.connect(self._fit)
        self._fill(comparison)

    def comparison(self) -> Comparison:
        """The condition as it was filled in."""
        left, operator = self.left.currentText().strip(), self.operator.currentData()
        if operator in _LISTS:
            listed = [part for part in self.first.currentText().split(",") if part.strip()]
            return Comparison(left, operator, tuple(literal_text(part, self._columns) for part in listed))
        boxes = () if operator in ("", *_NONE_NEEDED) else (self.first, self.second)[: 1 + (operator in _TWO_NEEDED)]
        return Comparison(left, operator, tuple(literal_text(box.currentText(), self._columns) for box in boxes))

    def accept(self) -> None:
        """A condition needs a column."""
        if not self.left.currentText().strip():
            self._hint.setText("Choose a column, or write an expression.")
            self.left.setFocus()
            return
        super().accept()

    def _fill(self, comparison: Comparison | None) -> None:
        if comparison is not None:
            self.left.setCurrentText(comparison.left)
            self.operator.setCurrentIndex(self.operator.findData(comparison.operator))
            values = [value_words(value) for value in comparison.right]
            if comparison.operator in _LISTS:
                values = [", ".join(values)]
            for box, value in zip((self.first, self.second), values, strict=False):
                box.setCurrentText(value)
        else:
            self.left.setCurrentIndex(-1)
        self._fit()

    def _fit(self) -> None:
        operator = self.operator.currentData()
        self.first.setVisible(operator not in ("", *_NONE_NEEDED))
        self.second.setVisible(operator in _TWO_NEEDED)
        self._and.setVisible(operator in _TWO_NEEDED)
        hints = {
            "in": "Values with commas between them.",
            "not in": "Values with commas between them.",
            "like": "% stands for any letters, _ for one.",
            "not like": "% stands for any letters, _ for one.",
            "": "The whole condition, as SQL.",
        }
        self._hint.setText(hints.get(operator, "A value, a :parameter, or a column."))

    def _remove(self) -> None:
        self.is_removed = True
        super().accept()


class ColumnsDialog(QDialog):
    """Asks which columns are kept, under which names, computed how, and which are totalled."""

    def __init__(self, columns: Sequence[str], kept: Sequence[SelectItem], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Columns")
        self.resize(620, 460)
        self.table = QTableWidget(0, 3)
        self.table.setHorizontalHeaderLabels(["Column or expression", "Its name", "Total"])
        self.table.verticalHeader().setVisible(False)
        self.table.verticalHeader().setDefaultSectionSize(31)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setAccessibleName("Columns")
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.table.setColumnWidth(1, 150)
        self.table.setColumnWidth(2, 150)
        message = QLabel("Tick what is kept. With a total, rows are put together for each combination of the others.")
        message.setObjectName("quiet")
        message.setWordWrap(True)
        line = QHBoxLayout()
        for text, drawing, run in (
            ("Compute another", "plus", lambda: self._add(SelectItem(""), True, edit=True)),
            ("Up", "arrow-up", lambda: self._move(-1)),
            ("Down", "arrow-down", lambda: self._move(1)),
        ):
            button = QPushButton(icon(drawing), text)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, run=run: run())
            line.addWidget(button)
        line.addStretch(1)
        layout = QVBoxLayout(self)
        layout.addWidget(message)
        layout.addWidget(self.table)
        layout.addLayout(line)
        layout.addWidget(_buttons(self))
        everything = list(kept) == [SelectItem("*")]
        for column in [SelectItem(c) for c in columns] if everything else kept:
            self._add(column, True)
        used = {split_aggregate(column.expression)[1] for column in kept}
        for name in () if everything else columns:
            if name not in used:
                self._add(SelectItem(name), False)

    def select_items(self) -> list[SelectItem]:
        """The columns that are ticked, in order."""
        found = []
        for row in range(self.table.rowCount()):
            item, name = self.table.item(row, 0), self.table.item(row, 1)
            box = self.table.cellWidget(row, 2)
            assert item is not None
            assert name is not None
            assert isinstance(box, QComboBox)
            expression = item.text().strip()
            if item.checkState() == Qt.CheckState.Checked and expression:
                total = box.currentData()
                whole = aggregate_of(total, expression) if total else expression
                found.append(SelectItem(whole, name.text().strip()))
        return found or [SelectItem("*")]

    def _add(self, column: SelectItem, is_kept: bool, edit: bool = False) -> None:
        row = self.table.rowCount()
        self.table.insertRow(row)
        total, expression = split_aggregate(column.expression)
        self._put(row, expression, column.name, total, is_kept)
        if edit:
            self.table.scrollToBottom()
            self.table.setCurrentCell(row, 0)
            self.table.editItem(self.table.item(row, 0))

    def _put(self, row: int, expression: str, name: str, total: str, is_kept: bool) -> None:
        item = QTableWidgetItem(expression)
        item.setCheckState(Qt.CheckState.Checked if is_kept else Qt.CheckState.Unchecked)
        self.table.setItem(row, 0, item)
        self.table.setItem(row, 1, QTableWidgetItem(name))
        box = QComboBox()
        box.setAccessibleName(f"Total of {expression}")
        for key, text in [("", "as it is"), *((name, label.lower()) for name, label in TOTALS.items())]:
            box.addItem(text, key)
        box.setCurrentIndex(box.findData(total))
        self.table.setCellWidget(row, 2, box)

    def _move(self, by: int) -> None:
        row = self.table.currentRow()
        other = row + by
        if row < 0 or not 0 <= other < self.table.rowCount():
            return
        mine, theirs = self._row(row), self._row(other)
        self._put(row, *theirs)
        self._put(other, *mine)
        self.table.setCurrentCell(other, 0)

    def _row(self, row: int) -> tuple[str, str, str, bool]:
        item, name, box = self.table.item(row, 0), self.table.item(row, 1), self.table.cellWidget(row, 2)
        assert item is not None
        assert name is not None
        assert isinstance(box, QComboBox)
        return item.text(), name.text(), box.currentData(), item.checkState() == Qt.CheckState.Checked


class SortingDialog(QDialog):
    """Asks by what rows are sorted, the first first."""

    def __init__(self, choices: Sequence[str], sorting: Sequence[OrderItem], parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Sorted by")
        self.resize(380, 340)
        self._sorting = list(sorting)
        self.list = QListWidget()
        self.list.setAccessibleName("Sorted by")
        self.choice = _box(choices, "Column to sort by")
        add = QPushButton(icon("plus"), "Add")
        add.setAutoDefault(False)
        add.clicked.connect(self._add)
        top = QHBoxLayout()
        top.addWidget(self.choice, 1)
        top.addWidget(add)
        line = QHBoxLayout()
        for text, run in (("Turn ↑↓", self._turn), ("Up", lambda: self._move(-1)), ("Remove", self._remove)):
            button = QPushButton(text)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, run=run: run())
            line.addWidget(button)
        line.addStretch(1)
        layout = QVBoxLayout(self)
        layout.addLayout(top)
        layout.addWidget(self.list)
        layout.addLayout(line)
        layout.addWidget(_buttons(self))
        self._show(0)

    def order_items(self) -> tuple[OrderItem, ...]:
        """What rows are sorted by."""
        return tuple(self._sorting)

    def _show(self, current: int) -> None:
        self.list.clear()
        self.list.addItems([f"{s.expression}   {'↓ last first' if s.descending else '↑'}" for s in self._sorting])
        self.list.setCurrentRow(min(current, len(self._sorting) - 1))

    def _add(self) -> None:
        text = self.choice.currentText().strip()
        if text:
            self._sorting.append(OrderItem(text))
            self._show(len(self._sorting) - 1)

    def _turn(self) -> None:
        at = self.list.currentRow()
        if at >= 0:
            found = self._sorting[at]
            self._sorting[at] = OrderItem(found.expression, not found.descending)
            self._show(at)

    def _move(self, by: int) -> None:
        at = self.list.currentRow()
        if at + by >= 0 and at >= 0:
            self._sorting.insert(at + by, self._sorting.pop(at))
            self._show(at + by)

    def _remove(self) -> None:
        at = self.list.currentRow()
        if at >= 0:
            self._sorting.pop(at)
            self._show(max(at - 1, 0))


def _box(choices: Sequence[str], name: str) -> QComboBox:
    box = QComboBox()
    box.setEditable(True)
    box.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
    box.addItems(list(choices))
    box.setCurrentText("")
    box.setAccessibleName(name)
    return box


def _buttons(dialog: QDialog) -> QDialogButtonBox:
    kinds = QDialogButtonBox.StandardButton
    buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
    buttons.accepted.connect(dialog.accept)
    buttons.rejected.connect(dialog.reject)
    return buttons
