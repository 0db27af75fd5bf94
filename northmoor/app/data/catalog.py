"""The library's connections with their tables and columns, and the report's queries."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QHeaderView,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.icons import icon
from northmoor.app.theme import STONE_TEXT
from northmoor.core.model.data import Query
from northmoor.core.sources.catalog import CatalogColumn, CatalogTable

_NAME = Qt.ItemDataRole.UserRole


class Catalog(QWidget):
    """Connections and tables over the list of queries; typing in the field narrows the tables."""

    query_picked = pyqtSignal(str)
    name_wanted = pyqtSignal(str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 8, 6, 8)
        layout.setSpacing(6)
        self._search = QLineEdit()
        self._search.setPlaceholderText("tables and columns")
        self._search.setClearButtonEnabled(True)
        self._search.setAccessibleName("Search tables and columns")
        self._search.setToolTip("Narrow the tables to those whose name, or a column's, has these letters")
        self._search.textChanged.connect(self._narrow)
        self._tree = QTreeWidget()
        self._tree.setHeaderHidden(True)
        self._tree.setColumnCount(2)
        self._tree.setIndentation(14)
        header = self._tree.header()
        if header is not None:
            header.setStretchLastSection(False)
            header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
            header.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        self._tree.setAccessibleName("Connections and tables")
        self._tree.setToolTip("Enter or a double click puts the name into the SQL")
        self._tree.itemActivated.connect(lambda item: self.name_wanted.emit(item.data(0, _NAME) or ""))
        self._queries = QListWidget()
        self._queries.setAccessibleName("Queries")
        self._queries.setMaximumHeight(150)
        self._queries.currentItemChanged.connect(self._pick)
        for widget in (_section("Connections"), self._search, self._tree, _section("Queries"), self._queries):
            layout.addWidget(widget)

    def show_tables(self, connection: str, tables: tuple[CatalogTable, ...] | str) -> None:
        """Show a connection's tables, or why they cannot be read."""
        for at in reversed(range(self._tree.topLevelItemCount())):
            item = self._tree.topLevelItem(at)
            if item is not None and item.data(0, _NAME) == connection:
                self._tree.takeTopLevelItem(at)
        top = QTreeWidgetItem([connection, "SQLite"])
        top.setIcon(0, icon("database"))
        top.setData(0, _NAME, connection)
        self._tree.addTopLevelItem(top)
        if isinstance(tables, str):
            top.addChild(QTreeWidgetItem([tables]))
        else:
            top.addChildren([_table_entry(table) for table in tables])
        top.setExpanded(True)

    def clear(self) -> None:
        """Show no connection."""
        self._tree.clear()

    def show_queries(self, queries: tuple[Query, ...], current: str | None) -> None:
        """Show the report's queries."""
        self._queries.blockSignals(True)
        self._queries.clear()
        for query in queries:
            item = QListWidgetItem(icon("file-text"), query.name)
            item.setData(_NAME, query.name)
            item.setToolTip(f"SQL on {query.connection}")
            self._queries.addItem(item)
            if query.name == current:
                self._queries.setCurrentItem(item)
        self._queries.blockSignals(False)

    def _pick(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.query_picked.emit(item.data(_NAME))

    def _narrow(self, text: str) -> None:
        wanted = text.strip().lower()
        for at in range(self._tree.topLevelItemCount()):
            connection = self._tree.topLevelItem(at)
            children = [] if connection is None else [connection.child(n) for n in range(connection.childCount())]
            for table in children:
                if table is not None:
                    columns = [child.text(0).lower() for n in range(table.childCount()) if (child := table.child(n))]
                    table.setHidden(not any(wanted in name for name in (table.text(0).lower(), *columns)))


def _section(text: str) -> QLabel:
    label = QLabel(text)
    label.setObjectName("section")
    return label


def _table_entry(table: CatalogTable) -> QTreeWidgetItem:
    size = "view" if table.rows is None else f"{table.rows:,}"
    texts = [table.name, size]
    shown = QTreeWidgetItem(texts)
    shown.setIcon(0, icon("eye" if table.is_view else "table-2"))
    shown.setData(0, _NAME, table.name)
    shown.setForeground(1, QColor(STONE_TEXT))
    shown.setTextAlignment(1, Qt.AlignmentFlag.AlignRight)
    shown.addChildren([_column_entry(column) for column in table.columns])
    return shown


def _column_entry(column: CatalogColumn) -> QTreeWidgetItem:
    item = QTreeWidgetItem([column.name, column.references or column.type.lower()])
    item.setIcon(0, icon("key-round" if column.is_key else "link" if column.references else "type"))
    item.setData(0, _NAME, column.name)
    item.setForeground(1, QColor(STONE_TEXT))
    item.setToolTip(0, f"{column.name}: {column.type.lower() or 'any type'}")
    return item
