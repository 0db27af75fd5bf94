"""The keys of commands: each can be given others, or none."""

from collections.abc import Sequence

from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import (
    QApplication,
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QKeySequenceEdit,
    QLabel,
    QLineEdit,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.translation import tr
from northmoor.app.widgets.menus import keys_text, use_keys
from northmoor.app.widgets.preferences import preferred_keys, write_keys

_NAME = Qt.ItemDataRole.UserRole
CommandKeys = tuple[str, str, str]
"""A command's name, its text, and the keys that it has unless others are preferred."""


class KeysDialog(QDialog):
    """Asks for the keys of commands, and gives them to those of all windows."""

    def __init__(self, commands: Sequence[CommandKeys], settings: QSettings, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Keys"))
        self._settings = settings
        self._usual = {name: keys for name, _, keys in commands}
        self.keys = self._usual | preferred_keys(settings)
        self.search = QLineEdit()
        self.search.setPlaceholderText(tr("Search commands and keys"))
        self.search.setAccessibleName(tr("Search commands and keys"))
        self.search.setToolTip(tr("Show only commands that have this in their name or keys"))
        self.search.textChanged.connect(self._narrow)
        self.list = QTreeWidget()
        self.list.setAccessibleName(tr("Commands"))
        self.list.setHeaderLabels([tr("Command"), tr("Keys")])
        self.list.setRootIsDecorated(False)
        for name, text, _ in commands:
            item = QTreeWidgetItem([text.rstrip("…"), ""])
            item.setData(0, _NAME, name)
            self.list.addTopLevelItem(item)
        self.list.setColumnWidth(0, 300)
        self.list.currentItemChanged.connect(self._show_chosen)
        self.editor = QKeySequenceEdit()
        self.editor.setMaximumSequenceLength(1)
        self.editor.setAccessibleName(tr("New keys"))
        self.editor.setToolTip(tr("Press the keys that the chosen command is to have"))
        self.editor.editingFinished.connect(lambda: self._give(self.editor.keySequence().toString()))
        self.clear = self._button(tr("No keys"), tr("Leave the command without keys"), lambda: self._give(""))
        self.reset = self._button(tr("Default"), tr("Give the command its usual keys back"), self._reset)
        self.message = QLabel()
        self.message.setObjectName("fault")
        self.message.setWordWrap(True)
        self.ok = QPushButton(tr("OK"))
        self._place()
        self._show_keys()
        self.list.setCurrentItem(self.list.topLevelItem(0))

    def _place(self) -> None:
        row = QHBoxLayout()
        for widget in (self.editor, self.clear, self.reset):
            row.addWidget(widget)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        buttons.addButton(self.ok, QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addWidget(self.search)
        column.addWidget(self.list, 1)
        column.addLayout(row)
        for below in (self.message, buttons):
            column.addWidget(below)
        self.resize(520, 560)

    def _button(self, text: str, help_text: str, run: object) -> QPushButton:
        button = QPushButton(text)
        button.setToolTip(help_text)
        button.setAutoDefault(False)
        button.clicked.connect(lambda _=False: run())  # type: ignore[operator]
        return button

    @property
    def clashes(self) -> list[tuple[str, list[str]]]:
        """Keys that several commands have, and the texts of those."""
        of_keys: dict[str, list[str]] = {}
        for item in self._items():
            keys = self.keys[item.data(0, _NAME)]
            if keys:
                of_keys.setdefault(QKeySequence(keys).toString(), []).append(item.text(0))
        return [(keys, texts) for keys, texts in of_keys.items() if len(texts) > 1]

    def accept(self) -> None:
        """Keep the keys and use them, unless several commands have the same."""
        if not self.clashes:
            write_keys(self._settings, {name: k for name, k in self.keys.items() if k != self._usual.get(name)})
            for action in (each for window in QApplication.topLevelWidgets() for each in window.findChildren(QAction)):
                if action.objectName() in self._usual:
                    action.setShortcut(QKeySequence(self.keys[action.objectName()]))
            use_keys({name: QKeySequence(keys) for name, keys in self.keys.items()})
            super().accept()

    def _items(self) -> list[QTreeWidgetItem]:
        found = map(self.list.topLevelItem, range(self.list.topLevelItemCount()))
        return [item for item in found if item is not None]

    def _narrow(self, words: str) -> None:
        for item in self._items():
            item.setHidden(words.lower() not in f"{item.text(0)} {item.text(1)}".lower())

    def _show_chosen(self, item: QTreeWidgetItem | None) -> None:
        if item is not None:
            self.editor.setKeySequence(QKeySequence(self.keys[item.data(0, _NAME)]))

    def _give(self, keys: str) -> None:
        item = self.list.currentItem()
        if item is not None:
            self.keys[item.data(0, _NAME)] = keys
            self._show_chosen(item)
            self._show_keys()

    def _reset(self) -> None:
        item = self.list.currentItem()
        if item is not None:
            self._give(self._usual[item.data(0, _NAME)])

    def _show_keys(self) -> None:
        for item in self._items():
            name = item.data(0, _NAME)
            item.setText(1, keys_text(self.keys[name]))
            font = item.font(1)
            font.setBold(self.keys[name] != self._usual[name])
            item.setFont(1, font)
        self.ok.setEnabled(not self.clashes)
        which = "; ".join(f"{keys}: {', '.join(texts)}" for keys, texts in self.clashes)
        self.message.setText(tr("Several commands have the same keys. {which}").format(which=which) if which else "")
