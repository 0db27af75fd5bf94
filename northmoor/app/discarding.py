"""Taking widgets away."""

from PyQt6.QtWidgets import QWidget


def discard(widget: QWidget) -> None:
    """Take a widget off the screen now; Qt frees it when nothing of it runs any more."""
    widget.hide()
    widget.setParent(None)
    widget.deleteLater()
