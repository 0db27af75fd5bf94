"""The window: workspaces at the left, the bar with parameters on top, messages below."""

from collections.abc import Callable
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from PyQt6.QtCore import QSettings, QSize, Qt
from PyQt6.QtGui import QCloseEvent
from PyQt6.QtWidgets import (
    QApplication,
    QFrame,
    QHBoxLayout,
    QLabel,
    QMainWindow,
    QMenu,
    QMenuBar,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.actions import NEEDING_REPORT, OF_BLOCKS, fill_menus, shortcuts
from northmoor.app.data.signals.log_commands import LogCommand
from northmoor.app.delivery.delivery_actions import DeliveryActions
from northmoor.app.delivery.preflight_panel import PreflightButton
from northmoor.app.document_controller import WHOLE_PAGE, DocumentController
from northmoor.app.help.help_actions import Help
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import number_text, tr, tr_count
from northmoor.app.library_actions import LibraryActions
from northmoor.app.pages.inspector.form_body import SectionMemory
from northmoor.app.pages.part_menu.entries import PartCommand, fill_part_menu
from northmoor.app.pages.workspace import PagesWorkspace
from northmoor.app.parameters.bar import ParameterBar
from northmoor.app.report_file.file_actions import FileActions
from northmoor.app.search.command_palette import CommandPalette
from northmoor.app.search.other_reports import OtherReports
from northmoor.app.shell.link_navigation import LinkNavigation
from northmoor.app.shell.look_actions import StyleActions
from northmoor.app.shell.palette_entries import palette_entries
from northmoor.app.shell.panel_steps import step_panel
from northmoor.app.shell.parameter_menu import open_parameter_menu
from northmoor.app.shell.window_bars import DeliveredFile, DeliveryStatus, EditionChoice, WorkspaceSwitch
from northmoor.app.shell.work_progress import WorkProgress
from northmoor.app.shell.workspaces import Workspaces
from northmoor.app.start.file_drops import FileDrops
from northmoor.app.start.recent_reports import FirstPagePictures, RecentReports
from northmoor.app.start.report_starter.new_report_action import NewReportAction
from northmoor.app.start.start_actions import StartActions
from northmoor.app.start.start_page import StartPage
from northmoor.app.widgets.color_editor import RecentColors
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.menus import key_tip, plain_text, set_available, use_keys
from northmoor.app.widgets.notice import Notice
from northmoor.app.widgets.preferences import preferred_keys
from northmoor.app.widgets.theme import PAPER
from northmoor.app.widgets.widget_tools import first_size
from northmoor.app.worker import Checked, Rendered, RenderJob, ValuesResolved, Worker
from northmoor.core.compute.parameters.resolution import ResolvedValues
from northmoor.core.document import Document
from northmoor.core.layout.table.collapsing import Fold
from northmoor.core.model.findings import Finding

if TYPE_CHECKING:
    from northmoor.app.data.workspace import DataWorkspace
    from northmoor.app.delivery.workspace import DeliveryWorkspace
    from northmoor.app.parameters.dialog import ParametersDialog

_UNFOLDED = tr(" What is folded in the window is open in it; Printed folded folds it on paper.")


class Window(QMainWindow):
    """The main window on one report."""

    def __init__(self, settings: QSettings | None = None) -> None:
        super().__init__()
        self._settings = settings or QSettings("Northmoor", "Northmoor")
        self.controller = DocumentController()
        self.worker = Worker()
        for signal in (self.controller.changed, self.controller.values_changed, self.controller.folds_changed):
            signal.connect(self.show_report)  # it is rendered while panels follow
        self.pages = PagesWorkspace(self.controller, self.worker)
        self.catalog_worker = Worker()  # a server that is slow to answer holds up neither rows nor pages
        self.parameters = ParameterBar(self.controller)
        self.recent = RecentReports(self._settings)
        self.other_reports = OtherReports(self.controller, self.catalog_worker, self)
        self.files = FileActions(self.controller, self._settings, self.recent, self)
        self.delivery = DeliveryActions(self.controller, self.worker, self, self)
        self.start = StartPage(self.recent)
        self.beginning = StartActions(self.controller, self.catalog_worker, self._settings, self)
        FirstPagePictures(self.recent, self.controller, self.worker, lambda: self.shown_document)
        FileDrops(self).dropped.connect(self._open_dropped)
        self._workspaces = Workspaces(self._settings)
        self._editions = EditionChoice(self.controller)
        self._progress = WorkProgress()
        self._deliver, self._fetch = QPushButton(tr("Deliver")), QToolButton()
        self._title, self._facts, self._place_label, self._zoom_label = QLabel(), QLabel(), QLabel(), QLabel()
        self._notice, self.delivered_file = Notice(), DeliveredFile()
        self._switch = WorkspaceSwitch()
        self._switch.wanted.connect(self.show_workspace)
        self._rendered: Rendered | None = None
        self._job: RenderJob | None = None
        self._held_job: RenderJob | None = None
        self.dialog: ParametersDialog | None = None
        self.last_message = ("", "quiet")
        self.new_tab: Callable[[], object] = self.beginning.new_window
        """Opens another tab, or another window where there are no tabs."""
        self.findings = PreflightButton(self)
        recent_colors = RecentColors(self._settings)
        self.pages.inspector.recent_colors = recent_colors
        self.styling = StyleActions(self.controller, recent_colors, self)
        self.styling.message.connect(self.tell)
        self.starting = NewReportAction(self.controller, self.catalog_worker, lambda: self.data.catalogs, self)
        self.starting.message.connect(self.tell)
        self.starting.wanted.connect(self.files.open_beside)
        keys = preferred_keys(self._settings)
        self.help = Help(
            self, lambda: shortcuts(preferred_keys(self._settings)), lambda: self.controller.selection.kind
        )
        self.following = LinkNavigation(self.controller, self.pages.canvas, self.open, self)
        self.following.message.connect(self.tell)
        self.sharing = LibraryActions(self.controller, self.pages.blocks, self)
        self.sharing.message.connect(self.tell)
        self.pages.blocks.message.connect(self.tell)
        self.pages.arranging.message.connect(self.tell)
        self.following.trail_changed.connect(self._update_actions)
        self._resolved_job: RenderJob | None = None
        self._checked_job: RenderJob | None = None
        bar = self.menuBar()
        assert bar is not None
        self.actions_by_name = fill_menus(self, bar, keys)
        use_keys({name: action.shortcut() for name, action in self.actions_by_name.items()})
        self.pages.part_menu.window_command = self._window_command
        self._fill_selection_menu(bar)
        self._build()
        self._connect()
        self._restore()
        self._update_actions()

    @cached_property
    def data(self) -> "DataWorkspace":
        """The Data workspace, loaded when first needed: pages do not wait for it."""
        from northmoor.app.data.workspace import DataWorkspace

        made = DataWorkspace(self.controller, self.worker, self.catalog_worker)
        self._workspaces.add("data", made, made.split)
        return made

    @cached_property
    def deliveries(self) -> "DeliveryWorkspace":
        """The Delivery workspace, loaded when first needed."""
        from northmoor.app.delivery.workspace import DeliveryWorkspace

        made = DeliveryWorkspace(self.controller)
        made.message.connect(self.tell)
        made.status_changed.connect(self._delivery_status.show)
        self._workspaces.add("deliveries", made, made.split)
        return made

    def _workspace(self, name: str) -> QWidget:
        return self.data if name == "data" else self.deliveries if name == "delivery" else self.pages

    def _fill_selection_menu(self, bar: QMenuBar) -> None:
        """The menu of what can be done to the selected part, made when it is opened."""
        menu = QMenu(tr("&Selection"), bar)
        bar.insertMenu(bar.actions()[3], menu)  # after Insert

        def fill() -> None:
            menu.clear()
            fill_part_menu(menu, self.pages.part_menu.entries())

        menu.aboutToShow.connect(fill)

    # building

    def _build(self) -> None:
        self.setWindowTitle("Northmoor")
        self.setMinimumSize(960, 600)
        middle, right = QWidget(), QWidget()
        self.setCentralWidget(middle)  # from the outside inwards: Qt gives a look to all that is in what is added
        row = QHBoxLayout(middle)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self._switch)
        row.addWidget(right, 1)
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        self._bar = self._top()
        for widget in (self._bar, self._progress, self._workspaces):
            column.addWidget(widget)
        self._workspaces.add("pages", self.pages, self.pages.split)
        self._workspaces.addWidget(self.start)
        self._build_status()

    def _top(self) -> QWidget:
        bar = QFrame()
        bar.setObjectName("bar")
        bar.setMinimumHeight(44)
        row = QHBoxLayout(bar)
        row.setContentsMargins(14, 5, 12, 5)
        row.setSpacing(10)
        self._title.setObjectName("name")
        self._title.setTextFormat(Qt.TextFormat.PlainText)
        fetch = self._fetch
        fetch.setIcon(icon("refresh-cw"))
        key_tip(fetch, tr("Refresh data"), "refresh")
        fetch.setAccessibleName(tr("Refresh data"))
        fetch.clicked.connect(lambda: self.show_report(refresh=True))
        self._deliver.setObjectName("primary")
        self._deliver.setIcon(icon("send", PAPER))
        key_tip(self._deliver, tr("Write the pages as PDF, spreadsheet, web page and others"), "deliver")
        self._deliver.clicked.connect(lambda _=False: self.delivery.ask())
        row.addWidget(self._title)
        row.addWidget(self._editions)
        row.addSpacing(12)
        row.addWidget(self.parameters, 1)
        row.addWidget(fetch)
        row.addWidget(self._deliver)
        return bar

    def _build_status(self) -> None:
        status = self.statusBar()
        assert status is not None
        status.setSizeGripEnabled(False)
        status.setContentsMargins(10, 0, 10, 0)
        self._notice.setTextFormat(Qt.TextFormat.PlainText)  # it shows texts of reports and databases
        for widget in (self.findings.button, self._facts, self._notice, self.delivered_file):
            status.addWidget(widget)
        self._trace_button = trace = QToolButton()
        trace.setDefaultAction(self.actions_by_name["trace"])
        trace.setStyleSheet("QToolButton { border: none; background: transparent; }")
        key_tip(trace, tr("Trace: where a figure comes from, and the rows behind it"), "trace")
        status.addPermanentWidget(trace)
        for widget in (self._place_label, self._zoom_label):
            widget.setObjectName("quiet")
            status.addPermanentWidget(widget)
        self._facts.setObjectName("quiet")
        self._delivery_status = DeliveryStatus(status)

    def _connect(self) -> None:
        controller, worker, canvas = self.controller, self.worker, self.pages.canvas
        controller.opened.connect(self._opened)
        controller.changed.connect(self._update_actions)
        controller.held_changed.connect(self._resolve_held)
        controller.saved_changed.connect(self._update_actions)
        controller.closed.connect(self._closed)
        controller.refused.connect(lambda message: self.tell(message, "fault"))
        self.files.message.connect(self.tell)
        self.delivery.message.connect(self.tell)
        self.delivery.run_wanted.connect(lambda *wanted: self.deliveries.begin(*wanted))
        self.delivery.order_wanted.connect(lambda order: self.deliveries.new_order(order))
        self.beginning.message.connect(self.tell)
        self.beginning.wanted.connect(self.files.open_beside)
        self.start.wanted.connect(lambda name: self.actions_by_name[name].trigger())
        self.start.opened.connect(self.open)
        worker.resolved.connect(self._accept_resolved)
        worker.rendered.connect(self._show_rendered)
        worker.checked.connect(self._show_checked)
        worker.failed.connect(self._show_failure)
        self.catalog_worker.failed.connect(lambda message: self.tell(message, "fault"))
        worker.stopped.connect(lambda text: self.tell(text, "warning"))
        worker.page_shown.connect(self.pages.show_page)
        worker.progress.connect(lambda text: self.tell(self._progress.words_of(text), "quiet"))
        for each in (worker, self.catalog_worker):
            each.busy_changed.connect(self._show_busy)
        worker.rows_fetched.connect(lambda rows: self.tell("", "quiet") if rows.is_whole else None)
        worker.rows_failed.connect(lambda _: self.tell("", "quiet"))
        worker.delivered.connect(self._delivered)
        worker.delivery_failed.connect(lambda message: self.tell(message, "fault"))
        self.parameters.edit_wanted.connect(self.define_parameters)
        self.parameters.menu_wanted.connect(partial(open_parameter_menu, self))
        canvas.pages_wanted.connect(worker.show_pages)
        canvas.page_changed.connect(self._show_place)
        canvas.zoom_changed.connect(self._show_zoom)

    def _restore(self) -> None:
        self.resize(first_size(self, QSize(1280, 800)))
        self.pages.inspector.memory = SectionMemory(self._settings)
        self._show_empty()

    # the report

    def open(self, path: Path, values: dict[str, Any] | None = None) -> bool:
        """Open a report, with values for its parameters; whether that was done."""
        return self.files.open(path, values)

    @property
    def shown_document(self) -> Document | None:
        """The document whose pages are shown."""
        return self._rendered.document if self._rendered is not None else None

    def show_report(self, refresh: bool = False) -> None:
        """Render the report as it is now."""
        report, library = self.controller.report, self.controller.library
        if report is None or library is None:
            return
        self._job = RenderJob(
            report, self.controller.values, self.controller.edition_name, library, refresh, self.controller.folds
        )
        self.worker.render(self._job)
        if refresh and self._workspaces.has("data"):
            self.data.run_quietly()

    def define_parameters(self, name: str = "") -> None:
        """Open the dialog that defines parameters, at one of them."""
        if self.controller.report is None:
            return
        if self.dialog is None:
            from northmoor.app.parameters.dialog import ParametersDialog  # dialogs are loaded on first use

            self.dialog = ParametersDialog(self.controller, self.data.column_names, self)
        if name:
            self.dialog.pick(name)
        self.dialog.show()
        self.dialog.raise_()
        self.dialog.activateWindow()

    def _resolve_held(self) -> None:
        """Let lists follow the choices that are held back; the pages stay."""
        report, library = self.controller.report, self.controller.library
        if report is not None and library is not None and self.controller.held:
            self._held_job = RenderJob(report, self.controller.requested_values, self.controller.edition_name, library)
            self.worker.resolve_values(self._held_job)

    def _accept_resolved(self, found: ValuesResolved) -> None:
        if found.job not in (self._job, self._held_job if self.controller.held else self._job):
            return  # newer values are on their way
        if found.job is self._job and self.controller.held:
            return  # what is held back is shown, not what the pages have
        self._resolved_job = found.job
        self.controller.accept_resolved(found.resolved)
        if found.job is self._held_job:
            self.tell("", "quiet")  # no pages follow that would say it is done
        if found.job is self._job and found.resolved.stopping:
            self._show_unresolved(found.resolved, found.findings)

    def _show_unresolved(self, resolved: ResolvedValues, findings: tuple[Finding, ...]) -> None:
        """Values that cannot be used leave the last good pages shown."""
        first = next(iter(resolved.stopping.values()))
        self.tell(str(first), "fault")
        if self._rendered is None:
            message = "\n".join(core_text(fault) for fault in resolved.stopping.values())
            self.pages.canvas.show_message(tr("There are no pages yet.\n\n{message}").format(message=message))
        self.findings.show(findings)

    def add_field(self, as_what: str) -> None:
        """Put the fields chosen in Fields into the table."""
        fields = self.pages.fields.chosen()
        if not fields:
            self.tell(tr("Choose a field in Fields first."), "warning")
            return
        placing = self.pages.placing
        (placing.add_columns if as_what == "column" else placing.add_levels)(fields)

    def add_query(self) -> None:
        """Ask in Data what a new query runs on."""
        self.show_workspace("data")
        self.data.queries.new_menu()

    def add_connection(self) -> None:
        """Ask in Data for a new connection."""
        self.show_workspace("data")
        self.data.catalogs.ask(None)

    @property
    def is_up_to_date(self) -> bool:
        """Whether the pages in view are those of the report and values as they are now, and Preflight has seen them."""
        if (
            self._resolved_job is self._job
            and self.controller.resolved is not None
            and self.controller.resolved.stopping
        ):
            return True  # no page can be made of them
        return self._rendered is not None and self._checked_job is self._job and self.pages.canvas.is_idle

    # dialogs

    def toggle_trace(self) -> None:
        """Open Trace beside the pages, or close it."""
        self.show_workspace("pages")
        self.pages.toggle_trace()

    def show_findings(self) -> None:
        """List what is wrong with the report, and what would fix it."""
        self.findings.open()

    def begin_log(self, command: LogCommand) -> None:
        """Begin a query over a signal log."""
        self.show_workspace("data")
        self.data.signals.begin(command)

    def step_panel(self, step: int) -> None:
        """Give the keyboard to the next panel of the workspace, or to the one before."""
        step_panel([self.parameters, *self._workspaces.panels()], step)

    def show_finder(self) -> None:
        """Find a command, a part of the edition, a field or a report, and do what belongs to it."""
        self._finder = CommandPalette(palette_entries(self), self.pages.typed_commands, self._settings, self)
        self._finder.show()
        self._finder.line.setFocus()

    def show_properties(self) -> None:
        """Show the properties of the report, and of its page, in the inspector."""
        self.show_workspace("pages")
        self.controller.select(WHOLE_PAGE)
        self.pages.inspector.edit_first()

    def show_query(self, name: str) -> None:
        """Show a query in Data."""
        self.show_workspace("data")
        self.data.pick(name)

    # showing

    def show_workspace(self, name: str) -> None:
        """Show Data, Pages or Delivery; without a report, what can be begun."""
        if self.controller.report is None:
            return
        self._workspaces.setCurrentWidget(self._workspace(name))
        for widget in (self._place_label, self._zoom_label):
            widget.setVisible(name == "pages")
        for button in (self.findings.button, self._trace_button):
            button.setVisible(name != "delivery")
        self._facts.setVisible(name != "delivery")
        self._delivery_status.set_visible(name == "delivery")
        self._switch.mark(name)
        self._enable_blocks()

    def _enable_blocks(self) -> None:
        """Blocks are copied and taken out where they are seen."""
        is_seen = self.controller.report is not None and self._workspaces.currentWidget() is self.pages
        for name in filter(None, OF_BLOCKS):
            set_available(self.actions_by_name[name], is_seen, tr("Show the pages of a report first."))

    def tell(self, text: str, kind: str) -> None:
        """Say something in the line below: kind is quiet, good, warning or fault."""
        self.delivered_file.hide()
        text = core_text(text)
        self.last_message = text, kind
        self._notice.tell(text, kind, max(self.width() - 760, 200))

    def ask_new(self) -> None:
        """Begin a report on the data of the open one, or on a file of data."""
        if self.controller.report is not None:
            self.starting.ask()
        else:
            self.beginning.new_from_data()

    def _open_dropped(self, path: Path) -> None:
        """Open a report that was dropped, or begin one on a file of data."""
        if path.suffix == ".moor":
            self.files.open_beside(path)
        else:
            self.beginning.new_from_data(path)

    def _opened(self) -> None:
        for widget in (self._bar, self.findings.button, self._trace_button):
            widget.show()
        if self._workspaces.currentWidget() is self.start:
            self.show_workspace("pages")
        self.pages.canvas.clear()
        self._rendered = None
        self._facts.clear()
        self._place_label.clear()

    def _closed(self) -> None:
        """What was open is closed: show what can be begun."""
        self.worker.stop()
        self._rendered = self._job = self._held_job = None
        self.pages.canvas.clear()
        self.setWindowTitle("Northmoor")
        self._show_empty()
        self._update_actions()

    def _show_empty(self) -> None:
        self._bar.hide()
        self.findings.button.hide()
        self._trace_button.hide()
        self._facts.setText(tr("No report is open"))
        self.start.show_recent()
        self._workspaces.setCurrentWidget(self.start)
        for widget in (self._place_label, self._zoom_label):
            widget.hide()
        self._switch.mark("")

    def _show_rendered(self, rendered: Rendered) -> None:
        if self._rendered is None and rendered.job is not self._job:
            return  # of a report that was closed or left meanwhile
        self._rendered = rendered
        self.controller.kinds = {
            name: dict(zip(rows.names, (kind.kind for kind in rows.types), strict=True))
            for name, rows in rendered.document.rows.items()
        }
        self.controller.accept_edition(rendered.document.edition.name)
        self.pages.show_rendered(rendered)
        self.following.show_rendered(rendered)
        rows, pages = rendered.document.row_count, len(rendered.document)
        shown_rows, shown_pages = (
            tr("{rows:,} rows").format(rows=rows),
            tr_count(pages, "{count} page", "{count} pages"),
        )
        facts = [shown_rows, shown_pages, f"{number_text(rendered.seconds, '.2f')} s"]
        if any(fold != Fold() for fold in rendered.job.folds.values()):
            facts.append(tr("groups collapsed for viewing"))
        self._facts.setText("   ·   ".join(facts))
        self.tell("", "quiet")
        self._update_actions()

    def _show_checked(self, checked: Checked) -> None:
        if checked.job is self._job:
            self._checked_job = checked.job
            self.findings.show(checked.findings)

    def _show_failure(self, message: str) -> None:
        self.tell(message, "fault")
        self.pages.canvas.show_message(message)

    def _show_busy(self) -> None:
        is_busy = self.worker.is_busy or self.catalog_worker.is_busy
        set_available(self.actions_by_name["stop"], is_busy, tr("Nothing is running."))
        self._progress.show_busy(is_busy)

    def _show_place(self, page: int, count: int) -> None:
        self._place_label.setText(tr("Page {page:,} of {count:,}").format(page=page + 1, count=count))

    def _show_zoom(self, zoom: float) -> None:
        fitted = tr("Fit width · ") if self.pages.canvas.is_fitted else ""
        self._zoom_label.setText(f"{fitted}{zoom:.0%}")

    def _delivered(self, done: list[Path] | str) -> None:
        if isinstance(done, str):
            self.tell(f"{done}.", "good")
            return
        paths = done
        is_folded = self._rendered is not None and any(f != Fold() for f in self._rendered.job.folds.values())
        more = tr(" and {count:,} more").format(count=len(paths) - 1) if len(paths) > 1 else ""
        self.tell(tr("Delivered {file}{more}.").format(file=paths[0], more=more) + _UNFOLDED * is_folded, "good")
        self.delivered_file.show_file(paths[0])
        QApplication.alert(self.window())  # the window may not be in front

    def _update_actions(self) -> None:
        controller, actions = self.controller, self.actions_by_name
        has_report = controller.report is not None
        for name, action, label, nothing in (
            (tr("Undo"), actions["undo"], controller.undo_label, tr("Nothing was changed yet.")),
            (tr("Redo"), actions["redo"], controller.redo_label, tr("Nothing was undone.")),
        ):
            action.setText(f"&{name} · {label.replace('&', '&&')}" if label else f"&{name}")
            set_available(action, bool(label), nothing)
        for name in NEEDING_REPORT:
            set_available(actions[name], has_report, tr("Open or begin a report first."))
        self._enable_blocks()
        set_available(actions["back"], self.following.can_go_back, tr("No link was followed yet."))
        for name in ("deliver", "deliver_block", "print", "copy_shown"):
            set_available(actions[name], self._rendered is not None, tr("There are no pages yet."))
        self._deliver.setEnabled(self._rendered is not None)
        self._fetch.setEnabled(has_report)
        if controller.report is not None and controller.path is not None:
            mark = tr(" (read only)") if controller.read_only else "" if controller.is_saved else " •"
            self._title.setText(controller.report.title + mark)
            self._title.setToolTip(str(controller.path) + ("" if controller.is_saved else tr(" (not saved)")))
            self.setWindowTitle(tr("{file}{mark} – Northmoor").format(file=controller.path.name, mark=mark))

    def _window_command(self, name: str) -> PartCommand:
        """A command of the menus, for the list of what can be done to the selected part."""
        action = self.actions_by_name[name]
        reason = "" if action.isEnabled() else action.toolTip()
        return PartCommand(plain_text(action), action.trigger, shortcut=action.shortcut().toString(), reason=reason)

    # leaving

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Ask about unsaved changes, remember the window's state, end the worker."""
        assert event is not None
        if not self.files.leave():
            event.ignore()
            return
        self._workspaces.remember()
        self.worker.close()
        self.catalog_worker.close()
        if self._workspaces.has("deliveries"):
            self.deliveries.close_archive()
        event.accept()
