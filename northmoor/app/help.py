"""The help: shortcuts, what the mouse does on the pages, and what this program is."""

from collections.abc import Iterable

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QMessageBox, QWidget

from northmoor import __version__

MOUSE = (
    "<p>Click a cell to select its definition; click again to edit it. Drag a column's edge to set its width. "
    "Click a bracket beside the page to select its level; double-click it, or a key over columns, to fold. "
    "Drag a field to a gap between columns, to the lane "
    "beside the page, or onto a total. Ctrl and a click follow a link, Ctrl and the wheel zoom.</p>"
)
ABOUT = (
    f"<b>Northmoor {__version__}</b><p>Exact, printable reports from business data.</p>"
    "<p>Free software under the GNU General Public License, version 3 or later. "
    "It ships the IBM Plex, Liberation and DejaVu fonts and Lucide icons under their own licences.</p>"
)


class Help(QObject):
    """Shows the help over the window."""

    def __init__(self, window: QWidget) -> None:
        super().__init__(window)
        self._window = window

    def show_keys(self, shortcuts: Iterable[tuple[str, str]]) -> None:
        """List the shortcuts and what the mouse does on the pages."""
        lines = (f"<tr><td>{text}</td><td>&nbsp;&nbsp;{keys}</td></tr>" for text, keys in shortcuts)
        self._say("Keys and mouse", f"<table>{''.join(lines)}</table>{MOUSE}")

    def show_about(self) -> None:
        """Say what this is."""
        self._say("About Northmoor", ABOUT)

    def _say(self, title: str, text: str) -> None:
        box = QMessageBox(self._window)
        box.setWindowTitle(title)
        box.setText(text)
        box.open()
