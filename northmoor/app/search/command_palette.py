"""Search everything: the line and what it finds."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QEvent, QObject, QSettings, Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QDialog,
    QHeaderView,
    QLabel,
    QLineEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.translation import tr
from northmoor.app.search.matching import PaletteEntry, matching
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import STONE_TEXT, ink

_ENTRY = Qt.ItemDataRole.UserRole
_RECENT = "search-recent"
_MOST_RECENT = 20


class CommandPalette(QDialog):
    """The line and what it finds. Up and Down choose, Enter does it, Esc leaves. `typed` makes entries of what is typed
    (such as a length); what is chosen is remembered in the settings and comes first the next time."""

    def __init__(
        self,
        entries: Sequence[PaletteEntry],
        typed: Callable[[str], list[PaletteEntry]],
        settings: QSettings,
        parent: QWidget,
    ) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("finder")
        self._entries, self._typed, self._settings = entries, typed, settings
        self._recent: list[str] = list(settings.value(_RECENT, [], list))
        self.line = QLineEdit()
        self.line.setPlaceholderText(tr("a command, a part of the report, a field, a report, or margin 12 mm"))
        self.line.setAccessibleName(tr("Search everything"))
        self.line.setToolTip(tr("Type any of its words; Up and Down choose, Enter does it"))
        self.found = QTreeWidget()
        self._none = QLabel(tr("Nothing has these words. Try fewer of them."))
        self._none.setObjectName("quiet")
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 8, 8)
        for widget in (self.line, self.found, self._none):
            layout.addWidget(widget)
        self._prepare_list()
        self.line.textChanged.connect(self._narrow)
        self.line.installEventFilter(self)
        self.found.itemActivated.connect(self._choose)
        self.found.itemClicked.connect(self._choose)
        self.resize(620, 400)
        self.move(parent.mapToGlobal(parent.rect().center()) - self.rect().center())
        self._narrow("")

    def _prepare_list(self) -> None:
        found = self.found
        found.setColumnCount(3)
        found.setHeaderHidden(True)
        found.setRootIsDecorated(False)
        found.setUniformRowHeights(True)
        found.setAccessibleName(tr("Found"))
        found.setToolTip(tr("What has these words; where else it is, and its keys"))
        found.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        found.setTextElideMode(Qt.TextElideMode.ElideMiddle)
        header = found.header()
        assert header is not None
        header.setStretchLastSection(False)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        for column in (1, 2):
            header.setSectionResizeMode(column, QHeaderView.ResizeMode.ResizeToContents)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Up, Down and Enter in the line work on what was found."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            steps = {Qt.Key.Key_Down: 1, Qt.Key.Key_Up: -1}.get(Qt.Key(event.key()))
            if steps is not None:
                at = self.found.indexOfTopLevelItem(self.found.currentItem()) + steps
                self.found.setCurrentItem(self.found.topLevelItem(max(0, min(at, self.found.topLevelItemCount() - 1))))
                return True
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
                self._choose(self.found.currentItem())
                return True
        return super().eventFilter(watched, event)

    def _narrow(self, words: str) -> None:
        self.found.clear()
        items = []
        typed = self._typed(words)
        texts = {entry.text for entry in typed}
        found = [entry for entry in matching(self._entries, words, self._recent) if entry.text not in texts]
        for entry in [*typed, *found]:
            item = QTreeWidgetItem([entry.text, entry.kind, entry.keys])
            item.setIcon(0, icon(entry.drawing))
            item.setData(0, _ENTRY, entry)
            for column in (1, 2):
                item.setForeground(column, ink(STONE_TEXT))
            items.append(item)
        self.found.addTopLevelItems(items)
        self.found.setCurrentItem(self.found.topLevelItem(0))
        self.found.setVisible(bool(items))
        self._none.setVisible(not items)

    def _choose(self, item: QTreeWidgetItem | None) -> None:
        if item is None:
            return
        entry: PaletteEntry = item.data(0, _ENTRY)
        recent = [entry.text, *(text for text in self._recent if text != entry.text)]
        self._settings.setValue(_RECENT, recent[:_MOST_RECENT])
        self.accept()
        entry.run()
