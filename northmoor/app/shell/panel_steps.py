"""Going from panel to panel with a key: each has the keyboard where it had it last, or at its first place."""

from collections.abc import Sequence

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QLineEdit, QPlainTextEdit, QWidget


def step_panel(panels: Sequence[QWidget], step: int) -> None:
    """Give the keyboard to the next panel that can be seen, or to the one before."""
    shown = [panel for panel in panels if panel.isVisible() and panel.isEnabled()]
    if not shown:
        return
    focus = QApplication.focusWidget()
    inside = [at for at, panel in enumerate(shown) if panel is focus or (focus and panel.isAncestorOf(focus))]
    at = (inside[0] + step) % len(shown) if inside else (0 if step > 0 else len(shown) - 1)
    _enter(shown[at])


def _enter(panel: QWidget) -> None:
    within = panel.focusWidget()  # what had the keyboard in it last
    first = within if within is not None and within.isVisible() else _first_place(panel)
    if first is not None:
        first.setFocus(Qt.FocusReason.ShortcutFocusReason)


def _first_place(panel: QWidget) -> QWidget | None:
    """The panel itself, its first list or text, or else the first that the keyboard can be in."""
    if panel.focusPolicy() & Qt.FocusPolicy.TabFocus:
        return panel
    places = [
        each
        for each in panel.findChildren(QWidget)
        if each.focusPolicy() & Qt.FocusPolicy.TabFocus and each.isVisible() and each.isEnabled()
    ]
    main = (each for each in places if isinstance(each, QAbstractItemView | QLineEdit | QPlainTextEdit))
    return next(main, next(iter(places), None))
