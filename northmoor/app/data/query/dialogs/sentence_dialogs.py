"""What the chips of a sentence open: the columns, the order, how many rows, and another query whose rows are added."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QListWidget,
    QPlainTextEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.data.query.dialogs.step_dialog import StepDialog
from northmoor.app.data.query.sentence_context import SentenceContext
from northmoor.app.language.translation import in_sentence, tr
from northmoor.app.widgets.icons import icon
from northmoor.core.base.replace import replace
from northmoor.core.errors import QueryError
from northmoor.core.expr.identifiers import bare_or_quoted, sql_table
from northmoor.core.model.kinds.aggregates import TOTALS, aggregate_of
from northmoor.core.sources.builder.edits import item_name, split_aggregate
from northmoor.core.sources.builder.select_model import OrderItem, SelectItem, SelectModel, StackedSelect
from northmoor.core.sources.drivers.read_only import check_query


class ColumnsDialog(QDialog):
    """Asks which columns are kept, under which names, computed how, and which are totalled."""

    def __init__(
        self,
        columns: Sequence[str],
        kept: Sequence[SelectItem],
        parent: QWidget | None = None,
        compute: Callable[[QWidget, SelectItem | None], SelectItem | None] = lambda *_: SelectItem(""),
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Columns"))
        self._ask_computed = compute
        self.resize(620, 460)
        self.table = QTableWidget(0, 3)
        self.table.setHorizontalHeaderLabels([tr("Column or expression"), tr("Its name"), tr("Total")])
        self.table.verticalHeader().setVisible(False)
        self.table.verticalHeader().setDefaultSectionSize(31)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setAccessibleName(tr("Columns"))
        header = self.table.horizontalHeader()
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.table.setColumnWidth(1, 150)
        self.table.setColumnWidth(2, 150)
        message = QLabel(
            tr("Tick what is kept. With a total, rows are put together for each combination of the others.")
        )
        message.setObjectName("quiet")
        message.setWordWrap(True)
        line = QHBoxLayout()
        for text, drawing, run in (
            (tr("Compute another…"), "plus", self._compute),
            (tr("Edit…"), "pencil", self._edit),
            (tr("Up"), "arrow-up", lambda: self._move(-1)),
            (tr("Down"), "arrow-down", lambda: self._move(1)),
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

    def _compute(self) -> None:
        """Ask for a computed column, and add it."""
        added = self._ask_computed(self, None)
        if added is not None:
            self._add(added, True, edit=not added.expression)

    def _edit(self) -> None:
        """Ask how the current column is computed."""
        row = max(self.table.currentRow(), 0)
        if row >= self.table.rowCount():
            return
        expression, name, total, _ = self._row(row)
        changed = self._ask_computed(self, SelectItem(expression, name) if expression.strip() else None)
        if changed is not None:
            own_total, own = split_aggregate(changed.expression)
            self._put(row, own if not total else changed.expression, changed.name, total or own_total, is_kept=True)
            self.table.setCurrentCell(row, 0)

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
        box.setAccessibleName(tr("Total of {expression}").format(expression=expression))
        for key, text in [("", tr("as it is")), *((name, in_sentence(tr(label))) for name, label in TOTALS.items())]:
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


_PLACES_OF_NULLS = {"": tr("as the database does"), "first": tr("first"), "last": tr("last")}


class SortingDialog(QDialog):
    """Asks by what rows are sorted, the first first, and where blanks are."""

    def __init__(
        self,
        choices: Sequence[str],
        sorting: Sequence[OrderItem],
        parent: QWidget | None = None,
        has_nulls: bool = True,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Sorted by"))
        self.resize(440, 360)
        self._sorting = list(sorting)
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Sorted by"))
        self.choice = _box(choices, tr("Column to sort by"))
        self.nulls = QComboBox()
        self.nulls.setAccessibleName(tr("Blanks"))
        for place, words in _PLACES_OF_NULLS.items():
            self.nulls.addItem(tr("blanks {words}").format(words=words), place)
        self.nulls.setVisible(has_nulls)
        add = QPushButton(icon("plus"), tr("Add"))
        add.setAutoDefault(False)
        add.clicked.connect(self._add)
        top = QHBoxLayout()
        top.addWidget(self.choice, 1)
        top.addWidget(add)
        line = QHBoxLayout()
        for text, run in (
            (tr("Turn ↑↓"), self._turn),
            (tr("Up"), lambda: self._move(-1)),
            (tr("Remove"), self._remove),
        ):
            button = QPushButton(text)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, run=run: run())
            line.addWidget(button)
        line.addWidget(self.nulls)
        line.addStretch(1)
        layout = QVBoxLayout(self)
        layout.addLayout(top)
        layout.addWidget(self.list)
        layout.addLayout(line)
        layout.addWidget(_buttons(self))
        self._show(0)
        self.list.currentRowChanged.connect(self._show_nulls)
        self.nulls.activated.connect(lambda _: self._place_nulls())
        self._show_nulls(self.list.currentRow())

    def order_items(self) -> tuple[OrderItem, ...]:
        """What rows are sorted by."""
        return tuple(self._sorting)

    def _show(self, current: int) -> None:
        self.list.clear()
        for item in self._sorting:
            nulls = tr("   blanks {nulls}").format(nulls=item.nulls) if item.nulls else ""
            self.list.addItem(f"{item.expression}   {tr('↓ last first') if item.descending else '↑'}{nulls}")
        self.list.setCurrentRow(min(current, len(self._sorting) - 1))

    def _show_nulls(self, at: int) -> None:
        self.nulls.setEnabled(at >= 0)
        self.nulls.setCurrentIndex(self.nulls.findData(self._sorting[at].nulls if at >= 0 else ""))

    def _place_nulls(self) -> None:
        at = self.list.currentRow()
        if at >= 0:
            self._sorting[at] = replace(self._sorting[at], nulls=self.nulls.currentData())
            self._show(at)

    def _add(self) -> None:
        text = self.choice.currentText().strip()
        if text:
            self._sorting.append(OrderItem(text))
            self._show(len(self._sorting) - 1)

    def _turn(self) -> None:
        at = self.list.currentRow()
        if at >= 0:
            self._sorting[at] = replace(self._sorting[at], descending=not self._sorting[at].descending)
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


class FirstRowsDialog(QDialog):
    """Asks how many rows are kept, and how many before them are left out: numbers or parameters."""

    def __init__(
        self, first: str, offset: str, is_sample: bool, parameters: Sequence[str], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Only some rows"))
        self.which = QComboBox()
        self.which.addItems([tr("The first, in the order of the rows"), tr("Any, at random (others with each run)")])
        self.which.setAccessibleName(tr("Which rows"))
        self.which.setCurrentIndex(int(is_sample))
        offered = [f":{name}" for name in parameters]
        self.first, self.offset = _box(offered, tr("How many rows")), _box(offered, tr("Left out before them"))
        self.first.setCurrentText(first or "" if offset else first or "10")
        self.offset.setCurrentText(offset)
        form = QFormLayout()
        form.addRow(tr("&Which rows"), self.which)
        form.addRow(tr("&How many rows (empty for all)"), self.first)
        form.addRow(tr("&Left out before them"), self.offset)
        self.which.currentIndexChanged.connect(lambda at: form.setRowVisible(self.offset, at == 0))
        form.setRowVisible(self.offset, not is_sample)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(_buttons(self))

    def amounts(self) -> tuple[str, str]:
        """How many rows, and how many are left out before them, as SQL; empty for all and for none."""
        offset = "" if self.is_sample else self.offset.currentText().strip()
        return self.first.currentText().strip(), offset

    @property
    def is_sample(self) -> bool:
        """Whether the rows are any, at random."""
        return self.which.currentIndex() == 1


_STACK_WORDS = {
    "union all": tr("All its rows too"),
    "union": tr("Its other rows too, each once"),
    "intersect": tr("Only rows that it has as well"),
    "except": tr("Only rows that it does not have"),
}
_NOTHING = "(blank)"


class FirstOfEachDialog(StepDialog):
    """Asks which rows of each group are kept: how many, of each what, the first by what."""

    def __init__(self, columns: Sequence[str], parent: QWidget | None = None) -> None:
        super().__init__(tr("The first rows of each"), parent)
        self.count = _box(["1", "3", "10"], tr("How many rows"))
        self.count.setCurrentText("1")
        self.within, self.order = _box(columns, tr("Of each")), _box(columns, tr("The first by"))
        self.direction = QComboBox()
        self.direction.addItems([tr("the largest or latest first"), tr("the smallest or earliest first")])
        self.direction.setAccessibleName(tr("Which first"))
        form = QFormLayout()
        form.addRow(tr("&How many rows"), self.count)
        form.addRow(tr("&Of each"), self.within)
        form.addRow(tr("&The first by"), self.order)
        form.addRow("", self.direction)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.fault)
        layout.addWidget(self.buttons)

    def read(self, within: str, order: OrderItem, count: str) -> None:
        """Fill in what is kept now."""
        self.within.setCurrentText(within)
        self.order.setCurrentText(order.expression)
        self.direction.setCurrentIndex(0 if order.descending else 1)
        self.count.setCurrentText(count)

    def chosen(self) -> tuple[str, OrderItem, str]:
        """Of each what, in which order, and how many."""
        order = OrderItem(self.order.currentText().strip(), self.direction.currentIndex() == 0)
        return self.within.currentText().strip(), order, self.count.currentText().strip()

    def check(self) -> None:
        """All three are needed. Raises QueryError."""
        within, order, count = self.chosen()
        if not (within and order.expression and count):
            raise QueryError(tr("Choose how many rows, of each what, and by what the first are found."))


class StackDialog(StepDialog):
    """Asks for another table whose rows are added (or compared), column by column, or for a query as SQL."""

    def __init__(
        self, sentence: SelectModel, around: SentenceContext, given: StackedSelect | None, parent: QWidget | None = None
    ) -> None:
        super().__init__(tr("Rows of another table or query"), parent)
        self.setMinimumWidth(460)
        self._around, self._given = around, given
        self._names = [item_name(item) for item in sentence.select_items]
        self.words = QComboBox()
        for words, text in _STACK_WORDS.items():
            self.words.addItem(text, words)
        if given is not None:
            if self.words.findData(given.words) < 0:
                self.words.addItem(given.words, given.words)
            self.words.setCurrentIndex(self.words.findData(given.words))
        self.table = QComboBox()
        self.table.addItems([table.name for table in around.catalog.tables if table.columns])
        self.columns = [QComboBox() for _ in self._names]
        self.sql = QPlainTextEdit(given.sql if given is not None else "")
        self.sql.setTabChangesFocus(True)
        form = QFormLayout()
        form.addRow(tr("&Operation"), self.words)
        if given is None and "*" not in self._names:
            form.addRow(tr("&Table"), self.table)
            for name, box in zip(self._names, self.columns, strict=True):
                box.setAccessibleName(tr("Column for {name}").format(name=name))
                form.addRow(name, box)
                box.activated.connect(lambda _: self._write())
            self.table.currentIndexChanged.connect(lambda _: self._match())
        form.addRow(tr("&SQL"), self.sql)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.fault)
        layout.addWidget(self.buttons)
        if given is None:
            self._match()

    def _match(self) -> None:
        """Match columns by name."""
        table = self._around.catalog.table(self.table.currentText())
        offered = [column.name for column in table.columns] if table is not None else []
        by_name = {name.lower(): name for name in offered}
        for name, box in zip(self._names, self.columns, strict=True):
            box.clear()
            box.addItems([_NOTHING, *offered])
            own = by_name.get(name.lower(), _NOTHING)
            box.setCurrentText(own)
        self._write()

    def _write(self) -> None:
        """Write the query that was chosen."""
        if not self.table.currentText():
            return
        dialect = self._around.dialect
        chosen = [box.currentText() for box in self.columns]
        listed = ", ".join("null" if name == _NOTHING else bare_or_quoted(name, dialect) for name in chosen) or "*"
        self.sql.setPlainText(f"select {listed} from {sql_table(self.table.currentText(), dialect)}")

    def stacked(self) -> StackedSelect:
        """The query and what becomes of its rows."""
        given, words, sql = self._given, self.words.currentData(), self.sql.toPlainText()
        if given is not None and (words, sql) == (given.words, given.sql):
            return given
        return StackedSelect(words, sql.strip())

    def check(self) -> None:
        """A query is needed. Raises RefusedQuery."""
        check_query(self.sql.toPlainText(), self._around.dialect)


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
