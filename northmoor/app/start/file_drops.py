"""Files that are dragged onto a window: what dropping one does is shown while it is over the window."""

from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, Qt, pyqtSignal
from PyQt6.QtGui import QDropEvent
from PyQt6.QtWidgets import QLabel, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.widgets.widget_tools import dragged_file, is_picture

_ABOVE_FOOT = 60
"""Pixels between the sign and the window's lower edge."""


class FileDrops(QObject):
    """`dropped` tells of one file or folder of this machine that was dropped on a window. Pictures are
    dropped on pages, which see to them."""

    dropped = pyqtSignal(object)

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self._window = window
        self.sign = QLabel(window)
        self.sign.setObjectName("drop-sign")
        self.sign.setTextFormat(Qt.TextFormat.PlainText)
        self.sign.hide()
        window.setAcceptDrops(True)
        window.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Accept such a file, and tell when it is dropped."""
        if event is not None and event.type() == QEvent.Type.DragLeave:
            self.sign.hide()
        if isinstance(event, QDropEvent) and event.type() in (QEvent.Type.DragEnter, QEvent.Type.Drop):
            path = dragged_file(event)
            if path is not None and not is_picture(path):
                event.acceptProposedAction()
                self._show_sign(path)
                if event.type() == QEvent.Type.Drop:
                    self.sign.hide()
                    self.dropped.emit(path)
                return True
        return super().eventFilter(watched, event)

    def _show_sign(self, path: Path) -> None:
        text = tr("Open {file}") if path.suffix == ".moor" else tr("New report from {file}")
        self.sign.setText(text.format(file=path.name))
        self.sign.adjustSize()
        room = self._window.size()
        self.sign.move((room.width() - self.sign.width()) // 2, room.height() - self.sign.height() - _ABOVE_FOOT)
        self.sign.show()
        self.sign.raise_()
