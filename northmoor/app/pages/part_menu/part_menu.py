"""Opens the menu of the selected part, and the popups and dialogs that some of its commands need."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QDialog, QMenu, QWidget

from northmoor.app.document_controller import DocumentController, Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.canvas.canvas_widget import PageCanvas
from northmoor.app.pages.editing.expression_context import BeginTrial, ExpressionContext
from northmoor.app.pages.part_menu.block_entries import block_commands
from northmoor.app.pages.part_menu.common_entries import common_entries
from northmoor.app.pages.part_menu.entries import PartCommand, PartEntry, add_menu_title, fill_part_menu
from northmoor.app.pages.part_menu.format_popup import FormatPopup
from northmoor.app.pages.part_menu.format_target import FormatTarget, figure_title, format_target
from northmoor.app.pages.part_menu.highlight_dialog import HighlightDialog
from northmoor.app.pages.part_menu.part_context import PartContext, PartTools
from northmoor.app.pages.part_menu.part_entries import part_entries
from northmoor.app.widgets.word_completer import explained
from northmoor.app.worker import Worker
from northmoor.core.authoring import table_commands
from northmoor.core.authoring.completions import Completion, completions
from northmoor.core.authoring.expression_check import KnownNames, known_names
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.trace.pointed import PointedValue, pointed_value
from northmoor.core.checks.trace.trial import try_content
from northmoor.core.document import Document
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.core.model import edits
from northmoor.core.model.blocks.containers import DataBlock
from northmoor.core.model.blocks.tree import for_each_around
from northmoor.core.model.styles import ConditionalFormat

_LONGEST_SAMPLE = 28


class PartMenu:
    """The commands of the selected part. `window_command` gives a command of the main menu by its name; it is set by
    the window that has one."""

    def __init__(
        self, controller: DocumentController, canvas: PageCanvas, tools: PartTools,
        chosen: Callable[[], list[Selection]], parent: QWidget,
    ) -> None:  # fmt: skip
        self._controller, self._canvas, self._tools, self._parent = controller, canvas, tools, parent
        self._chosen = chosen
        self.window_command: Callable[[str], PartCommand] = lambda name: PartCommand(name, lambda: None, reason=name)
        self.format_popup: FormatPopup | None = None

    @property
    def context(self) -> PartContext | None:
        """What the commands work on; None without a report."""
        return self._context_of(self._controller.selection)

    def _context_of(self, selection: Selection) -> PartContext | None:
        report, edition = self._controller.report, self._controller.edition
        if report is None or edition is None:
            return None
        is_selected = selection == self._controller.selection
        found = self._canvas.pointed() if is_selected else self._canvas.first_instance(selection)
        return PartContext(
            report, edition, selection, self._controller, self._tools, self._pointed(found),
            self._query(), self._field_kinds(), self.window_command,
        )  # fmt: skip

    def _pointed(self, found: tuple[int, HitRegion] | None) -> PointedValue | None:
        document = self._canvas.document_on(found[0]) if found is not None else None
        return pointed_value(document, *found) if found is not None and document is not None else None

    def _query(self) -> str | None:
        """The query of the selected block, or of the records around it."""
        edition, selection = self._controller.edition, self._controller.selection
        assert edition is not None
        block = next((each for each in edition.data_blocks if each.name == selection.block), None)
        if block is None:
            around = for_each_around(edition.blocks, selection.block)
            return around.query if around is not None else None
        return block.query if isinstance(block, DataBlock) else None

    def _field_kinds(self) -> dict[str, str]:
        """The fields of that query with their kinds."""
        return dict(self._controller.kinds.get(self._query() or "", {}))

    def completions(self) -> list[Completion]:
        """What can be written in an expression of the selected part."""
        report, edition = self._controller.report, self._controller.edition
        if report is None or edition is None:
            return []
        name = self._controller.selection.block
        block = next((each for each in edition.data_blocks if each.name == name), None)
        return explained(completions(report, block, self._field_kinds()))

    def expression_context(self, worker: Worker) -> ExpressionContext:
        """What an expression of the selected part can use, and what computes one in the cell that was pointed at."""
        found = self._canvas.pointed()
        document = self._canvas.document_on(found[0]) if found is not None else None
        begin: BeginTrial | None = None
        if found is not None and document is not None and found[1].part == "cell":
            page, region = found

            def begin(text: str, is_template: bool, done: Callable[[object], None]) -> CancelToken:
                return worker.run_task(lambda stop: try_content(document, page, region, text, is_template, stop), done)

        samples = self._samples(document) if document is not None else {}
        return ExpressionContext(self.completions(), self.known_names(), samples, begin)

    def _samples(self, document: Document) -> dict[str, str]:
        """A value of each field of the selected block's query."""
        names = set(self._field_kinds())
        rows = next((own for own in document.rows.values() if names and names <= set(own.names)), None)
        if rows is None or not rows.table.num_rows:
            return {}
        return {name: str(rows.table[name][0].as_py())[:_LONGEST_SAMPLE] for name in rows.names}

    def known_names(self) -> KnownNames:
        """The names that an expression of the selected part can use."""
        report = self._controller.report
        return known_names(report, self._field_kinds()) if report is not None else KnownNames()

    def entries(self) -> list[PartEntry]:
        """What can be done to the selected part; to several, what can be done to each of them."""
        context, chosen = self.context, self._chosen()
        if context is None:
            return []
        if len(chosen) < 2 or context.selection not in chosen:
            return part_entries(context)
        contexts = [found for each in chosen if (found := self._context_of(each)) is not None]
        own = common_entries([part_entries(each) for each in contexts], self._controller.edit)
        own += self._same_width(context, chosen)
        return [*own, *([None] if own else []), *block_commands(context)]

    def _same_width(self, context: PartContext, chosen: list[Selection]) -> list[PartEntry]:
        """What makes several columns of a table equally wide, so that together they are as wide as they are now."""
        spots = [found[1] for each in chosen if (found := self._canvas.first_instance(each)) is not None]
        widths = {spot.under or spot.column: spot.width for spot in spots if spot.block == context.selection.block}
        names = [name for name in widths if name is not None]
        if len(names) < 2 or any(each.kind != "cell" for each in chosen):
            return []
        width = sum(widths.values()) // len(widths)
        table = context.selection.block
        return [
            context.command(
                tr("Same width"), lambda r, e: edits.change_columns(r, e, table, names, width=width), "move-horizontal"
            )
        ]

    def open(self, place: QPoint) -> None:
        """Open the menu at a place on the screen."""
        menu = QMenu(self._parent)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        found = self._format_target()
        if found is not None and found[0].pointed is not None:
            add_menu_title(menu, figure_title(*found))
        fill_part_menu(menu, self.entries())
        menu.popup(place)

    # what some of the commands open

    def pick_format(self) -> None:
        """Open the formats of the selected cell beside it."""
        if self._format_target() is None or self._pointed(self._canvas.pointed()) is None:
            self._controller.refused.emit(
                tr("Select a column, a total, a value of a matrix or a key figure; then choose its format.")
            )
            return
        self.format_popup = FormatPopup(self._format_target, self._parent)
        self.format_popup.open_beside(self._canvas.selection_on_screen(), self._parent)

    def _format_target(self) -> tuple[PartContext, FormatTarget] | None:
        context = self.context
        try:
            target = format_target(context) if context is not None else None
        except (LookupError, StopIteration):
            return None  # it is gone since
        return (context, target) if context is not None and target is not None else None

    def ask_highlight(self) -> None:
        """Ask when the selected values are highlighted, and how."""
        found = self._format_target()
        if found is None:
            return
        context, target = found
        if target.expression is None or target.rules is None:
            return
        value = context.pointed.value if context.pointed is not None else None
        is_text = isinstance(value, str)
        first = "" if value is None or not table_commands.is_literal(value) else table_commands.literal(value)
        dialog = HighlightDialog(
            target.name, target.expression, str(value) if is_text else first, is_text, self._parent
        )
        if dialog.exec() == QDialog.DialogCode.Accepted:
            rule = ConditionalFormat(when=dialog.condition, look=dialog.look)
            self._controller.edit(tr("Highlight"), target.change(rules=(*target.rules, rule)))
