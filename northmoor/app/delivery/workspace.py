"""The Delivery workspace: orders and the archive at the left, runs in the centre, what is chosen at the right."""

import sqlite3
import threading
from collections.abc import Callable, Sequence
from datetime import UTC, date, datetime, time, timedelta
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QPoint, Qt, QTimer, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices, QHideEvent, QShowEvent
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QMessageBox,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.delivery.compare_dialog import CompareDialog
from northmoor.app.delivery.delivery_snapshot import DeliverySnapshot, OrderLine, RunLine, moment_words, read_snapshot
from northmoor.app.delivery.order_form.order_dialog import OrderDialog, OrderDraft
from northmoor.app.delivery.order_list import OrderPanel
from northmoor.app.delivery.run_list import RunList
from northmoor.app.delivery.run_panel import DetailPanel
from northmoor.app.delivery.week_strip import WeekStrip
from northmoor.app.document_controller import DocumentController
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr, tr_count
from northmoor.app.widgets.headings import line
from northmoor.app.widgets.menus import give_letters
from northmoor.app.worker import Worker
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.delivery.archive.archive_index import IndexedRun, RunFilter
from northmoor.core.delivery.archive.run_folder import FILES
from northmoor.core.delivery.archive.run_record import RunRecord
from northmoor.core.delivery.destinations.destination import FolderDestination
from northmoor.core.delivery.library_delivery import LibraryDelivery
from northmoor.core.delivery.orders.order_files import free_order_name, remove_order
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.runs.run_request import RunRequest
from northmoor.core.delivery.runs.value_texts import given_again
from northmoor.core.delivery.service.systemd_unit import install_unit, remove_unit, unit_folder, unit_name
from northmoor.core.errors import NorthmoorError, OutputError
from northmoor.core.sources.library import REPORTS_FOLDER

_LOOK_EVERY = 2_000
_PATIENCE = 12
"""Seconds that what is under way has to stop when the window is closed."""
_SEARCH_AFTER = 250  # milliseconds after the last key
_STATES = (
    (tr("any state"), ()), (tr("done"), ("done",)), (tr("with findings"), ("done_with_findings",)),
    (tr("failed"), ("failed",)), (tr("not made or stopped"), ("left_out", "stopped", "interrupted")),
)  # fmt: skip
_TIMES = (
    (tr("any time"), None),
    (tr("today"), 0),
    (tr("the last 7 days"), 6),
    (tr("the last 31 days"), 30),
    (tr("the last year"), 365),
)


class DeliveryWorkspace(QWidget):
    """Shows what was delivered, and what will be."""

    message = pyqtSignal(str, str)
    status_changed = pyqtSignal(str, str)
    _read = pyqtSignal(object, object)
    _done = pyqtSignal(object, object)

    def __init__(self, controller: DocumentController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._controller = controller
        self._worker = Worker()  # what reads the archive waits for nothing else
        self._tasks: list[tuple[threading.Thread, CancelToken]] = []
        self.delivery: LibraryDelivery | None = None
        self.now: Callable[[], datetime] = lambda: datetime.now(UTC)
        self.wanted = RunFilter()
        self.snapshot = DeliverySnapshot()
        self._is_reading = False
        self._is_stale = False
        self._chosen_order = ""
        self._shown: RunLine | None = None
        self.panel, self.week, self.list, self.details = OrderPanel(), WeekStrip(), RunList(), DetailPanel()
        self.search = QLineEdit()
        self.state, self.when, self.count = QComboBox(), QComboBox(), QLabel()
        self._lay_out()
        self._connect()
        self._timer = QTimer(self)
        self._timer.setInterval(_LOOK_EVERY)
        self._timer.timeout.connect(self.refresh)
        self._typing = QTimer(self)
        self._typing.setSingleShot(True)
        self._typing.setInterval(_SEARCH_AFTER)
        self._typing.timeout.connect(self._narrow)

    def _lay_out(self) -> None:
        self.search.setPlaceholderText(tr("report, value, or words on its pages"))
        self.search.setAccessibleName(tr("Search runs"))
        self.search.setToolTip(tr("Search titles, values and all words on the pages of runs"))
        self.search.setClearButtonEnabled(True)
        for combo, name, entries in ((self.state, tr("State"), _STATES), (self.when, tr("Time"), _TIMES)):
            combo.setAccessibleName(name)
            combo.setToolTip(tr("{name} of the runs that are listed").format(name=name))
            for text, value in entries:
                combo.addItem(text, value)
        self.count.setObjectName("quiet")
        row = QHBoxLayout()
        row.setContentsMargins(14, 8, 14, 8)
        row.setSpacing(8)
        row.addWidget(self.search, 1)
        row.addWidget(self.state)
        row.addWidget(self.when)
        row.addWidget(self.count)
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self.week)
        column.addWidget(line())
        column.addLayout(row)
        column.addWidget(line())
        column.addWidget(self.list, 1)
        self.split = QSplitter()
        for part in (self.panel, middle, self.details):
            self.split.addWidget(part)
        self.split.setSizes([246, 698, 272])
        self.split.setStretchFactor(1, 1)
        self.split.setHandleWidth(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.split)
        self._menu = QMenu(self)
        self._menu.aboutToShow.connect(self._fill_service_menu)
        self.panel.service.setMenu(self._menu)

    def _connect(self) -> None:
        self._read.connect(self._show)
        self._done.connect(lambda done, result: done(result))
        self.search.textChanged.connect(lambda _: self._typing.start())
        self.search.returnPressed.connect(self.list.setFocus)
        for combo in (self.state, self.when):
            combo.currentIndexChanged.connect(lambda _: self._narrow())
        self.week.day_chosen.connect(lambda _: self._narrow())
        self.list.chosen.connect(self._show_run)
        self.list.opened.connect(lambda _: self._act("open"))
        self.panel.new.clicked.connect(lambda _=False: self.new_order())
        self.panel.order_chosen.connect(self._choose_order)
        self.panel.order_opened.connect(lambda _: self._act("edit_order"))
        self.panel.report_chosen.connect(self._choose_report)
        self.details.wanted.connect(self._act)
        for view in (self.list, self.panel.orders):
            view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
            view.customContextMenuRequested.connect(partial(self._open_menu, view))
        self._controller.opened.connect(self._take_library)
        self._controller.closed.connect(self._take_library)

    # what there is

    def _take_library(self) -> None:
        """Show the archive of the library that the report is in."""
        library = self._controller.library
        root = library.root.resolve() if library is not None else None
        if self.delivery is not None and self.delivery.root == root:
            return
        if self.delivery is not None:
            old, self.delivery = self.delivery, None
            self._worker.run_task(lambda _: old.close(), lambda _: None)  # after whatever reads it still
        self.search.clear()
        for combo in (self.state, self.when):
            combo.setCurrentIndex(0)
        self.week.choose_none()
        self.wanted, self._is_reading = RunFilter(), False
        self._show_nothing()
        if self.isVisible():
            self._open(root)

    def _open(self, root: Path | None) -> None:
        if root is None:
            return
        try:
            self.delivery = LibraryDelivery(root)
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")
            return
        self.refresh()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Look at the archive, and look again now and then."""
        super().showEvent(event)
        if self.delivery is None and self._controller.library is not None:
            self._open(self._controller.library.root.resolve())
        self.refresh()
        self._timer.start()

    def hideEvent(self, event: QHideEvent | None) -> None:
        """Nobody looks."""
        super().hideEvent(event)
        self._timer.stop()

    def close_archive(self) -> None:
        """Be done with the archive; runs that are being made are ended."""
        self._timer.stop()
        for thread, stop in self._tasks:
            stop.cancel()
            thread.join(_PATIENCE)
        self._worker.close()
        if self.delivery is not None:
            self.delivery.close()
            self.delivery = None

    def refresh(self) -> None:
        """Read again what there is."""
        if self.delivery is None:
            return
        if self._is_reading:
            self._is_stale = True
            return
        self._is_reading = True
        delivery, wanted, now = self.delivery, self.wanted, self.now()

        def task(_: CancelToken) -> object:
            try:
                return delivery, wanted, read_snapshot(delivery, wanted, now)
            except (OSError, sqlite3.Error) as error:
                raise OutputError(
                    tr("The archive cannot be read ({error}); see that its folder is there.").format(error=error)
                ) from error

        self._worker.run_task(task, partial(self._read.emit, delivery))

    def _show(self, delivery: object, result: Any) -> None:
        self._is_reading = False
        if delivery is not self.delivery:
            return
        if isinstance(result, NorthmoorError):
            self.message.emit(str(result), "fault")
            return
        _, wanted, self.snapshot = result
        if wanted != self.wanted or self._is_stale:
            self._is_stale = False
            self.refresh()
        found = self.snapshot
        self.panel.show_orders(found.orders)
        self.panel.show_reports(found.reports)
        self.panel.show_service(found.service)
        self.week.show_days(found.days)
        self.list.show_runs(found.runs)
        self.count.setText(tr_count(found.count, "{count} run", "{count} runs"))
        if self._chosen_order:
            self._show_order()
        self._show_status()

    def _show_status(self) -> None:
        today, failed = self.snapshot.today
        left = tr_count(today, "{count} run today", "{count} runs today") + (
            tr(", {failed:,} failed").format(failed=failed) if failed else ""
        )
        due = self.snapshot.next_due
        right = (
            tr("next: {order}, {when}").format(order=due[0], when=moment_words(due[1], self.now()))
            if due is not None
            else ""
        )
        self.status_changed.emit(left, right)

    def _narrow(self) -> None:
        """List the runs that are searched for."""
        days, zone = self.when.currentData(), self.now().astimezone().tzinfo
        today = self.now().astimezone(zone).date()
        since = None if days is None else datetime.combine(today - timedelta(days=days), time(), zone)
        until = None
        day = next((button.marks.day for button in self.week.buttons if button.isChecked()), None)
        if day is not None:
            since, until = _day_limits(day, zone)
        self.wanted = replace(
            self.wanted, words=self.search.text(), states=self.state.currentData(), since=since, until=until
        )
        self.refresh()

    def _choose_report(self, report: str | None) -> None:
        self.wanted = replace(self.wanted, report=report)
        self._chosen_order = ""
        self.refresh()

    # what is chosen

    def _show_run(self, shown: RunLine | None) -> None:
        if shown is None or self.delivery is None or (self._chosen_order and not self.list.hasFocus()):
            return
        if shown == self._shown:
            return
        self._shown = shown
        if self._chosen_order:
            self._chosen_order = ""
            self.panel.choose_none()
        record, handed, has_earlier = None, [], False
        if shown.run is not None:
            try:
                record = self.delivery.archive.record(shown.run)
            except NorthmoorError as error:
                self.message.emit(core_text(error), "fault")
                return
            handed = self.delivery.archive.handed_over(shown.run)
            has_earlier = self._earlier(shown.run) is not None
        self.details.show_run(shown, record, handed, has_earlier)

    def _earlier(self, run: IndexedRun) -> IndexedRun | None:
        """The whole run of the same report before a run."""
        assert self.delivery is not None
        wanted = RunFilter(report=run.report, states=("done", "done_with_findings"), until=run.started)
        return next(iter(self.delivery.find(wanted, 1)), None)

    def _choose_order(self, name: str) -> None:
        self._chosen_order = name
        self.list.clearSelection()
        self._show_order()

    def _show_nothing(self) -> None:
        self._chosen_order, self._shown = "", None
        self.details.show_nothing()

    def _show_order(self) -> None:
        shown = self._order_line()
        if shown is None or self.delivery is None:
            self._show_nothing()
            return
        self._shown = None
        self.details.show_order(shown, self.delivery.wanted(shown.name, 6))

    def _order_line(self) -> OrderLine | None:
        return next((each for each in self.snapshot.orders if each.name == self._chosen_order), None)

    # what is done

    def _act(self, name: str) -> None:
        """Do what was asked for with the chosen run or order."""
        if self.delivery is None:
            return
        try:
            getattr(self, f"_do_{name}")()
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")

    def _open_menu(self, view: QAbstractItemView, place: QPoint) -> None:
        """Offer at the run or order what the panel at the right offers for it."""
        if not view.indexAt(place).isValid() or not self.details.buttons:
            return
        menu = QMenu(view)
        menu.setToolTipsVisible(True)
        for name, button in self.details.buttons.items():
            action = menu.addAction(button.icon(), button.text())
            assert action is not None
            action.setToolTip(button.toolTip())
            action.triggered.connect(lambda _=False, name=name: self._act(name))
        give_letters(menu)
        viewport = view.viewport()
        assert viewport is not None
        menu.popup(viewport.mapToGlobal(place))

    def _run(self) -> tuple[IndexedRun, RunRecord] | None:
        shown = self.list.line
        if shown is None or shown.run is None or self.delivery is None:
            return None
        return shown.run, self.delivery.archive.record(shown.run)

    def _do_open(self) -> None:
        found = self._run()
        if found is not None and found[1].files and self.delivery is not None:
            path = self.delivery.archive.folder(found[0]) / FILES / found[1].files[0].name
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(path)))

    def _do_open_folder(self) -> None:
        found = self._run()
        if found is not None and self.delivery is not None:
            folder = self.delivery.archive.folder(found[0]) / FILES
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(folder)))

    def _do_stop(self) -> None:
        shown = self.list.line
        if shown is not None and self.delivery is not None and self.delivery.stop(shown.id):
            self.message.emit(tr("{title} is being stopped").format(title=shown.title), "quiet")

    def _do_compare(self) -> None:
        found = self._run()
        earlier = self._earlier(found[0]) if found is not None else None
        if found is None or earlier is None or self.delivery is None:
            return
        delivery, after = self.delivery, found[0]
        before, now = earlier, self.now()
        self.message.emit(tr("Comparing"), "quiet")

        def show(result: Any) -> None:
            if isinstance(result, NorthmoorError):
                self.message.emit(str(result), "fault")
                return
            self.message.emit("", "quiet")
            sides = [
                (
                    f"{run.title} · {moment_words(run.started, now)} {run.given}".strip()[:90],
                    delivery.archive.folder(run),
                )
                for run in (before, after)
            ]
            CompareDialog(result, sides[0], sides[1], self).exec()

        self._later(lambda _: delivery.compare(before.id, after.id), show)

    def _do_deliver_again(self) -> None:
        found = self._run()
        folder = QFileDialog.getExistingDirectory(self, tr("Deliver again into"), str(Path.home())) if found else ""
        if not folder or found is None or self.delivery is None:
            return
        delivery, run = self.delivery, found[0]

        def show(result: Any) -> None:
            faults = [str(result)] if isinstance(result, NorthmoorError) else list(result.faults)
            self.message.emit(
                *((faults[0], "fault") if faults else (tr("Its files are in {folder}").format(folder=folder), "good"))
            )
            self.refresh()

        self._later(lambda stop: delivery.deliver(run.id, FolderDestination(path=folder), stop), show)

    def _do_run_again(self) -> None:
        found = self._run()
        if found is None or self.delivery is None:
            return
        record = found[1]
        values = given_again(record.values)
        formats = tuple(dict.fromkeys(Path(file.name).suffix[1:] for file in record.files)) or ("pdf",)
        request = RunRequest(
            library="", report=record.report, edition=record.edition or None, values=values, formats=formats
        )
        self.begin(request)

    def begin(self, request: RunRequest, folder: Path | None = None) -> None:
        """Make a run in the background and keep it, and put its files into a folder if one is given; the list shows how
        far it is."""
        if self.delivery is None and self._controller.library is not None:
            self._open(self._controller.library.root.resolve())
        delivery = self.delivery
        if delivery is None:
            return
        process = delivery.start(request)
        self.message.emit(tr("The run is being made; Delivery shows how far it is"), "quiet")

        def work(stop: CancelToken) -> object:
            with stop.on_cancel(process.stop):
                record = delivery.finished(process)
            if folder is not None and record.is_whole:
                handed = delivery.deliver(record.id, FolderDestination(path=str(folder), if_exists="replace"))
                if handed.faults:
                    raise OutputError(tr("The run is in the archive. {faults}").format(faults=handed.faults[0]))
            return record

        self._later(work, self._show_made)
        QTimer.singleShot(700, self.refresh)

    def _show_made(self, result: Any) -> None:
        if isinstance(result, NorthmoorError):
            self.message.emit(str(result), "fault")
        elif result.is_whole:
            self.message.emit(
                tr("{title} is in the archive: {count} files").format(title=result.title, count=len(result.files)),
                "good",
            )
        else:
            tone = "fault" if result.state == "failed" else "warning"
            self.message.emit(f"{result.title}: {core_text(result.reason)}", tone)
        self.refresh()

    def _later(self, task: Callable[[CancelToken], object], done: Callable[[Any], None]) -> None:
        """Do something in a thread of its own: a run takes as long as it takes."""
        stop = CancelToken()

        def work() -> None:
            try:
                result: object = task(stop)
            except NorthmoorError as error:
                result = error
            if not stop.is_cancelled():
                self._done.emit(done, result)

        thread = threading.Thread(target=work, daemon=True)
        self._tasks = [(each, its) for each, its in self._tasks if each.is_alive()] + [(thread, stop)]
        thread.start()

    # orders

    def new_order(self, order: StandingOrder | None = None) -> None:
        """Ask for a new order, perhaps one that is begun."""
        if self.delivery is None and self._controller.library is not None:
            self._open(self._controller.library.root.resolve())
        self._ask_order(OrderDraft("", order) if order is not None else None)

    def _do_edit_order(self) -> None:
        shown = self._order_line()
        if shown is not None and shown.order is not None:
            self._ask_order(OrderDraft(shown.name, shown.order))

    def _ask_order(self, draft: OrderDraft | None) -> None:
        library, delivery = self._controller.library, self.delivery
        if library is None or delivery is None:
            return
        reports = _reports(delivery.root)
        if not reports:
            self.message.emit(tr("The library has no reports yet; save one first."), "warning")
            return
        names = [file.name for file in delivery.orders() if draft is None or file.name != draft.name]
        dialog = OrderDialog(library, reports, draft, names, self)
        if dialog.exec() != OrderDialog.DialogCode.Accepted:
            return
        order = dialog.order
        name = draft.name if draft is not None and draft.name else free_order_name(delivery.root, order.title)
        delivery.save_order(name, order)
        self._chosen_order = name
        note = "" if delivery.service().is_running else tr(" The service does not run yet; start it at the lower left.")
        self.message.emit(
            tr("The order {title} is saved.{note}").format(title=order.title, note=note),
            "warning" if note else "good",
        )
        self.refresh()

    def _do_try_order(self) -> None:
        shown = self._order_line()
        if shown is None or shown.order is None or self.delivery is None:
            return
        delivery, name = self.delivery, shown.name
        self.message.emit(tr("Trying {title}; nothing is sent").format(title=shown.title), "quiet")
        self._later(lambda _: delivery.try_order(name), self._show_made)
        QTimer.singleShot(700, self.refresh)

    def _do_pause_order(self) -> None:
        shown = self._order_line()
        if shown is not None and shown.order is not None and self.delivery is not None:
            self.delivery.save_order(shown.name, shown.order.but(paused=not shown.order.paused))
            self.refresh()

    def _do_remove_order(self) -> None:
        shown = self._order_line()
        if shown is None or self.delivery is None:
            return
        text = tr("Remove the standing order {title}? Its runs stay in the archive.").format(title=shown.title)
        if QMessageBox.question(self, tr("Remove"), text) == QMessageBox.StandardButton.Yes:
            remove_order(self.delivery.root, shown.name)
            self._show_nothing()
            self.refresh()

    # the service

    def _fill_service_menu(self) -> None:
        self._menu.clear()
        if self.delivery is None:
            return
        root = self.delivery.root
        is_installed = (unit_folder() / unit_name(root)).is_file()
        entries: Sequence[tuple[str, Callable[[], str]]] = (
            (tr("Start with my session (systemd)"), lambda: install_unit(root)[1]),
            (tr("Stop and remove from my session"), lambda: remove_unit(root)),
        )
        for text, do in entries[1:] if is_installed else entries[:1]:
            self._menu.addAction(text, partial(self._do_service, do))
        how = tr("Run it in a terminal: northmoor service run {root}").format(root=root)
        self._menu.addAction(tr("How to run it from a terminal"), lambda: self.message.emit(how, "quiet"))
        give_letters(self._menu)

    def _do_service(self, do: Callable[[], str]) -> None:
        try:
            self.message.emit(core_text(do()), "good")
        except NorthmoorError as error:
            self.message.emit(core_text(error), "fault")
        self.refresh()


def _day_limits(day: date, zone: Any) -> tuple[datetime, datetime]:
    begin = datetime.combine(day, time(), zone)
    return begin, datetime.combine(day + timedelta(1), time(), zone)


def _reports(root: Path) -> list[str]:
    """The library's reports, by their paths in it."""
    folder = root / REPORTS_FOLDER
    found = sorted(folder.rglob("*.moor")) if folder.is_dir() else sorted(root.glob("*.moor"))
    return [path.relative_to(root).as_posix() for path in found]
