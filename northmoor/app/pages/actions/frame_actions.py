"""What the menus, the keys and the pointer do with what is in frames: placing, aligning, ordering, locking."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QObject, pyqtSignal

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.translation import tr
from northmoor.app.pages.canvas.drag.frame_item import FrameItemGrip
from northmoor.app.pages.canvas.drag.guide import Guide
from northmoor.core.model.blocks.containers import FrameBlock
from northmoor.core.model.blocks.tree import items_of
from northmoor.core.model.edits import block_of, frame_edits, put_block
from northmoor.core.model.edits.frame_edits import Edge
from northmoor.core.model.lengths import parse_length
from northmoor.core.model.report import Report

_NUDGE = parse_length("0.1mm")
_FAR = 10
_Change = Callable[[FrameBlock, list[int]], FrameBlock]
_Arrange = Callable[[FrameBlock, list[int], frame_edits.ItemSizes], FrameBlock]


class FrameActions(QObject):
    """Changes frames of the open report. `chosen` says which blocks are; `extents` how large a frame's items are on the
    page. `message` says what has to be first."""

    message = pyqtSignal(str, str)

    def __init__(
        self,
        controller: DocumentController,
        chosen: Callable[[], Sequence[str]],
        extents: Callable[[str], frame_edits.ItemSizes],
        parent: QObject | None = None,
    ) -> None:
        super().__init__(parent)
        self._controller, self._chosen, self._extents = controller, chosen, extents

    @property
    def items(self) -> tuple[FrameBlock, list[int]] | None:
        """The frame that chosen blocks are in, and the numbers of their items in it."""
        edition = self._controller.edition
        return items_of(edition.blocks, self._chosen()) if edition is not None else None

    def nudge(self, across: int, down: int, far: bool = False) -> bool:
        """Move the chosen items by 0.1 mm, or by 1 mm; whether there were any."""
        if self.items is None:
            return False
        by = _NUDGE * (_FAR if far else 1)
        self._change(
            tr("Move by arrow keys"),
            lambda f, own: frame_edits.moved(f, frame_edits.with_group_members(f, own), across * by, down * by),
        )
        return True

    def drop(self, grip: FrameItemGrip) -> None:
        """Put what was dragged where it was let go."""
        before, now, number = grip.box, grip.box_now, grip.number
        if now == before:
            return

        def change(frame: FrameBlock) -> FrameBlock:
            if not grip.edges:
                moving = frame_edits.with_group_members(frame, [number])
                return frame_edits.moved(frame, moving, now.x - before.x, now.y - before.y)
            height = now.height if "b" in grip.edges else frame.items[number].height
            width = now.width if "r" in grip.edges else frame.items[number].width
            return frame_edits.resized(frame, number, width, height)

        self._edit(tr("Change the size") if grip.edges else tr("Move"), grip.frame.name, change)

    def drop_guide(self, guide: Guide) -> None:
        """Put a guide where it was let go, or take it out."""
        name = (
            tr("Add a guide")
            if guide.number is None
            else tr("Remove a guide")
            if guide.at is None
            else tr("Move a guide")
        )
        self._edit(
            name, guide.frame.name,
            lambda frame: frame_edits.with_guide(frame, guide.is_level, guide.number, guide.at),
        )  # fmt: skip

    def align(self, edge: Edge) -> None:
        """Put the chosen items at one line; a single one at that of its frame."""
        self._arrange(tr("Align"), lambda frame, own, sizes: frame_edits.aligned(frame, own, edge, sizes))

    def distribute(self, down: bool) -> None:
        """Make the spaces between the chosen items equal."""
        if self.items is not None and len(self.items[1]) < 3:
            self.message.emit(
                tr("Choose three or more items of a frame; the spaces between them become equal."), "warning"
            )
            return
        self._arrange(tr("Space evenly"), lambda frame, own, sizes: frame_edits.distributed(frame, own, down, sizes))

    def order(self, to_front: bool) -> None:
        """Put the chosen items in front of all others, or behind them."""
        name = tr("Bring to the front") if to_front else tr("Send to the back")
        self._change(name, lambda frame, own: frame_edits.reordered(frame, own, to_front))

    def group(self, on: bool) -> None:
        """Let the chosen items be moved together, or by themselves again."""

        def change(frame: FrameBlock, own: list[int]) -> FrameBlock:
            return frame_edits.with_group(frame, own if on else frame_edits.with_group_members(frame, own), on)

        self._change(tr("Group") if on else tr("Ungroup"), change)

    def lock(self) -> None:
        """Lock the chosen items where they are; free them where all are locked."""

        def change(frame: FrameBlock, own: list[int]) -> FrameBlock:
            return frame_edits.locked(frame, own, not all(frame.items[at].locked for at in own))

        self._change(tr("Lock or unlock"), change)

    def _arrange(self, label: str, change: _Arrange) -> None:
        """Make a change that asks how large the chosen items are on the pages shown."""
        sizes = self._extents(self.items[0].name) if self.items is not None else {}
        if self.items is not None and any(at not in sizes for at in self.items[1]):
            self.message.emit(tr("Scroll to where all chosen items are shown; then they can be arranged."), "warning")
            return
        self._change(label, lambda frame, own: change(frame, own, sizes))

    def _change(self, label: str, change: _Change) -> None:
        found = self.items
        if found is None:
            self.message.emit(tr("Select an item of a frame first; Shift-click selects more."), "warning")
            return
        frame, numbers = found
        self._edit(label, frame.name, lambda now: change(now, numbers))

    def _edit(self, label: str, name: str, change: Callable[[FrameBlock], FrameBlock]) -> None:
        def made(report: Report, edition: str) -> Report:
            return put_block(report, edition, change(block_of(report, edition, name)))

        self._controller.edit(label, made)
