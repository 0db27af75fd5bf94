"""A list of things to tick; Space ticks all that are selected, and Ctrl+A selects all."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QListWidget


class TickList(QListWidget):
    """Each item has a tick."""

    def __init__(self) -> None:
        super().__init__()
        self.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Tick all that are selected, or take their ticks away where the current one has it."""
        assert event is not None
        current, chosen = self.currentItem(), self.selectedItems()
        if event.key() != Qt.Key.Key_Space or current is None or len(chosen) < 2:
            super().keyPressEvent(event)
            return
        is_ticked = current.checkState() == Qt.CheckState.Checked
        for item in sorted((each for each in chosen if not each.isHidden()), key=self.row):
            item.setCheckState(Qt.CheckState.Unchecked if is_ticked else Qt.CheckState.Checked)
