"""F2 in a line of an expression, or the sign at its end, goes on in a larger editor."""

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QLineEdit

from northmoor.app.language.translation import tr
from northmoor.app.pages.editing.expression_context import Enlarge
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import STONE_TEXT


class LargerEditorKey(QObject):
    """Belongs to a line of an expression, which may be a condition."""

    def __init__(self, line: QLineEdit, enlarge: Enlarge, is_condition: bool = False) -> None:
        super().__init__(line)
        self._line, self._enlarge, self._is_condition = line, enlarge, is_condition
        self._sign = QAction(icon("maximize", STONE_TEXT, 12), tr("Larger editor (F2)"), line)
        self._sign.triggered.connect(lambda _=False: self._open())
        line.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """The sign is there while the line has the keyboard; F2 does the same."""
        if event is not None and event.type() == QEvent.Type.FocusIn:
            self._line.addAction(self._sign, QLineEdit.ActionPosition.TrailingPosition)
        elif event is not None and event.type() == QEvent.Type.FocusOut:
            self._line.removeAction(self._sign)
        elif isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and event.key() == Qt.Key.Key_F2:
            self._open()
            return True
        return super().eventFilter(watched, event)

    def _open(self) -> None:
        self._enlarge(self._line.text(), "condition" if self._is_condition else "value", self._take)

    def _take(self, text: str) -> None:
        """Put the new text into the line, as if it had been typed and left."""
        self._line.setText(text)
        self._line.setModified(True)
        self._line.editingFinished.emit()
