"""All that can be searched from anywhere: commands, what can be done to what is selected, parts, fields, queries and
their connections, parameters, signals, other reports."""

from collections.abc import Iterator
from functools import partial
from pathlib import Path
from typing import TYPE_CHECKING, Protocol

from PyQt6.QtGui import QAction

from northmoor.app.data.signals.log_commands import LogCommand, log_commands
from northmoor.app.document_controller import DocumentController
from northmoor.app.language.translation import tr
from northmoor.app.pages.workspace import PagesWorkspace
from northmoor.app.parameters.bar import ParameterBar
from northmoor.app.search.matching import PaletteEntry
from northmoor.app.search.other_reports import OtherReports
from northmoor.app.shell.parameter_menu import narrowing_commands
from northmoor.app.widgets.menus import keys_text, plain_text

if TYPE_CHECKING:
    from northmoor.app.data.workspace import DataWorkspace


class Opener(Protocol):
    """Opens reports."""

    def open_beside(self, path: Path) -> object: ...


class SearchedWindow(Protocol):
    """What is searched of the window."""

    controller: DocumentController
    actions_by_name: dict[str, QAction]
    pages: PagesWorkspace
    parameters: ParameterBar
    other_reports: OtherReports

    @property
    def data(self) -> "DataWorkspace": ...
    @property
    def files(self) -> Opener: ...
    def show_query(self, name: str) -> None: ...
    def begin_log(self, command: LogCommand) -> None: ...
    def define_parameters(self, name: str = "") -> None: ...


def palette_entries(window: SearchedWindow) -> list[PaletteEntry]:
    """Everything, what belongs to the selection first."""
    commands = [
        PaletteEntry(plain_text(action).rstrip("…"), str(action.data()), "play", action.trigger,
                     keys_text(action.shortcut()))
        for name, action in window.actions_by_name.items() if action.isEnabled() and name != "find"
    ]  # fmt: skip
    own = [entry for entry in window.pages.part_commands() if entry.text not in {each.text for each in commands}]
    return [*own, *commands, *window.pages.entries(), *_of_queries(window), *_of_parameters(window),
            *_of_reports(window), *_of_logs(window)]  # fmt: skip


def _of_queries(window: SearchedWindow) -> Iterator[PaletteEntry]:
    report, library = window.controller.report, window.controller.library
    if report is None:
        return
    for query in report.queries:
        yield PaletteEntry(query.name, tr("query"), "file-text", partial(window.show_query, query.name))
        for connection in library.connections.connections if library is not None and not query.shared else ():
            if query.connection not in (None, connection.name) and query.signals is None:
                text = tr("Connection of {query}: {connection}").format(query=query.name, connection=connection.name)
                run = partial(_connect, window, query.name, connection.name)
                yield PaletteEntry(text, tr("query"), "database", run)
    for label, name in window.pages.fields.names():
        shown = window.pages.shown_query
        if shown is not None:
            text = tr("Rename the column {name} of {query}").format(name=name, query=shown)
            yield PaletteEntry(text, label, "pencil", partial(_rename, window, shown, name))


def _connect(window: SearchedWindow, query: str, connection: str) -> None:
    window.show_query(query)
    window.data.queries.change_connection(connection)


def _rename(window: SearchedWindow, query: str, column: str) -> None:
    window.show_query(query)
    window.data.columns_of_rows.rename(column)


def _of_parameters(window: SearchedWindow) -> Iterator[PaletteEntry]:
    for name, item in window.parameters.units.items():
        run = partial(window.parameters.go_to, name)
        yield PaletteEntry(item.parameter.shown_name, tr("parameter"), "sliders-horizontal", run)
    for command in narrowing_commands(window):
        yield PaletteEntry(
            command.text, tr("parameter"), "list-filter", command.run, other_words=tr("depends on, dependent")
        )


def _of_reports(window: SearchedWindow) -> Iterator[PaletteEntry]:
    for path in window.other_reports.paths:
        kind = tr("report: {folder}").format(folder=path.parent.name)
        yield PaletteEntry(path.stem, kind, "file-text", partial(window.files.open_beside, path))


def _of_logs(window: SearchedWindow) -> Iterator[PaletteEntry]:
    library = window.controller.library
    for each in log_commands(library, window.controller.report) if library is not None else ():
        yield PaletteEntry(each.text, tr("signals"), "gauge", partial(window.begin_log, each))
