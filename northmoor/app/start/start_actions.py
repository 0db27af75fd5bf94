"""Beginning a report: from a file of data, from nothing, from another report, or with the demo."""

import sys
from collections.abc import Sequence
from pathlib import Path
from typing import TYPE_CHECKING

from PyQt6.QtCore import QObject, QProcess, QSettings, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog, QWidget

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.widgets.waiting import wait_for
from northmoor.app.worker import Worker
from northmoor.core.authoring.starters.starter_layouts import empty_report
from northmoor.core.base.readable_names import readable_name
from northmoor.core.errors import NorthmoorError
from northmoor.core.model import page_templates
from northmoor.core.model.data.connections import CONNECTION_KINDS
from northmoor.core.model.report import Report
from northmoor.core.sources.library import Library
from northmoor.core.store.page_template_files import read_page
from northmoor.core.store.report_files import load_report, save_report

if TYPE_CHECKING:
    from northmoor.app.start.keys_dialog import CommandKeys
    from northmoor.app.start.report_starter.new_report_dialog import NewReportDialog

DATA_FILES = tr(
    "Data (*.csv *.tsv *.xlsx *.ods *.parquet *.json *.xml *.sqlite *.sqlite3 *.db *.duckdb);;All files (*)"
)
REPORTS = tr("Reports (*.moor)")
_DEMO = "northmoor-demo"
_FIRST = "reports/fares-by-route.moor"


def start_window(reports: Sequence[Path]) -> bool:
    """Start the program once more, with some reports open; whether it could be."""
    process = QProcess()
    process.setProgram(sys.executable)
    process.setArguments(["-m", "northmoor", "open", *map(str, reports)])
    process.setStandardOutputFile(QProcess.nullDevice())  # whoever reads our output is not kept waiting
    process.setStandardErrorFile(QProcess.nullDevice())
    return process.startDetached()[0]


class StartActions(QObject):
    """`wanted` tells of the file of a report that was begun, and is to be opened."""

    message = pyqtSignal(str, str)
    wanted = pyqtSignal(object)
    restart_wanted = pyqtSignal()

    def __init__(self, controller: DocumentController, worker: Worker, settings: QSettings, window: QWidget) -> None:
        super().__init__(window)
        self._controller, self._worker, self._settings, self._window = controller, worker, settings, window
        self.dialog: NewReportDialog | None = None

    def new_from_data(self, path: Path | None = None) -> None:
        """Begin a report on a file of data; the library is the one around it, or its folder becomes one."""
        if path is None:
            chosen, _ = QFileDialog.getOpenFileName(self._window, tr("Choose the data"), str(Path.home()), DATA_FILES)
            if not chosen:
                return
            path = Path(chosen)
        try:
            library = Library.around(path, self._controller.secrets)
            connection = library.connect(str(path))
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")
        else:
            self._choose_tables(library, connection, path.name)

    def connect_to_server(self) -> None:
        """Begin a report on what a server has: the folder of the reports is asked for, then the connection."""
        title = tr("Choose the folder where your reports are kept")
        folder = QFileDialog.getExistingDirectory(self._window, title, str(Path.home()))
        if not folder:
            return
        from northmoor.app.data.connection_dialog import ConnectionDialog  # dialogs are loaded on first use

        try:
            library = Library.around(Path(folder), self._controller.secrets)
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")
            return
        dialog = ConnectionDialog(library, self._worker, None, self._window)
        dialog.choose_kind(next(kind.name for kind in CONNECTION_KINDS if kind.is_server))
        if dialog.exec() == ConnectionDialog.DialogCode.Accepted:
            self._choose_tables(library, dialog.name.text(), dialog.name.text())

    def _choose_tables(self, library: Library, connection: str, shown: str) -> None:
        """Let a report begin with the tables of a connection."""
        try:
            catalog = wait_for(
                lambda stop: library.catalog(connection, stop),
                self._window,
                tr("Reading the tables of {file} …").format(file=shown),
            )
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")
            return
        from northmoor.app.start.report_starter.new_report_dialog import (
            NewReportDialog,  # dialogs are loaded on first use
        )

        tables = [table for table in catalog.tables if table.fault is None]
        self.dialog = NewReportDialog(None, {}, self._worker, library, self._window)
        self.dialog.begun.connect(self._begin)
        self.dialog.add_tables(connection, tables)
        self.dialog.open()

    def new_empty(self) -> None:
        """Begin with an empty page, or one that the library keeps, under a name that is asked for."""
        path = self._ask_path("report.moor")
        if path is None:
            return
        try:
            report = self._with_kept_page(empty_report(readable_name(path.stem)), Library.around(path.parent))
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")
            return
        if report is not None:
            self._begin(report, path)

    def _with_kept_page(self, report: Report, library: Library) -> Report | None:
        """An empty report with the page that is chosen of those that a library keeps; None where none is chosen. Raises
        ReportFileError."""
        kept = sorted((library.root / page_templates.FOLDER).glob(f"*{page_templates.ENDING}"))
        if not kept:
            return report
        names = [tr("Empty page"), *(path.name.removesuffix(page_templates.ENDING) for path in kept)]
        name, is_chosen = QInputDialog.getItem(self._window, tr("New report"), tr("Page"), names, 0, False)
        if not is_chosen or name == names[0]:
            return report if is_chosen else None
        template = read_page(kept[names.index(name) - 1])
        return page_templates.with_page(report, report.editions[0].name, template)

    def new_from_report(self) -> None:
        """Begin with a copy of another report."""
        chosen, _ = QFileDialog.getOpenFileName(self._window, tr("Choose a report to copy"), str(Path.home()), REPORTS)
        if not chosen:
            return
        source = Path(chosen)
        path = self._ask_path(str(source.with_name(f"{source.stem}-copy{source.suffix}")))
        if path is None:
            return
        try:
            report = load_report(source)
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")
        else:
            self._begin(report, path)

    def new_window(self) -> None:
        """Open another window: a process of its own, so that nothing there disturbs what is open here."""
        if not start_window(()):
            self.message.emit(tr("No other window could be started. Start Northmoor once more instead."), "fault")

    def ask_preferences(self) -> None:
        """Ask for the preferences of the window."""
        from northmoor.app.start.preferences_dialog import PreferencesDialog  # dialogs are loaded on first use

        dialog = PreferencesDialog(self._settings, self._window)
        dialog.restart_wanted.connect(self.restart_wanted.emit)
        dialog.open()

    def ask_keys(self, commands: "Sequence[CommandKeys]") -> None:
        """Ask for the keys of commands."""
        from northmoor.app.start.keys_dialog import KeysDialog

        KeysDialog(commands, self._settings, self._window).open()

    def demo(self) -> None:
        """Open the demo, which is made in the home folder where it is not there yet."""
        folder = Path.home() / _DEMO
        try:
            if not (folder / _FIRST).is_file():
                wait_for(
                    lambda _: _make_demo(folder),
                    self._window,
                    tr("Making the demo in {folder} …").format(folder=folder),
                )
        except (NorthmoorError, OSError) as error:
            self.message.emit(
                tr("The demo cannot be made in {folder}: {error}").format(folder=folder, error=error), "fault"
            )
            return
        self.wanted.emit(folder / _FIRST)

    def _ask_path(self, proposed: str) -> Path | None:
        name, _ = QFileDialog.getSaveFileName(self._window, tr("Save the new report as"), proposed, REPORTS)
        path = Path(name) if name else None
        return path if path is None or path.suffix else path.with_suffix(".moor")

    def _begin(self, report: Report, path: Path) -> None:
        try:
            path.parent.mkdir(parents=True, exist_ok=True)
            save_report(report, path)
        except OSError as error:
            self.message.emit(
                tr("The report cannot be saved in {parent}: {error}.").format(parent=path.parent, error=error.strerror),
                "fault",
            )
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")
        else:
            self.wanted.emit(path)


def _make_demo(folder: Path) -> None:
    from northmoor.demo.demo_library import make_library  # it is needed only once

    folder.mkdir(parents=True, exist_ok=True)
    make_library(folder)
