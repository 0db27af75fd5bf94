"""Contents: the tree of what the edition is made of. Choosing an entry selects it on the pages."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QDropEvent, QPaintEvent
from PyQt6.QtWidgets import QTreeWidget, QTreeWidgetItem, QTreeWidgetItemIterator, QWidget

from northmoor.app.document_controller import Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.panels.edition_tree import TreeEntry, edition_tree
from northmoor.app.widgets.headings import draw_hint
from northmoor.app.widgets.icons import icon
from northmoor.core.model.report import Edition

_SELECTION = Qt.ItemDataRole.UserRole

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
        self._entries: tuple[TreeEntry, ...] = ()

    def clear(self) -> None:
        """Show nothing."""
        self._entries = ()
        super().clear()

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
        entries = edition_tree(edition)
        if entries == self._entries:
            self.select(selection)
            return
        chosen = self.chosen()
        known = {item.data(0, _SELECTION): item.isExpanded() for item in self._items() if item.childCount()}
        self.blockSignals(True)
        self.clear()
        self._entries = entries
        self.addTopLevelItems([_item(entry) for entry in entries])
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


def _item(entry: TreeEntry) -> QTreeWidgetItem:
    """An entry as the tree has it, with those below it."""
    item = QTreeWidgetItem([entry.text])
    item.setData(0, _SELECTION, entry.selection)
    if entry.selection.kind != "level":
        item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsDragEnabled)
    if entry.drawing:
        item.setIcon(0, icon(entry.drawing, entry.color) if entry.color else icon(entry.drawing))
    item.addChildren([_item(below) for below in entry.below])
    return item
