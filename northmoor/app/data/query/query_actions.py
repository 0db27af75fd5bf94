"""What can be done with the report's queries: add, rename, link, share, save their rows, remove."""

import re
from collections.abc import Callable, Sequence
from functools import reduce
from typing import Literal, Protocol

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QDialog, QInputDialog, QMessageBox, QWidget

from northmoor.app.data.catalog_tree import CatalogPanel
from northmoor.app.data.query.dialogs.detail_dialog import DetailDialog
from northmoor.app.data.query.dialogs.translate_dialog import TranslateDialog
from northmoor.app.data.query.query_bar import COMBINED
from northmoor.app.data.query.sentence_controller import SentenceController
from northmoor.app.data.rows.column_actions import ColumnActions
from northmoor.app.data.rows.row_actions import RowActions
from northmoor.app.data.rows.rows_pane import RowsPane
from northmoor.app.document_controller import DocumentController
from northmoor.app.language.translation import tr
from northmoor.app.widgets.menus import menu_of
from northmoor.core.authoring.rename import rename_query
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import NorthmoorError, QueryError
from northmoor.core.model import edits
from northmoor.core.model.data.queries import Query, SharedQuery
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Report
from northmoor.core.sources.builder.translating import translate_sql
from northmoor.core.sources.fetch.query_resolution import dialect_of, fill_shared
from northmoor.core.sources.fetch.snapshots import write_sample
from northmoor.core.sources.library import Library


class QueryHost(Protocol):
    """What these actions need of the workspace."""

    controller: DocumentController
    pane: RowsPane
    panel: CatalogPanel
    query_name: str | None
    actions_of_rows: RowActions
    columns_of_rows: ColumnActions

    @property
    def steps(self) -> SentenceController: ...

    @property
    def library(self) -> Library: ...
    def current(self) -> Query | None: ...
    def pick(self, name: str) -> None: ...
    def fetch(self, query: str, refresh: bool) -> None: ...
    def run_quietly(self) -> None: ...
    def column_names(self, query: str) -> list[str]: ...
    def show_fault(self, error: NorthmoorError) -> None: ...
    def entries_of_logs(self) -> list[tuple[str, object]]: ...
    def entries_of_query(self, query: Query) -> list[tuple[str, object]]: ...


class QueryActions:
    """Menus of queries and what their entries do; each change is a step of the report that can be undone."""

    def __init__(self, data: QueryHost) -> None:
        self._data = data

    def free_name(self, base: str) -> str:
        """A name for a new query."""
        report = self._data.controller.report
        taken = {q.name for q in report.queries} if report is not None else set()
        name = re.sub(r"\W+", "_", base).strip("_")[:50] or "query"
        candidate, count = name, 2
        while candidate in taken:
            candidate, count = f"{name}_{count}", count + 1
        return candidate

    def new_menu(self) -> None:
        """Ask what a new query runs on."""
        if self._data.controller.report is None:
            return
        entries: list[tuple[str, object]] = [
            (
                tr("On {name}").format(name=c.name),
                lambda c=c: self.add(Query(name=self.free_name(c.name), connection=c.name)),
            )
            for c in self._data.library.connections.connections
        ]
        entries += [
            ("", None),
            (tr("Query over other queries"), lambda: self.add(Query(name=self.free_name("combined")))),
        ]
        entries += [
            (tr("Shared: {name}").format(name=name), lambda n=name: self.add(Query(name=self.free_name(n), shared=n)))
            for name in self._data.library.shared_queries()
        ]
        entries += self._data.entries_of_logs()
        button = self._data.panel.add_query
        menu_of(self._data.panel, entries).popup(button.mapToGlobal(QPoint(0, button.height() + 2)))

    def add(self, query: Query, parameters: Sequence[Parameter] = ()) -> None:
        """Add a query to the report, with parameters that it needs, and show it."""

        def change(report: Report, _: object) -> Report:
            return edits.add_query(reduce(edits.add_parameter, parameters, report), query)

        if self._data.controller.edit(tr("Add the query {name}").format(name=query.name), change):
            self._data.pick(query.name)
            self._data.pane.view.hint = tr("Choose a table to begin the sentence, or write SQL at the right.")

    def menu(self, name: str, at: QPoint) -> None:
        """Open the menu of a query."""
        report = self._data.controller.report
        found = [q for q in report.queries if q.name == name] if report is not None else []
        if not found:
            return
        query = found[0]
        self._data.pick(name)
        has_rows = (
            self._data.pane.rows is not None and self._data.pane.rows.query == name and self._data.pane.rows.is_whole
        )
        entries: list[tuple[str, object]] = [
            (tr("Refresh"), lambda: self._data.fetch(name, refresh=True)),
            (tr("Rename …"), lambda: self._ask_rename(query)),
            (tr("Link to a master query…"), lambda: self.ask_detail(query)),
            ("", None),
            (tr("Save these rows beside the report"), (lambda: self.save_rows(query)) if has_rows else None),
        ]
        if query.sample:
            text = tr("Use the connection again") if query.use_sample else tr("Use the saved rows")
            entries.append((text, lambda: self.use_saved(query, not query.use_sample)))
        if query.shared:
            entries.append((tr("Make it this report's own"), lambda: self.make_own(query)))
        elif query.connection and query.signals is None:
            entries.append((tr("Share in the library …"), lambda: self._ask_share(query)))
        entries += self._data.entries_of_query(query)
        entries += [("", None), (tr("Remove"), lambda: self.remove(name))]
        menu_of(self._data.panel, entries).popup(at)

    def record_menu(self, row: int, column: int, at: QPoint) -> None:
        """Open the menu of a shown record: copy it, filter by one of its values, see what belongs to it in the details
        of its query."""
        rows, report = self._data.pane.rows, self._data.controller.report
        if rows is None or report is None:
            return
        entries: list[tuple[str, object]] = [(tr("Copy the selected cells (Ctrl+C)"), self._data.pane.view.copy)]
        record = rows.table.slice(row, 1).to_pylist()[0]
        if rows.query == self._data.query_name:  # not where a table is looked into
            name = rows.names[column]
            entries += [("", None), *self._data.columns_of_rows.value_entries(name, record[name])]
        for query in report.queries:
            if query.detail_of is not None and query.detail_of.query == rows.query and rows.is_whole:
                text = tr("Only what belongs to it in {name}").format(name=query.name)
                entries.append((text, lambda q=query: self._data.actions_of_rows.show_details(q, record)))
        menu_of(self._data.panel, entries).popup(at)

    def _ask_rename(self, query: Query) -> None:
        given, is_given = QInputDialog.getText(self._data.panel, tr("Rename the query"), tr("Name"), text=query.name)
        if is_given and given.strip() and given != query.name:
            self.rename(query.name, given.strip())

    def rename(self, old: str, name: str) -> None:
        """Give a query another name."""
        was, self._data.query_name = self._data.query_name, name
        if not self._data.controller.edit(
            tr("Rename the query {old}").format(old=old), lambda r, _: rename_query(r, old, name)
        ):
            self._data.query_name = was

    def remove(self, name: str) -> None:
        """Take a query out; one that is used stays, and the reason is reported."""
        self._data.controller.edit(
            tr("Remove the query {name}").format(name=name), lambda r, _: edits.remove_query(r, name)
        )

    def ask_detail(self, query: Query) -> None:
        """Ask of which query this one is a detail."""
        report = self._data.controller.report
        assert report is not None
        others = [q.name for q in report.queries if q.name != query.name]
        dialog = DetailDialog(query.name, others, self._data.column_names, query.detail_of, self._data.panel)
        if dialog.exec() == QDialog.DialogCode.Accepted:
            link = dialog.link()
            if self._data.controller.edit(
                tr("Change the link"), lambda r, _: edits.change_query(r, query.name, detail_of=link)
            ):
                self._data.fetch(query.name, refresh=False)

    def change_connection(self, connection: str) -> None:
        """Let the current query run on another connection; its SQL is written as that one wants it."""
        query = self._data.current()
        if query is None or (query.connection or "") == connection:
            return
        name, chosen = query.name, connection or None
        try:
            sql = self._translated(query, query.but(connection=chosen))
        except NorthmoorError as error:
            self._data.show_fault(error)
            sql = query.sql
        if sql is None:
            self._data.controller.changed.emit()  # the bar shows the connection as it is
            return
        if self._data.controller.edit(
            tr("Change the connection"), lambda r, _: edits.change_query(r, name, connection=chosen, sql=sql)
        ):
            self._data.run_quietly()

    def _translated(self, query: Query, moved: Query) -> str | None:
        """The SQL of a query that moves to another connection; None where that is not wanted. Raises QueryError."""
        dialects = dialect_of(query, self._data.library), dialect_of(moved, self._data.library)
        if dialects[0] == dialects[1] or not query.sql.strip():
            return query.sql
        translated = translate_sql(query.sql, *dialects)
        if translated.is_kept and not translated.notes:
            return query.sql
        names = (query.connection or COMBINED, moved.connection or COMBINED)
        dialog = TranslateDialog(query.sql, translated, names, self._ask_connection, self._data.panel)
        return dialog.sql() if dialog.exec() == QDialog.DialogCode.Accepted else None

    def _ask_connection(self, connection: str, sql: str, done: Callable[[object], None]) -> CancelToken:
        return self._data.steps.ask_rows(sql, done, None if connection == COMBINED else connection)

    def _ask_share(self, query: Query) -> None:
        given, is_given = QInputDialog.getText(
            self._data.panel, tr("Share in the library"), tr("Name of the shared query"), text=query.name
        )
        if is_given and given.strip():
            self.share(query, given.strip())

    def share(self, query: Query, name: str) -> None:
        """Keep a query in the library, and let the report use it from there."""
        assert query.connection is not None
        try:
            if name in self._data.library.shared_queries():
                raise QueryError(tr("The library has a query {name} already; choose another name.").format(name=name))
            Query(name="check", shared=name)
            shared = SharedQuery(connection=query.connection, sql=query.sql, columns=query.columns)
            self._data.library.save_shared_query(name, shared)
        except (NorthmoorError, ValueError) as error:
            message = (
                error
                if isinstance(error, NorthmoorError)
                else QueryError(tr("A name may have letters, digits, _ and -."))
            )
            self._data.show_fault(message)
            return
        changes = {"shared": name, "connection": None, "sql": "", "columns": ()}
        self._data.controller.edit(tr("Share the query"), lambda r, _: edits.change_query(r, query.name, **changes))

    def save_rows(self, query: Query) -> None:
        """Save the rows that are shown beside the report."""
        path, rows, report = self._data.controller.path, self._data.pane.rows, self._data.controller.report
        assert path is not None
        assert report is not None
        if rows is None:
            return
        root = self._data.library.root.resolve()
        target = path.resolve().parent / f"{path.stem}.rows" / f"{query.name}.parquet"
        moment = rows.data_time.replace(tzinfo=report.zone)
        try:
            write_sample(rows.table, moment, target)
        except NorthmoorError as error:
            self._data.show_fault(error)
            return
        stored = str(target.relative_to(root))
        if self._data.controller.edit(
            tr("Save the rows"), lambda r, _: edits.change_query(r, query.name, sample=stored)
        ):
            message = tr(
                "{count:,} rows saved in {stored}. Use them from the ⋯ menu when there is no connection."
            ).format(count=rows.table.num_rows, stored=stored)
            self._data.pane.show_message(message, "good")

    def use_saved(self, query: Query, is_used: bool) -> None:
        """Let the saved rows replace the connection, or no longer."""
        if self._data.controller.edit(
            tr("Use saved rows"), lambda r, _: edits.change_query(r, query.name, use_sample=is_used)
        ):
            self._data.fetch(query.name, refresh=False)

    def make_own(self, query: Query, sql: str | None = None) -> bool:
        """Turn a shared query into the report's own; whether that was done."""
        filled = fill_shared(query, self._data.library)
        changes = {"shared": None, "connection": filled.connection, "sql": sql or filled.sql, "columns": filled.columns}
        return self._data.controller.edit(
            tr("Make the query own"), lambda r, _: edits.change_query(r, query.name, **changes)
        )


def ask_about_shared(
    name: str, users: Sequence[str], is_changed: bool, parent: QWidget
) -> Literal["all", "own", "theirs", ""]:
    """Ask what becomes of a change of a query of the library that some reports use, and that someone else may have
    changed meanwhile; nothing for leaving it."""
    box = QMessageBox(parent)
    box.setWindowTitle(tr("Change {name}?").format(name=name))
    box.setTextFormat(Qt.TextFormat.PlainText)
    meanwhile = tr("\n\nSomeone else has changed it since you saw it, and that would be replaced.") * is_changed
    box.setText(
        tr(
            "{name} is a query of the library. Used by: {users}.\n\nChange it for all of them, or detach it from "
            "the library for this report alone?{meanwhile}"
        ).format(name=name, users=", ".join(users) or tr("this report only"), meanwhile=meanwhile)
    )
    for_all = box.addButton(tr("Change for all"), QMessageBox.ButtonRole.AcceptRole)
    own = box.addButton(tr("Detach from the library"), QMessageBox.ButtonRole.ActionRole)
    theirs = box.addButton(tr("Use the other version"), QMessageBox.ButtonRole.ActionRole) if is_changed else None
    box.addButton(QMessageBox.StandardButton.Cancel)
    box.exec()
    chosen = box.clickedButton()
    if chosen is for_all:
        return "all"
    if chosen is own:
        return "own"
    return "theirs" if theirs is not None and chosen is theirs else ""
