"""The library's connections with their tables and columns, and the report's queries."""

from msgspec import Struct
from PyQt6.QtCore import QPoint, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QToolButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import number_text, tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.menus import key_tip
from northmoor.app.widgets.theme import ROWAN, STONE_TEXT, ink
from northmoor.app.widgets.widget_tools import plain_tip
from northmoor.core.model.data.connections import KIND_OF_CONNECTION, Connection
from northmoor.core.model.data.queries import Query
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable, Routine

_NODE = Qt.ItemDataRole.UserRole
_NUMBERS = ("int", "dec", "num", "float", "double", "real")
_DRAWINGS = (*((part, "hash") for part in _NUMBERS), ("date", "calendar"), ("time", "clock"), ("bool", "toggle-left"))


class Node(Struct, frozen=True):
    """What an entry of the tree represents: a connection, a table, a column or a routine of it."""

    kind: str
    connection: str
    name: str = ""


class CatalogTree(QTreeWidget):
    """The tree of connections. Space shows a table's first rows, Enter puts a name into the SQL."""

    first_rows_wanted = pyqtSignal(str, str)
    name_wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setHeaderHidden(True)
        self.setColumnCount(2)
        self.setIndentation(14)
        self.setIconSize(QSize(15, 15))
        header = self.header()
        header.setStretchLastSection(False)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(1, QHeaderView.ResizeMode.ResizeToContents)
        self.setAccessibleName(tr("Connections and tables"))
        self.setToolTip(tr("Space shows a table's first rows; Enter or a double click puts the name into the SQL"))
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.itemActivated.connect(self._activate)

    def node(self, item: QTreeWidgetItem | None = None) -> Node | None:
        """What an entry, or the current one, represents."""
        item = item or self.currentItem()
        found = item.data(0, _NODE) if item is not None else None
        return found if isinstance(found, Node) else None

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Space shows the first rows of the current table."""
        node = self.node()
        if event is not None and event.key() == Qt.Key.Key_Space and node is not None and node.kind == "table":
            self.first_rows_wanted.emit(node.connection, node.name)
            return
        super().keyPressEvent(event)

    def _activate(self, item: QTreeWidgetItem) -> None:
        node = self.node(item)
        if node is not None and node.kind != "connection":
            self.name_wanted.emit(node.name)


class CatalogPanel(QWidget):
    """Connections and tables over the list of queries; typing in the field narrows the tables."""

    query_picked = pyqtSignal(str)
    query_menu_wanted = pyqtSignal(str, QPoint)
    new_query_wanted = pyqtSignal()
    connection_wanted = pyqtSignal()
    connection_menu_wanted = pyqtSignal(object, QPoint)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.tree = CatalogTree()
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("tables and columns"))
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName(tr("Search tables and columns"))
        self.search.setToolTip(tr("Narrow the tables to those whose name, or a column's, has these letters"))
        self.search.textChanged.connect(self._narrow)
        self.queries = QListWidget()
        self.queries.setAccessibleName(tr("Queries"))
        self.queries.setMaximumHeight(170)
        self.queries.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.queries.currentItemChanged.connect(self._pick)
        self.queries.customContextMenuRequested.connect(self._query_menu)
        self.tree.customContextMenuRequested.connect(self._tree_menu)
        self.add_connection = _adder(tr("Add a connection"), self.connection_wanted.emit)
        self.add_query = _adder(tr("Add a query"), self.new_query_wanted.emit)
        key_tip(self.add_query, tr("Add a query"), "add_query")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 6, 6, 8)
        layout.setSpacing(6)
        layout.addLayout(_section(tr("Connections"), self.add_connection))
        for widget in (self.search, self.tree):
            layout.addWidget(widget)
        layout.addLayout(_section(tr("Queries"), self.add_query))
        layout.addWidget(self.queries)

    def show_connections(self, connections: tuple[Connection, ...]) -> None:
        """Show the connections; their tables follow as they are read."""
        self.tree.clear()
        for connection in connections:
            top = QTreeWidgetItem([connection.name, tr(KIND_OF_CONNECTION[connection.kind].tag)])
            top.setIcon(0, icon(KIND_OF_CONNECTION[connection.kind].icon))
            top.setData(0, _NODE, Node("connection", connection.name))
            top.setForeground(1, ink(STONE_TEXT))
            top.setTextAlignment(1, Qt.AlignmentFlag.AlignRight)
            self.tree.addTopLevelItem(top)
            top.addChild(_message_entry(tr("reading …")))
            top.setExpanded(True)

    def show_catalog(self, connection: str, catalog: Catalog | str) -> None:
        """Show a connection's tables, or why they cannot be read."""
        for at in range(self.tree.topLevelItemCount()):
            top = self.tree.topLevelItem(at)
            if top is not None and top.text(0) == connection:
                top.takeChildren()
                if isinstance(catalog, str):
                    fault = _message_entry(catalog, ROWAN)
                    top.addChild(fault)
                    fault.setFirstColumnSpanned(True)
                    continue
                entries = [_table_entry(connection, table) for table in catalog.tables]
                entries += [_routine_entry(connection, routine) for routine in catalog.routines]
                top.addChildren(entries or [_message_entry(tr("It has no tables."))])
        self._narrow(self.search.text())

    def show_queries(self, queries: tuple[Query, ...], current: str | None) -> None:
        """Show the report's queries."""
        self.queries.blockSignals(True)
        self.queries.clear()
        for query in queries:
            kind, drawing = query_kind(query)
            item = QListWidgetItem(icon(drawing), query.name)
            item.setData(_NODE, query.name)
            item.setToolTip(f"{query.name}: {kind}")
            self.queries.addItem(item)
            if query.name == current:
                self.queries.setCurrentItem(item)
        self.queries.blockSignals(False)

    def _pick(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.query_picked.emit(item.data(_NODE))

    def _query_menu(self, at: QPoint) -> None:
        item = self.queries.itemAt(at) or self.queries.currentItem()
        if item is not None:
            self.query_menu_wanted.emit(item.data(_NODE), self.queries.mapToGlobal(at))

    def _tree_menu(self, at: QPoint) -> None:
        node = self.tree.node(self.tree.itemAt(at))
        if node is not None:
            self.connection_menu_wanted.emit(node, self.tree.viewport().mapToGlobal(at))

    def _narrow(self, text: str) -> None:
        wanted = text.strip().lower()
        for at in range(self.tree.topLevelItemCount()):
            connection = self.tree.topLevelItem(at)
            children = [] if connection is None else [connection.child(n) for n in range(connection.childCount())]
            for table in children:
                if table is not None:
                    columns = [child.text(0).lower() for n in range(table.childCount()) if (child := table.child(n))]
                    hits = [name for name in columns if wanted and wanted in name]
                    table.setHidden(not (wanted in table.text(0).lower() or hits))
                    table.setExpanded(bool(hits))


def query_kind(query: Query) -> tuple[str, str]:
    """What kind of query it is, in words, and the icon for that."""
    if query.use_sample:
        return tr("saved rows"), "bookmark"
    if query.shared:
        return tr("shared as {shared}").format(shared=query.shared), "share-2"
    if query.is_combined:
        return tr("combined"), "layers"
    if query.detail_of is not None:
        return tr("detail of {query}").format(query=query.detail_of.query), "split"
    return tr("on {connection}").format(connection=query.connection), "file-text"


def _adder(message: str, run: object) -> QToolButton:
    button = QToolButton()
    button.setObjectName("quiet-button")
    button.setIcon(icon("plus"))
    button.setToolTip(message)
    button.setAccessibleName(message)
    button.clicked.connect(lambda: run())  # type: ignore[operator]
    return button


def _section(text: str, button: QToolButton) -> QHBoxLayout:
    line = QHBoxLayout()
    label = QLabel(text)
    label.setObjectName("section")
    line.addWidget(label, 1)
    line.addWidget(button)
    return line


def _message_entry(text: str, color: str = STONE_TEXT) -> QTreeWidgetItem:
    item = QTreeWidgetItem([text])
    item.setForeground(0, ink(color))
    item.setToolTip(0, text)
    return item


def _table_entry(connection: str, table: CatalogTable) -> QTreeWidgetItem:
    rows = "" if table.rows is None else f"{'≈' * table.is_estimate}{number_text(table.rows)}"
    size = tr("view") if table.is_view else rows
    texts = [table.name, tr("error") if table.fault else size]
    shown = QTreeWidgetItem(texts)
    drawing = "triangle-alert" if table.fault else "eye" if table.is_view else "table-2"
    shown.setIcon(0, icon(drawing, ROWAN) if table.fault else icon(drawing))
    shown.setData(0, _NODE, Node("table", connection, table.name))
    shown.setForeground(1, ink(ROWAN if table.fault else STONE_TEXT))
    shown.setTextAlignment(1, Qt.AlignmentFlag.AlignRight)
    shown.setToolTip(0, plain_tip(core_text(table.fault) if table.fault else table.comment))
    shown.addChildren([_column_entry(connection, column) for column in table.columns])
    return shown


def _column_entry(connection: str, column: CatalogColumn) -> QTreeWidgetItem:
    kind = column.type.lower()
    item = QTreeWidgetItem([column.name, column.references or kind])
    item.setIcon(0, icon("key-round" if column.is_key else "link" if column.references else _drawing_of(kind)))
    item.setData(0, _NODE, Node("column", connection, column.name))
    item.setForeground(1, ink(STONE_TEXT))
    about = f"{column.name}: {kind or tr('any type')}"
    item.setToolTip(0, plain_tip(f"{about}\n{column.comment}" if column.comment else about))
    return item


def _drawing_of(kind: str) -> str:
    return next((drawing for part, drawing in _DRAWINGS if part in kind), "type")


def _routine_entry(connection: str, routine: Routine) -> QTreeWidgetItem:
    shown = f"{routine.name}({', '.join(each.name or each.type for each in routine.arguments)})"
    item = QTreeWidgetItem([shown, tr("procedure") if routine.is_procedure else tr("function")])
    item.setIcon(0, icon("square-function"))
    item.setData(0, _NODE, Node("routine", connection, routine.signature))
    item.setForeground(1, ink(STONE_TEXT))
    item.setToolTip(0, plain_tip(routine.signature))
    return item
