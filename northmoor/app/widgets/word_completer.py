"""Completes the word that is being typed in a line: a list of what it may become, each with a word about it."""

import re
from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QPoint, QRect, Qt
from PyQt6.QtGui import QKeyEvent, QStandardItem, QStandardItemModel
from PyQt6.QtWidgets import QCompleter, QLineEdit

from northmoor.app.language.translation import tr
from northmoor.core.authoring.completions import Completion, matching_completions

_WORD = re.compile(r"[\w\":]+$")
_WIDTH, _ROWS = 420, 9
_TEXT = Qt.ItemDataRole.UserRole


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

    def __init__(self, line: QLineEdit, find: Callable[[], list[Completion]], is_template: bool = False) -> None:
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
        line.textEdited.connect(self._offer)

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
        before = self._line.text()[: self._line.cursorPosition()]
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
        corner = QPoint(max(self._line.cursorRect().left() - 8, 0), 0)
        self._completer.complete(QRect(corner, self._line.rect().bottomRight()).adjusted(0, 0, _WIDTH, 0))
        popup.setCurrentIndex(self._model.index(-1, -1))

    def _take(self, text: str) -> None:
        """Put a text in place of the word; the cursor goes to the first thing that a function takes."""
        popup, line, word = self._completer.popup(), self._line, self._word()
        assert popup is not None
        popup.hide()
        at = line.cursorPosition()
        begin = at - len(word)
        line.setText(line.text()[:begin] + text + line.text()[at:])
        place = argument_place(text)
        if place is not None:
            line.setSelection(begin + place[0], place[1])
        else:
            line.setCursorPosition(begin + len(text))
