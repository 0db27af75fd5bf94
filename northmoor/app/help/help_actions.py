"""What the menu Help does: explain what has the keyboard, list the keys, and say what this program is."""

from collections.abc import Callable, Iterable
from html import escape

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QMessageBox, QWidget

from northmoor import __version__
from northmoor.app.help.help_window import HelpWindow
from northmoor.app.help.topics import Topic, topics
from northmoor.app.language.translation import tr, window_language
from northmoor.app.widgets.menus import keys_text

MOUSE = tr(
    "<h3>The mouse on the pages</h3>"
    "<p>Click a cell to select its definition; click again to edit it. A right click offers what can be done to it. "
    "Drag a column's edge to set its width, and its title to move it. "
    "Click a bracket beside the page to select its level; double-click it, or a key over columns, to collapse. "
    "Drag a field to a gap between columns, to the lane "
    "beside the page, or onto a total. Ctrl and a click follow a link, Ctrl and the wheel zoom.</p>"
)
NEWS = tr(
    "<h2>What's new</h2><ul>"
    "<li>Reports go out by themselves: orders with timetables in words, runs kept in an archive, two of them compared "
    "with what differs marked on their pages.</li>"
    "<li>Signals of machines are cut into voyages, shifts or whatever a condition says, measured and drawn.</li>"
    "<li>Reports become spreadsheets with formulas, tables and conditional formats, web pages, documents to edit, open "
    "data, and PDFs that can be read aloud or archived.</li>"
    "<li>Columns that a query computes, also by hand, and columns for values open in the form that makes them.</li>"
    "<li>What is far from the others in a column, and how its texts are written, is shown beside the rows.</li>"
    "<li>A report begins on a database server, or with a page that the library keeps; a picture is dropped on the "
    "page, and texts have formats of their own.</li>"
    "<li>A right click, the menu key or the handle beside the selection offers what can be done to it.</li>"
    "<li>Formats are chosen by samples of the column's own values (Ctrl+Shift+O), also in thousands and with units; "
    "pictures are chosen by what they look like.</li>"
    "<li>Tables, matrices and charts are inserted with their fields chosen in place, also beside a block.</li>"
    "<li>The inspector has sections that close, a search (/), and a dot that resets what differs from the style.</li>"
    "<li>Blocks are dragged above, below and beside one another, and brackets of levels to another order.</li>"
    "<li>Ctrl+K finds also what is abbreviated, the library's reports, and settings such as margin 12 mm or "
    "style total italic; F6 goes from panel to panel.</li>"
    "<li>A step of a query changes its own piece of the SQL; comments and line breaks stay.</li>"
    "<li>Joins of any columns say beforehand what they match; columns are computed by choosing.</li>"
    "<li>Aggregates run over the figures of groups: sum(round(sum(amount) * rate / 100, 2) over rate).</li>"
    "<li>Faults of SQL are underlined while it is written, with what corrects them.</li>"
    "<li>A dark variant, larger text, German and other units: File, Preferences.</li></ul>"
)
ABOUT = (
    f"<b>Northmoor {__version__}</b><p>"
    + tr("Exact, printable reports from business data.")
    + "</p><p>"
    + tr(
        "Free software under the GNU General Public License, version 3 or later. "
        "It ships the IBM Plex, Liberation and DejaVu fonts and Lucide icons under their own licences."
    )
    + "</p>"
)
_SECTION_OF_KIND = {
    "table": ("tables", ""), "cell": ("tables", "Rows"), "row": ("tables", "Rows"), "level": ("tables", "Levels"),
    "matrix": ("matrices", ""), "measure": ("matrices", "Figures"), "chart": ("charts", ""),
    "mark": ("charts", "What is drawn"), "groups": ("charts", "What is drawn"), "page": ("pages", "Paper and areas"),
    "header": ("pages", "Headers and footers"), "footer": ("pages", "Headers and footers"),
    "watermark": ("pages", "Headers and footers"), "text": ("blocks", "Texts"), "picture": ("blocks", "Pictures"),
    "frame": ("blocks", "Frames"), "grid": ("blocks", "Grids"), "grid-cell": ("blocks", "Grids"),
    "for-each": ("blocks", "For each"), "include": ("blocks", "Copying, replacing and sharing"),
}  # fmt: skip
"""The guide and its section that explain each kind of part; all others are in the introduction to blocks."""
GUIDE_PROPERTY = "guide"
"""The property by which a widget names the guide, and perhaps its section, that explains what is in it."""


class Help(QObject):
    """Shows the help. `shortcuts` gives the commands that have keys, `selected` the kind of the selected part."""

    def __init__(
        self, window: QWidget, shortcuts: Callable[[], Iterable[tuple[str, str]]], selected: Callable[[], str]
    ) -> None:
        super().__init__(window)
        self._window, self._shortcuts, self._selected = window, shortcuts, selected
        self.opened: HelpWindow | None = None

    def explain(self) -> None:
        """Explain what has the keyboard, and show the guide about what is selected."""
        focus = self._window.focusWidget()
        about = ""
        if focus is not None and focus.toolTip():
            about = f"<b>{escape(focus.accessibleName() or tr('Here'))}</b>: {escape(focus.toolTip())}"
        guide, section = _explained_around(focus) or _SECTION_OF_KIND.get(self._selected(), ("blocks", ""))
        self._shown().show_guide(guide, about, section)

    def show_contents(self) -> None:
        """Show the help's topics."""
        self._shown().show_guide("pages")

    def show_keys(self) -> None:
        """List the shortcuts and what the mouse does on the pages."""
        self._shown().show_guide("keys")

    def show_news(self) -> None:
        """Show what is new."""
        self._shown().show_guide("news")

    def _shown(self) -> HelpWindow:
        if self.opened is None:
            lines = (
                f"<tr><td>{escape(text)}</td><td>&nbsp;&nbsp;{escape(keys_text(keys))}</td></tr>"
                for text, keys in self._shortcuts()
            )
            title = tr("Keys and mouse")
            keys = Topic("keys", title, f"<h2>{title}</h2><table>{''.join(lines)}</table>{MOUSE}")
            news = Topic("news", tr("What's new"), NEWS)
            self.opened = HelpWindow([*topics(window_language()), keys, news], self._window)
        return self.opened

    def show_about(self) -> None:
        """Say what this is."""
        box = QMessageBox(self._window)
        box.setWindowTitle(tr("About Northmoor"))
        box.setText(ABOUT)
        box.open()


def _explained_around(widget: QWidget | None) -> tuple[str, str] | None:
    """The guide and the section that a widget, or the nearest one around it, names; None where none does."""
    if widget is not None and widget.objectName() == "expression":
        return "expressions", ""
    while widget is not None:
        named = widget.property(GUIDE_PROPERTY)
        if named:
            guide, _, section = str(named).partition("#")
            return guide, section
        widget = widget.parentWidget()
    return None
