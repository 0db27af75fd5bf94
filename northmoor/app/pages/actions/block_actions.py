"""What the menus do with whole blocks: insert, copy, paste, duplicate, move, take out."""

from collections.abc import Callable
from functools import partial, reduce
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog

from northmoor.app.document_controller import WHOLE_PAGE, DocumentController, Selection
from northmoor.app.language.translation import in_sentence, tr
from northmoor.app.pages.actions.part_actions import SelectedPart, selected_part
from northmoor.app.pages.canvas.drag.field_drop import DropTarget
from northmoor.core.errors import NorthmoorError
from northmoor.core.expr.language import column_expression
from northmoor.core.model import clipboard, edits
from northmoor.core.model.blocks.block_types import BLOCK_TYPE_OF_KIND, Block
from northmoor.core.model.blocks.containers import ForEachBlock, FrameBlock, GridBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.blocks.tree import items_of, walk
from northmoor.core.model.data.queries import Query
from northmoor.core.model.edits import Target, unused_name
from northmoor.core.model.kinds.aggregates import aggregate_of
from northmoor.core.model.report import Report
from northmoor.core.sources.library import PICTURES_FOLDER


class BlockActions(QObject):
    """Changes the open report's blocks; `message` gives a sentence of what was done, or what has to be
    first, and of what kind that is."""

    message = pyqtSignal(str, str)

    def __init__(
        self, controller: DocumentController, chosen: Callable[[], list[Selection]], parent: QObject | None = None
    ) -> None:
        super().__init__(parent)
        self._controller, self._chosen = controller, chosen

    @property
    def names(self) -> list[str]:
        """The chosen blocks: those that are marked in Contents, or the one of which a part is selected."""
        known = {block.name for block in self._blocks}
        chosen = [selection.block for selection in self._chosen()] or [self._controller.selection.block]
        return list(dict.fromkeys(name for name in chosen if name in known))

    @property
    def _blocks(self) -> list[Block]:
        edition = self._controller.edition
        return list(walk(edition.blocks)) if edition is not None else []

    @property
    def target(self) -> Target:
        """Where what is inserted goes: into the chosen for-each or cell of a grid, else after the chosen block."""
        return next(iter(self.places.values()))

    @property
    def places(self) -> dict[str, Target]:
        """Where a new block can go, the likeliest first, by what that place is called."""
        selection = self._controller.selection
        block = next((each for each in self._blocks if each.name == selection.block), None)
        if block is None:
            return {tr("At the end"): Target()}
        name = block.name
        around = self._around(name)
        if selection.kind == "grid-cell" and isinstance(block, GridBlock) and selection.number < len(block.cells):
            return {tr("In the cell of {name}").format(name=name): Target(name, cell=selection.number), **around}
        if selection.kind == "for-each" and isinstance(block, ForEachBlock):
            return {tr("In {name}, for each record").format(name=name): Target(name, "inside"), **around}
        if isinstance(block, FrameBlock):
            return {tr("In {name}").format(name=name): Target(name, "inside"), **around}
        return around

    def _around(self, name: str) -> dict[str, Target]:
        after = self.after(name)
        if after.where == "inside":
            return {tr("In {block}").format(block=after.block): after}
        return {
            tr("Below {name}").format(name=name): after,
            tr("Beside {name}").format(name=name): Target(name, "beside"),
            tr("Above {name}").format(name=name): Target(name, "before"),
        }  # fmt: skip

    def after(self, name: str | None) -> Target:
        """After a block; what is in a frame is followed by an item of its own."""
        edition = self._controller.edition
        held = items_of(edition.blocks, [name]) if edition is not None and name is not None else None
        return Target(name) if held is None else Target(held[0].name, where="inside")

    def insert(self, kind: str) -> None:
        """Insert a new block of a kind that needs no data."""
        type_of_block = BLOCK_TYPE_OF_KIND[kind]
        assert type_of_block.new is not None  # the menus offer only those that need no data
        label = tr("Insert a {kind}").format(kind=in_sentence(tr(type_of_block.label)))
        self.insert_made(label, [type_of_block.new(kind)])

    def insert_picture(self) -> None:
        """Ask for a picture and insert it."""
        file = self.ask_picture()
        if file is not None:
            self.insert_made(tr("Insert a picture"), [edits.new_picture("picture", file)])

    def ask_picture(self) -> str | None:
        """Ask for a picture; its path in the library, into which one from elsewhere is copied."""
        library = self._controller.library
        if library is None:
            return None
        begin = library.root / PICTURES_FOLDER
        chosen, _ = QFileDialog.getOpenFileName(
            None,
            tr("Insert a picture"),
            str(begin if begin.is_dir() else library.root),
            tr("Pictures (*.png *.jpg *.jpeg *.svg)"),
        )
        return self._in_library(Path(chosen)) if chosen else None

    def drop_picture(self, path: Path, place: DropTarget) -> None:
        """Insert a picture where it was dropped."""
        file = self._in_library(path)
        if file is not None and place.place is not None:
            self.insert_made(tr("Insert a picture"), [edits.new_picture("picture", file)], place.place.target)

    def _in_library(self, path: Path) -> str | None:
        """The path of a picture in the library, into which one from elsewhere is copied."""
        library = self._controller.library
        if library is None:
            return None
        try:
            return library.copy_in(path, PICTURES_FOLDER)
        except OSError as error:
            self.message.emit(
                tr("The picture cannot be copied into the library: {error}.").format(error=error.strerror or error),
                "fault",
            )
        except NorthmoorError as error:
            self.message.emit(tr("The picture cannot be copied into the library: {error}").format(error=error), "fault")
        return None

    def insert_readout(self) -> None:
        """Insert a readout of the first total of the first query."""
        report = self._controller.report
        if report is None or not report.queries:
            self.message.emit(tr("A key figure shows a computed value; add a query in Data first."), "warning")
            return
        query = self._query(report)
        totalled = next((c for c in query.columns if c.total not in (None, "none")), None)
        inside = self._controller.selection.kind == "for-each"
        value, caption = "count(*)" if inside else f"count({query.name}.{self._first(query.name)})", tr("Count")
        if totalled is not None:
            own = column_expression(totalled.name)
            value = aggregate_of(str(totalled.total), own if inside else f"{query.name}.{own}")
            caption = totalled.shown_name
        self.insert_made(tr("Insert a key figure"), [edits.new_readout("readout", caption, value)])

    def insert_for_each(self) -> None:
        """Insert a for-each over the records of the selected block's query, or of the first."""
        report = self._controller.report
        if report is None or not report.queries:
            self.message.emit(
                tr("A for-each repeats its content for the records of a query; add one in Data first."), "warning"
            )
            return
        query = self._query(report)
        key = column_expression(self._first(query.name))
        name = unused_name(f"each-{query.name}", [block.name for block in self._blocks])
        self.insert_made(tr("Insert a for-each"), [edits.new_for_each(name, query, key)])

    def repeat(self) -> None:
        """Put the chosen block into a new for-each over its query."""
        report, names = self._controller.report, self.names
        if report is None or not names or not report.queries:
            self.message.emit(tr("Choose a block, and it is repeated for each record of its query."), "warning")
            return
        query = self._query(report)
        key = column_expression(self._first(query.name))
        self._controller.edit(
            tr("Repeat for each record"), partial(edits.repeat_for_each, name=names[0], query=query, key=key)
        )

    def _query(self, report: Report) -> Query:
        block = next((b for b in self._blocks if b.name == self._controller.selection.block), None)
        name = getattr(block, "query", None) or report.queries[0].name
        return report.query(name)

    def _first(self, query: str) -> str:
        return next(iter(self._controller.kinds.get(query, {})), "id")

    def insert_made(self, label: str, blocks: list[Block], target: Target | None = None) -> None:
        """Insert blocks that have been made, at a place or where what is inserted goes, and select the first."""
        before = {block.name for block in self._blocks}
        if self._controller.edit(label, partial(edits.insert_blocks, blocks=blocks, target=target or self.target)):
            self._select_new(before, blocks[0].kind)

    def insert_with(self, label: str, change: Callable[[Report, str], Report]) -> None:
        """Insert blocks by a change of the report, and select the first new one."""
        before = {block.name for block in self._blocks}
        if self._controller.edit(label, change):
            self._select_new(before)

    def _select_new(self, before: set[str], kind: str | None = None) -> None:
        found = [block for block in self._blocks if block.name not in before]
        new = next((block for block in found if kind in (None, block.kind)), None)  # not the grid it was put into
        if new is not None:
            self._controller.select(Selection(new.kind, new.name))

    # the clipboard

    @property
    def part(self) -> SelectedPart | None:
        """The one part of a block that is selected, if it is not a block, nor several, that are."""
        report, edition, selection = self._controller.report, self._controller.edition, self._controller.selection
        if report is None or edition is None or len(self._chosen()) > 1:
            return None
        try:
            return selected_part(selection, report, edition.name)
        except (LookupError, StopIteration):  # it is gone; the block around it was not meant
            self._controller.select(WHOLE_PAGE)
            return None

    def copy(self) -> bool:
        """Put the chosen column or blocks on the clipboard as JSON; whether that was possible."""
        part = self.part
        report, edition, names = self._controller.report, self._controller.edition, self.names
        if report is None or edition is None or (part is None and not names):
            self.message.emit(tr("Choose a block on the page or in Contents, then copy it."), "warning")
            return False
        if part is not None and part.text is None:
            self.message.emit(tr("Columns and blocks can be copied; {name} cannot.").format(name=part.name), "warning")
            return False
        system = QGuiApplication.clipboard()
        assert system is not None
        text = part.text if part is not None else clipboard.blocks_text(report, edition.name, names)
        system.setText(text)
        blocks = tr("1 block") if len(names) == 1 else tr("{count} blocks").format(count=len(names))
        self.message.emit(tr("Copied {name}.").format(name=part.name if part is not None else blocks), "good")
        return True

    def cut(self) -> None:
        """Copy the chosen column or blocks and take them out."""
        if (self.part is not None or self.names) and self.copy():
            self.remove()

    def paste(self) -> None:
        """Put the blocks of the clipboard after the chosen block, or its column after the chosen one."""
        system = QGuiApplication.clipboard()
        assert system is not None
        text = system.text()
        if '"northmoor_column"' in text:
            self._paste_column(text)
        else:
            self._paste(tr("Paste"), text)

    def _paste_column(self, text: str) -> None:
        selection = self._controller.selection
        table = next((block for block in self._blocks if block.name == selection.block), None)
        if not isinstance(table, TableBlock):
            self.message.emit(tr("Choose a column of a table; the copied one is put after it."), "warning")
            return
        names = [column.name for column in table.columns]
        at = names.index(selection.column) + 1 if selection.column in names else len(names)
        self._controller.edit(tr("Paste the column"), lambda r, e: clipboard.paste_column(r, e, text, table.name, at))

    def duplicate(self) -> None:
        """Put a copy of the chosen part or blocks after them."""
        part = self.part
        report, edition, names = self._controller.report, self._controller.edition, self.names
        if part is not None:
            if part.duplicate is None:
                self.message.emit(
                    tr("There can be only one: {name} cannot be duplicated.").format(name=part.name),
                    "warning",
                )
            elif self._controller.edit(tr("Duplicate {name}").format(name=part.name), part.duplicate):
                self.message.emit(tr("Duplicated {name}.").format(name=part.name), "good")
        elif report is not None and edition is not None and names:
            text = clipboard.blocks_text(report, edition.name, names)
            self._paste(tr("Duplicate"), text, self.after(names[-1]))

    def _paste(self, label: str, text: str, target: Target | None = None) -> None:
        before = {block.name for block in self._blocks}
        into = target or self.target

        def change(report: Report, edition: str) -> Report:
            return clipboard.paste_blocks(report, edition, text, into)[0]

        if self._controller.edit(label, change):
            self._select_new(before)

    def _chosen_parts(self) -> list[SelectedPart]:
        """The parts that are selected, if there are several and none is a whole block."""
        report, edition, chosen = self._controller.report, self._controller.edition, self._chosen()
        if report is None or edition is None or len(chosen) < 2:
            return []
        try:
            found = [selected_part(each, report, edition.name) for each in chosen]
        except (LookupError, StopIteration):
            return []
        return [part for part in found if part is not None] if None not in found else []

    def remove(self) -> None:
        """Remove the chosen parts or blocks, several in one step."""
        part = self.part
        names = self.names
        if parts := self._chosen_parts():

            def removed(report: Report, edition: str) -> Report:
                return reduce(lambda made, each: each.remove(made, edition), parts, report)

            if self._controller.edit(tr("Remove {count} parts").format(count=len(parts)), removed):
                self._controller.select(WHOLE_PAGE)
                self.message.emit(
                    tr("Removed {count} parts; Ctrl+Z brings them back.").format(count=len(parts)), "good"
                )
            return
        if part is not None:
            if self._controller.edit(tr("Remove {name}").format(name=part.name), part.remove):
                self._controller.select(part.left)
                self.message.emit(tr("Removed {name}; Ctrl+Z brings it back.").format(name=part.name), "good")
        elif names and self._controller.edit(tr("Remove"), partial(edits.remove_blocks, names=names)):
            self._controller.select(WHOLE_PAGE)

    def move_into(self, name: str, target: Target) -> None:
        """Move a block into another cell."""
        self._controller.edit(tr("Move the block"), partial(edits.move_into, name=name, target=target))

    def move(self, by: int) -> None:
        """Move the chosen block up or down among those around it."""
        names = self.names
        if names:
            self._controller.edit(tr("Move the block"), partial(edits.move_block, name=names[0], by=by))
