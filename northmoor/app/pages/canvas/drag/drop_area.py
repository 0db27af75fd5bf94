"""An area that fields and pictures can be dropped on: it shows where one would go, and tells where it was let go."""

from pathlib import Path

from PyQt6.QtCore import QPoint, pyqtSignal
from PyQt6.QtGui import QDragEnterEvent, QDragLeaveEvent, QDragMoveEvent, QDropEvent
from PyQt6.QtWidgets import QAbstractScrollArea, QWidget

from northmoor.app.pages.canvas.drag.field_drop import MIME, DropTarget, TargetFinder, new_block_at, target_at
from northmoor.app.widgets.widget_tools import dragged_file, is_picture


class DropArea(QAbstractScrollArea):
    """`fields_dropped` gives the fields and the `DropTarget`, `picture_dropped` the file of a picture and that; which
    target a point has, the area itself knows."""

    fields_dropped = pyqtSignal(object, object)
    picture_dropped = pyqtSignal(object, object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._drop: tuple[DropTarget, int] | None = None
        """Where what is dragged would go, and on which page."""
        self.setAcceptDrops(True)

    def drop_target(self, point: QPoint, find: TargetFinder = target_at) -> tuple[DropTarget, int] | None:
        """Where fields, or what is looked for otherwise, would go that is let go at a point, and on which page."""
        raise NotImplementedError

    def _target(self, event: QDropEvent) -> tuple[DropTarget, int] | None:
        find = new_block_at if _picture(event) is not None else target_at
        return self.drop_target(event.position().toPoint(), find)

    def dragEnterEvent(self, event: QDragEnterEvent | None) -> None:
        """Fields may be dropped, and a picture."""
        if event is not None and (_fields(event) or _picture(event) is not None):
            event.acceptProposedAction()

    def dragMoveEvent(self, event: QDragMoveEvent | None) -> None:
        """Show where it would go."""
        assert event is not None
        self._drop = self._target(event)
        event.setAccepted(self._drop is not None)
        self._update_pages()

    def dragLeaveEvent(self, _event: QDragLeaveEvent | None) -> None:
        """It goes nowhere."""
        self._drop = None
        self._update_pages()

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Tell of what was dropped."""
        assert event is not None
        target, picture = self._target(event), _picture(event)
        self._drop = None
        self._update_pages()
        if target is None:
            return
        event.acceptProposedAction()
        if picture is not None:
            self.picture_dropped.emit(picture, target[0])
        else:
            self.fields_dropped.emit(_fields(event), target[0])

    def _update_pages(self) -> None:
        viewport = self.viewport()
        assert viewport is not None
        viewport.update()


def _fields(event: QDropEvent) -> list[str]:
    """The names of the fields that are dragged."""
    data = event.mimeData()
    return bytes(data.data(MIME).data()).decode().split("\n") if data is not None and data.hasFormat(MIME) else []


def _picture(event: QDropEvent) -> Path | None:
    """The picture that is dragged."""
    path = dragged_file(event)
    return path if path is not None and is_picture(path) else None
