"""A new report on one screen: its data, the fields and what each is, and the live page of the layout that is chosen."""

import re
from collections.abc import Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.compute as pc
from PyQt6.QtCore import QSize, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import (
    QComboBox,
    QDialog,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidgetItem,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import in_sentence, tr
from northmoor.app.pages.panels.query_fields import QueryFields, read_query_fields
from northmoor.app.pages.panels.role_choice_box import surplus_words
from northmoor.app.start.report_starter.chosen_field_list import ChosenFieldList
from northmoor.app.start.report_starter.filter_row import FilterRow
from northmoor.app.start.report_starter.look_pictures import LOOK_PICTURE, look_icon
from northmoor.app.start.report_starter.page_preview import PagePreview, page_picture
from northmoor.app.start.report_starter.source_panel import SourcePanel
from northmoor.app.start.report_starter.tick_list import TickList
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.kind_looks import KIND_LOOKS, kind_text
from northmoor.app.widgets.widget_tools import first_size, items_in_list
from northmoor.app.worker import Worker
from northmoor.core.authoring.starters.block_starters import ChosenField
from northmoor.core.authoring.starters.new_report import first_rows, with_field_settings
from northmoor.core.authoring.starters.report_layouts import REPORT_LAYOUTS, ReportLayout
from northmoor.core.authoring.starters.starter_layouts import Field, listing
from northmoor.core.authoring.starters.starter_query import filtered_report, starter_query
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.readable_names import readable_name
from northmoor.core.checks.lack_of_room import turned, with_room
from northmoor.core.document import Document
from northmoor.core.errors import NorthmoorError
from northmoor.core.model import edits
from northmoor.core.model.data.queries import Query
from northmoor.core.model.edits import TABLE_LOOKS
from northmoor.core.model.pages import PAPER_SIZES, Orientation
from northmoor.core.model.report import Report
from northmoor.core.output.raster import Raster, rasterise
from northmoor.core.session import Session
from northmoor.core.sources.drivers.catalog import CatalogTable
from northmoor.core.sources.library import Library

_MOST_ROWS = 2_000
_MOST_JUDGED = 1_000_000
"""Rows that the pages are first made from; the report itself has all."""
_CARD = QSize(86, 86)
_AROUND_CARD = QSize(32, 38)
"""Room for the name of a layout below its picture."""
_LEFT_WIDTH, _LOOK_WIDTH = 330, 236
_PAGE_WIDTH = 1_200
"""Pixels of a page that is shown."""
_HINT = tr("Select fields at the left, the most important first; until then the first ones are listed.")
_ORIENTATION = tr("Automatic: portrait, or landscape where that cuts and shrinks less")
_LISTED = 8
"""How many fields are listed where none is ticked."""
_MOST_VALUES = 200
_UNTITLED = tr("New report")
_PAGES_AFTER = 120  # milliseconds after the last change


class NewReportDialog(QDialog):
    """Begins a report. `begun` carries it and the file that it goes to."""

    begun = pyqtSignal(object, object)
    _fields_read = pyqtSignal(object)
    _shown = pyqtSignal(object)
    _values_read = pyqtSignal(object)

    def __init__(
        self,
        report: Report | None,
        values: dict[str, Any],
        worker: Worker,
        library: Library,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("New report"))
        self.resize(first_size(self, QSize(1200, 740)))
        self._open, self._worker, self.library = report, worker, library
        self._values = values
        self._session = Session(library)
        self._query: Query | None = None
        self._whole: Report | None = None
        self._few: Report | None = None
        self.found: dict[str, Report] = {}
        self._shown_first: dict[str, Report] = {}
        self._known: dict[str, Field] = {}
        self._read = QueryFields()
        self._order: list[str] = []
        self._own: dict[str, list[ChosenField]] = {}
        """What fields are in layouts where that was changed by hand."""
        self.pages: dict[str, tuple[Raster, str]] = {}
        """The first page of each layout, as far as they are laid out, and what is said of it."""
        self._reading = 0
        self._asked = 0
        self.kind: str | None = None
        self._previewed: str | None = None
        self._count: int | None = None
        """How many rows the chosen table has, if that is known."""
        self._laying_out: list[CancelToken] = []
        self._later = QTimer(self)
        self._later.setSingleShot(True)
        self._later.setInterval(_PAGES_AFTER)
        self._later.timeout.connect(self._ask_pages)
        self.finished.connect(lambda _: self._stop())
        self._make_widgets()
        whole = QHBoxLayout(self)
        whole.setSpacing(14)
        whole.addLayout(self._left())
        whole.addLayout(self._right(), 1)
        self._connect()
        self._choose()

    # building

    def _make_widgets(self) -> None:
        self.panel = SourcePanel([query.name for query in self._open.queries] if self._open else (), self.library)
        self.source = self.panel.source
        self.title, self.search, self.fields = QLineEdit(), QLineEdit(), TickList()
        self.chosen, self.filter = ChosenFieldList(), FilterRow()
        self.preview, self.caption, self.message = PagePreview(), QLabel(), QLabel()
        self.look, self.paper, self.orientation = QComboBox(), QComboBox(), QComboBox()
        self.title.setAccessibleName(tr("Title"))
        self.search.setAccessibleName(tr("Search fields"))
        self.search.setPlaceholderText(tr("search fields"))
        self.search.setClearButtonEnabled(True)
        self.fields.setAccessibleName(tr("Fields"))
        self.fields.setToolTip(tr("Space ticks what is selected, Ctrl+A selects all; the first is the most important"))
        self.look.setIconSize(LOOK_PICTURE)
        self.look.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.look.setMinimumContentsLength(14)
        self.look.setMaximumWidth(_LOOK_WIDTH)
        self.look.addItem(tr("Simple"), None)
        for name, look in TABLE_LOOKS.items():
            self.look.addItem(look_icon(name), tr(look.title), name)
        for size in PAPER_SIZES:
            self.paper.addItem(size, size)
        self.paper.setCurrentText("A4")
        for text, value in ((tr("Automatic"), None), (tr("Portrait"), "portrait"), (tr("Landscape"), "landscape")):
            self.orientation.addItem(text, value)
        for combo, name, tip in (
            (self.look, tr("Table style"), tr("What the table looks like; it can be changed at any time")),
            (self.paper, tr("Paper"), tr("The paper of its pages")),
            (self.orientation, tr("Orientation"), _ORIENTATION),
        ):
            combo.setAccessibleName(name)
            combo.setToolTip(tip)
        for label in (self.caption, self.message):
            label.setObjectName("quiet")
            label.setTextFormat(Qt.TextFormat.PlainText)
        self.message.setWordWrap(True)
        blank = QPixmap(_CARD)
        blank.fill(Qt.GlobalColor.transparent)
        self._blank = QIcon(blank)
        self.cards: dict[str, QToolButton] = {}
        for layout in REPORT_LAYOUTS:
            card = QToolButton()
            card.setText(tr(layout.name))
            card.setObjectName("card")
            card.setIconSize(_CARD)
            card.setFixedSize(_CARD + _AROUND_CARD)
            card.setCheckable(True)
            card.setAutoExclusive(True)
            card.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            card.setAccessibleName(tr(layout.name))
            card.clicked.connect(partial(self._pick, layout.name))
            self.cards[layout.name] = card

    def _left(self) -> QVBoxLayout:
        left = QVBoxLayout()
        left.setSpacing(6)
        for text, widget, stretch in (
            (tr("&Title"), self.title, 0),
            (tr("Data &source"), self.panel, 0),
            (tr("Rows"), self.filter, 0),
            (tr("In the &report"), self.chosen, 5),
            (tr("&Fields"), self.search, 0),
        ):
            label = QLabel(text)
            label.setObjectName("section")
            label.setBuddy({self.panel: self.source, self.filter: self.filter.column}.get(widget, widget))
            left.addWidget(label)
            left.addWidget(widget, stretch)
        left.addWidget(self.fields, 6)
        left.addWidget(self.message)
        for fixed in (self.panel, self.title, self.filter, self.chosen, self.search, self.fields, self.message):
            fixed.setFixedWidth(_LEFT_WIDTH)
        return left

    def _right(self) -> QVBoxLayout:
        self.begin = QPushButton(tr("Create report"))
        self.begin.setObjectName("primary")
        self.begin.setDefault(True)
        self.begin.clicked.connect(lambda _=False: self.accept())
        cancel = QPushButton(tr("Cancel"))
        cancel.setAutoDefault(False)
        cancel.clicked.connect(lambda _=False: self.reject())
        cards = QHBoxLayout()
        cards.setSpacing(8)
        for card in self.cards.values():
            cards.addWidget(card)
        cards.addStretch(1)
        bottom = QHBoxLayout()
        bottom.setSpacing(8)
        for text, combo in ((tr("St&yle"), self.look), (tr("&Paper"), self.paper), ("", self.orientation)):
            if text:
                label = QLabel(text)
                label.setBuddy(combo)
                bottom.addWidget(label)
            bottom.addWidget(combo, 3 if combo is self.look else 0)  # it is cut only where there is little room
        bottom.addStretch(1)
        bottom.addWidget(cancel)
        bottom.addWidget(self.begin)
        right = QVBoxLayout()
        right.setSpacing(8)
        right.addLayout(cards)
        right.addWidget(self.preview, 1)
        right.addWidget(self.caption)
        right.addLayout(bottom)
        return right

    def _connect(self) -> None:
        self.panel.chosen.connect(self._choose)
        self.title.textChanged.connect(lambda _: self._update())
        self.title.editingFinished.connect(self._take_title)
        self.search.textChanged.connect(self._narrow)
        self.fields.itemChanged.connect(self._ticked)
        self.chosen.changed.connect(self._take_chosen)
        self.filter.changed.connect(self._filter)
        self.filter.column_chosen.connect(self._read_values)
        for combo in (self.look, self.paper, self.orientation):
            combo.activated.connect(lambda _: self._propose())
        self._fields_read.connect(self._show_fields)
        self._values_read.connect(lambda found: self.filter.offer_values(*found) if isinstance(found, tuple) else None)
        self._shown.connect(self._show_page)

    def _take_title(self) -> None:
        """Show the pages with the title as it is now."""
        if any(report.title != (self.title.text().strip() or _UNTITLED) for report in self.found.values()):
            self._propose()

    def add_tables(self, connection: str, tables: Sequence[CatalogTable]) -> None:
        """Offer the tables of a connection."""
        self.panel.add_tables(connection, tables)
        if self.source.count() and self._query is None:
            self._choose()

    # fields

    def _choose(self) -> None:
        """Read the fields of the chosen query or table."""
        self._reading += 1
        reading = self._reading
        self.fields.clear()
        self._known, self._order, self._own = {}, [], {}
        self._query = None
        self.filter.show_fields((), {})
        self._forget_pages()
        self._show_chosen()
        if self.panel.current is None:
            self._say(tr("Reading the library's tables. Where it has none, add a connection in Data."))
            return
        self._say(tr("Reading the fields…"))
        try:
            self._take_source()
        except NorthmoorError as error:
            self._say(core_text(error.message))
            return
        assert self._query is not None
        self.title.setText(readable_name(self._query.name))
        few, query, session = self._few, self._query, self._session
        assert few is not None
        self._worker.run_task(
            lambda stop: (reading, read_query_fields(session, few, few.query(query.name), self._values, stop)),
            lambda found: self._fields_read.emit(found if isinstance(found, tuple) else (reading, found)),
        )

    def _take_source(self) -> None:
        """The report that the new one is made of, with the rows that are wanted, and the same with few of them.

        Raises NorthmoorError for a source or a condition that cannot be used.
        """
        source, wanted = self.panel.current, self.filter.wanted
        assert source is not None
        if isinstance(source, str):
            assert self._open is not None
            query, self._count = self._open.query(source), None
            whole = self._open.but(value_sets=())
        else:
            query, self._count = starter_query(source, self.library), source.rows
            resolved = with_field_settings(query, tuple(self._known.values()))
            whole = listing(resolved, [("column", "1", "")], [], {}, query.name)
        if wanted is not None:
            whole, self._count = filtered_report(whole, query, wanted, self.library), None
        query = whole.query(query.name)
        few = whole
        if not isinstance(source, str):
            few = edits.change_query(whole, query.name, sql=first_rows(query, _MOST_ROWS).sql)
        self._query, self._whole, self._few = query, whole, few

    def _filter(self) -> None:
        """Take other rows."""
        if self._query is None:
            return
        try:
            self._take_source()
        except NorthmoorError as error:
            self._forget_pages()  # those with other rows are not what is wanted
            self._say(core_text(error.message))
        else:
            self._propose()

    def _read_values(self, column: str) -> None:
        """Offer the values of a column, as far as they are among the rows that are shown."""
        few, query, session = self._few, self._query, self._session
        if few is not None and query is not None:
            self._worker.run_task(
                partial(_distinct_values, session, few, query.name, column, self._values), self._values_read.emit
            )

    def _show_fields(self, found: tuple[int, object]) -> None:
        reading, read = found
        if reading != self._reading:
            return
        if not isinstance(read, QueryFields):
            self._say(core_text(getattr(read, "message", read)))
            return
        self._read = read
        self._known = {field.name: field for field in read.fields}
        self.fields.blockSignals(True)
        for field in read.fields:
            item = QListWidgetItem(icon(KIND_LOOKS[read.types[field.name].kind].icon), field.label)
            item.setData(Qt.ItemDataRole.UserRole, field.name)
            item.setToolTip(f"{field.name}: {kind_text(read.types[field.name].kind)}")
            item.setCheckState(Qt.CheckState.Unchecked)
            self.fields.addItem(item)
        self.fields.blockSignals(False)
        self._narrow(self.search.text())
        self.filter.show_fields(read.fields, read.types)
        self._take_source()  # with the settings of its fields
        self._propose()

    def _items(self) -> list[QListWidgetItem]:
        return items_in_list(self.fields)

    def _narrow(self, text: str) -> None:
        """List the fields whose label or name has a text."""
        for item in self._items():
            words = f"{item.text()} {item.data(Qt.ItemDataRole.UserRole)}".lower()
            item.setHidden(text.strip().lower() not in words)

    def _ticked(self, item: QListWidgetItem) -> None:
        name = item.data(Qt.ItemDataRole.UserRole)
        is_ticked = item.checkState() == Qt.CheckState.Checked
        if is_ticked and name not in self._order:
            self._order.append(name)
        elif not is_ticked and name in self._order:
            self._order.remove(name)
        self._propose()

    def _take_chosen(self, fields: list[ChosenField]) -> None:
        """Take the fields as they were ordered, in their roles, in the layout that is shown."""
        assert self.kind is not None
        self._own[self.kind] = fields
        self._order = [each.field.name for each in fields]
        self.fields.blockSignals(True)
        for item in self._items():
            is_ticked = item.data(Qt.ItemDataRole.UserRole) in self._order
            item.setCheckState(Qt.CheckState.Checked if is_ticked else Qt.CheckState.Unchecked)
        self.fields.blockSignals(False)
        self._propose()

    def fields_in(self, layout: ReportLayout) -> list[ChosenField]:
        """The ticked fields, or the first ones where none is, with what each is in a layout."""
        fields = [self._known[name] for name in self._order] or list(self._known.values())[:_LISTED]
        roles = {each.field.name: each for each in layout.propose(fields)}
        if self._order and layout.name in self._own:
            own = {each.field.name: each for each in self._own[layout.name]}
            before = list(own.values())
            later = [ChosenField(f, layout.starter.role_of(f, before)) for f in fields if f.name not in own]
            roles = own | {each.field.name: each for each in later}
        return [roles.get(field.name, ChosenField(field, "")) for field in fields]

    # proposals

    def _propose(self) -> None:
        """Show the first page of each report that can be begun."""
        self._asked += 1
        if not self._known:
            return  # its fields are read first
        self._stop()
        self.found, self.pages, self._shown_first = {}, {}, {}
        for layout in REPORT_LAYOUTS:
            fields = [each for each in self.fields_in(layout) if each.role]
            if layout.fits(fields):
                self.found[layout.name] = self._begun(layout, self._whole, fields)
                self._shown_first[layout.name] = self._begun(layout, self._few, fields)
            card = self.cards[layout.name]
            card.setEnabled(layout.name in self.found)
            as_it_is = tr("{layout}, as its first page is").format(layout=tr(layout.name))
            card.setToolTip(as_it_is if layout.name in self.found else tr(layout.needs))
            card.setIcon(self._blank)
        if self.kind not in self.found and self.kind not in self._own:
            self._pick(next(iter(self.found), None))
        else:
            self._show_chosen()
        if self.kind is not None and self.kind not in self.found:
            self.preview.show_message(self._layout.needs)
            self._previewed = None
        self._later.start()
        self._update()

    def _begun(self, layout: ReportLayout, base: Report | None, fields: Sequence[ChosenField]) -> Report:
        """A report begun with fields, on the chosen paper, its tables in the chosen style."""
        assert self._query is not None  # its fields were read
        assert base is not None
        report = layout.begin(base, self._query, fields, self.title.text().strip() or _UNTITLED)
        edition = report.editions[0]
        setup = edition.page.but(size=self.paper.currentData())
        if (turn := self.orientation.currentData()) is not None:
            setup = setup.but(orientation=turn)
        report = edits.change_edition(report, edition.name, page=setup)
        look = self.look.currentData()
        for table in edition.tables if look is not None else ():
            report = edits.take_table_look(report, edition.name, table.name, look)
        return report

    def _ask_pages(self) -> None:
        """Lay out the first page of each report that can be begun, that of the chosen one first.

        All rows of a table are looked at too, unless there are very many: totals of all are wider than those of the
        first.
        """
        for reports in (self._shown_first, self.found if self._is_judged else {}):
            for kind in sorted(reports, key=lambda each: each != self.kind):
                self._laying_out.append(self._ask_page(kind, reports[kind]))

    @property
    def _is_judged(self) -> bool:
        return self._count is not None and _MOST_ROWS < self._count <= _MOST_JUDGED

    def _ask_page(self, kind: str, report: Report) -> CancelToken:
        """Show the first page of a report as soon as there is one; what stops that."""
        asked, is_fixed = self._asked, self.orientation.currentData() is not None
        return self._worker.run_task(
            partial(_first_page, self._session, report, self._values, asked, kind, is_fixed),
            lambda found: self._shown.emit(found if isinstance(found, tuple) else (asked, kind, found)),
        )

    def _forget_pages(self) -> None:
        """Show no pages: nothing can be begun until others are laid out."""
        self._stop()
        self._asked += 1
        self.found, self.pages, self._previewed = {}, {}, None
        for card in self.cards.values():
            card.setIcon(self._blank)
        self.preview.show_message("")
        self.caption.clear()
        self._update()

    def _stop(self) -> None:
        """Lay out no more: other pages are wanted, or none."""
        self._later.stop()
        for stop in self._laying_out:
            stop.cancel()
        self._laying_out = []

    def _show_page(self, found: tuple[int, str, object]) -> None:
        asked, kind, page = found
        if asked != self._asked or kind not in self.found:
            return
        if not isinstance(page, tuple):
            self._say(core_text(getattr(page, "message", page)))
            return
        orientation, raster, facts = page
        if self.orientation.currentData() is None:
            self.found[kind] = turned(self.found[kind], orientation)
        self.pages[kind] = raster, facts
        picture = page_picture(raster)
        side = min(picture.width(), picture.height())
        top = picture.copy(0, 0, picture.width(), side)
        self.cards[kind].setIcon(
            QIcon(top.scaledToWidth(2 * _CARD.width(), Qt.TransformationMode.SmoothTransformation))
        )
        self._show_preview()

    def _show_preview(self) -> None:
        if self.kind in self.pages:
            raster, facts = self.pages[str(self.kind)]
            self.preview.show_page(raster)
            self.caption.setText(facts)
            self._previewed = self.kind
        elif self._previewed != self.kind:
            self.preview.show_message(tr("Laying out the page…") if self.kind in self.found else "")
            self.caption.clear()

    def _show_chosen(self) -> None:
        fields = self.fields_in(self._layout) if self._order else []
        self.chosen.show_fields(fields, self._layout.starter, self._read.types)
        self._say(surplus_words(self._layout.starter, fields) if self._order else _HINT)

    @property
    def _layout(self) -> ReportLayout:
        """The layout that is shown."""
        return next((each for each in REPORT_LAYOUTS if each.name == self.kind), REPORT_LAYOUTS[0])

    def _pick(self, kind: str | None, _: bool = False) -> None:
        self.kind = kind
        if kind is not None:
            self.cards[kind].setChecked(True)
        is_table = self._layout.starter.lists_rows
        self.look.setEnabled(is_table)
        without = tr("A {kind} has no table style").format(kind=in_sentence(tr(str(kind))))
        self.look.setToolTip(tr("What the table looks like") if is_table else without)
        self._show_preview()
        self._show_chosen()
        self._update()

    # beginning

    @property
    def path(self) -> Path:
        """Where the report goes: the library's folder of reports, under a name that is free."""
        folder = self.library.root / "reports"
        folder = folder if folder.is_dir() else self.library.root
        name = re.sub(r"[^a-z0-9]+", "-", self.title.text().lower()).strip("-") or "report"
        numbers = ("", *(f"-{number}" for number in range(2, 10_000)))
        return next(path for number in numbers if not (path := folder / f"{name}{number}.moor").exists())

    def _say(self, text: str) -> None:
        self.message.setText(text)
        self.message.setVisible(bool(text))

    def _update(self) -> None:
        is_ready = self.kind in self.found
        self.begin.setEnabled(is_ready)
        going_on = tr("Save it as {file} and open it").format(file=self.path.name)
        self.begin.setToolTip(going_on if is_ready else _HINT)

    def accept(self) -> None:
        """Begin the report that is shown."""
        if self.kind in self.found:
            title = self.title.text().strip() or _UNTITLED
            self.begun.emit(self.found[self.kind].but(title=title), self.path)
            super().accept()


def _first_page(
    session: Session,
    report: Report,
    values: dict[str, object],
    asked: int,
    kind: str,
    is_fixed: bool,
    stop: CancelToken,
) -> tuple[int, str, tuple[Orientation, Raster, str]]:
    def render(made: Report) -> Document:
        resolved = session.resolve_parameters(made, values, stop, designing=True, forgiving=True)
        return session.render_resolved(resolved, None, stop)

    if is_fixed:
        orientation, document = report.editions[0].page.orientation, render(report)
    else:
        orientation, document = with_room(report, render)
    width = document.page(0).width / 1000
    pages, rows = len(document), document.row_count
    facts = tr("Page 1 of {pages:,} · {rows:,} rows").format(pages=pages, rows=rows)
    if document.row_count == _MOST_ROWS:
        facts = tr("Page 1, from the first {count:,} rows; the report will have all").format(count=_MOST_ROWS)
    return asked, kind, (orientation, rasterise(document.page_pdf(0), 0, _PAGE_WIDTH / width), facts)


def _distinct_values(
    session: Session, report: Report, query: str, column: str, values: Mapping[str, object], stop: CancelToken
) -> tuple[str, list[str]]:
    resolved = session.resolve_parameters(report, values, stop, designing=True, forgiving=True)
    rows = session.rows(report, query, resolved.complete_values(), stop)
    if pa.types.is_nested(rows.table[column].type):
        return column, []
    found = pc.unique(rows.table[column]).drop_null().to_pylist()
    return column, [str(value) for value in sorted(found)[:_MOST_VALUES]]
