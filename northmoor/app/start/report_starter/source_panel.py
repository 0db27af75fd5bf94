"""Where the rows of a new report come from: a query, or a table with those joined to it by their keys."""

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QMenu, QToolButton, QVBoxLayout, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.widgets.flow_layout import FlowLayout
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.core.authoring.starters.starter_query import JoinedTable, StarterSource, joinable, without_join
from northmoor.core.errors import NorthmoorError
from northmoor.core.sources.drivers.catalog import Catalog, CatalogTable
from northmoor.core.sources.library import Library

_MOST_OFFERED = 30


class SourcePanel(QWidget):
    """`chosen` when other rows were chosen; `connect_wanted` with the name of a server whose tables are wanted."""

    chosen = pyqtSignal()
    connect_wanted = pyqtSignal(str)

    def __init__(self, queries: Sequence[str], library: Library) -> None:
        super().__init__()
        self._library = library
        self._tables: dict[tuple[str, str], CatalogTable] = {}
        self._joined: tuple[JoinedTable, ...] = ()
        self.source = QComboBox()
        self.source.setAccessibleName(tr("Data source"))
        self.source.setToolTip(tr("A query of the open report, or a table of the library's connections"))
        self.source.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        for query in queries:
            self.source.addItem(tr("Query · {query}").format(query=query), ("query", query))
        self.source.activated.connect(lambda _: self._choose())
        self.join = QToolButton()
        self.join.setText(tr("Join a table"))
        self.join.setIcon(icon("plus"))
        self.join.setObjectName("new-chip")
        self.join.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.join.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self.join.setToolTip(tr("Add the columns of a table that this one refers to by a key"))
        self._menu = QMenu(self.join)
        self._menu.aboutToShow.connect(self._fill_menu)
        self.join.setMenu(self._menu)
        self.chips: list[QToolButton] = []
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.source)
        self._joins = QWidget()
        self._flow = FlowLayout(self._joins)
        self._flow.addWidget(self.join)
        column.addWidget(self._joins)
        self._show_joined()

    def add_tables(self, connection: str, tables: Sequence[CatalogTable]) -> None:
        """Offer the tables of a connection."""
        at = self._entry("connect", connection)
        was_chosen = at >= 0 and at == self.source.currentIndex()
        if at >= 0:
            self.source.removeItem(at)
        for table in tables:
            if (connection, table.name) not in self._tables:
                self._tables[connection, table.name] = table
                self.source.addItem(f"{connection} · {table.name}", (connection, table.name))
        if was_chosen and tables:
            self.source.setCurrentIndex(self._entry(connection, tables[0].name))

    def _entry(self, first: str, name: str) -> int:
        """Where an entry of the data sources is; -1 for one that is not there."""
        return next((at for at in range(self.source.count()) if self.source.itemData(at) == (first, name)), -1)

    def add_server(self, connection: str) -> None:
        """Offer to read the tables of a server, which may ask for a password."""
        self.source.addItem(
            tr("{connection} · connect and read its tables…").format(connection=connection), ("connect", connection)
        )

    @property
    def current(self) -> str | StarterSource | None:
        """The name of a query of the open report, or a table with those joined to it; None while there is nothing."""
        data = self.source.currentData()
        if data is None or data[0] == "connect":
            return None
        first, name = data
        return name if first == "query" else StarterSource(first, self._tables[first, name], self._joined)

    def _choose(self) -> None:
        self._joined = ()
        data = self.source.currentData()
        if data is not None and data[0] == "connect":
            self.connect_wanted.emit(data[1])
        self._show_joined()
        self.chosen.emit()

    # joins

    def joinable(self) -> list[JoinedTable]:
        """The tables that can be joined to the chosen one."""
        source = self.current
        if not isinstance(source, StarterSource):
            return []
        catalog = Catalog(tuple(table for (name, _), table in self._tables.items() if name == source.connection))
        try:
            return joinable(catalog, source, self._library.driver(source.connection).dialect)
        except NorthmoorError:
            return []  # reading its fields says why

    def _fill_menu(self) -> None:
        self._menu.clear()
        found = self.joinable()
        for at, each in enumerate(found[:_MOST_OFFERED]):
            if at and found[at - 1].is_lookup and not each.is_lookup:
                self._menu.addSection(tr("Repeats rows: several of each"))
            own, other = each.way.pairs[0]
            text = (
                tr("{name}, by {to}.{other}").format(name=each.table.name, to=each.way.to, other=other)
                if each.is_lookup
                else tr("{name}, by {own}").format(name=each.table.name, own=own)
            )
            entry = self._menu.addAction(text.replace("&", "&&"))
            assert entry is not None
            entry.triggered.connect(partial(self.join_table, each))
        if self._menu.isEmpty():
            nothing = self._menu.addAction(tr("No other table refers to this one by a key; join it in Data"))
            assert nothing is not None
            nothing.setEnabled(False)

    def join_table(self, joined: JoinedTable, _: bool = False) -> None:
        """Join a table."""
        self._joined = (*self._joined, joined)
        self._show_joined()
        self.chosen.emit()

    def _remove(self, at: int, _: bool = False) -> None:
        source = self.current
        if isinstance(source, StarterSource):
            dialect = self._library.driver(source.connection).dialect
            self._joined = without_join(source, at, dialect).joined
            self._show_joined()
            self.chosen.emit()

    def _show_joined(self) -> None:
        for chip in self.chips:
            self._flow.removeWidget(chip)
            hide_and_delete(chip)
        self.chips = []
        for at, each in enumerate(self._joined):
            chip = QToolButton()
            chip.setObjectName("chip")
            chip.setText(each.table.name)
            chip.setIcon(icon("x", size=12))
            chip.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
            chip.setToolTip(
                tr("Joined by {to}.{pairs}; click to remove it").format(to=each.way.to, pairs=each.way.pairs[0][1])
            )
            chip.setAccessibleName(tr("Remove {name}").format(name=each.table.name))
            chip.clicked.connect(partial(self._remove, at))
            self.chips.append(chip)
            self._flow.addWidget(chip)
        self._flow.removeWidget(self.join)
        self._flow.addWidget(self.join)
        self._joins.setVisible(isinstance(self.current, StarterSource))
