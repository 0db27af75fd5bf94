"""The entries of a part's menu, and how they are shown as a menu or found by their words."""

from collections.abc import Callable, Iterator, Sequence

from msgspec import Struct
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QLabel, QMenu, QWidget, QWidgetAction

from northmoor.app.document_controller import ReportEdit
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.menus import give_letters, keys_text


class PartCommand(Struct, frozen=True):
    """Something that is done to the selected part. `change` is the edit that it makes, where it is nothing else: it can
    be made to several parts at once. `is_of_all`: it is done to all parts that are selected anyhow.

    `sample` shows what it makes of the figure that was pointed at, `shortcut` the keys that do the same, `is_on` a
    tick, and `reason` why it cannot be done now (empty where it can).
    """

    text: str
    run: Callable[[], object]
    drawing: str | None = None
    sample: str = ""
    help: str = ""
    shortcut: str = ""
    is_on: bool | None = None
    reason: str = ""
    change: ReportEdit | None = None
    is_of_all: bool = False


class PartGroup(Struct, frozen=True):
    """Commands in a menu of their own."""

    text: str
    entries: tuple["PartCommand | None", ...]
    drawing: str | None = None


PartEntry = PartCommand | PartGroup | None
"""An entry of a menu; a None is a line."""


def fill_part_menu(menu: QMenu, entries: Sequence[PartEntry]) -> None:
    """Put entries into a menu; groups without commands are left out."""
    menu.setToolTipsVisible(True)
    for entry in entries:
        if entry is None:
            menu.addSeparator()
        elif isinstance(entry, PartGroup):
            if entry.entries:
                below = QMenu(entry.text.replace("&", "&&"), menu)
                if entry.drawing is not None:
                    below.setIcon(icon(entry.drawing))
                menu.addMenu(below)
                fill_part_menu(below, entry.entries)
        else:
            menu.addAction(_action(entry, menu))
    give_letters(menu)


def add_menu_title(menu: QMenu, text: str) -> None:
    """Begin a menu with what it is of."""
    label = QLabel(text)
    label.setObjectName("section")
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setContentsMargins(10, 5, 10, 5)
    action = QWidgetAction(menu)
    action.setDefaultWidget(label)
    action.setEnabled(False)
    menu.addAction(action)
    menu.addSeparator()


def _action(command: PartCommand, parent: QWidget) -> QAction:
    right = command.sample or keys_text(command.shortcut)
    action = QAction(command.text.replace("&", "&&") + (f"\t{right}" if right else ""), parent)
    if command.drawing is not None:
        action.setIcon(icon(command.drawing))
    action.setToolTip(command.reason or command.help or command.text)
    action.setEnabled(not command.reason)
    if command.is_on is not None:
        action.setCheckable(True)
        action.setChecked(command.is_on)
    action.triggered.connect(lambda _=False: command.run())
    return action


def commands_in(entries: Sequence[PartEntry]) -> Iterator[tuple[str, PartCommand]]:
    """All commands that can be done, each with its text led by that of the group it is in."""
    for entry in entries:
        if isinstance(entry, PartGroup):
            yield from ((f"{entry.text} › {text}", command) for text, command in commands_in(entry.entries))
        elif entry is not None and not entry.reason:
            yield entry.text, entry
