"""Completes the word that is being typed in a line or a text: a list of what it may become, each with a word on it."""

import re
from collections.abc import Callable, Iterable

from PyQt6.QtCore import QEvent, QObject, QPoint, QRect, Qt
from PyQt6.QtGui import QKeyEvent, QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import QCompleter, QLineEdit, QPlainTextEdit

from northmoor.app.language.translation import tr
from northmoor.core.authoring.completions import Completion, matching_completions
from northmoor.core.base.replace import replace

_WORD = re.compile(r"[\w\":.]+$")
_WIDTH, _ROWS = 420, 9
_TEXT = Qt.ItemDataRole.UserRole


def explained(known: Iterable[Completion]) -> list[Completion]:
    """Completions with what they are in the window's language, and what readers call them."""
    return [
        replace(each, about=" · ".join(filter(None, (tr(each.about), each.shown_name))), shown_name="")
        for each in known
    ]


def argument_place(signature: str) -> tuple[int, int] | None:
    """Where the first thing that a function takes is in its signature, and how long it is; None for what takes
    nothing."""
    opened, closed = signature.find("("), signature.find(")")
    if not 0 <= opened < closed - 1:
        return None
    first = re.match(r"[^,)\s]+", signature[opened + 1 :])
    return opened + 1, len(first[0]) if first else 0


class WordCompleter(QObject):
    """Down and Up choose in the list, Enter or Tab take what is chosen, Tab alone the first; Esc closes it. In a
    template only what is in braces is completed."""

    def __init__(
        self, line: QLineEdit | QPlainTextEdit, find: Callable[[], list[Completion]], is_template: bool = False
    ) -> None:
        super().__init__(line)
        self._line, self._find, self._is_template = line, find, is_template
        self._model = QStandardItemModel(self)
        self._completer = QCompleter(self._model, self)
        self._completer.setWidget(line)
        self._completer.setCompletionMode(QCompleter.CompletionMode.UnfilteredPopupCompletion)
        self._completer.setMaxVisibleItems(_ROWS)
        popup = self._completer.popup()
        assert popup is not None
        popup.setAccessibleName(tr("Completions"))
        popup.installEventFilter(self)
        popup.clicked.connect(lambda index: self._take(str(index.data(_TEXT))))
        if isinstance(line, QLineEdit):
            line.textEdited.connect(self._offer)
        else:
            line.textChanged.connect(lambda: self._offer() if line.window().focusWidget() is line else None)

    @property
    def offered(self) -> list[str]:
        """What is offered now."""
        popup = self._completer.popup()
        if popup is None or not popup.isVisible():
            return []
        return [str(item.data(_TEXT)) for row in range(self._model.rowCount()) if (item := self._model.item(row))]

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Take what is chosen in the list before the line sees the key."""
        popup = self._completer.popup()
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress and popup is not None:
            index = popup.currentIndex()
            is_tab = event.key() == Qt.Key.Key_Tab
            if is_tab and not index.isValid():
                index = self._model.index(0, 0)
            if (is_tab or event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)) and index.isValid():
                self._take(str(index.data(_TEXT)))
                return True
        return super().eventFilter(watched, event)

    def _word(self) -> str:
        line = self._line
        if isinstance(line, QLineEdit):
            before = line.text()[: line.cursorPosition()]
        else:
            before = line.toPlainText()[: line.textCursor().position()]
        if self._is_template and before.rfind("{") <= before.rfind("}"):
            return ""
        found = _WORD.search(before)
        return found[0] if found is not None else ""

    def _offer(self) -> None:
        word, popup = self._word(), self._completer.popup()
        assert popup is not None
        found = matching_completions(self._find(), word) if word and not word[0].isdigit() else []
        if not found or (len(found) == 1 and found[0].text == word):
            popup.hide()
            return
        self._model.clear()
        for each in found:
            item = QStandardItem(f"{each.text}    {each.about}")
            item.setData(each.text, _TEXT)
            item.setToolTip(each.about)
            self._model.appendRow(item)
        cursor = self._line.cursorRect()
        bottom = self._line.rect().bottom() if isinstance(self._line, QLineEdit) else cursor.bottom() + 2
        self._completer.complete(
            QRect(QPoint(max(cursor.left() - 8, 0), 0), QPoint(self._line.width() + _WIDTH, bottom))
        )
        popup.setCurrentIndex(self._model.index(-1, -1))

    def _take(self, text: str) -> None:
        """Put a text in place of the word; the cursor goes to the first thing that a function takes."""
        popup, line, word = self._completer.popup(), self._line, self._word()
        assert popup is not None
        popup.hide()
        first, length = argument_place(text) or (len(text), 0)
        if isinstance(line, QPlainTextEdit):
            cursor = line.textCursor()
            cursor.movePosition(cursor.MoveOperation.Left, cursor.MoveMode.KeepAnchor, len(word))
            begin = cursor.selectionStart()
            cursor.insertText(text)
            cursor.setPosition(begin + first)
            cursor.setPosition(begin + first + length, cursor.MoveMode.KeepAnchor)
            line.setTextCursor(cursor)
            popup.hide()  # what was taken begins with the word, and was offered again
            return
        at = line.cursorPosition()
        begin = at - len(word)
        line.setText(line.text()[:begin] + text + line.text()[at:])
        if length:
            line.setSelection(begin + first, length)
        else:
            line.setCursorPosition(begin + first)
