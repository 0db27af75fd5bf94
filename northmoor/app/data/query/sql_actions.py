"""What can be done with the SQL as a whole: reformat it, and go back to what was run before."""

from datetime import datetime
from functools import partial
from typing import Protocol

from msgspec import Struct
from PyQt6.QtCore import QPoint
from PyQt6.QtWidgets import QToolButton

from northmoor.app.data.query.sentence_context import SentenceContext
from northmoor.app.data.query.sentence_controller import SentenceController
from northmoor.app.data.query.sentence_text import short
from northmoor.app.data.query.sentence_view import SentenceView
from northmoor.app.data.query.sql_editor import SqlEditor
from northmoor.app.data.query.sql_fault_line import SqlFaultLine
from northmoor.app.language.translation import tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.menus import menu_of
from northmoor.core.errors import NorthmoorError
from northmoor.core.model.data.queries import Query
from northmoor.core.sources.builder.sql_layout import format_sql
from northmoor.core.sources.fetch.query_resolution import dialect_of
from northmoor.core.sources.library import Library

_MOST = 20


class QueryRun(Struct, frozen=True):
    """SQL of a query that was run: when, and how many rows came in how many seconds."""

    query: str
    sql: str
    rows: int
    seconds: float
    at: datetime


class SqlHost(Protocol):
    """What these actions need of the workspace."""

    editor: SqlEditor
    sentence: SentenceView

    @property
    def library(self) -> Library: ...
    def current(self) -> Query | None: ...
    def run(self, label: str) -> None: ...
    def show_fault(self, error: NorthmoorError) -> None: ...
    def add_parameter(self, name: str) -> None: ...
    @property
    def steps(self) -> SentenceController: ...


class SqlActions:
    """The menu beside the SQL, and the runs of this session, the newest first."""

    def __init__(self, data: SqlHost) -> None:
        self._data = data
        self.runs: list[QueryRun] = []
        self.button = QToolButton()
        self.button.setIcon(icon("ellipsis"))
        self.button.setToolTip(tr("More for the SQL: format, earlier runs"))
        self.button.setAccessibleName(tr("More for the SQL"))
        self.button.clicked.connect(self.menu)
        self.faults = SqlFaultLine(data.editor, self._around)
        self.faults.parameter_wanted.connect(data.add_parameter)
        self.faults.found.connect(data.sentence.mark_fault)
        data.steps.settled.connect(self.faults.look)

    def _around(self) -> SentenceContext | None:
        """What the SQL can refer to; none where it is not written by hand."""
        query = self._data.current()
        return self._data.steps.around(query) if query is not None and query.signals is None else None

    def note_run(self, query: str, sql: str, rows: int, seconds: float) -> None:
        """Note that SQL was run; the same SQL is listed once."""
        self.runs = [run for run in self.runs if (run.query, run.sql) != (query, sql)]
        self.runs.insert(0, QueryRun(query, sql, rows, seconds, datetime.now()))  # as the clock on the desk
        del self.runs[_MOST * 5 :]

    def forget(self) -> None:
        """Forget all runs, those of another report."""
        self.runs = []

    def menu(self) -> None:
        """Open the menu."""
        query = self._data.current()
        entries: list[tuple[str, object]] = [
            (tr("Format the SQL"), self.format if query is not None else None),
            ("", None),
        ]
        mine = [run for run in self.runs if query is not None and run.query == query.name][:_MOST]
        entries += [(_run_words(run), partial(self.go_back, run)) for run in mine]
        if not mine:
            entries.append((tr("What you run is listed here, to go back to"), None))
        menu_of(self.button, entries).popup(self.button.mapToGlobal(QPoint(0, self.button.height() + 2)))

    def format(self) -> None:
        """Reformat the SQL: each clause, column and condition in a line; its words and comments stay."""
        query = self._data.current()
        if query is None:
            return
        try:
            sql = format_sql(self._data.editor.text(), dialect_of(query, self._data.library))
        except NorthmoorError as error:
            self._data.show_fault(error)
            return
        self._data.editor.setText(sql)
        self._data.run(tr("Format the SQL"))

    def go_back(self, run: QueryRun) -> None:
        """Run earlier SQL again."""
        self._data.editor.setText(run.sql)
        self._data.run(tr("Go back to earlier SQL"))


def _run_words(run: QueryRun) -> str:
    return tr("{at:%H:%M:%S} · {rows:,} rows · {seconds:.2f} s · {sql}").format(
        at=run.at, rows=run.rows, seconds=run.seconds, sql=short(run.sql)
    )
