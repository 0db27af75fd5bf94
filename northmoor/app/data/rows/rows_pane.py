"""The rows of a query: a grid with a profile over each column, quick sort and filter for looking, totals to check."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QKeySequence, QResizeEvent, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QTableView, QVBoxLayout, QWidget

from northmoor.app.data.rows.profile_header import ProfileHeader
from northmoor.app.language.translation import tr
from northmoor.app.widgets.headings import draw_hint
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.kind_looks import KIND_LOOKS
from northmoor.app.widgets.rows_model import RowsModel
from northmoor.app.widgets.theme import PAPER
from northmoor.app.widgets.widget_tools import reapply_style, set_style_name
from northmoor.app.worker import Worker
from northmoor.core.compute.explore.profile import ColumnProfile, profile
from northmoor.core.compute.explore.quick_filter import QuickFilter, visible_rows
from northmoor.core.engine.rows import Rows
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.model.data.queries import QueryColumn

_ROOM_FOR_WORDS = 36
"""Heights of a line that the pane is wide, so that all above its rows can have words."""
_SETTLE = 250  # milliseconds without typing before rows are narrowed
_MOST_FITTED, _NARROWEST, _WIDEST = 60, 112, 260
"""Columns that are as wide as their rows need, and how wide they are at least, for what is over them, and at most, in
pixels."""
_ROWS_MEASURED = 64


class RowsView(QTableView):
    """The grid; when there is nothing to show it says why."""

    def __init__(self) -> None:
        super().__init__()
        self.hint = tr("Run the query to see its rows (Ctrl+Enter).")
        self.setAccessibleName(tr("Rows"))
        self.setWordWrap(False)
        header = ProfileHeader(self)
        header.setResizeContentsPrecision(_ROWS_MEASURED)
        self.setHorizontalHeader(header)
        rows = self.verticalHeader()
        rows.setDefaultSectionSize(25)
        rows.setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        self.setHorizontalScrollMode(QTableView.ScrollMode.ScrollPerPixel)
        QShortcut(QKeySequence.StandardKey.Copy, self, self.copy, context=Qt.ShortcutContext.WidgetShortcut)

    def paintEvent(self, event: object) -> None:
        """Draw the cells, or the hint."""
        super().paintEvent(event)  # type: ignore[arg-type]
        draw_hint(self, self.hint)

    def copy(self) -> None:
        """Copy the selected cells, tabs between them."""
        indexes = self.selectedIndexes()
        if not indexes:
            return
        lines: dict[int, list[str]] = {}
        for index in sorted(indexes, key=lambda i: (i.row(), i.column())):
            lines.setdefault(index.row(), []).append(str(index.data() or ""))
        QGuiApplication.clipboard().setText("\n".join("\t".join(cells) for cells in lines.values()))


class RowsPane(QWidget):
    """Rows under a line that tells of them and narrows them."""

    looked = pyqtSignal(object)
    profiled = pyqtSignal(object)
    column_chosen = pyqtSignal(int)
    record_menu_wanted = pyqtSignal(int, int, QPoint)
    """For a row of the rows and a column, at a place of the screen."""
    column_menu_wanted = pyqtSignal(int, QPoint)
    rename_wanted = pyqtSignal(str)

    def __init__(self, worker: Worker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._worker = worker
        self.rows: Rows | None = None
        self.model: RowsModel | None = None
        self._look = QuickFilter()
        self._fitted: dict[str, int] = {}
        self.view = RowsView()
        header = self.view.horizontalHeader()
        assert isinstance(header, ProfileHeader)
        self.header = header
        self.title = QLabel(tr("Rows"))
        self.facts = QLabel()
        self.message = QLabel()
        self.remedy = QPushButton()
        self._remedy: Callable[[], object] = lambda: None
        self.filter = QLineEdit()
        self.totals = QPushButton(icon("grid-3x3"), tr("Check totals"))
        self.export = QPushButton(icon("download"), "")
        self.run = QPushButton(icon("play", PAPER), tr("Run"))
        self.stop = QPushButton(icon("circle-stop"), "")
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(_SETTLE)
        self._place()
        self.header.sectionClicked.connect(self._click)
        self.header.sectionDoubleClicked.connect(self._rename)
        self.view.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.view.customContextMenuRequested.connect(self._menu)
        self.header.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.header.customContextMenuRequested.connect(self._head_menu)
        self._settle.timeout.connect(self._narrow)
        self.filter.textChanged.connect(lambda _: self._settle.start())
        self.remedy.clicked.connect(lambda: self._remedy())
        self.looked.connect(self._show_look)
        self.profiled.connect(self._show_profile)
        self._enable(False)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Leave room to search: where there is little, a button has its picture only."""
        super().resizeEvent(event)
        has_room = self.width() >= _ROOM_FOR_WORDS * self.fontMetrics().height()
        self.totals.setText(tr("Check totals") if has_room else "")

    def _place(self) -> None:
        self.title.setObjectName("section")
        self.facts.setObjectName("quiet")
        self.message.setWordWrap(True)
        self.message.setTextFormat(Qt.TextFormat.PlainText)
        self.message.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        self.remedy.hide()
        self.filter.setPlaceholderText(tr("Search rows"))
        self.filter.setClearButtonEnabled(True)
        self.filter.setMinimumWidth(110)
        self.filter.setMaximumWidth(150)
        self.filter.setAccessibleName(tr("Only rows with"))
        self.filter.setToolTip(tr("Show only rows that contain this text; the report keeps all rows"))
        self.totals.setAccessibleName(tr("Check totals"))
        self.totals.setToolTip(tr("Cross the rows by columns and compare the totals with figures you know"))
        self.export.setToolTip(tr("Write these rows as CSV or Parquet"))
        self.export.setAccessibleName(tr("Export the rows"))
        self.run.setObjectName("primary")
        self.run.setToolTip(tr("Run the query and show its rows (Ctrl+Enter)"))
        self.stop.setToolTip(tr("Stop what runs (Esc)"))
        self.stop.setAccessibleName(tr("Stop"))
        self.stop.setEnabled(False)
        strip = QWidget()
        line = QHBoxLayout(strip)
        line.setContentsMargins(14, 6, 10, 6)
        line.setSpacing(8)
        line.addWidget(self.title)
        line.addWidget(self.facts, 1)
        for widget in (self.filter, self.totals, self.export, self.stop, self.run):
            line.addWidget(widget)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(strip)
        below = QHBoxLayout()
        below.setContentsMargins(14, 0, 10, 6)
        below.addWidget(self.message, 1)
        below.addWidget(self.remedy, 0, Qt.AlignmentFlag.AlignTop)
        column.addLayout(below)
        column.addWidget(self.view, 1)

    def show_rows(self, rows: Rows, format_locale: FormatLocale, settings: dict[str, QueryColumn]) -> None:
        """Show rows; what the columns hold and the look at them follow."""
        widths = self._widths()
        self.rows = rows
        self.view.hint = tr("There are no rows.")
        self.model = RowsModel(rows, format_locale)
        self.view.setModel(self.model)
        self.header.show()
        self.header.show_columns(rows, format_locale, settings)
        for column, (name, kind) in enumerate(zip(rows.names, rows.types, strict=True)):
            fitting = self._fitting_width(column, KIND_LOOKS[kind.kind].column_width)
            self._fitted[name] = fitting
            self.view.setColumnWidth(column, widths.get(name) or fitting)
        if self._look.column not in (None, *rows.names):
            self._look = QuickFilter(text=self._look.text)
        self._enable(True)
        if rows.is_whole:
            self._worker.run_task(lambda stop: (rows, profile(rows, stop)), self.profiled.emit)
            if self._look != QuickFilter():
                self._see()

    def _fitting_width(self, column: int, usual: int) -> int:
        """The width that the first rows of a column need, within reason; where there are very many, what is usual."""
        if column >= _MOST_FITTED or self.rows is None or not self.rows.table.num_rows:
            return usual
        return min(max(self.view.sizeHintForColumn(column), _NARROWEST), _WIDEST)

    def show_settings(self, settings: dict[str, QueryColumn], format_locale: FormatLocale) -> None:
        """Show changed settings of the columns."""
        if self.rows is not None:
            profiles = self.header.profiles
            self.header.show_columns(self.rows, format_locale, settings)
            self.header.show_profiles(profiles)

    def clear(self, hint: str) -> None:
        """Show no rows, and why."""
        self.rows = self.model = None
        self.view.setModel(None)
        self.header.hide()
        self.facts.clear()
        self.view.hint = hint
        self._look = QuickFilter()
        self.filter.blockSignals(True)
        self.filter.clear()
        self.filter.blockSignals(False)
        self.header.setSortIndicatorShown(False)
        self._enable(False)

    def show_message(self, text: str, kind: str) -> None:
        """Say something of the rows: kind is quiet, good, warning or fault."""
        set_style_name(self.message, kind)
        self.message.setText(text)
        self.message.setVisible(bool(text))
        self.remedy.hide()

    def offer(self, text: str, run: Callable[[], object]) -> None:
        """Offer what helps, as a button beside the message."""
        self._remedy = run
        self.remedy.setText(text)
        self.remedy.show()

    def state(self, facts: str, are_old: bool = False) -> None:
        """Say how many rows there are, and how long they took; old ones, of an earlier run, are greyed."""
        self.facts.setText(facts)
        if self.are_old != are_old:
            self.view.setProperty("old", are_old)
            reapply_style(self.view)

    def show_as_old(self) -> None:
        """Say that the rows, if there are some, are of an earlier run."""
        if self.rows is not None:
            self.state(tr("rows of the run before"), are_old=True)

    def rows_of(self, query: str) -> Rows | None:
        """All rows of a query's last run, if these are shown."""
        is_shown = self.rows is not None and self.rows.query == query and self.rows.is_whole and not self.are_old
        return self.rows if is_shown else None

    @property
    def are_old(self) -> bool:
        """Whether the rows are of an earlier run."""
        return bool(self.view.property("old"))

    def _enable(self, has_rows: bool) -> None:
        for widget in (self.filter, self.totals, self.export):
            widget.setEnabled(has_rows)

    def _widths(self) -> dict[str, int]:
        """The widths that somebody gave columns."""
        if self.rows is None:
            return {}
        widths = {name: self.view.columnWidth(at) for at, name in enumerate(self.rows.names)}
        return {name: width for name, width in widths.items() if width != self._fitted.get(name)}

    def _menu(self, at: QPoint) -> None:
        index = self.view.indexAt(at)
        if index.isValid() and self.model is not None:
            row, place = self.model.number(index.row()), self.view.viewport().mapToGlobal(at)
            self.record_menu_wanted.emit(row, index.column(), place)

    def _head_menu(self, at: QPoint) -> None:
        column = self.header.logicalIndexAt(at)
        if column >= 0 and self.rows is not None:
            self.column_menu_wanted.emit(column, self.header.viewport().mapToGlobal(at))

    def _click(self, column: int) -> None:
        """The first click on a head chooses the column, more of them sort up, down and as given."""
        if self.rows is None:
            return
        name = self.rows.names[column]
        if self.header.property("chosen") == name:
            steps = {
                (None, False): QuickFilter(name),
                (name, False): QuickFilter(name, True),
                (name, True): QuickFilter(),
            }
            step = steps.get(
                (self._look.column if self._look.column == name else None, self._look.descending), QuickFilter(name)
            )
            self._look = QuickFilter(step.column, step.descending, self._look.text)
            self._see()
        self.choose(name)

    def _rename(self, column: int) -> None:
        if self.rows is not None:
            self.rename_wanted.emit(self.rows.names[column])

    def choose(self, name: str) -> None:
        """Choose a column by its name, also before its rows are there."""
        self.header.setProperty("chosen", name)
        self.header.viewport().update()
        if self.rows is not None and name in self.rows.names:
            self.column_chosen.emit(self.rows.names.index(name))

    def _narrow(self) -> None:
        self._look = QuickFilter(self._look.column, self._look.descending, self.filter.text())
        self._see()

    def _see(self) -> None:
        rows, look = self.rows, self._look
        if rows is not None and rows.is_whole:
            self._worker.run_task(lambda stop: (rows, look, visible_rows(rows, look, stop)), self.looked.emit)

    def _show_look(self, found: object) -> None:
        if not isinstance(found, tuple) or found[0] is not self.rows or found[1] != self._look or self.model is None:
            return
        look = found[1]
        self.model.apply_filter(None if look == QuickFilter() else found[2])
        self.header.setSortIndicatorShown(look.column is not None)
        if look.column is not None:
            order = Qt.SortOrder.DescendingOrder if look.descending else Qt.SortOrder.AscendingOrder
            self.header.blockSignals(True)
            self.header.setSortIndicator(found[0].names.index(look.column), order)
            self.header.blockSignals(False)
        count = self.model.rowCount()
        self.title.setText(tr("Rows · {count:,} seen").format(count=count) if look.text.strip() else tr("Rows"))
        self.view.hint = tr("No row has these letters.") if look.text.strip() else tr("There are no rows.")

    def _show_profile(self, found: object) -> None:
        if isinstance(found, tuple) and found[0] is self.rows:
            profiles: tuple[ColumnProfile, ...] = found[1]
            self.header.show_profiles(profiles)
