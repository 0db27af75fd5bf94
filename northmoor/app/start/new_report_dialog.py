"""Starting a report: choose a query or table, tick fields in the order that matters, pick one of four live pages."""

import re
from collections.abc import Sequence
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QImage, QPixmap
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QFormLayout,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.pages.panels.query_fields import read_query_fields
from northmoor.app.worker import Worker
from northmoor.core.authoring.starters.field_roles import readable_name
from northmoor.core.authoring.starters.new_report import (
    first_rows,
    table_query,
    with_field_settings,
)
from northmoor.core.authoring.starters.starter_layouts import Field, listing, proposals
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.lack_of_room import turned, with_room
from northmoor.core.document import Document
from northmoor.core.errors import NorthmoorError
from northmoor.core.model.data.queries import Query
from northmoor.core.model.pages import Orientation
from northmoor.core.model.report import Report
from northmoor.core.output.raster import Raster, rasterise
from northmoor.core.session import Session
from northmoor.core.sources.drivers.catalog import CatalogTable
from northmoor.core.sources.library import Library

_REPEATING = "Tick another field, and one whose values repeat from row to row."
LAYOUTS = {"Listing": "Tick a field.", "Grouped": _REPEATING, "Matrix": _REPEATING, "One page per record": _REPEATING}
"""The layouts that are proposed, and what each needs."""
_MOST_ROWS = 2_000
_MOST_JUDGED = 1_000_000
"""Rows that the proposals are made from; the report itself has all."""
_SHOT = QSize(232, 232)
_HINT = "Tick fields at the left, the one that matters most first; until then all are listed."
_LISTED = 8
"""How many fields are listed where none is ticked."""


class NewReportDialog(QDialog):
    """Proposes reports. `begun` tells of the one that was picked, and where it goes."""

    begun = pyqtSignal(object, object)
    _fields_read = pyqtSignal(object)
    _shown = pyqtSignal(object)

    def __init__(
        self,
        report: Report | None,
        values: dict[str, Any],
        worker: Worker,
        library: Library,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle("New report")
        self.resize(900, 640)
        self._open, self._worker, self._library = report, worker, library
        self._tables: dict[tuple[str, str], CatalogTable] = {}
        self._values = values
        self._session = Session(library)
        self._query: Query | None = None
        self._base: Report | None = None
        self.found: dict[str, Report] = {}
        self._known: dict[str, Field] = {}
        self._order: list[str] = []
        self._asked = 0
        self.kind: str | None = None
        self._count: int | None = None
        """How many rows the chosen table has, if that is known."""
        self._judging: list[CancelToken] = []
        self.finished.connect(lambda _: self._stop_judging())
        self._place()
        self._fields_read.connect(self._show_fields)
        self._shown.connect(self._show_page)
        self._choose()

    def _place(self) -> None:
        self.source = QComboBox()
        self.source.setAccessibleName("Data source")
        self.source.setToolTip("A query of the open report, or a table of the library's connections")
        for query in self._open.queries if self._open is not None else ():
            self.source.addItem(f"Query · {query.name}", ("query", query.name))
        self.source.activated.connect(lambda _: self._choose())
        self.title = QLineEdit()
        self.title.setAccessibleName("Title")
        self.title.textChanged.connect(lambda _: self._update())
        self.title.editingFinished.connect(self._propose)
        self.fields = QListWidget()
        self.fields.setAccessibleName("Fields")
        self.fields.setToolTip("Space ticks a field; the first ticked matters most")
        self.fields.itemChanged.connect(self._ticked)
        self.message = QLabel()
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        form = QFormLayout()
        form.addRow("Data source", self.source)
        form.addRow("Title", self.title)
        left = QVBoxLayout()
        left.addLayout(form)
        left.addWidget(self.fields, 1)
        left.addWidget(self.message)
        pages = QGridLayout()
        self.cards: dict[str, QToolButton] = {}
        for at, kind in enumerate(LAYOUTS):
            card = QToolButton()
            card.setText(kind)
            card.setObjectName("card")
            card.setIconSize(_SHOT)
            card.setCheckable(True)
            card.setAutoExclusive(True)
            card.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            card.setAccessibleName(kind)
            card.clicked.connect(partial(self._pick, kind))
            self.cards[kind] = card
            pages.addWidget(card, at // 2, at % 2)
        self.begin = QPushButton("Create report")
        self.begin.setObjectName("primary")
        self.begin.setDefault(True)
        self.begin.clicked.connect(lambda _=False: self.accept())
        cancel = QPushButton("Cancel")
        cancel.setAutoDefault(False)
        cancel.clicked.connect(lambda _=False: self.reject())
        buttons = QHBoxLayout()
        buttons.addStretch(1)
        buttons.addWidget(cancel)
        buttons.addWidget(self.begin)
        right = QVBoxLayout()
        right.addLayout(pages)
        right.addStretch(1)
        right.addLayout(buttons)
        whole = QHBoxLayout(self)
        whole.addLayout(left, 2)
        whole.addLayout(right, 3)

    def add_tables(self, connection: str, tables: Sequence[CatalogTable]) -> None:
        """Offer the tables of a connection."""
        for table in tables:
            if (connection, table.name) not in self._tables:
                self._tables[connection, table.name] = table
                self.source.addItem(f"{connection} · {table.name}", (connection, table.name))
        if self.source.count() and self._query is None:
            self._choose()

    # fields

    def _choose(self) -> None:
        """Read the fields of the chosen query or table."""
        chosen = self.source.currentData()
        if chosen is None:
            self.message.setText("Reading the library's tables. Where it has none, add a connection in Data.")
            return
        self._asked += 1
        asked = self._asked
        self.fields.clear()
        self._known, self._order, self.found = {}, [], {}
        self._update()
        self.message.setText("Reading the fields…")
        try:
            self._query, self._base = self._source(*chosen)
        except NorthmoorError as error:
            self.message.setText(error.message)
            return
        base, query, session = self._base, self._query, self._session
        self._worker.run_task(
            lambda stop: (asked, read_query_fields(session, base, query, self._values, stop).fields),
            lambda found: self._fields_read.emit(found if isinstance(found, tuple) else (asked, found)),
        )

    def _source(self, first: str, name: str) -> tuple[Query, Report]:
        """The query whose fields are chosen, and a report that has it with a small number of rows."""
        if first == "query" and self._open is not None:
            query, self._count = self._open.query(name), None
            self.title.setText(readable_name(query.name))
            return query, self._open
        query = table_query(first, self._tables[first, name], self._library)
        self.title.setText(readable_name(query.name))
        few, self._count = first_rows(query, _MOST_ROWS), self._tables[first, name].rows
        return query, listing(few, [("column", "1", "")], [], {}, query.name)

    def _show_fields(self, found: tuple[int, object]) -> None:
        asked, fields = found
        if asked != self._asked:
            return
        if not isinstance(fields, tuple):
            self.message.setText(str(getattr(fields, "message", fields)))
            return
        self._known = {field.name: field for field in fields}
        self._order = []
        self.fields.blockSignals(True)
        for field in fields:
            item = QListWidgetItem(field.label)
            item.setData(Qt.ItemDataRole.UserRole, field.name)
            item.setCheckState(Qt.CheckState.Unchecked)
            self.fields.addItem(item)
        self.fields.blockSignals(False)
        self.message.setText(_HINT)
        self._propose()

    def _ticked(self, item: QListWidgetItem) -> None:
        name = item.data(Qt.ItemDataRole.UserRole)
        is_ticked = item.checkState() == Qt.CheckState.Checked
        if is_ticked and name not in self._order:
            self._order.append(name)
        elif not is_ticked and name in self._order:
            self._order.remove(name)
        self.fields.blockSignals(True)
        for at in range(self.fields.count()):
            own = self.fields.item(at)
            assert own is not None
            field = self._known[own.data(Qt.ItemDataRole.UserRole)]
            place = f"{self._order.index(field.name) + 1} · " if field.name in self._order else ""
            own.setText(place + field.label)
        self.fields.blockSignals(False)
        self._propose()

    # proposals

    def _propose(self) -> None:
        """Show the first page of each report that can be begun."""
        self._asked += 1
        query, base = self._query, self._base
        chosen = [self._known[name] for name in self._order] or list(self._known.values())[:_LISTED]
        title = self.title.text().strip() or "New report"
        shown = proposals(base, query, chosen, title) if query is not None and base is not None else {}
        self.found = {}
        if query is not None:
            self.found = proposals(self._whole(query), query, chosen, title)
        for kind, card in self.cards.items():
            card.setEnabled(kind in self.found)
            card.setToolTip(
                f"{kind}: its first page, at first from {_MOST_ROWS:,} rows" if kind in self.found else LAYOUTS[kind]
            )
            card.setIcon(QIcon())
        self.message.setText(
            _HINT
            if not self._order
            else f"{len(chosen)} fields, the first one first."
            if len(chosen) > 1
            else "1 field; tick more for groups, a matrix or statements."
        )
        for kind, report in shown.items():
            self._ask_page(kind, report)
        self._judge_whole()
        if self.kind not in self.found:
            self._pick(next(iter(self.found), None))
        self._update()

    def _ask_page(self, kind: str, report: Report) -> CancelToken:
        """Show the first page of a report as soon as there is one; what stops that."""
        asked = self._asked
        return self._worker.run_task(
            partial(_first_page, self._session, report, self._values, asked, kind),
            lambda found: self._shown.emit(found if isinstance(found, tuple) else (asked, kind, found)),
        )

    def _judge_whole(self) -> None:
        """Look at the reports over all rows of a table too, unless there are very many: totals of all are wider than
        those of the first."""
        self._stop_judging()
        if self._count is not None and _MOST_ROWS < self._count <= _MOST_JUDGED:
            self._judging = [self._ask_page(kind, report) for kind, report in self.found.items()]

    def _stop_judging(self) -> None:
        for judging in self._judging:
            judging.cancel()
        self._judging = []

    def _whole(self, query: Query) -> Report:
        """What the new report keeps: the open report's data, or the one query of a table."""
        if self._open is not None and query in self._open.queries:
            return self._open.but(value_sets=())
        resolved = with_field_settings(query, tuple(self._known.values()))
        return listing(resolved, [("column", "1", "")], [], {}, query.name)

    def _show_page(self, found: tuple[int, str, object]) -> None:
        asked, kind, page = found
        if asked != self._asked:
            return
        if not isinstance(page, tuple):
            self.message.setText(str(getattr(page, "message", page)))
            return
        orientation, raster = page
        self.found[kind] = turned(self.found[kind], orientation)
        image = QImage(raster.data, raster.width, raster.height, raster.stride, QImage.Format.Format_RGB32)
        top = image.copy(0, 0, raster.width, min(raster.width, raster.height))
        self.cards[kind].setIcon(QIcon(QPixmap.fromImage(top)))

    def _pick(self, kind: str | None, _: bool = False) -> None:
        self.kind = kind
        if kind is not None:
            self.cards[kind].setChecked(True)
        self._update()

    # beginning

    @property
    def path(self) -> Path:
        """Where the report goes: the library's folder of reports, under a name that is free."""
        folder = self._library.root / "reports"
        folder = folder if folder.is_dir() else self._library.root
        name = re.sub(r"[^a-z0-9]+", "-", self.title.text().lower()).strip("-") or "report"
        numbers = ("", *(f"-{number}" for number in range(2, 10_000)))
        return next(path for number in numbers if not (path := folder / f"{name}{number}.moor").exists())

    def _update(self) -> None:
        is_ready = self.kind in self.found
        self.begin.setEnabled(is_ready)
        self.begin.setToolTip(f"Save it as {self.path.name} and open it" if is_ready else _HINT)

    def accept(self) -> None:
        """Tell of the picked report."""
        if self.kind in self.found:
            title = self.title.text().strip() or "New report"
            self.begun.emit(self.found[self.kind].but(title=title), self.path)
            super().accept()


def _first_page(
    session: Session, report: Report, values: dict[str, object], asked: int, kind: str, stop: CancelToken
) -> tuple[int, str, tuple[Orientation, Raster]]:
    def render(made: Report) -> Document:
        resolved = session.resolve_parameters(made, values, stop, designing=True, forgiving=True)
        return session.render_resolved(resolved, None, stop)

    orientation, document = with_room(report, render)
    width = document.page(0).width / 1000
    return asked, kind, (orientation, rasterise(document.page_pdf(0), 0, 2 * _SHOT.width() / width))
