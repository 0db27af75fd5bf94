"""What can be done with a column of the rows, and with a value in it: filter, sort, ask for it, leave it out."""

from collections.abc import Callable
from functools import partial
from typing import Any, Protocol

from PyQt6.QtCore import QPoint

from northmoor.app.data.rows.column_panel import ColumnPanel
from northmoor.app.data.rows.row_actions import RowActions
from northmoor.app.data.rows.rows_pane import RowsPane
from northmoor.app.document_controller import DocumentController
from northmoor.app.language.translation import tr
from northmoor.app.widgets.menus import MenuEntries, menu_of
from northmoor.core.authoring.queries.query_filters import (
    filter_query_by_parameter,
    filter_query_by_period,
    with_range_kept,
    with_value_kept,
    with_values_kept,
)
from northmoor.core.base.replace import replace
from northmoor.core.compute.explore.profile import ColumnProfile, ProfilePart
from northmoor.core.compute.explore.written_forms import WrittenForm
from northmoor.core.errors import NorthmoorError
from northmoor.core.expr.formats import FormatLocale, format_one
from northmoor.core.expr.identifiers import bare_or_quoted
from northmoor.core.model.data.queries import Query
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.report import Report
from northmoor.core.sources.builder.edits import item_name, project
from northmoor.core.sources.builder.select_model import OrderItem, SelectModel
from northmoor.core.sources.fetch.query_resolution import dialect_of
from northmoor.core.sources.library import Library

_LONGEST = 40


class StepRunner(Protocol):
    """Where the steps of a sentence are done."""

    def apply(self, label: str, change: Callable[[SelectModel, str], SelectModel]) -> None: ...
    def computing_of(self, column: str) -> Callable[[], None] | None: ...


class ColumnsHost(Protocol):
    """What these actions need of the workspace."""

    controller: DocumentController
    pane: RowsPane
    columns: ColumnPanel
    actions_of_rows: RowActions

    @property
    def steps(self) -> StepRunner: ...
    @property
    def library(self) -> Library: ...
    def current(self) -> Query | None: ...
    def format_locale(self) -> FormatLocale: ...
    def show_fault(self, error: NorthmoorError) -> None: ...


class ColumnActions:
    """Each is a step of the current query that can be undone."""

    def __init__(self, data: ColumnsHost) -> None:
        self._data = data
        for signal in (data.pane.column_chosen, data.pane.profiled):
            signal.connect(lambda _: self.show_parts())
        data.columns.part_chosen.connect(self._keep_part)
        data.pane.rename_wanted.connect(self.rename)

    def show_parts(self) -> None:
        """Show what is in the chosen column of the rows, beside its settings; not of signals, which no SQL filters."""
        rows, query, profiles = self._data.pane.rows, self._data.current(), self._data.pane.header.profiles
        name = self._data.pane.header.property("chosen")
        is_own = rows is not None and query is not None and rows.query == query.name and query.signals is None
        is_known = is_own and rows is not None and name in rows.names and len(profiles) == len(rows.names)
        found = profiles[rows.names.index(name)] if is_known and rows is not None else None
        self._data.columns.show_profile(found, self._shown)

    def _keep_part(self, part: ProfilePart | WrittenForm) -> None:
        """Keep only the rows of a part of the chosen column."""
        column = self._data.pane.header.property("chosen")
        if isinstance(part, ProfilePart) and not part.is_range:
            self._keep(column, part.low, True)
            return

        def change(sentence: SelectModel, dialect: str) -> SelectModel:
            if isinstance(part, WrittenForm):
                return with_values_kept(sentence, column, part.values or (), dialect)
            return with_range_kept(sentence, column, part.low, part.high, dialect)

        self._data.steps.apply(tr("Filter by {column}").format(column=column), change)

    def rename(self, column: str) -> None:
        """Put the keyboard into the name of a column, also before its rows are there."""
        self._data.columns.edit_name_of(column)
        self._data.pane.choose(column)

    def menu(self, column: int, at: QPoint) -> None:
        """Open the menu of a column."""
        rows, query = self._data.pane.rows, self._data.current()
        if rows is None or query is None or rows.query != query.name:
            return
        if query.signals is not None:
            return
        entries = self.column_entries(rows.names[column])
        profiles = self._data.pane.header.profiles
        if column < len(profiles):
            entries += [("", None), *self._commonest_entries(rows.names[column], profiles[column])]
        menu_of(self._data.pane, entries).popup(at)

    def _commonest_entries(self, column: str, found: ColumnProfile) -> MenuEntries:
        """The values that most rows have, to filter by."""
        if found.is_unique:
            return [(tr("No value is there twice"), None)]
        shown = [(self._shown(value), value, count) for value, count in found.commonest]
        return [
            (tr("Only {text}   ·   {count:,}").format(text=text, count=count), partial(self._keep, column, value, True))
            for text, value, count in shown
        ]

    def _shown(self, value: Any) -> str:
        """A value as the report writes it."""
        text = tr("blanks") if value is None else format_one(value, None, self._data.format_locale())
        return text if len(text) <= _LONGEST else f"{text[:_LONGEST]}…"

    def column_entries(self, column: str) -> MenuEntries:
        """What can be done with a column of the result."""
        by_period: MenuEntries = [(tr("Let the reader choose a period"), partial(self.ask_by_period, column))]
        return [
            (tr("Rename {column}…").format(column=column), partial(self.rename, column)),
            ("", None),
            (tr("Sort by {column}").format(column=column), partial(self._sort, column, False)),
            (tr("Sort by {column}, last first").format(column=column), partial(self._sort, column, True)),
            ("", None),
            (tr("Only rows that have a value"), partial(self._keep, column, None, False)),
            (tr("Let the reader choose a value"), partial(self.ask_by_parameter, column)),
            *(by_period if self._kind(column) in ("date", "timestamp") else []),
            ("", None),
            (tr("Cross it with another column…"), partial(self._data.actions_of_rows.cross, column)),
            *self._computing_entries(column),
            (tr("Leave {column} out").format(column=column), partial(self._leave_out, column)),
        ]

    def _computing_entries(self, column: str) -> MenuEntries:
        ask = self._data.steps.computing_of(column)
        return [] if ask is None else [(tr("Change how {column} is computed…").format(column=column), ask)]

    def value_entries(self, column: str, value: Any) -> MenuEntries:
        """What can be done with a value of a column; nothing where it comes from a signal log, not from SQL."""
        query = self._data.current()
        if query is not None and query.signals is not None:
            return []
        shown = self._shown(value)
        return [
            (tr("Only {shown}").format(shown=shown), partial(self._keep, column, value, True)),
            (tr("All but {shown}").format(shown=shown), partial(self._keep, column, value, False)),
            (tr("Let the reader choose the {column}").format(column=column), partial(self.ask_by_parameter, column)),
        ]

    def _keep(self, column: str, value: Any, is_kept: bool) -> None:
        def change(sentence: SelectModel, dialect: str) -> SelectModel:
            return with_value_kept(sentence, column, value, is_kept, dialect)

        self._data.steps.apply(tr("Filter by {column}").format(column=column), change)

    def _sort(self, column: str, descending: bool) -> None:
        def change(sentence: SelectModel, dialect: str) -> SelectModel:
            own = bare_or_quoted(column, dialect)
            rest = tuple(item for item in sentence.sorting if item.expression != own)
            return replace(sentence, sorting=(OrderItem(own, descending), *rest))

        self._data.steps.apply(tr("Sort by {column}").format(column=column), change)

    def _leave_out(self, column: str) -> None:
        def change(sentence: SelectModel, dialect: str) -> SelectModel:
            kept = [item for item in sentence.select_items if item_name(item) != column]
            return project(sentence, kept, dialect) if kept else sentence

        self._data.steps.apply(tr("Leave {column} out").format(column=column), change)

    def _kind(self, column: str) -> KindName | None:
        rows = self._data.pane.rows
        return rows.types[rows.names.index(column)].kind if rows is not None else None

    def ask_by_parameter(self, column: str) -> None:
        """Add a condition, a parameter and its list, so that whoever runs the report chooses a value, or all."""
        self._ask_by(filter_query_by_parameter, column, tr("Let the reader choose {column}").format(column=column))

    def ask_by_period(self, column: str) -> None:
        """Add a condition and a parameter, so that whoever runs the report chooses the period."""
        label = tr("Let the reader choose the period of {column}").format(column=column)
        self._ask_by(filter_query_by_period, column, label)

    def _ask_by(self, change: Callable[[Report, Query, str, KindName, str], Report], column: str, label: str) -> None:
        query, report, kind = self._data.current(), self._data.controller.report, self._kind(column)
        if query is None or report is None or kind is None:
            return
        try:
            changed = change(report, query, column, kind, dialect_of(query, self._data.library))
        except NorthmoorError as error:
            self._data.show_fault(error)
            return
        self._data.controller.edit(label, lambda _, __: changed)
