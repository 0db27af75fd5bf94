"""An area that fields can be dropped on: it shows where one would go, and tells where it was let go."""

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDragLeaveEvent, QDragMoveEvent, QDropEvent
from PyQt6.QtWidgets import QAbstractScrollArea, QWidget

from northmoor.app.pages.canvas.drag.field_drop import MIME, DropTarget


class DropArea(QAbstractScrollArea):
    """`fields_dropped` gives the fields and the `DropTarget`; which target a point has, the area itself knows."""

    fields_dropped = pyqtSignal(object, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._drop: tuple[DropTarget, int] | None = None
        """Where what is dragged would go, and on which page."""
        self.setAcceptDrops(True)

    def drop_target(self, point: QPoint) -> tuple[DropTarget, int] | None:
        """Where a field that is let go at a point would go, and on which page."""
        raise NotImplementedError

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Fields may be dropped."""
        if event is not None and (data := event.mimeData()) is not None and data.hasFormat(MIME):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        """Show where the field would go."""
        assert event is not None
        self._drop = self.drop_target(event.position().toPoint())
        event.setAccepted(self._drop is not None)
        self._update_pages()

    def dragLeaveEvent(self, _event: QDragLeaveEvent | None) -> None:
        """The field goes nowhere."""
        self._drop = None
        self._update_pages()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Tell of a field that was dropped."""
        assert event is not None
        target = self.drop_target(event.position().toPoint())
        data = event.mimeData()
        self._drop = None
        self._update_pages()
        if target is not None and data is not None:
            event.acceptProposedAction()
            self.fields_dropped.emit(bytes(data.data(MIME).data()).decode().split("\n"), target[0])

    def _update_pages(self) -> None:
        viewport = self.viewport()
        assert viewport is not None
        viewport.update()
