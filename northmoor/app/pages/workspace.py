"""The Pages workspace: Contents and Fields at the left, the canvas, the inspector at the right."""

from collections.abc import Callable, Mapping, Sequence
from functools import partial
from typing import TYPE_CHECKING

from PyQt6.QtCore import QRect, QSignalBlocker, Qt
from PyQt6.QtGui import QGuiApplication, QKeySequence, QShortcut
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QSplitter, QVBoxLayout, QWidget

from northmoor.app.document_controller import DocumentController, Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.actions.block_actions import BlockActions
from northmoor.app.pages.actions.field_actions import FIELD_WORK, block_of_selection
from northmoor.app.pages.actions.frame_actions import FrameActions
from northmoor.app.pages.canvas.canvas_widget import PageCanvas
from northmoor.app.pages.editing.expression_context import ExpressionUse
from northmoor.app.pages.editing.inline_editor import InlineEditor, definition_of
from northmoor.app.pages.field_placement import FieldPlacement
from northmoor.app.pages.inspector.inspector_panel import InspectorPanel
from northmoor.app.pages.inspector.picture_file_editor import PictureShelf
from northmoor.app.pages.panels.fields_panel import FieldsPanel
from northmoor.app.pages.panels.outline_panel import OutlinePanel
from northmoor.app.pages.panels.query_fields import FieldReader
from northmoor.app.pages.panels.trace_panel import TracePanel
from northmoor.app.pages.part_menu.entries import commands_in
from northmoor.app.pages.part_menu.page_entries import page_entries, typed_page_commands
from northmoor.app.pages.part_menu.part_menu import PartMenu
from northmoor.app.pages.part_menu.style_entries import typed_style_commands
from northmoor.app.search.matching import PaletteEntry
from northmoor.app.widgets.menus import keys_text
from northmoor.app.worker import PageShown, Rendered, Worker
from northmoor.core.base.replace import replace
from northmoor.core.checks.trace.pointed import printed_values
from northmoor.core.document import Document
from northmoor.core.export.spreadsheet_text import spreadsheet_text
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.core.layout.table.collapsing import column_folds
from northmoor.core.model import edits
from northmoor.core.model.blocks.block_types import TRACED_KINDS
from northmoor.core.model.blocks.containers import DataBlock, ForEachBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.blocks.tree import for_each_around, including, walk
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.model.report import Report

if TYPE_CHECKING:
    from northmoor.app.pages.editing.expression_dialog import ExpressionDialog

_PANEL_HEIGHT = 200


class PagesWorkspace(QWidget):
    """Edits the report on its real pages."""

    def __init__(self, controller: DocumentController, worker: Worker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._controller, self._worker = controller, worker
        self.trace = TracePanel(worker)
        self.trace.hide()
        self.contents = OutlinePanel()
        self.fields = FieldsPanel()
        self.fields_query = QComboBox()
        self.canvas = PageCanvas()
        self.inspector = InspectorPanel(controller)
        self.fields_query.setAccessibleName(tr("Query whose fields are shown"))
        self.fields_query.setToolTip(tr("The query whose fields are shown; it follows what is selected"))
        self._middle = QSplitter(Qt.Orientation.Vertical)
        self._panels: list[QWidget] = []
        self._rendered: Rendered | None = None
        self._line: InlineEditor | None = None
        self.expression_dialog: ExpressionDialog | None = None
        self.blocks = BlockActions(controller, self.contents.chosen, self)
        self.arranging = FrameActions(controller, lambda: self.blocks.names, self.canvas.extents, self)
        self.field_reader = FieldReader(controller, worker, self)
        self.placing = FieldPlacement(controller, self, self)
        self.part_menu = PartMenu(controller, self.canvas, self, self.contents.chosen, self)
        self.inspector.completions = self.part_menu.completions
        self.inspector.known_names = self.part_menu.known_names
        self.inspector.enlarge = self.enlarge
        shelf = PictureShelf(lambda: controller.library, worker, self)
        self.inspector.offer_pictures = lambda editor: editor.use_shelf(shelf, self.blocks.ask_picture)
        self._place()
        self.canvas.picked_also.connect(self._pick_also)
        self.canvas.blocks_touched.connect(self._pick_blocks)
        self.contents.itemSelectionChanged.connect(lambda: self.canvas.select_also(self.contents.chosen()))
        self.canvas.item_dropped.connect(self.arranging.drop)
        self.canvas.guide_dropped.connect(self.arranging.drop_guide)
        self.canvas.block_dropped.connect(self.blocks.move_into)
        self.canvas.nudged.connect(self.arranging.nudge)
        self.contents.customContextMenuRequested.connect(
            lambda at: self.part_menu.open(self.contents.viewport().mapToGlobal(at))
        )
        self.canvas.menu_wanted.connect(self.part_menu.open)
        controller.changed.connect(self._changed)
        controller.edition_chosen.connect(self._changed)
        controller.selected.connect(self._selected)
        self.contents.picked.connect(controller.select)
        self.contents.level_moved.connect(self._move_level)
        self.canvas.picked.connect(self._pick)
        self.canvas.edit_wanted.connect(self._edit)
        self.canvas.spot_clicked.connect(self._trace)
        self.canvas.fold_wanted.connect(controller.fold_group)
        self.canvas.fold_all_wanted.connect(self.toggle_level)
        self.trace.closed.connect(self.toggle_trace)
        self.trace.message.connect(self.blocks.message)
        self.canvas.verticalScrollBar().valueChanged.connect(self._close_line)
        self.canvas.width_dragged.connect(self.set_width)
        self.canvas.margin_dragged.connect(self.set_margin)
        self.canvas.column_dropped.connect(self.move_column)
        self.canvas.level_dropped.connect(self._move_level)
        self.canvas.fields_dropped.connect(self.placing.drop)
        self.canvas.picture_dropped.connect(self.blocks.drop_picture)
        self.fields.columns_wanted.connect(self.placing.add_columns)
        self.fields_query.activated.connect(lambda _: self._show_fields(is_read=True))
        self.field_reader.read.connect(lambda _: self._show_fields())
        self.fields.levels_wanted.connect(self.placing.add_levels)
        self.fields.block_entries = self.placing.block_entries

    def _place(self) -> None:
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        left, middle = QSplitter(Qt.Orientation.Vertical), self._middle
        self.split = QSplitter()
        whole.addWidget(self.split)
        for widget in (left, middle, self._inspector_side()):
            self.split.addWidget(widget)
        left.addWidget(_titled(tr("Contents"), self.contents))
        left.addWidget(_titled(tr("Fields"), self.fields_query, self.fields))
        left.setSizes([420, 260])
        middle.addWidget(self.canvas)
        self.add_panel(self.trace)
        middle.setSizes([520, 230])
        self.split.setSizes([216, 708, 300])
        self.split.setStretchFactor(1, 1)
        for splitter in (left, middle, self.split):
            splitter.setHandleWidth(1)
            splitter.setChildrenCollapsible(False)

    def _inspector_side(self) -> QWidget:
        """The inspector under the line that searches it, which / reaches from wherever nothing is typed."""
        side = QWidget()
        side.setObjectName("panel")
        side.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(side)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        top = QHBoxLayout()
        top.setContentsMargins(12, 8, 12, 0)
        top.addWidget(self.inspector.search)
        column.addLayout(top)
        column.addWidget(self.inspector, 1)
        slash = QShortcut(QKeySequence("/"), self)
        slash.setContext(Qt.ShortcutContext.WidgetWithChildrenShortcut)
        slash.activated.connect(self.inspector.search.setFocus)
        return side

    def show_rendered(self, rendered: Rendered) -> None:
        """Show a newly rendered document."""
        self._rendered = rendered
        self.trace.clear()
        self.canvas.mark(None)
        self.canvas.show_document(rendered)
        self._follow_query()
        self._show_fields(is_read=True)

    def _pick(self, selection: Selection) -> None:
        """Select a part; of what is included, the block that includes it. A cell is selected alone then."""
        if selection.kind == "cell":
            with QSignalBlocker(self.contents):
                self.contents.clearSelection()
            self.canvas.select_also([])
        edition = self._controller.edition
        owner = including(edition.blocks, selection.block) if edition is not None else None
        self._controller.select(selection if owner is None else Selection("include", owner))

    def _pick_also(self, selection: Selection, is_range: bool) -> None:
        """Select one more part; with the columns between it and the selected one, where both are of one row."""
        now, edition = self._controller.selection, self._controller.edition
        if is_range and edition is not None and now.kind == selection.kind == "cell" and now != selection:
            table = next((b for b in edition.data_blocks if b.name == now.block), None)
            if isinstance(table, TableBlock) and replace(now, column=None) == replace(selection, column=None):
                names = [column.name for column in table.columns]
                first, last = sorted((names.index(str(now.column)), names.index(str(selection.column))))
                self.contents.choose([replace(now, column=name) for name in names[first : last + 1]])
                return
        self.contents.choose_also(selection)

    def _pick_blocks(self, names: Sequence[str]) -> None:
        """Select blocks together."""
        edition = self._controller.edition
        kinds = {block.name: block.kind for block in walk(edition.blocks)} if edition is not None else {}
        chosen = [Selection(kinds[name], name) for name in names if name in kinds]
        if chosen:
            self._controller.select(chosen[0])
            self.contents.choose(chosen)

    def _move_level(self, name: str, level: str, by: int) -> None:
        edition = self._controller.edition
        block = next((b for b in edition.data_blocks if b.name == name), None) if edition is not None else None
        if block is not None:
            self._controller.edit(tr("Move the level"), FIELD_WORK[type(block)].move_level(name, level, by))

    def toggle_level(self, table: str, level: int) -> None:
        """Fold all groups of a level on the screen; where they are, open all."""
        fold = self._controller.folds.get(table)
        self._controller.fold_level(table, None if fold is not None and fold.level == level else level)

    def fold_selected(self) -> None:
        """Fold or open the selected level, or the innermost of the rows that has brackets."""
        block, level = self.block, self._controller.selection.level
        if block is None:
            return
        if isinstance(block, MatrixBlock) and any(own.name == level for own in block.columns):
            names = [own.name for own in block.columns]
            self.toggle_level(column_folds(block.name), names.index(str(level)) + 1)
            return
        names = FIELD_WORK[type(block)].level_names(block)
        if names:
            self.toggle_level(block.name, names.index(level) + 1 if level in names else len(names))

    def open_all(self) -> None:
        """Open everything that is folded on the screen."""
        if self.block is not None:
            for name in (self.block.name, column_folds(self.block.name)):
                if self._controller.folds.get(name):
                    self._controller.fold_level(name, None)

    def add_panel(self, panel: QWidget) -> None:
        """Give a panel a place below the pages; one panel is seen there at a time."""
        self._panels.append(panel)
        self._middle.addWidget(panel)

    def show_panel(self, panel: QWidget | None) -> None:
        """Show a panel below the pages instead of another, or none."""
        for other in self._panels:
            other.setVisible(other is panel)
        if panel is not None and panel.height() < _PANEL_HEIGHT:
            self._middle.setSizes([self._middle.height() - _PANEL_HEIGHT, *[_PANEL_HEIGHT] * len(self._panels)])

    def toggle_trace(self) -> None:
        """Open Trace on the selected figure, or close it."""
        self.show_panel(None if self.trace.isVisible() else self.trace)
        self.canvas.mark(None)
        if self.trace.isVisible():
            self.trace.clear()
            region = self.canvas.pointed()
            if region is not None:
                self._trace(*region)

    def _trace(self, page: int, region: HitRegion) -> None:
        if (
            self.trace.isVisible()
            and self._rendered is not None
            and (region.column is not None or region.row in TRACED_KINDS)
        ):
            self.trace.ask(self.canvas.document_on(page) or self._rendered.document, page, region)
            self.canvas.mark((page, region))

    # what the commands of the selected part need

    def edit_in_place(self) -> None:
        """Edit the selected part where it is."""
        self.canvas.edit_pointed()

    def pick_format(self) -> None:
        """Open the formats of the selected cell beside it."""
        self.part_menu.pick_format()

    def ask_picture(self) -> str | None:
        """Ask for a picture; its path in the library."""
        return self.blocks.ask_picture()

    def copy_values(self) -> None:
        """Put the values of the selected columns of a table on the clipboard, for a spreadsheet."""
        now, found = self._controller.selection, self.canvas.pointed()
        document = self.canvas.document_on(found[0]) if found is not None else None
        chosen = [each for each in (now, *self.contents.chosen()) if each.block == now.block and each.kind == "cell"]
        columns = {each.column for each in chosen if each.column is not None}
        values = printed_values(document, found[0], now.block, columns) if found and document is not None else None
        clipboard = QGuiApplication.clipboard()
        if values is None or clipboard is None:
            self.blocks.message.emit(tr("These columns show no values that could be copied."), "warning")
            return
        clipboard.setText(spreadsheet_text(values))
        self.blocks.message.emit(
            tr("Copied {count:,} rows of {columns} columns.").format(count=len(values), columns=values.num_columns),
            "good",
        )

    def edit_property(self, field: str) -> None:
        """Put the keyboard into a property in the inspector."""
        self.inspector.edit_property(field)

    def ask_highlight(self) -> None:
        """Ask when the cells of the selected column are highlighted, and how."""
        self.part_menu.ask_highlight()

    def select(self, selection: Selection) -> None:
        """Select another part."""
        self._controller.select(selection)

    def trace_selected(self) -> None:
        """Trace the selected figure."""
        if not self.trace.isVisible():
            self.toggle_trace()
        elif (found := self.canvas.pointed()) is not None:
            self._trace(*found)

    def show_page(self, shown: PageShown) -> None:
        """Show a page's new picture."""
        self.canvas.show_page(shown)

    def selected_place(self) -> QRect:
        """Where on screen the selected part is."""
        return self.canvas.selection_on_screen()

    @property
    def shown_query(self) -> str | None:
        """The query whose fields are shown."""
        name: str | None = self.fields_query.currentData()
        return name

    @property
    def document(self) -> Document | None:
        """The document that is shown, once there is one."""
        return self._rendered.document if self._rendered else None

    @property
    def block(self) -> DataBlock | None:
        """The selected block over a query's rows, or the edition's first."""
        edition = self._controller.edition
        return block_of_selection(edition.data_blocks if edition else (), self._controller.selection)

    def set_margin(self, side: str, margin: int) -> None:
        """Set a margin of the edition's pages."""
        changes = {f"margin_{side}": margin}
        self._controller.edit(
            tr("Change the {side} margin").format(side=tr(side)),
            lambda report, edition: edits.change_edition(
                report, edition, page=report.edition(edition).page.but(**changes)
            ),
        )

    def set_width(self, block: str, column: str, width: int) -> None:
        """Set a column's width."""
        edition = self._controller.edition
        found = next((b for b in edition.data_blocks if b.name == block), None) if edition else None
        work = FIELD_WORK[type(found)].set_width if found is not None else None
        if work is not None:
            self._controller.edit(tr("Change the width"), work(block, column, width))

    def move_column(self, block: str, column: str, before: str) -> None:
        """Move a column of a table before another, or to the end."""

        def change(report: Report, edition: str) -> Report:
            names = [each.name for each in edits.table_of(report, edition, block).columns]
            return edits.move_column(report, edition, block, column, names.index(before) if before else len(names))

        self._controller.edit(tr("Move the column"), change)

    def part_commands(self) -> list[PaletteEntry]:
        """What can be done to what is selected, and to the page, as entries to search."""
        context = self.part_menu.context
        if context is None:
            return []
        own = list(commands_in(self.part_menu.entries()))
        of_page = [pair for pair in commands_in(page_entries(context)) if pair[0] not in {text for text, _ in own}]
        return [
            PaletteEntry(text, kind, command.drawing or "play", command.run, keys_text(command.shortcut), command.help)
            for kind, pairs in ((tr("for what is selected"), own), (tr("page"), of_page))
            for text, command in pairs
        ]

    def typed_commands(self, text: str) -> list[PaletteEntry]:
        """What a typed text says to do, such as "margin 12 mm"."""
        context = self.part_menu.context
        if context is None:
            return []
        found = [*typed_page_commands(context, text), *typed_style_commands(context, text)]
        return [PaletteEntry(command.text, tr("page"), command.drawing or "play", command.run) for command in found]

    def entries(self) -> list[PaletteEntry]:
        """What can be found here: the parts in Contents, and the fields."""
        parts = [
            PaletteEntry(text, tr("part"), "file-text", partial(self._controller.select, selection))
            for text, selection in self.contents.parts()
        ]
        columns = [
            PaletteEntry(t, tr("field: add as a column"), "columns-3", partial(self.placing.add_columns, [f]))
            for t, f in self.fields.names()
        ]
        levels = [
            PaletteEntry(t, tr("field: group by it"), "brackets", partial(self.placing.add_levels, [f]))
            for t, f in self.fields.names()
        ]
        return [*parts, *columns, *levels]

    def _changed(self) -> None:
        edition = self._controller.edition
        if edition is not None:
            self.contents.show_edition(edition, self._controller.selection)
        self._follow_query()

    def _follow_query(self) -> None:
        """Let Fields show the query of what is selected; any other can be chosen there."""
        report, query = self._controller.report, self._query
        names = [own.name for own in report.queries] if report is not None else []
        if [self.fields_query.itemData(at) for at in range(self.fields_query.count())] != names:
            self.fields_query.clear()
            for name in names:
                self.fields_query.addItem(name, name)
        self.fields_query.setVisible(len(names) > 1)
        self.fields_query.setCurrentIndex(max(self.fields_query.findData(query), 0) if names else -1)
        self._show_fields()

    def _show_fields(self, is_read: bool = False) -> None:
        """Show the fields of the chosen query; those of one that no page shows are read, if wanted."""
        report, query = self._controller.report, self.fields_query.currentData()
        if report is None or query is None:
            self.fields.clear()
            return
        rows = self._rendered.document.rows.get(query) if self._rendered else None
        if rows is not None:
            types: Mapping[str, ValueType] = dict(zip(rows.names, rows.types, strict=True))
        else:
            read = self.field_reader.fields(query, is_read)
            types = read.types if read is not None else {}
        self.fields.show_fields(report.query(query), types)

    @property
    def _query(self) -> str | None:
        """The query whose fields are offered: that of the records that the selected text is repeated for, or of the
        block."""
        edition, selection = self._controller.edition, self._controller.selection
        chosen = next((b for b in walk(edition.blocks) if b.name == selection.block), None) if edition else None
        around = chosen
        if edition is not None and chosen is not None and not isinstance(chosen, DataBlock | ForEachBlock):
            around = for_each_around(edition.blocks, chosen.name)
        if isinstance(around, DataBlock | ForEachBlock):
            return around.query
        if self.block is not None:
            return self.block.query
        first = next((b for b in walk(edition.blocks) if isinstance(b, ForEachBlock)), None) if edition else None
        return first.query if first is not None else None

    def _selected(self, selection: Selection) -> None:
        self.contents.select(selection)
        self.canvas.select(selection)
        self._follow_query()

    def _close_line(self) -> None:
        if self._line is not None:
            self._line.finish(True)

    def _edit(self, selection: Selection, place: QRect) -> None:
        """Edit a part where it is; one that does not fit a line is edited in the inspector."""
        report, edition = self._controller.report, self._controller.edition
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
        self._line = InlineEditor(
            viewport,
            place,
            definition,
            lambda text: self._controller.edit(tr("Change the cell"), change(text)),
            self.part_menu.completions,
            self.part_menu.known_names,
            self.enlarge,
        )

    def enlarge(self, text: str, use: ExpressionUse, take: Callable[[str], object]) -> None:
        """Go on with an expression in a larger editor; `take` gets it when it is accepted."""
        from northmoor.app.pages.editing.expression_dialog import ExpressionDialog  # dialogs are loaded on first use

        dialog = ExpressionDialog(text, self.part_menu.expression_context(self._worker), use, self)
        self.expression_dialog = dialog
        dialog.accepted.connect(lambda: take(dialog.text))
        dialog.open()


def _titled(title: str, *widgets: QWidget) -> QWidget:
    panel = QWidget()
    panel.setObjectName("panel")
    panel.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
    layout = QVBoxLayout(panel)
    layout.setContentsMargins(10, 8, 4, 4)
    layout.setSpacing(4)
    label = QLabel(title)
    label.setObjectName("section")
    layout.addWidget(label)
    for widget in widgets:
        layout.addWidget(widget, widget is widgets[-1])
    return panel
