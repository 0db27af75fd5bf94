"""Find anything: one line that finds commands, parts of the edition and fields by any of their words."""

from collections.abc import Callable, Sequence
from dataclasses import dataclass

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QAction, QKeyEvent
from PyQt6.QtWidgets import QDialog, QLabel, QLineEdit, QListWidget, QListWidgetItem, QVBoxLayout, QWidget

from northmoor.app.widgets.icons import icon

MOST_FOUND = 200
_RUN = Qt.ItemDataRole.UserRole


@dataclass(frozen=True)
class PaletteEntry:
    """Something that can be found: what it is called, what kind of thing it is, and what choosing it does."""

    text: str
    kind: str
    drawing: str
    run: Callable[[], object]


def command_entry(action: QAction) -> PaletteEntry:
    """A command of the menus, found by its name and its shortcut."""
    shortcut = action.shortcut().toString()
    return PaletteEntry(action.text().rstrip("…"), f"command {shortcut}".strip(), "play", action.trigger)


def matching(entries: Sequence[PaletteEntry], words: str) -> list[PaletteEntry]:
    """Entries that have every word, those that begin with the first one first."""
    wanted = words.lower().split()
    found = [e for e in entries if all(word in f"{e.text} {e.kind}".lower() for word in wanted)]
    return sorted(found, key=lambda e: not (wanted and e.text.lower().startswith(wanted[0])))[:MOST_FOUND]


class CommandPalette(QDialog):
    """The line and what it finds. Up and Down choose, Enter does it, Esc leaves."""

    def __init__(self, entries: Sequence[PaletteEntry], parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("finder")
        self._entries = entries
        self.line = QLineEdit()
        self.line.setPlaceholderText("a command, a part of the report, or a field")
        self.line.setAccessibleName("Search everything")
        self.line.setToolTip("Type any of its words; Up and Down choose, Enter does it")
        self.found = QListWidget()
        self.found.setAccessibleName("Found")
        self.found.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.found.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        self.found.setToolTip("What has these words")
        self._none = QLabel("Nothing has these words. Try fewer of them.")
        self._none.setObjectName("quiet")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        for widget in (self.line, self.found, self._none):
            layout.addWidget(widget)
        self.line.textChanged.connect(self._narrow)
        self.line.installEventFilter(self)
        self.found.itemActivated.connect(self._choose)
        self.found.itemClicked.connect(self._choose)
        self.resize(540, 380)
        self.move(parent.mapToGlobal(parent.rect().center()) - self.rect().center())
        self._narrow("")

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Up, Down and Enter in the line work on what was found."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if steps is not None:
                self.found.setCurrentRow(max(0, min(self.found.currentRow() + steps, self.found.count() - 1)))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._choose(self.found.currentItem())
                return True
        return super().eventFilter(watched, event)

    def _narrow(self, words: str) -> None:
        self.found.clear()
        for entry in matching(self._entries, words):
            item = QListWidgetItem(icon(entry.drawing), f"{entry.text}   ·   {entry.kind}")
            item.setData(_RUN, entry.run)
            self.found.addItem(item)
        self.found.setCurrentRow(0)
        self.found.setVisible(self.found.count() > 0)
        self._none.setVisible(self.found.count() == 0)

    def _choose(self, item: QListWidgetItem | None) -> None:
        if item is None:
            return
        run = item.data(_RUN)
        self.accept()
        run()
