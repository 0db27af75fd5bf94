"""The library's connections in the window: what they hold is read, and they are added, changed and removed."""

from contextlib import suppress
from typing import Protocol

from PyQt6.QtCore import QObject, QPoint, QTimer, pyqtSignal
from PyQt6.QtWidgets import QDialog, QMessageBox

from northmoor.app.data.catalog_tree import CatalogPanel, Node
from northmoor.app.data.connection_dialog import ConnectionDialog
from northmoor.app.data.query.query_actions import QueryActions
from northmoor.app.data.signals.signal_controller import SignalController
from northmoor.app.document_controller import DocumentController
from northmoor.app.language.translation import tr
from northmoor.app.widgets.menus import menu_of
from northmoor.app.worker import Worker
from northmoor.core.authoring.queries.routine_calls import routine_call
from northmoor.core.errors import NorthmoorError, WrongPassword
from northmoor.core.model.data.connections import ServerConnection
from northmoor.core.model.data.queries import Query
from northmoor.core.sources.builder.edits import select_all
from northmoor.core.sources.builder.select_model import select_sql
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.fetch.query_resolution import fill_shared
from northmoor.core.sources.library import Library


class ConnectionHost(Protocol):
    """What this needs of the workspace."""

    controller: DocumentController
    catalog_worker: Worker
    panel: CatalogPanel
    queries: QueryActions
    signals: SignalController

    @property
    def library(self) -> Library: ...
    def insert(self, name: str) -> None: ...
    def show_first_rows(self, connection: str, table: str) -> None: ...
    def show_fault(self, error: NorthmoorError) -> None: ...


class ConnectionController(QObject):
    """Knows what each connection holds, as far as it has been read."""

    catalog_read = pyqtSignal(object)
    changed = pyqtSignal()

    def __init__(self, data: ConnectionHost) -> None:
        super().__init__()
        self._data = data
        self.known: dict[str, Catalog] = {}
        self._asked: set[str] = set()
        self._wanted: set[str] = set()
        """Those that somebody wanted to see, though no query uses them."""
        self.catalog_read.connect(self._show_catalog)

    def forget(self) -> None:
        """Another report was opened: its library's passwords may be asked for."""
        self._asked, self._wanted = set(), set()
        self.read()

    def read(self, only: str | None = None, refresh: bool = False) -> None:
        """Read what the connections hold, or one of them, again if asked."""
        library = self._data.library
        self._wanted |= {only} if only is not None else set()
        if only is None:
            self.known = {}
            self._data.panel.show_connections(library.connections.connections)
        for connection in library.connections.connections:
            name = connection.name
            if only in (None, name):
                self._data.catalog_worker.run_task(
                    lambda stop, name=name: library.catalog(name, stop, refresh),  # type: ignore[misc]
                    lambda found, name=name: self.catalog_read.emit((name, found)),  # type: ignore[misc]
                )

    def _show_catalog(self, read_one: tuple[str, Catalog | Exception]) -> None:
        name, found = read_one
        if isinstance(found, Catalog):
            self.known[name] = found
            self._data.panel.show_catalog(name, found)
        else:
            self._data.panel.show_catalog(name, str(getattr(found, "message", found)))
            if isinstance(found, WrongPassword) and (name in self._wanted or name in self._used()):
                self.ask_password(name)
        self.changed.emit()

    def _used(self) -> set[str | None]:
        """The connections of the report's queries."""
        report, used = self._data.controller.report, set[str | None]()
        for query in report.queries if report is not None else ():
            with suppress(NorthmoorError):  # a query of the library that is not there uses none
                used.add(fill_shared(query, self._data.library).connection)
        return used

    def ask(self, name: str | None) -> None:
        """Ask for a new connection, or change one."""
        if self._data.controller.library is None:
            return
        connection = self._data.library.connection(name) if name else None
        dialog = ConnectionDialog(self._data.library, self._data.catalog_worker, connection, self._data.panel)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            self.read()
            self._data.controller.changed.emit()

    def menu(self, node: Node, at: QPoint) -> None:
        """Open the menu of an entry of the tree."""
        name = node.connection
        entries: list[tuple[str, object]] = []
        if node.kind == "table":
            entries += [
                (tr("First rows (Space)"), lambda: self._data.show_first_rows(name, node.name)),
                (tr("New query from it"), lambda: self.query_from_table(name, node.name)),
                ("", None),
                *self._data.signals.entries_of_table(name, node.name),
            ]
        elif node.kind == "routine":
            entries.append((tr("New query from it"), lambda: self.query_from_routine(name, node.name)))
        elif node.kind == "connection":
            entries += [
                (tr("Change …"), lambda: self.ask(name)),
                (tr("Reload"), lambda: self.read(name, refresh=True)),
                ("", None),
                (tr("Remove from the library"), lambda: self.remove(name)),
            ]
        else:
            entries.append(
                (tr("Insert {name} into the SQL").format(name=node.name), lambda: self._data.insert(node.name))
            )
        menu_of(self._data.panel, entries).popup(at)

    def query_from_table(self, connection: str, name: str) -> None:
        """Add a query that takes a table."""
        table = self.known.get(connection, Catalog()).table(name)
        if table is not None:
            dialect = self._data.library.driver(connection).dialect
            sql = select_sql(select_all(table, dialect))
            self._data.queries.add(Query(name=self._data.queries.free_name(name), connection=connection, sql=sql))

    def query_from_routine(self, connection: str, signature: str) -> None:
        """Add a query that calls a routine, and a parameter for each argument."""
        found = [r for r in self.known.get(connection, Catalog()).routines if r.signature == signature]
        report = self._data.controller.report
        if found and report is not None:
            dialect = self._data.library.driver(connection).dialect
            parameters, sql = routine_call(found[0], dialect, report)
            name = self._data.queries.free_name(found[0].name)
            self._data.queries.add(Query(name=name, connection=connection, sql=sql), parameters)

    def remove(self, name: str) -> None:
        """Take a connection out of the library, after saying which queries use it."""
        panel, report = self._data.panel, self._data.controller.report
        used = [q.name for q in report.queries if q.connection == name] if report is not None else []
        message = tr(" {used} of this report use it.").format(used=", ".join(used)) if used else ""
        text = tr("Remove {name} from the library?{message} The data themselves stay.").format(
            name=name, message=message
        )
        buttons = QMessageBox.StandardButton
        offered = buttons.Yes | buttons.Cancel
        if QMessageBox.question(panel, tr("Remove the connection"), text, offered) == buttons.Yes:
            try:
                self._data.library.remove(name)
            except NorthmoorError as error:
                self._data.show_fault(error)
            self.read()
            self._data.controller.changed.emit()

    def ask_password(self, name: str) -> None:
        """Ask for a server's password, once for each time a report is opened."""
        if name in self._asked or not name:
            return
        self._asked.add(name)
        connection = self._data.library.connection(name)
        if isinstance(connection, ServerConnection):
            QTimer.singleShot(0, lambda: self.ask(name))
