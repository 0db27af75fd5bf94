"""Contents: the tree of what the edition is made of. Choosing an entry selects it on the pages."""

from collections.abc import Sequence
from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QDropEvent, QPaintEvent
from PyQt6.QtWidgets import QTreeWidget, QTreeWidgetItem, QTreeWidgetItemIterator, QWidget

from northmoor.app.document_controller import WHOLE_PAGE, Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.inspector.chart_forms import STEP_NAMES
from northmoor.app.pages.inspector.table_forms import row_name
from northmoor.app.widgets.headings import draw_hint
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import RAILS
from northmoor.core.layout.page.headers_footers import pieces
from northmoor.core.model.blocks.block_types import BLOCK_TYPE_OF_KIND, Block
from northmoor.core.model.blocks.chart import Chart, ChartBlock
from northmoor.core.model.blocks.containers import ForEachBlock, FrameBlock, GridBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import PAGE_ROWS, Row, RowPlace, TableBlock
from northmoor.core.model.edits import steps_of
from northmoor.core.model.pages import Running, TextPiece
from northmoor.core.model.report import Edition

_SELECTION = Qt.ItemDataRole.UserRole

_DRAWINGS = {"heading": "heading", "total": "sigma", **dict.fromkeys(PAGE_ROWS, "sigma")}
OUTLINE_HINT = tr("The parts of the open report are listed here: page, header, texts, tables and their levels.")


class OutlinePanel(QTreeWidget):
    """The tree. `picked` tells of a choice by the user."""

    picked = pyqtSignal(object)
    level_moved = pyqtSignal(str, str, int)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setHeaderHidden(True)
        self.setIndentation(14)
        self.setAccessibleName(tr("Contents"))
        self.setToolTip(
            tr("The parts of the edition. Arrow keys move, Shift and Ctrl mark several; levels can be dragged.")
        )
        self.setSelectionMode(QTreeWidget.SelectionMode.ExtendedSelection)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.setDragDropMode(QTreeWidget.DragDropMode.InternalMove)
        self.itemSelectionChanged.connect(self._chosen)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Say what belongs here when there is nothing yet."""
        super().paintEvent(event)
        draw_hint(self, OUTLINE_HINT)

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Move a level to where another one of its table is; nothing else can be moved here."""
        assert event is not None
        event.setDropAction(Qt.DropAction.IgnoreAction)
        event.accept()
        target, dragged = self.itemAt(event.position().toPoint()), self.currentItem()
        if target is None or dragged is None:
            return
        there, what = target.data(0, _SELECTION), dragged.data(0, _SELECTION)
        if there.level is not None and what.kind == "level" and there.block == what.block:
            levels = [item.data(0, _SELECTION).level for item in self._levels(what.block)]
            by = levels.index(there.level) - levels.index(what.level)
            if by:
                self.level_moved.emit(what.block, what.level, by)

    def _levels(self, block: str) -> list[QTreeWidgetItem]:
        parts = [(item, item.data(0, _SELECTION)) for item in self._items()]
        return [item for item, part in parts if part.kind == "level" and part.block == block]

    def show_edition(self, edition: Edition, selection: Selection) -> None:
        """Show an edition's parts, keeping what is folded."""
        chosen = self.chosen()
        known = {item.data(0, _SELECTION): item.isExpanded() for item in self._items() if item.childCount()}
        self.blockSignals(True)
        self.clear()
        self._add(None, tr("Page"), "file-text", WHOLE_PAGE)
        if edition.header:
            self._add_running(edition.header, "header")
        if edition.watermark:
            self._add(None, tr("Watermark"), "stamp", Selection("watermark", "watermark"))
        self._add_blocks(edition.blocks, None)
        if edition.footer:
            self._add_running(edition.footer, "footer")
        for item in self._items():
            part = item.data(0, _SELECTION)
            item.setExpanded(known.get(part, part.kind != "row"))
        self.blockSignals(False)
        self.select(selection)
        if selection in chosen:
            self._mark(chosen)

    def _mark(self, chosen: Sequence[Selection]) -> None:
        """Mark several entries without telling of it."""
        self.blockSignals(True)
        for item in self._items():
            item.setSelected(item.data(0, _SELECTION) in chosen)
        self.blockSignals(False)

    def chosen(self) -> list[Selection]:
        """All entries that are marked, from the top."""
        return [item.data(0, _SELECTION) for item in self._items() if item.isSelected()]

    def choose(self, selections: Sequence[Selection]) -> None:
        """Mark some entries besides those that are marked."""
        for item in self._items():
            if item.data(0, _SELECTION) in selections:
                item.setSelected(True)

    def choose_also(self, selection: Selection) -> None:
        """Mark one more entry, or take its mark away."""
        for item in self._items():
            if item.data(0, _SELECTION) == selection:
                item.setSelected(not item.isSelected())

    def select(self, selection: Selection) -> None:
        """Mark an entry without telling of it; one that is marked already, perhaps among others, stays so."""
        if selection in self.chosen():
            return
        self.blockSignals(True)
        self.clearSelection()
        for item in self._items():
            if item.data(0, _SELECTION) == selection:
                self.setCurrentItem(item)
                item.setSelected(True)
        self.blockSignals(False)

    def parts(self) -> list[tuple[str, Selection]]:
        """Every entry's text, led by those it lies in, and what it selects."""
        found = []
        for item in self._items():
            texts, above = [item.text(0)], item.parent()
            while above is not None:
                texts.insert(0, above.text(0))
                above = above.parent()
            found.append((" › ".join(texts), item.data(0, _SELECTION)))
        return found

    def _add_running(self, running: Running, name: str) -> None:
        icons = {"header": "panel-top", "footer": "panel-bottom"}
        parent = self._add(None, tr("Page {name}").format(name=tr(name)), icons[name], Selection(name, name))
        for number, line in enumerate(running.lines):
            for place, piece in pieces(line):
                is_text = isinstance(piece, TextPiece)
                shown = _short(piece.text) if isinstance(piece, TextPiece) else piece.file.rpartition("/")[2]
                selection = Selection(name, name, column=f"{number}.{place}")
                self._add(parent, shown, "type" if is_text else "image", selection)

    def _add_blocks(self, blocks: Sequence[Block], parent: QTreeWidgetItem | None) -> None:
        for block in blocks:
            if isinstance(block, TableBlock):
                self._add_table(block, parent)
            elif isinstance(block, MatrixBlock):
                self._add_matrix(block, parent)
            elif isinstance(block, ChartBlock):
                self._add_chart(block, parent)
            else:
                kind = BLOCK_TYPE_OF_KIND[block.kind]
                shown = f"{tr(kind.label)} · {block.name}"
                item = self._add(parent, shown, kind.icon, Selection(block.kind, block.name))
                if isinstance(block, ForEachBlock):
                    self._add_blocks(block.blocks, item)
                elif isinstance(block, GridBlock):
                    self._add_cells(block, item)
                elif isinstance(block, FrameBlock):
                    for own in block.items:
                        self._add_blocks(own.blocks, item)

    def _add_cells(self, grid: GridBlock, parent: QTreeWidgetItem) -> None:
        for number, cell in enumerate(grid.cells):
            shown = tr("Row {row}, column {column}").format(row=cell.row + 1, column=cell.column + 1)
            item = self._add(parent, shown, "square", Selection("grid-cell", grid.name, number=number))
            self._add_blocks(cell.blocks, item)

    def _add_table(self, table: TableBlock, above: QTreeWidgetItem | None) -> None:
        parent = self._add(
            above, tr("Table · {name}").format(name=table.name), "table-2", Selection("table", table.name)
        )
        rows = list(table.rows())
        for place, row in rows:
            if place.row == "head":
                self._add_row(table, parent, place, row)
        self._add_row(table, parent, RowPlace("head"))
        for depth, level in enumerate(table.levels):
            selection = Selection("level", table.name, level=level.name)
            item = self._add(
                parent,
                tr("Level {depth} · {name}").format(depth=depth + 1, name=level.name),
                "brackets",
                selection,
                RAILS[depth % 4],
            )
            for place, row in rows:
                if place.level == level.name:
                    self._add_row(table, item, place, row)
        if table.show_details:
            self._add_row(table, parent, RowPlace("detail"))
        for name in ("detail", "total", *PAGE_ROWS):
            for place, row in rows:
                if place.row == name and place.level is None and (name != "detail" or table.show_details):
                    self._add_row(table, parent, place, row)

    def _add_matrix(self, matrix: MatrixBlock, above: QTreeWidgetItem | None) -> None:
        parent = self._add(
            above,
            tr("Matrix · {name}").format(name=matrix.name),
            "grid-3x3",
            Selection("matrix", matrix.name),
        )
        for side, levels in ((tr("Rows"), matrix.rows), (tr("Columns"), matrix.columns)):
            for depth, level in enumerate(levels):
                selection = Selection("level", matrix.name, level=level.name)
                self._add(parent, f"{side} {depth + 1} · {level.name}", "brackets", selection, RAILS[depth % 4])
        for measure in matrix.measures:
            selection = Selection("measure", matrix.name, column=measure.name)
            self._add(parent, tr("Value · {name}").format(name=measure.name), "sigma", selection)

    def _add_chart(self, chart: ChartBlock, above: QTreeWidgetItem | None) -> None:
        parent = self._add(
            above,
            tr("Chart · {name}").format(name=chart.name),
            "chart-column",
            Selection("chart", chart.name),
        )
        for step, level in steps_of(chart):
            selection = Selection("level", chart.name, level=level.name)
            self._add(parent, f"{STEP_NAMES[step]} · {level.name}", "brackets", selection)
        for measure in chart.measures:
            selection = Selection("mark", chart.name, column=measure.name)
            self._add(parent, tr("Value · {name}").format(name=measure.name), "sigma", selection)

    def _add_chart_in_cell(self, chart: Chart, parent: QTreeWidgetItem, cell: Selection) -> None:
        """A chart in a cell, below that cell."""
        item = self._add(parent, tr("Chart"), "chart-column", replace(cell, kind="chart"))
        for step, level in steps_of(chart):
            selection = replace(cell, kind="groups", part=level.name)
            self._add(item, f"{STEP_NAMES[step]} · {level.name}", "brackets", selection)
        for measure in chart.measures:
            self._add(
                item,
                tr("Value · {name}").format(name=measure.name),
                "sigma",
                replace(cell, kind="mark", part=measure.name),
            )

    def _add_row(self, table: TableBlock, parent: QTreeWidgetItem, place: RowPlace, made: Row | None = None) -> None:
        shown = row_name(place)
        if place.level is not None:
            shown = shown.removesuffix(tr(" of {level}").format(level=place.level))
        drawing = _DRAWINGS.get(place.row, "rows-3")
        selection = Selection("row", table.name, place.row, place.level, None, place.number)
        item = self._add(parent, shown, drawing, selection)
        names = [c.name for c in table.columns] if made is None else [c.column for c in made.cells]
        charts = {} if made is None else {cell.column: cell.chart for cell in made.cells}
        for name in names:
            cell = replace(selection, kind="cell", column=name)
            below, chart = self._add(item, name, None, cell), charts.get(name)
            if chart is not None:
                self._add_chart_in_cell(chart, below, cell)

    def _add(
        self,
        parent: QTreeWidgetItem | None,
        text: str,
        drawing: str | None,
        selection: Selection,
        color: str | None = None,
    ) -> QTreeWidgetItem:
        item = QTreeWidgetItem([text])
        item.setData(0, _SELECTION, selection)
        if selection.kind != "level":
            item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsDragEnabled)
        if drawing:
            item.setIcon(0, icon(drawing, color) if color else icon(drawing))
        if parent is None:
            self.addTopLevelItem(item)
        else:
            parent.addChild(item)
        return item

    def _items(self) -> list[QTreeWidgetItem]:
        found: list[QTreeWidgetItem] = []
        iterator = QTreeWidgetItemIterator(self)
        while (item := iterator.value()) is not None:
            found.append(item)
            iterator += 1
        return found

    def _chosen(self) -> None:
        current = self.currentItem()
        if current is not None and current.isSelected():
            self.picked.emit(current.data(0, _SELECTION))


def _short(text: str) -> str:
    return text if len(text) <= 28 else text[:27] + "…"
