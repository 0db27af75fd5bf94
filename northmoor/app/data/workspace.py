"""The Data workspace: connections at the left, the query as a sentence over its rows, its SQL and plan at the right."""

from collections.abc import Mapping
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut, QShowEvent
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QPushButton,
    QScrollArea,
    QSplitter,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.data.catalog_tree import CatalogPanel
from northmoor.app.data.connection_controller import ConnectionController
from northmoor.app.data.query.large_fetch import LargeFetch
from northmoor.app.data.query.plan_panel import PlanPanel
from northmoor.app.data.query.query_actions import QueryActions, ask_about_shared
from northmoor.app.data.query.query_bar import QueryBar
from northmoor.app.data.query.sentence_controller import SentenceController
from northmoor.app.data.query.sentence_view import SentenceView
from northmoor.app.data.query.sql_actions import SqlActions
from northmoor.app.data.query.sql_editor import SqlEditor
from northmoor.app.data.rows.column_actions import ColumnActions
from northmoor.app.data.rows.column_panel import ColumnPanel
from northmoor.app.data.rows.row_actions import RowActions
from northmoor.app.data.rows.rows_pane import RowsPane
from northmoor.app.data.signals.signal_controller import SignalController
from northmoor.app.document_controller import DocumentController
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import number_text, tr, tr_count
from northmoor.app.widgets.headings import line, section
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.waiting import wait_for
from northmoor.app.worker import RenderJob, Worker
from northmoor.core.authoring.queries.propose_parameters import proposed_parameter
from northmoor.core.authoring.rename import rename_column
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import MissingParameter, NorthmoorError, QueryError, WrongPassword
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.expr.identifiers import sql_table
from northmoor.core.expr.placeholders import placeholders
from northmoor.core.model import edits
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Report
from northmoor.core.session import Session
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.protocol import FIRST_ROWS
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.fetch.plan import plan
from northmoor.core.sources.fetch.query_resolution import dialect_of, fill_shared, written_column_names
from northmoor.core.sources.library import Library

_PREVIEW = "first_rows"


class DataWorkspace(QWidget):
    """Edits and runs the report's queries. A change of a query is a step of the report that can be undone."""

    checked = pyqtSignal(object)

    def __init__(
        self, controller: DocumentController, worker: Worker, catalog_worker: Worker, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.controller, self.worker, self.catalog_worker = controller, worker, catalog_worker
        self.query_name: str | None = None
        self._shown: tuple[str, str] | None = None  # query and SQL as they were last put into the editor
        self._names: dict[str, tuple[str, ...]] = {}
        self._waiting = ""
        self._is_begun = False
        self._is_behind = False
        """Whether the report has changed while nobody looked here."""
        self._wished: object = None
        self._is_waiting = False
        self.panel, self.bar, self.sentence, self.editor = CatalogPanel(), QueryBar(), SentenceView(), SqlEditor()
        self.pane, self.columns, self.plan = RowsPane(worker), ColumnPanel(), PlanPanel()
        self.check = QPushButton(icon("check"), tr("Check"))
        self.sql_title = section(tr("The same in SQL"))
        self.queries = QueryActions(self)
        self.catalogs = ConnectionController(self)
        self.actions_of_rows = RowActions(self)
        self.columns_of_rows = ColumnActions(self)
        self.sentences = SentenceController(self, self)
        self.sql, self.large = SqlActions(self), LargeFetch(self, self)
        self.signals = SignalController(self, self)
        self._place()
        self._connect()
        if controller.report is not None:  # it is built when first needed
            self._opened()
            self._changed()

    @property
    def table(self) -> QWidget:
        """The grid of rows."""
        return self.pane.view

    def _place(self) -> None:
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        for widget in (self.bar, self.sentence, self.signals.sentence, self.signals.strip, line(), self.pane):
            column.addWidget(widget, 1 if widget is self.pane else 0)
        self.split = QSplitter()
        for part in (self.panel, middle, self._right()):
            self.split.addWidget(part)
        self.split.setSizes([250, 666, 300])
        self.split.setStretchFactor(1, 1)
        self.split.setHandleWidth(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.split)

    def _right(self) -> QWidget:
        self.check.setToolTip(tr("Ask the server whether it would run the SQL, without running it (Ctrl+Shift+Return)"))
        head = QHBoxLayout()
        head.addWidget(self.sql_title, 1)
        head.addWidget(self.check)
        head.addWidget(self.sql.button)
        self.editor.setMinimumHeight(150)
        frame = QWidget()
        frame.setObjectName("framed")
        frame.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        inside = QVBoxLayout(frame)
        inside.setContentsMargins(1, 1, 1, 1)
        inside.addWidget(self.editor)
        below = QWidget()
        lower = QVBoxLayout(below)
        lower.setContentsMargins(12, 8, 12, 8)
        lower.setSpacing(8)
        for widget in (self.columns, line(), self.plan):
            lower.addWidget(widget)
        lower.addStretch(1)
        scroll = QScrollArea()
        scroll.setObjectName("panel")
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        scroll.setWidget(below)
        upper = QWidget()
        upper.setObjectName("panel")
        upper.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        top = QVBoxLayout(upper)
        top.setContentsMargins(12, 6, 12, 8)
        top.setSpacing(6)
        top.addLayout(head)
        top.addWidget(frame, 1)
        top.addWidget(self.sql.faults)
        split = QSplitter(Qt.Orientation.Vertical)
        split.addWidget(upper)
        split.addWidget(scroll)
        split.setSizes([330, 360])
        split.setHandleWidth(1)
        return split

    def _connect(self) -> None:
        controller, worker, panel, pane = self.controller, self.worker, self.panel, self.pane
        pane.run.clicked.connect(self.run)
        pane.stop.clicked.connect(worker.stop)
        pane.totals.clicked.connect(self.actions_of_rows.check_totals)
        pane.export.clicked.connect(self.actions_of_rows.ask_export)
        pane.record_menu_wanted.connect(self.queries.record_menu)
        pane.column_menu_wanted.connect(self.columns_of_rows.menu)
        pane.column_chosen.connect(lambda _: self._show_column())
        self.check.clicked.connect(self.check_sql)
        QShortcut(QKeySequence("Ctrl+Return"), self, self.run)
        QShortcut(QKeySequence("Ctrl+Shift+Return"), self, self.check_sql)
        controller.opened.connect(self._opened)
        controller.changed.connect(self._changed)
        controller.values_changed.connect(self._follow)
        panel.query_picked.connect(self.pick)
        panel.query_menu_wanted.connect(self.queries.menu)
        panel.new_query_wanted.connect(self.queries.new_menu)
        panel.connection_wanted.connect(lambda: self.catalogs.ask(None))
        panel.connection_menu_wanted.connect(self.catalogs.menu)
        panel.tree.name_wanted.connect(self.insert)
        panel.tree.first_rows_wanted.connect(self.show_first_rows)
        self.bar.connection_chosen.connect(self.queries.change_connection)
        self.bar.menu_wanted.connect(lambda at: self.queries.menu(self.query_name or "", at))
        self.columns.changed.connect(self._change_column)
        self.catalogs.changed.connect(self._follow_catalog)
        self.checked.connect(self._show_checked)
        worker.rows_fetched.connect(self._show_rows)
        worker.rows_failed.connect(self._show_failed_run)
        worker.busy_changed.connect(pane.stop.setEnabled)

    # what is current

    @property
    def library(self) -> Library:
        """The library of the open report."""
        assert self.controller.library is not None
        return self.controller.library

    @property
    def steps(self) -> SentenceController:
        """Where steps of the current query are done."""
        return self.sentences

    def show_log_sql(self, sql: str) -> None:
        """Show what a query over a signal log sends, now that it is known."""
        self._shown = (self.query_name or "", sql)
        self.editor.setText(sql)
        self.show_plan()

    def entries_of_logs(self) -> list[tuple[str, object]]:
        """New queries over signal logs, for the menu of new ones."""
        return self.signals.entries_of_logs()

    def entries_of_query(self, query: Query) -> list[tuple[str, object]]:
        """What can be done with a query's rows as a signal log."""
        return self.signals.entries_of_query(query, self.pane.rows_of(query.name))

    @property
    def known_catalogs(self) -> Mapping[str, Catalog]:
        """What the connections hold, as far as it has been read."""
        return self.catalogs.known

    def current(self) -> Query | None:
        """The current query."""
        report = self.controller.report
        found = [q for q in report.queries if q.name == self.query_name] if report is not None else []
        return found[0] if found else None

    def _sql(self, query: Query) -> str:
        """A query's SQL, that of the library for a shared one; what one over a signal log sends, once it is known."""
        if query.signals is not None:
            return self.signals.sql_of(query)
        try:
            return fill_shared(query, self.library).sql
        except NorthmoorError:
            return query.sql

    def column_names(self, query: str) -> list[str]:
        """A query's columns, as far as they are known from its last run, its SQL or its settings."""
        report = self.controller.report
        assert report is not None
        asked = next((each for each in report.queries if each.name == query), None)
        known = self._names.get(query) or (written_column_names(asked, self.library) if asked else ())
        return list(known) or [column.name for column in (asked.columns if asked else ())]

    # the report

    def _opened(self) -> None:
        report = self.controller.report
        assert report is not None
        self.query_name = report.queries[0].name if report.queries else None
        self._names, self._shown = {}, None
        self.sql.forget()
        self.pane.clear(tr("Run the query to see its rows (Ctrl+Enter)."))
        message = "" if self.query_name else tr("The report has no query yet; add one with + beside Queries.")
        self.pane.show_message(message, "quiet")
        self._is_begun = False
        if self.isVisible():
            self._begin()

    def _begin(self) -> None:
        """Read what is to be shown. It waits until Data is looked at: a server slow to answer holds up no page."""
        self._is_begun = True
        self.run_quietly()
        self.catalogs.forget()

    def _follow_catalog(self) -> None:
        """Joins and columns can be offered when their tables are known."""
        self.sentences.show_sentence()

    def _changed(self) -> None:
        report = self.controller.report
        if report is None:
            return
        self._is_behind = not self.isVisible()
        if not self._is_behind:
            self._show_report(report)

    def _show_report(self, report: Report) -> None:
        names = [q.name for q in report.queries]
        if self.query_name not in names:
            self.query_name = names[0] if names else None
            self.pane.clear(tr("Run the query to see its rows (Ctrl+Enter)."))
        query = self.current()
        self.panel.show_queries(report.queries, self.query_name)
        self.bar.show_query(query, [c.name for c in self.library.connections.connections])
        is_of_log = self.signals.show_query(query)
        self.sentence.setVisible(not is_of_log)
        self.sql_title.setText(tr("The log's query") if is_of_log else tr("The same in SQL"))
        self.check.setEnabled(not is_of_log)
        self.editor.setReadOnly(query is None or is_of_log)
        sql = self._sql(query) if query is not None else ""
        shown = (self.query_name or "", sql)
        if shown != self._shown:
            self._shown = shown
            self.editor.setText(sql)
        if query is not None:
            if not is_of_log:
                self.sentences.show_sentence()
            self.pane.show_settings(self._settings(query), self.format_locale())
        else:
            self.sentence.show_message("")
        self.show_plan()
        self._show_column()
        self._follow()

    def format_locale(self) -> FormatLocale:
        """How the report writes values."""
        report = self.controller.report
        assert report is not None
        return FormatLocale(report.locale, report.currency, report.time_zone)

    def _settings(self, query: Query) -> dict[str, QueryColumn]:
        try:
            return {column.name: column for column in fill_shared(query, self.library).columns}
        except NorthmoorError:
            return {}

    def pick(self, name: str) -> None:
        """Show another query and its rows."""
        report = self.controller.report
        if name != self.query_name and report is not None:
            self.query_name = name
            self.pane.clear(tr("Run the query to see its rows (Ctrl+Enter)."))
            self.pane.show_message("", "quiet")
            self._show_report(report)
            self.run_quietly()

    def showEvent(self, event: QShowEvent | None) -> None:
        """Rows are there when the workspace is looked at."""
        super().showEvent(event)
        if self._is_behind and self.controller.report is not None:
            self._is_behind = False
            self._show_report(self.controller.report)
        if self.controller.report is not None and not self._is_begun:
            self._begin()
        elif self.pane.rows is None:
            self.run_quietly()

    # running

    def run(self, label: str | bool = tr("Change the SQL")) -> None:
        """Take the SQL into the report and fetch its rows."""
        query = self.current()
        if query is None:
            return
        if query.signals is not None:
            self.fetch(query.name, refresh=False)
            return
        sql = self.editor.text()
        try:
            check_query(sql, dialect_of(query, self.library))
        except NorthmoorError as error:
            self.show_fault(error)
            return
        if self._keep_sql(query, sql, label if isinstance(label, str) else "Change the SQL"):
            self.fetch(query.name, refresh=False)

    def _keep_sql(self, query: Query, sql: str, label: str) -> bool:
        """Take the SQL into the report, or into the library's query; whether that was done."""
        if sql == self._sql(query):
            return True
        if query.shared:
            return self._keep_shared(query, sql)
        self._shown = (query.name, sql)
        return self.controller.edit(label, lambda r, _: edits.change_query(r, query.name, sql=sql))

    def _keep_shared(self, query: Query, sql: str) -> bool:
        """Change a query of the library after saying which reports use it, or make it this report's own."""
        assert query.shared is not None
        name = query.shared
        is_changed = self._shown is not None and self._sql(query) != self._shown[1]
        try:
            looked_for = tr("Looking for the reports that use {name} …").format(name=name)
            users = wait_for(lambda stop: self.library.reports_with(name, stop), self, looked_for)
            answer = ask_about_shared(name, [path.name for path in users], is_changed, self)
            if answer == "all":
                shared = self.library.shared_query(name)
                self.library.save_shared_query(name, shared.but(sql=sql))
                self._shown = (query.name, sql)
                self.controller.changed.emit()
                return True
            if answer == "own":
                return self.queries.make_own(query, sql)
            if answer == "theirs":
                self.controller.changed.emit()  # the editor shows the query as it is now
        except NorthmoorError as error:
            self.show_fault(error)
        return False

    def run_quietly(self) -> None:
        """Show the rows of the query as it is, without changing anything."""
        query = self.current()
        if query is not None and self.isVisible() and (query.signals is not None or self._sql(query).strip()):
            self.fetch(query.name, refresh=False)

    def fetch(self, query: str, refresh: bool) -> None:
        """Fetch a query's rows and show them, unless they are on their way already or the query is gone."""
        report = self.controller.report
        if report is None or all(each.name != query for each in report.queries):
            return
        wish = self._wish(query)
        if self._is_waiting and wish == self._wished and not refresh:
            return
        if self.large.holds(report.query(query)):
            self._waiting = ""  # rows of a run before it are not its own
            return
        self._wished, self._is_waiting = wish, True
        self.editor.mark_fault(None)
        self._waiting = query
        self.pane.show_message("", "quiet")
        self.pane.state(tr("running {query} …").format(query=query), are_old=self.pane.rows is not None)
        self.worker.fetch_rows(RenderJob(report, self.controller.values, None, self.library, refresh), query)

    def _wish(self, query: str) -> object:
        """What the rows of a query follow from."""
        report = self.controller.report
        assert report is not None
        parts: list[object] = [
            (q.name, q.connection, q.sql, q.shared, q.detail_of, q.use_sample, [(c.name, c.type) for c in q.columns])
            for q in report.queries
        ]
        parts.append([(q.signals, q.log) for q in report.queries])
        return query, parts, self.library.connections, dict(self.controller.values)

    def _follow(self) -> None:
        """Fetch again when what the shown rows follow from has changed, by undo or by another parameter value."""
        rows, query = self.pane.rows, self.current()
        is_shown = rows is not None and query is not None and rows.query == query.name
        if self.isVisible() and is_shown and self._wish(self.query_name or "") != self._wished:
            self.run_quietly()

    def check_sql(self) -> None:
        """Ask the server whether it would run the SQL."""
        query, report = self.current(), self.controller.report
        if query is None or report is None or query.signals is not None:
            return
        library, values = self.library, self.controller.values
        tried = report.but(
            queries=tuple(q.but(sql=self.editor.text()) if q.name == query.name else q for q in report.queries)
        )
        self.pane.show_message(tr("Checking …"), "quiet")

        def ask(session: Session, stop: CancelToken) -> object:
            resolved = session.resolve_parameters(tried, values, stop, designing=True, forgiving=True)
            known = resolved.values_for(session.names_in(tried, query.name))
            runner = session.check(tried, query.name, known, stop)
            return tr("{runner} would run it. Nothing was run.").format(runner=runner)

        self.worker.ask_session(library, ask, self.checked.emit)

    def _show_checked(self, found: object) -> None:
        if isinstance(found, NorthmoorError):
            self._waiting = self.query_name or ""
            self.show_fault(found)
        else:
            self.editor.mark_fault(None)
            self.pane.show_message(str(found), "good")

    # rows

    def show_these(self, rows: Rows) -> None:
        """Show rows that were not asked of the worker by their query's name."""
        self._waiting = rows.query
        self._show_rows(rows)

    def _show_rows(self, rows: Rows) -> None:
        if self.controller.report is None or rows.query != self._waiting:
            return
        self._is_waiting = self._is_waiting and not rows.is_whole
        query = self.current()
        settings = self._settings(query) if query is not None and rows.query == query.name else {}
        self.pane.show_rows(rows, self.format_locale(), settings)
        count = rows.table.num_rows
        if not rows.is_whole:
            self.pane.state(tr("first {count:,}; more are on the way …").format(count=count))
            return
        self.pane.state(tr_count(count, "{count} row", "{count} rows") + f" · {number_text(rows.seconds, '.2f')} s")
        message = []
        if count == 0:
            is_bound = query is not None and bool(placeholders(self._sql(query), "sqlite"))
            message.append(
                tr("No row fits the parameter values above; try others.") if is_bound else tr("It returns no rows.")
            )
        message += [*self._column_changes(rows), *map(core_text, rows.notes)]
        self.pane.show_message(" ".join(message), "warning" if rows.notes else "quiet")
        if rows.query == _PREVIEW:
            self.pane.title.setText(tr("First rows"))
        else:
            self.pane.title.setText(tr("Rows"))
            self._names[rows.query] = rows.names
            if query is not None and rows.query == query.name and query.signals is None:
                self.sql.note_run(query.name, self._sql(query), count, rows.seconds)
        self._show_column()
        self.show_plan()

    def _column_changes(self, rows: Rows) -> list[str]:
        before = self._names.get(rows.query)
        if before is None or rows.query == _PREVIEW:
            return []
        new = [name for name in rows.names if name not in before]
        gone = [name for name in before if name not in rows.names]
        kinds = ((tr("New: {names}."), new), (tr("Gone: {names}."), gone))
        return [text.format(names=", ".join(names)) for text, names in kinds if names]

    def _show_failed_run(self, error: NorthmoorError) -> None:
        self.show_fault(error)
        self.pane.show_as_old()

    def show_fault(self, error: NorthmoorError) -> None:
        """Report a fault of the current query, mark it in the SQL, and offer what fixes it."""
        self._is_waiting = False
        self.pane.show_message(core_text(error), "fault")
        if self.pane.rows is None:
            self.pane.clear(tr("There are no rows to show."))
        if isinstance(error, QueryError):
            self.editor.mark_fault(error.position)
            self.sentence.mark_fault(error.position, core_text(error.message))
        if isinstance(error, MissingParameter):
            self.pane.offer(tr("Add :{name}").format(name=error.name), partial(self.add_parameter, error.name))
        if isinstance(error, WrongPassword):
            self.catalogs.ask_password(error.place.connection or "")

    def add_parameter(self, name: str) -> None:
        """Add the parameter that the SQL names, of the kind that the SQL compares it with, and run it."""
        query = self.current()
        if query is None:
            return
        around = self.sentences.around(query)
        try:
            added = proposed_parameter(check_query(self.editor.text(), around.dialect), around.catalog, name)
        except NorthmoorError:
            added = Parameter(name=name, default="")
        if self.controller.edit(
            tr("Add the parameter {name}").format(name=name), lambda r, _: edits.add_parameter(r, added)
        ):
            self.run()

    def show_first_rows(self, connection: str, table: str) -> None:
        """Show a table's first rows; the report stays as it is."""
        report = self.controller.report
        if report is None:
            return
        dialect = self.library.driver(connection).dialect
        sql = f"select * from {sql_table(table, dialect)} limit {FIRST_ROWS}"
        tried = report.but(queries=(*report.queries, Query(name=_PREVIEW, connection=connection, sql=sql)))
        self._waiting = _PREVIEW
        self.pane.clear("")
        self.pane.title.setText(tr("First rows"))
        self.pane.show_message(tr("Reading {table} …").format(table=table), "quiet")
        self.worker.fetch_rows(RenderJob(tried, self.controller.values, None, self.library), _PREVIEW)

    def insert(self, name: str) -> None:
        """Put a name into the SQL."""
        self.editor.insert(name)
        self.editor.setFocus()

    # the current column

    def _show_column(self) -> None:
        query, rows = self.current(), self.pane.rows
        name = self.pane.header.property("chosen")
        if query is None or rows is None or rows.query != query.name or name not in rows.names:
            self.columns.show_column(None, None)
            return
        setting = self._settings(query).get(name, QueryColumn(name=name))
        self.columns.show_column(setting, rows.types[rows.names.index(name)])

    def _change_column(self, column: str, changes: dict[str, object]) -> None:
        query = self.current()
        if query is None:
            return
        name = query.name
        new = str(changes.get("name", column))
        if new != column:
            label = tr("Rename the column {column} to {new}").format(column=column, new=new)
            done = self.controller.edit(label, lambda r, _: rename_column(r, name, column, new, self.library))
        else:
            label = tr("Change the column {column}").format(column=column)
            done = self.controller.edit(label, lambda r, _: edits.change_query_column(r, name, column, **changes))
        self.pane.header.setProperty("chosen", new if done else column)
        if not done:
            self._show_column()

    def show_plan(self) -> None:
        """Show where the current query runs, and what came of its last run."""
        report, query = self.controller.report, self.current()
        if report is None or query is None or not self._sql(query).strip():
            self.plan.show_plan(tr("It is shown when there is a query."))
            return
        if query.signals is not None:
            self.plan.show_plan(self.signals.plan_of(query))
            return
        try:
            steps = plan(report, query.name, self.library, self.known_catalogs)
            self.plan.show_plan(steps, self.pane.rows_of(query.name))
        except NorthmoorError as error:
            self.plan.show_plan(core_text(error.message))
