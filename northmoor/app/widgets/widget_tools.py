"""Two small things that Qt needs each time."""

from PyQt6.QtWidgets import QWidget


def hide_and_delete(widget: QWidget) -> None:
    """Take a widget off the screen now; Qt frees it when nothing of it runs any more."""
    widget.hide()
    widget.deleteLater()  # its parent keeps it until then: it may be handling the very event that ends it


def reapply_style(widget: QWidget) -> None:
    """Let the style sheet look at a widget again after its name or a property has changed."""
    style = widget.style()
    if style is not None:
        style.unpolish(widget)
        style.polish(widget)
