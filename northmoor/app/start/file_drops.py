"""Files that are dropped on a window."""

from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, pyqtSignal
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QWidget


class FileDrops(QObject):
    """`dropped` tells of one file or folder of this machine that was dropped on a window."""

    dropped = pyqtSignal(object)

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        window.setAcceptDrops(True)
        window.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Accept such a file, and tell when it is dropped."""
        if isinstance(event, QDropEvent) and event.type() in (QEvent.Type.DragEnter, QEvent.Type.Drop):
            path = _dropped_file(event)
            if path is not None:
                event.acceptProposedAction()
                if event.type() == QEvent.Type.Drop:
                    self.dropped.emit(path)
                return True
        return super().eventFilter(watched, event)


def _dropped_file(event: QDropEvent) -> Path | None:
    data = event.mimeData()
    urls = data.urls() if data is not None else []
    path = Path(urls[0].toLocalFile()) if len(urls) == 1 and urls[0].isLocalFile() else None
    return path if path is not None and path.exists() else None
