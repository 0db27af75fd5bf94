"""The Pages workspace: Contents and Fields at the left, the canvas, the inspector at the right."""

from functools import partial

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtWidgets import QLabel, QSplitter, QVBoxLayout, QWidget

from northmoor.app.desk import Desk, Selection
from northmoor.app.finder import Entry
from northmoor.app.pages.canvas import Canvas, selection_of
from northmoor.app.pages.contents import Contents
from northmoor.app.pages.dropping import DropTarget
from northmoor.app.pages.fields import Fields
from northmoor.app.pages.inplace import InPlace, definition_of
from northmoor.app.pages.inspector import Inspector
from northmoor.app.pages.trace import TracePanel
from northmoor.app.worker import PageShown, Rendered, Worker
from northmoor.core.expr.language import column_expression
from northmoor.core.layout.places import Spot
from northmoor.core.model import edits
from northmoor.core.model.tables import TableBlock


class PagesWorkspace(QWidget):
    """Edits the report on its real pages."""

    def __init__(self, desk: Desk, worker: Worker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk = desk
        self.trace = TracePanel(worker)
        self.trace.hide()
        self.contents = Contents()
        self.fields = Fields()
        self.canvas = Canvas()
        self.inspector = Inspector(desk)
        self._rendered: Rendered | None = None
        self._line: InPlace | None = None
        self._place()
        desk.changed.connect(self._changed)
        desk.edition_chosen.connect(self._changed)
        desk.selected.connect(self._selected)
        self.contents.picked.connect(desk.select)
        self.contents.level_moved.connect(self._move_level)
        self.canvas.picked.connect(desk.select)
        self.canvas.edit_wanted.connect(self._edit)
        self.canvas.spot_clicked.connect(self._trace)
        self.canvas.fold_wanted.connect(desk.fold_group)
        self.canvas.fold_all_wanted.connect(self.toggle_level)
        self.trace.closed.connect(self.toggle_trace)
        self.canvas.verticalScrollBar().valueChanged.connect(self._close_line)
        self.canvas.width_dragged.connect(self.set_width)
        self.canvas.field_dropped.connect(self.drop_field)
        self.fields.column_wanted.connect(self.add_column)
        self.fields.level_wanted.connect(self.add_level)

    def _place(self) -> None:
        left = QSplitter(Qt.Orientation.Vertical)
        left.addWidget(_titled("Contents", self.contents))
        left.addWidget(_titled("Fields", self.fields))
        left.setSizes([420, 260])
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(self.canvas)
        middle.addWidget(self.trace)
        middle.setSizes([520, 230])
        self.split = QSplitter()
        for widget in (left, middle, self.inspector):
            self.split.addWidget(widget)
        self.split.setSizes([216, 740, 268])
        self.split.setStretchFactor(1, 1)
        for splitter in (left, middle, self.split):
            splitter.setHandleWidth(1)
            splitter.setChildrenCollapsible(False)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(self.split)

    def show_rendered(self, rendered: Rendered) -> None:
        """Show a newly rendered document."""
        self._rendered = rendered
        self.trace.clear()
        self.canvas.mark(None)
        self.canvas.show_document(rendered)
        self._show_fields()

    def _move_level(self, table: str, level: str, by: int) -> None:
        self._desk.edit("Move the level", lambda r, e: edits.move_level(r, e, table, level, by))

    def toggle_level(self, table: str, level: int) -> None:
        """Fold all groups of a level on the screen; where they are, open all."""
        fold = self._desk.folds.get(table)
        self._desk.fold_level(table, None if fold is not None and fold.level == level else level)

    def fold_selected(self) -> None:
        """Fold or open the selected level, or the innermost."""
        table, selection = self.table, self._desk.selection
        if table is None or not table.levels:
            return
        names = [level.name for level in table.levels]
        at = names.index(selection.level) if selection.level in names else len(names) - 1
        self.toggle_level(table.name, at + 1)

    def open_all(self) -> None:
        """Open everything that is folded on the screen."""
        if self.table is not None:
            self._desk.fold_level(self.table.name, None)

    def toggle_trace(self) -> None:
        """Open Trace on the selected figure, or close it."""
        self.trace.setVisible(not self.trace.isVisible())
        self.canvas.mark(None)
        if self.trace.isVisible():
            self.trace.clear()
            spot = self.canvas.first_selected()
            if spot is not None:
                self._trace(*spot)

    def _trace(self, page: int, spot: Spot) -> None:
        if self.trace.isVisible() and self._rendered is not None and (spot.column is not None or spot.row == "text"):
            self.trace.ask(self._rendered.document, page, spot)
            self.canvas.mark((page, spot))

    def show_page(self, shown: PageShown) -> None:
        """Show a page's new picture."""
        self.canvas.show_page(shown)

    @property
    def table(self) -> TableBlock | None:
        """The selected table, or the edition's first."""
        edition = self._desk.edition
        tables = edition.tables if edition else ()
        chosen = [t for t in tables if t.name == self._desk.selection.block]
        return next(iter((*chosen, *tables)), None)

    def add_column(self, field: str) -> None:
        """Add a field of the table's query as a column, after the selected column or at the end."""
        table = self.table
        if table is None:
            return
        names = [c.name for c in table.columns]
        selected = self._desk.selection.column
        at = names.index(selected) + 1 if self._desk.selection.block == table.name and selected in names else None
        expression = column_expression(field)
        self._desk.edit(f"Add {field}", lambda r, e: edits.add_column(r, e, table.name, field, expression, at))

    def add_level(self, field: str) -> None:
        """Group the table by a field: around the selected level, or innermost."""
        table = self.table
        if table is None:
            return
        selection = self._desk.selection
        names = [lv.name for lv in table.levels]
        at = names.index(selection.level) if selection.kind == "level" and selection.level in names else None
        expression = column_expression(field)
        if self._desk.edit(f"Group by {field}", lambda r, e: edits.add_level(r, e, table.name, field, expression, at)):
            after = self.table
            new = [lv.name for lv in after.levels if lv.name not in names] if after else []
            if new:
                self._desk.select(Selection("level", table.name, level=new[0]))

    def drop_field(self, field: str, target: DropTarget) -> None:
        """Put a dragged field where it was dropped: as a column, a level, or a measure in a total."""
        expression, block, at = column_expression(field), target.block, target.at
        if target.kind == "column":
            self._desk.edit(f"Add {field}", lambda r, e: edits.add_column(r, e, block, field, expression, at))
        elif target.kind == "level":
            self._desk.edit(f"Group by {field}", lambda r, e: edits.add_level(r, e, block, field, expression, at))
        elif target.spot is not None and target.spot.column is not None:
            place, column, value = selection_of(target.spot).place, target.spot.column, self._measure(field)
            self._desk.edit(
                f"Total {field}",
                lambda r, e: edits.change_cell(r, e, block, place, column, value=value, text=None),
            )

    def _measure(self, field: str) -> str:
        """A field's default aggregate; without one, a sum of numbers and a count of other things."""
        report, table = self._desk.report, self.table
        assert report is not None
        assert table is not None
        aggregate = edits.column_setting(report.query(table.query), field).total
        rows = self._rendered.document.rows.get(table.query) if self._rendered else None
        is_number = rows is not None and rows.types[rows.names.index(field)].is_number
        return edits.aggregate_of(aggregate or ("sum" if is_number else "count"), column_expression(field))

    def set_width(self, table: str, column: str, width: int) -> None:
        """Set a column's width."""
        self._desk.edit("Change the width", lambda r, e: edits.change_column(r, e, table, column, width=width))

    def entries(self) -> list[Entry]:
        """What can be found here: the parts in Contents, and the fields."""
        parts = [
            Entry(text, "part", "file-text", partial(self._desk.select, selection))
            for text, selection in self.contents.parts()
        ]
        columns = [
            Entry(t, "field: add as a column", "columns-3", partial(self.add_column, f)) for t, f in self.fields.names()
        ]
        levels = [
            Entry(t, "field: group by it", "brackets", partial(self.add_level, f)) for t, f in self.fields.names()
        ]
        return [*parts, *columns, *levels]

    def _changed(self) -> None:
        edition = self._desk.edition
        if edition is not None:
            self.contents.show_edition(edition, self._desk.selection)
        self._show_fields()

    def _show_fields(self) -> None:
        report, table = self._desk.report, self.table
        if report is None or table is None:
            self.fields.clear()
            return
        rows = self._rendered.document.rows.get(table.query) if self._rendered else None
        self.fields.show_fields(report.query(table.query), rows)

    def _selected(self, selection: Selection) -> None:
        self.contents.select(selection)
        self.canvas.select(selection)

    def _close_line(self) -> None:
        if self._line is not None:
            self._line.finish(True)

    def _edit(self, selection: Selection, place: QRect) -> None:
        """Edit a part where it stands; one that does not fit a line is edited in the inspector."""
        report, edition = self._desk.report, self._desk.edition
        assert report is not None
        assert edition is not None
        definition = definition_of(report, edition.name, selection)
        if definition is None:
            self.inspector.edit_first()
            return
        self._close_line()
        change = definition.change
        viewport = self.canvas.viewport()
        assert viewport is not None
        self._line = InPlace(
            viewport, place, definition.text, lambda text: self._desk.edit("Change the cell", change(text))
        )


def _titled(title: str, widget: QWidget) -> QWidget:
    panel = QWidget()
    panel.setObjectName("panel")
    panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    layout = QVBoxLayout(panel)
    layout.setContentsMargins(10, 8, 4, 4)
    layout.setSpacing(4)
    label = QLabel(title)
    label.setObjectName("section")
    layout.addWidget(label)
    layout.addWidget(widget, 1)
    return panel
