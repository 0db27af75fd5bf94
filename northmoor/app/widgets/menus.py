"""Menus made from lists of entries."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import (
    QMenu,
    QWidget,
)


def menu_of(parent: QWidget, entries: list[tuple[str, object]]) -> QMenu:
    """A menu of texts and what choosing them calls; a None makes an entry that only tells, an empty text a line."""
    menu = QMenu(parent)
    for text, run in entries:
        if not text:
            menu.addSeparator()
            continue
        action = QAction(text, menu)
        action.setEnabled(run is not None)
        if run is not None:
            action.triggered.connect(lambda _=False, run=run: run())
        menu.addAction(action)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    return menu
