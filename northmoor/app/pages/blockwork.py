"""What the menus do with whole blocks: insert, copy, paste, duplicate, move, take out."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QFileDialog

from northmoor.app.desk import Desk, Selection
from northmoor.core.expr.language import column_expression
from northmoor.core.model import block_edits, carrying
from northmoor.core.model.block_edits import Target
from northmoor.core.model.blocks import Block, ForEachBlock, FrameBlock, GridBlock
from northmoor.core.model.data import Query
from northmoor.core.model.edits import aggregate_of, unused_name
from northmoor.core.model.nesting import items_of, walk
from northmoor.core.model.report import Report


class BlockWork(QObject):
    """Changes the open report's blocks; `told` says in a sentence what was done, or what has to be
    first, and of what kind that is."""

    told = pyqtSignal(str, str)

    def __init__(self, desk: Desk, chosen: Callable[[], list[Selection]], parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._desk, self._chosen = desk, chosen

    @property
    def names(self) -> list[str]:
        """The chosen blocks: those that are marked in Contents, or the one of which a part is selected."""
        known = {block.name for block in self._blocks}
        chosen = [selection.block for selection in self._chosen()] or [self._desk.selection.block]
        return list(dict.fromkeys(name for name in chosen if name in known))

    @property
    def _blocks(self) -> list[Block]:
        edition = self._desk.edition
        return list(walk(edition.blocks)) if edition is not None else []

    @property
    def target(self) -> Target:
        """Where what is inserted goes: into the chosen for-each or cell of a grid, else after the chosen block."""
        selection = self._desk.selection
        block = next((each for each in self._blocks if each.name == selection.block), None)
        if selection.kind == "grid-cell" and isinstance(block, GridBlock) and selection.number < len(block.cells):
            return Target(block.name, cell=selection.number)
        if selection.kind == "for-each" and isinstance(block, ForEachBlock):
            return Target(block.name, inside=True)
        if isinstance(block, FrameBlock):
            return Target(block.name, inside=True)
        return self._beside(block.name if block is not None else None)

    def _beside(self, name: str | None) -> Target:
        """After a block; what stands in a frame is followed by an item of its own."""
        edition = self._desk.edition
        held = items_of(edition.blocks, [name]) if edition is not None and name is not None else None
        return Target(name) if held is None else Target(held[0].name, inside=True)

    def insert(self, kind: str) -> None:
        """Insert a new block of a kind that needs no data."""
        made = block_edits.NEW[kind](kind)
        self.insert_made(f"Insert a {kind}", [made])

    def insert_picture(self) -> None:
        """Ask for a picture and insert it; one from elsewhere is copied into the library."""
        library = self._desk.library
        if library is None:
            return
        begin = library.root / "pictures"
        chosen, _ = QFileDialog.getOpenFileName(
            None,
            "Insert a picture",
            str(begin if begin.is_dir() else library.root),
            "Pictures (*.png *.jpg *.jpeg *.svg)",
        )
        if not chosen:
            return
        try:
            file = library.take_in(Path(chosen), "pictures")
        except OSError as error:
            self.told.emit(f"The picture cannot be copied into the library: {error.strerror or error}.", "fault")
            return
        self.insert_made("Insert a picture", [block_edits.new_picture("picture", file)])

    def insert_readout(self) -> None:
        """Insert a readout of the first total of the first query."""
        report = self._desk.report
        if report is None or not report.queries:
            self.told.emit("A readout shows a computed value; add a query in Data first.", "warning")
            return
        query = self._query(report)
        totalled = next((c for c in query.columns if c.total not in (None, "none")), None)
        inside = self._desk.selection.kind == "for-each"
        value, caption = "count(*)" if inside else f"count({query.name}.{self._first(query.name)})", "Count"
        if totalled is not None:
            own = column_expression(totalled.name)
            value = aggregate_of(str(totalled.total), own if inside else f"{query.name}.{own}")
            caption = totalled.label or totalled.name
        self.insert_made("Insert a readout", [block_edits.new_readout("readout", caption, value)])

    def insert_for_each(self) -> None:
        """Insert a for-each over the records of the selected block's query, or of the first."""
        report = self._desk.report
        if report is None or not report.queries:
            self.told.emit(
                "A for-each repeats its content for the records of a query; add one in Data first.", "warning"
            )
            return
        query = self._query(report)
        key = column_expression(self._first(query.name))
        name = unused_name(f"each-{query.name}", [block.name for block in self._blocks])
        self.insert_made("Insert a for-each", [block_edits.new_for_each(name, query, key)])

    def repeat(self) -> None:
        """Put the chosen block into a new for-each over its query."""
        report, names = self._desk.report, self.names
        if report is None or not names or not report.queries:
            self.told.emit("Choose a block, and it is repeated for each record of its query.", "warning")
            return
        query = self._query(report)
        key = column_expression(self._first(query.name))
        self._desk.edit(
            "Repeat for each record", partial(block_edits.repeat_for_each, name=names[0], query=query, key=key)
        )

    def _query(self, report: Report) -> Query:
        block = next((b for b in self._blocks if b.name == self._desk.selection.block), None)
        name = getattr(block, "query", None) or report.queries[0].name
        return report.query(name)

    def _first(self, query: str) -> str:
        return next(iter(self._desk.kinds.get(query, {})), "id")

    def insert_made(self, label: str, blocks: list[Block]) -> None:
        """Insert blocks that have been made, and select the first."""
        before = {block.name for block in self._blocks}
        if self._desk.edit(label, partial(block_edits.insert_blocks, blocks=blocks, target=self.target)):
            self._select_new(before)

    def _select_new(self, before: set[str]) -> None:
        new = next((block for block in self._blocks if block.name not in before), None)
        if new is not None:
            self._desk.select(Selection(new.kind, new.name))

    # the clipboard

    def copy(self) -> None:
        """Put the chosen blocks on the clipboard as JSON."""
        report, edition, names = self._desk.report, self._desk.edition, self.names
        if report is None or edition is None or not names:
            self.told.emit("Choose a block on the page or in Contents, then copy it.", "warning")
            return
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        clipboard.setText(carrying.blocks_text(report, edition.name, names))
        self.told.emit("Copied 1 block." if len(names) == 1 else f"Copied {len(names)} blocks.", "good")

    def cut(self) -> None:
        """Copy the chosen blocks and take them out."""
        if self.names:
            self.copy()
            self.remove()

    def paste(self) -> None:
        """Put the blocks of the clipboard after the chosen block."""
        clipboard = QGuiApplication.clipboard()
        assert clipboard is not None
        self._paste("Paste", clipboard.text())

    def duplicate(self) -> None:
        """Put a copy of the chosen blocks after them."""
        report, edition, names = self._desk.report, self._desk.edition, self.names
        if report is not None and edition is not None and names:
            text = carrying.blocks_text(report, edition.name, names)
            self._paste("Duplicate", text, self._beside(names[-1]))

    def _paste(self, label: str, text: str, target: Target | None = None) -> None:
        before = {block.name for block in self._blocks}
        into = target or self.target

        def change(report: Report, edition: str) -> Report:
            return carrying.paste_blocks(report, edition, text, into)[0]

        if self._desk.edit(label, change):
            self._select_new(before)

    def remove(self) -> None:
        """Take the chosen blocks out."""
        names = self.names
        if names and self._desk.edit("Take out", partial(block_edits.remove_blocks, names=names)):
            self._desk.select(Selection("page"))

    def move_into(self, name: str, target: Target) -> None:
        """Move a block into another cell."""
        self._desk.edit("Move the block", partial(block_edits.move_into, name=name, target=target))

    def move(self, by: int) -> None:
        """Move the chosen block up or down among those around it."""
        names = self.names
        if names:
            self._desk.edit("Move the block", partial(block_edits.move_block, name=names[0], by=by))
