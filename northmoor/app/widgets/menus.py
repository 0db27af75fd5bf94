"""Menus made from lists of entries."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import (
    QMenu,
    QWidget,
)


def with_mnemonics(texts: Sequence[str]) -> list[str]:
    """Texts of a menu, each with an & before the letter that chooses it; no two have the same while letters last."""
    taken: set[str] = set()
    found = []
    for text in texts:
        starts = [at for at, letter in enumerate(text) if letter.isalpha() and (at == 0 or not text[at - 1].isalpha())]
        others = [at for at, letter in enumerate(text) if letter.isalpha()]
        at = next((at for at in (*starts, *others) if text[at].lower() not in taken), None)
        if at is None:
            found.append(text)
            continue
        taken.add(text[at].lower())
        found.append(f"{text[:at]}&{text[at:]}")
    return found


def plain_text(action: QAction) -> str:
    """The text of an action without the mark of its letter."""
    return action.text().replace("&&", "\0").replace("&", "").replace("\0", "&")


def set_available(action: QAction, is_available: bool, reason: str) -> None:
    """Let an action be done, or say in its tooltip why it cannot be done now."""
    action.setEnabled(is_available)
    action.setToolTip(plain_text(action).rstrip("…") if is_available else reason)


MenuEntries = list[tuple[str, object]]
"""Texts and what choosing them calls."""


def menu_of(parent: QWidget, entries: MenuEntries) -> QMenu:
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
