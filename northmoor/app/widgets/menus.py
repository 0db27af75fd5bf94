"""Menus made from lists of entries, and tooltips that name the keys of a command."""

from collections.abc import Mapping, Sequence
from weakref import WeakKeyDictionary

from PyQt6 import sip
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QAction, QKeySequence
from PyQt6.QtWidgets import (
    QMenu,
    QWidget,
)

_tips: "WeakKeyDictionary[QWidget, tuple[str, str]]" = WeakKeyDictionary()
"""The tooltips that end with keys, and whose keys those are."""
_keys: dict[str, QKeySequence] = {}
"""The keys that commands have now, usual ones or others."""


_AND = "\ufeff"
"""In place of an & that is part of a text, while those that mark a letter are set."""


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


def give_letters(menu: QMenu) -> None:
    """Let each entry of a filled menu be chosen by a letter of its text."""
    actions = [action for action in menu.actions() if action.text() and not action.isSeparator()]
    texts = [plain_text(action).replace("&", _AND) for action in actions]
    for action, text in zip(actions, with_mnemonics([text.split("\t")[0] for text in texts]), strict=True):
        keys = action.text().partition("\t")
        action.setText(text.replace(_AND, "&&") + keys[1] + keys[2])


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
        action = QAction(text.replace("&", "&&"), menu)
        action.setEnabled(run is not None)
        if run is not None:
            action.triggered.connect(lambda _=False, run=run: run())
        menu.addAction(action)
    give_letters(menu)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    return menu


def key_tip(widget: QWidget, tip: str, command: str) -> None:
    """Give a widget a tooltip that ends with a command's keys, and follows them."""
    _tips[widget] = (tip, command)
    _show(widget)


def keys_text(keys: str | QKeySequence) -> str:
    """Keys as the window's language writes them, such as ``Strg+N``; empty of none."""
    return QKeySequence(keys).toString(QKeySequence.SequenceFormat.NativeText)


def use_keys(keys: Mapping[str, QKeySequence]) -> None:
    """Let tooltips name these keys of commands from now on."""
    _keys.update(keys)
    for widget in list(_tips):
        if sip.isdeleted(widget):
            del _tips[widget]
        else:
            _show(widget)


def _show(widget: QWidget) -> None:
    tip, command = _tips[widget]
    keys = keys_text(_keys.get(command, ""))
    widget.setToolTip(f"{tip} ({keys})" if keys else tip)
