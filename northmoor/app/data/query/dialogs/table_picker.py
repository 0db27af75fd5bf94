"""Chooses a table: all of a connection, to search by name and column; with columns and first rows beside."""

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.data.query.sentence_context import SentenceContext
from northmoor.app.language.translation import number_text, tr, tr_count
from northmoor.app.widgets.widget_tools import pass_focus, plain_tip
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import NorthmoorError
from northmoor.core.expr.identifiers import sql_table
from northmoor.core.sources.drivers.catalog import CatalogTable

_SAMPLE_ROWS = 6
_SETTLE = 250  # milliseconds on a table before its rows are asked for
_NAME = Qt.ItemDataRole.UserRole


class TablePicker(QWidget):
    """The tables of a connection at the left; columns and first rows of the current one at the right."""

    chosen = pyqtSignal(str)
    activated = pyqtSignal(str)

    def __init__(
        self, around: SentenceContext, proposed: Sequence[tuple[str, str]], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._around = around
        self._asking: CancelToken | None = None
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Find a table or a column"))
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName(tr("Find a table or a column"))
        self.list = QTreeWidget()
        self.list.setObjectName("table-list")
        self.list.setRootIsDecorated(False)
        self.list.setUniformRowHeights(True)
        self.list.setHeaderLabels([tr("Table"), tr("Rows"), ""])
        self.list.setAccessibleName(tr("Tables"))
        header = self.list.header()
        assert header is not None
        header.setStretchLastSection(True)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Interactive)
        self.list.setColumnWidth(0, 190)
        self.list.setColumnWidth(1, 70)
        self.rows = QTableWidget(0, 0)
        self.rows.setEditTriggers(QTableWidget.EditTrigger.NoEditTriggers)
        self.rows.setAccessibleName(tr("Columns and first rows"))
        self.note = QLabel()
        self.note.setObjectName("quiet")
        self.note.setTextFormat(Qt.TextFormat.PlainText)
        self.note.setWordWrap(True)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_SETTLE)
        self._place()
        self._fill(proposed)
        self.search.textChanged.connect(self._filter)
        self.list.currentItemChanged.connect(lambda *_: self._current_changed())
        self.list.itemActivated.connect(lambda item: self.activated.emit(item.data(0, _NAME)))
        self._timer.timeout.connect(self._ask_rows)
        pass_focus(self, self.search)

    def _place(self) -> None:
        left = QVBoxLayout()
        left.addWidget(self.search)
        left.addWidget(self.list)
        right = QVBoxLayout()
        right.addWidget(self.note)
        right.addWidget(self.rows)
        whole = QHBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addLayout(left, 5)
        whole.addLayout(right, 6)

    def _fill(self, proposed: Sequence[tuple[str, str]]) -> None:
        reasons = dict(proposed)
        first = [name for name, _ in proposed]
        tables = [table for table in self._around.catalog.tables if table.columns]
        tables.sort(key=lambda t: first.index(t.name) if t.name in reasons else len(first))
        for table in tables:
            count = "" if table.rows is None else f"{'≈ ' * table.is_estimate}{number_text(table.rows)}"
            kind = tr("view") if table.is_view else ""
            item = QTreeWidgetItem([table.name, count, reasons.get(table.name) or table.comment or kind])
            item.setData(0, _NAME, table.name)
            item.setTextAlignment(1, Qt.AlignmentFlag.AlignRight)
            item.setToolTip(0, ", ".join(column.name for column in table.columns))
            item.setToolTip(2, plain_tip(table.comment))
            item.setData(2, _NAME, table.comment)
            self.list.addTopLevelItem(item)
        if tables:
            self.list.setCurrentItem(self.list.topLevelItem(0))
            self._current_changed()
        else:
            self.note.setText(tr("The connection has no tables."))

    def current(self) -> CatalogTable | None:
        """The table that is chosen."""
        item = self.list.currentItem()
        return self._around.catalog.table(item.data(0, _NAME)) if item is not None and not item.isHidden() else None

    def choose(self, table: str) -> None:
        """Choose a table by its name, where it is there."""
        for item in self._items():
            if item.data(0, _NAME).lower() == table.lower():
                self.list.setCurrentItem(item)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """The arrows move in the list while one types."""
        if event is not None and event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._step(1 if event.key() == Qt.Key.Key_Down else -1)
            return
        super().keyPressEvent(event)

    def _step(self, by: int) -> None:
        shown = [i for i in self._items() if not i.isHidden()]
        item = self.list.currentItem()
        at = shown.index(item) + by if item in shown else 0
        if 0 <= at < len(shown):
            self.list.setCurrentItem(shown[at])

    def _items(self) -> list[QTreeWidgetItem]:
        return [item for n in range(self.list.topLevelItemCount()) if (item := self.list.topLevelItem(n)) is not None]

    def _filter(self, text: str) -> None:
        words = text.lower().split()
        for item in self._items():
            searched = f"{item.text(0)} {item.toolTip(0)} {item.data(2, _NAME)}".lower()
            item.setHidden(not all(word in searched for word in words))
        named = [i for i in self._items() if not i.isHidden()]
        own = [item for item in named if all(word in item.text(0).lower() for word in words)]
        if named:
            self.list.setCurrentItem((own or named)[0])
        else:
            self.list.setCurrentItem(None)
            self.rows.setColumnCount(0)
            self.note.setText(tr("No table and no column has this in its name."))

    def _current_changed(self) -> None:
        table = self.current()
        self.chosen.emit(table.name if table is not None else "")
        if table is None:
            return
        self.rows.clear()
        self.rows.setRowCount(0)
        self.rows.setColumnCount(len(table.columns))
        for at, column in enumerate(table.columns):
            head = QTableWidgetItem(f"{column.name}\n{column.type.lower()}")
            head.setToolTip(plain_tip(column.comment))
            self.rows.setHorizontalHeaderItem(at, head)
        facts = f"{table.name}: " + tr_count(len(table.columns), "{count} column", "{count} columns")
        self.note.setText(table.fault or (f"{facts}. {table.comment}" if table.comment else facts))
        self._timer.start()

    def _ask_rows(self) -> None:
        table = self.current()
        if table is None or self._around.ask is None:
            return
        if self._asking is not None:
            self._asking.cancel()
        name = sql_table(table.name, self._around.dialect)
        self._asking = self._around.ask(
            f"select * from {name} limit {_SAMPLE_ROWS}", partial(self._show_answer, table.name)
        )

    def _show_answer(self, name: str, answer: object) -> None:
        table = self.current()
        if table is None or table.name != name:
            return
        if isinstance(answer, NorthmoorError):
            self.note.setText(answer.message)
            return
        assert isinstance(answer, Rows)
        self.rows.setRowCount(answer.table.num_rows)
        for column, values in enumerate(answer.table.columns):
            for row, value in enumerate(values.to_pylist()):
                self.rows.setItem(row, column, QTableWidgetItem("" if value is None else str(value)[:60]))
        self.rows.resizeColumnsToContents()

    def close_asking(self) -> None:
        """Ask no more."""
        self._timer.stop()
        if self._asking is not None:
            self._asking.cancel()


class TableDialog(QDialog):
    """Asks for one table."""

    def __init__(self, around: SentenceContext, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Choose a table"))
        self.resize(820, 460)
        self.picker = TablePicker(around, (), self)
        kinds = QDialogButtonBox.StandardButton
        buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        take = buttons.button(kinds.Ok)
        assert take is not None
        take.setText(tr("Take"))
        take.setEnabled(self.picker.current() is not None)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        self.picker.activated.connect(lambda _: self.accept())
        self.finished.connect(lambda _: self.picker.close_asking())
        self.picker.chosen.connect(lambda name: take.setEnabled(bool(name)))
        layout = QVBoxLayout(self)
        layout.addWidget(self.picker)
        layout.addWidget(buttons)

    def table(self) -> CatalogTable | None:
        """The table that was chosen."""
        return self.picker.current()
