"""The window's look: its colours and the style sheet made of them. Quiet; the page is the brightest thing on screen.

A colour is known by its name, and `ink` says what that is in the look that is shown; so a look can change at any time.
"""

from collections.abc import Mapping
from importlib.resources import files

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication, QLabel, QTreeWidget, QTreeWidgetItemIterator

from northmoor.app.widgets.preferences import Preferences

MIST, LINEN, PAPER, DESK = "mist", "linen", "paper", "desk"
"""Grounds: of the window, of panels, of controls, and behind the pages."""
PEAT, STONE_TEXT, STONE = "peat", "stone_text", "stone"
"""Text, quiet text, and marks that need not be read."""
EDGE, LINE = "edge", "line"
"""Borders of controls, and hairlines between parts."""
HEATHER, DEEP_HEATHER, LIT, LIT_ACTIVE = "heather", "deep_heather", "lit", "lit_active"
"""The primary action and what is chosen; the same pressed or focused; the ground of what is chosen, also in the list
that is used."""
LICHEN, LICHEN_TEXT, GORSE, GORSE_TEXT, ROWAN = "lichen", "lichen_text", "gorse", "gorse_text", "rowan"
"""Good, warnings and faults, as marks and as texts."""
RAILS = (HEATHER, "rail_2", "rail_3", "rail_4")
"""The levels of tables, and series of things shown beside one another."""
_LIGHT = {
    MIST: "#F3F1EC", LINEN: "#E7E3DA", PEAT: "#33291F", STONE: "#8B8378", STONE_TEXT: "#6B645A", EDGE: "#857C70",
    HEATHER: "#7B4B94", DEEP_HEATHER: "#5E3873", LICHEN: "#5E7F3A", LICHEN_TEXT: "#47662A", GORSE: "#C9971C",
    GORSE_TEXT: "#7A5A0A", ROWAN: "#AD3B2A", DESK: "#D9D4C8", PAPER: "#FFFFFF", LIT: "#E4D8EA",
    LIT_ACTIVE: "#DCCBE5", LINE: "#CFC9BC", RAILS[1]: "#2F7F86", RAILS[2]: "#B0612B", RAILS[3]: "#5E7F3A",
}  # fmt: skip
_DARK = {
    MIST: "#241F1A", LINEN: "#2C2620", PEAT: "#EFE9DE", STONE: "#7D7569", STONE_TEXT: "#B8AFA2", EDGE: "#8B8276",
    HEATHER: "#C79FDB", DEEP_HEATHER: "#DDBFEC", LICHEN: "#93B56A", LICHEN_TEXT: "#A5C67E", GORSE: "#E0B24A",
    GORSE_TEXT: "#E3BC63", ROWAN: "#F0907F", DESK: "#191510", PAPER: "#17130F", LIT: "#45344F",
    LIT_ACTIVE: "#523D5E", LINE: "#443C33", RAILS[1]: "#6CC0C7", RAILS[2]: "#E29A67", RAILS[3]: "#9CC274",
}  # fmt: skip
"""The same names in the dark variant: grounds darker, what is drawn on them lighter, the hues the same."""
COLORS = {"light": _LIGHT, "dark": _DARK}
_USUAL = Preferences()
_shown = dict(_LIGHT)
PAGE, MARK, GUIDE = "#FFFFFF", "#7B4B94", "#2F7F86"
"""What is drawn on pages, which stay white: their ground, what is selected, and guides."""
UI_FONT = "IBM Plex Sans"
MONO_FONT = "IBM Plex Mono"
_FONT_FILES = (
    "IBMPlexSans-Regular",
    "IBMPlexSans-SemiBold",
    "IBMPlexSans-Bold",
    "IBMPlexMono-Regular",
    "IBMPlexMono-Bold",
)
_STYLE_SHEET = """
* {{ font-family: "{ui_font}"; font-size: {text_size}px; color: {peat}; }}
QMainWindow, QDialog, QMessageBox {{ background: {mist}; }}
QMenuBar {{ background: {linen}; border-bottom: 1px solid {line}; padding: 1px 4px; }}
QMenuBar::item {{ padding: 4px 9px; background: transparent; border-radius: 4px; }}
QMenuBar::item:selected, QMenu::item:selected {{ background: {lit}; }}
QMenu {{ background: {paper}; border: 1px solid {stone}; padding: 4px; }}
QMenu::item {{ padding: 4px 28px 4px 12px; border-radius: 3px; }}
QMenu::item:disabled {{ color: {stone}; }}
QMenu::separator {{ height: 1px; background: {line}; margin: 4px 8px; }}
QStatusBar {{ background: {linen}; border-top: 1px solid {line}; }}
QStatusBar::item {{ border: none; }}
QToolTip {{ background: {peat}; color: {mist}; border: none; padding: 4px 6px; }}
QLabel#drop-sign {{ background: {heather}; color: {paper}; padding: 8px 14px; border-radius: 6px; font-weight: 600; }}
QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
QDialog#finder, QWidget#popup {{ background: {mist}; border: 1px solid {stone}; }}
QWidget#popup QTableWidget {{ background: {mist}; border: none; }}
QScrollArea#start, QWidget#start {{ background: {mist}; }}
QLabel#title {{ font-size: 24px; font-weight: 600; }}
QPushButton#start-card {{ background: {paper}; border: 1px solid {stone}; border-radius: 6px; }}
QPushButton#start-card:hover, QPushButton#start-card:focus {{ border: 1px solid {heather}; background: {lit}; }}
QToolButton#recent {{ background: transparent; border: 1px solid transparent; padding: 4px; }}
QToolButton#recent:hover, QToolButton#recent:focus {{ border: 1px solid {heather}; }}
QLabel#drop-hint {{ border: 2px dashed {stone}; border-radius: 6px; color: {stone_text}; padding: 12px; }}
QToolButton#picture {{ padding: 4px; }}
QToolButton#picture:checked {{ background: {lit}; border-color: {heather}; }}
QToolButton#handle {{ background: {page}; border: 1px solid {mark}; border-radius: 4px; padding: 0; }}
QToolButton#handle:hover {{ background: #E4D8EA; }}
QDialog#finder QListWidget {{ background: {mist}; }}
QFrame#bar {{ background: {mist}; border-bottom: 1px solid {line}; }}
QFrame#reports, QTabBar#reports {{ background: {linen}; }}
QToolButton#tab-button {{ background: transparent; border: 1px solid transparent; padding: 2px; }}
QToolButton#tab-button:hover, QToolButton#tab-button:focus {{ border-color: {heather}; }}
QTabBar#reports::tab {{ background: {linen}; border: none; border-right: 1px solid {line}; border-bottom: 1px solid
  {line}; padding: 6px 10px; color: {stone_text}; }}
QTabBar#reports::tab:selected {{ background: {mist}; border-bottom: 2px solid {heather}; color: {peat}; }}
QTabBar#reports::tab:hover {{ color: {heather}; }}
QFrame#side {{ background: {linen}; border-right: 1px solid {line}; }}
QWidget#panel, QScrollArea#panel, QScrollArea#panel > QWidget > QWidget {{ background: {linen}; }}
QLabel#section {{ font-weight: 600; }}
QToolButton#section-header {{ background: transparent; border: none; border-top: 1px solid {line}; border-radius: 0;
  padding: 6px 0 2px 0; font-weight: 600; text-align: left; }}
QToolButton#section-header:hover, QToolButton#section-header:focus {{ color: {heather}; }}
QToolButton#reset-dot {{ background: transparent; border: none; color: {heather}; padding: 0 1px; font-size: 9px; }}
QToolButton#reset-dot:focus {{ border: 1px solid {heather}; }}
QLabel#quiet {{ color: {stone_text}; }}
QLabel#fault {{ color: {rowan}; }}
QLabel#warning {{ color: {gorse_text}; }}
QLabel#good {{ color: {lichen_text}; }}
QLabel#name {{ font-weight: 600; }}
QToolButton#workspace {{ background: transparent; border: none; border-left: 3px solid transparent; padding: 9px
  2px; border-radius: 0; }}
QToolButton#workspace:checked {{ background: {mist}; border-left: 3px solid {heather}; color: {heather};
  font-weight: 600; }}
QToolButton#workspace:hover {{ background: {mist}; }}
QPushButton, QToolButton {{ background: {paper}; border: 1px solid {edge}; border-radius: 4px; padding: 4px 10px; }}
QToolButton {{ padding: 4px; }}
QPushButton:hover, QToolButton:hover {{ border-color: {peat}; }}
QPushButton:focus, QToolButton:focus {{ border: 1px solid {heather}; }}
QPushButton:disabled, QToolButton:disabled {{ color: {stone}; background: {linen}; }}
QPushButton#primary {{ background: {heather}; color: {paper}; border-color: {heather}; font-weight: 600; padding:
  5px 14px; }}
QPushButton#primary:hover {{ background: {deep_heather}; }}
QPushButton#primary:focus {{ background: {deep_heather}; border: 2px solid {paper}; padding: 4px 13px; }}
QPushButton#primary:disabled {{ background: {line}; border-color: {line}; color: {stone_text}; }}
QToolButton#card {{ border: 2px solid {line}; color: {peat}; }}
QToolButton#card:checked {{ border-color: {heather}; color: {heather}; }}
QToolButton#card:focus {{ border-color: {heather}; }}
QToolButton#choice {{ padding: 3px 8px; border-radius: 0; margin: 0; }}
QToolButton#choice:checked {{ background: {heather}; color: {paper}; border-color: {heather}; }}
QToolButton#parameter-name {{ background: transparent; border: 1px solid transparent; padding: 3px 2px; color:
  {stone_text}; }}
QToolButton#parameter-name:hover, QToolButton#parameter-name:focus {{ color: {heather}; border-color: {line}; }}
QPushButton#place {{ background: transparent; border: none; padding: 0; font-weight: 600; text-align: left; }}
QPushButton#place:hover, QPushButton#place:focus {{ color: {heather}; border: none; }}
QToolButton#opener {{ padding: 3px 6px 3px 8px; }}
QToolButton#opener[invalid="true"], QComboBox[invalid="true"] {{ border: 1px solid {rowan}; }}
QToolButton#step {{ padding: 2px 7px; border-radius: 0; background: transparent; }}
QToolButton#bar-button {{ background: transparent; border: 1px solid transparent; padding: 3px 5px; }}
QToolButton#bar-button:hover, QToolButton#bar-button:focus {{ border-color: {line}; }}
QToolButton#bar-button:checked {{ background: {lit}; border-color: {heather}; }}
QFrame#popup {{ background: {mist}; border: 1px solid {stone}; }}
QFrame#popup QListView, QFrame#popup QListWidget {{ background: {paper}; border: 1px solid {line}; }}
QListView {{ outline: none; }}
QListView::item {{ padding: 2px; min-height: 20px; }}
QListView::item:selected {{ background: {lit}; color: {peat}; }}
QListView::indicator, QTreeView::indicator, QTableView::indicator {{ width: 14px; height: 14px; background: {paper};
  border: 1px solid {stone}; border-radius: 3px; }}
QListView::indicator:checked, QTreeView::indicator:checked, QTableView::indicator:checked {{ background: {heather};
  border-color: {heather}; image: url({tick}); }}
QCalendarWidget QWidget#qt_calendar_navigationbar {{ background: {linen}; }}
QCalendarWidget QTableView::item {{ padding: 0; }}
QCalendarWidget QToolButton::menu-indicator {{ image: none; }}
QCalendarWidget QToolButton {{ background: transparent; border: none; padding: 4px 8px; }}
QCalendarWidget QAbstractItemView {{ background: {paper}; selection-background-color: {heather};
  selection-color: {paper};
  outline: none; }}
QToolButton#quiet-button {{ background: transparent; border: 1px solid transparent; padding: 2px; }}
QToolButton#quiet-button:hover {{ border-color: {stone}; }}
QToolButton#chip, QToolButton#new-chip {{ border: 1px solid {line}; border-radius: 12px; padding: 3px 5px 3px
  8px; }}
QTableView[old="true"] {{ color: {stone}; }}
QToolButton#chip[bound="true"] {{ color: {heather}; }}
QToolButton#chip[invalid="true"] {{ color: {rowan}; border: 2px solid {rowan}; }}
QToolButton#chip:hover, QToolButton#new-chip:hover {{ border-color: {heather}; }}
QToolButton#chip:focus, QToolButton#new-chip:focus {{ border: 1px solid {heather}; background: {lit}; }}
QToolButton#new-chip {{ border-style: dashed; background: transparent; }}
QToolButton#new-chip::menu-indicator {{ image: none; width: 0; }}
QToolButton#word-button {{ background: transparent; border: none; color: {stone_text}; padding: 2px 1px;
  text-decoration: underline; }}
QToolButton#word-button:focus, QToolButton#word-button:hover {{ color: {heather}; border: none; }}
QFrame#hairline {{ background: {line}; border: none; }}
QWidget#framed {{ background: {paper}; border: 1px solid {line}; border-radius: 4px; }}
QLabel#plan {{ font-size: 12px; }}
QLineEdit, QComboBox, QSpinBox, QDoubleSpinBox, QPlainTextEdit, QTextEdit {{
    background: {paper}; border: 1px solid {edge};
  border-radius: 4px; padding: 3px 6px; selection-background-color: {heather}; selection-color: {paper}; min-height:
  18px; }}
QLineEdit:focus, QComboBox:focus, QSpinBox:focus, QDoubleSpinBox:focus, QPlainTextEdit:focus, QTextEdit:focus {{
    border-color:
  {heather}; }}
QLineEdit[invalid="true"], QPlainTextEdit[invalid="true"] {{ border: 1px solid {rowan}; }}
QLineEdit#expression, QPlainTextEdit#expression {{ font-family: "{mono_font}"; }}
QComboBox::drop-down {{ border: none; width: 20px; }}
QComboBox::down-arrow {{ image: url({arrow}); width: 12px; height: 12px; }}
QComboBox QAbstractItemView {{ background: {paper}; border: 1px solid {stone}; selection-background-color: {lit};
  selection-color: {peat}; outline: none; }}
QCheckBox {{ spacing: 6px; background: transparent; min-height: 24px; }}
QCheckBox::indicator {{ width: 15px; height: 15px; background: {paper}; border: 1px solid {stone};
  border-radius: 3px; }}
QCheckBox::indicator:focus {{ border: 1px solid {heather}; }}
QCheckBox::indicator:indeterminate {{ background: {line}; }}
QCheckBox::indicator:checked {{ background: {heather}; border-color: {heather}; image: url({tick}); }}
QSpinBox::up-button, QSpinBox::down-button {{ border: none; background: transparent; width: 18px; }}
QSpinBox::up-arrow {{ image: url({raise}); width: 10px; height: 10px; }}
QSpinBox::down-arrow {{ image: url({arrow}); width: 10px; height: 10px; }}
QTreeWidget, QListWidget {{ background: {linen}; border: none; outline: none; }}
QTreeWidget::item, QListWidget::item {{ padding: 3px 2px; border: none; border-left: 3px solid transparent;
  min-height: 18px; }}
QTreeWidget::item:selected, QListWidget::item:selected {{ background: {lit}; color: {peat};
  border-left: 3px solid {heather}; }}
QTreeWidget::item:selected:middle, QTreeWidget::item:selected:last {{ border-left-color: transparent; }}
QTreeWidget::item:selected:active, QListWidget::item:selected:active {{ background: {lit_active}; color: {peat}; }}
QTreeWidget#table-list, QWidget#popup QListWidget {{ background: {paper}; border: 1px solid {line}; }}
QTreeWidget#table-list::item {{ border-left: none; }}
QTreeWidget::branch {{ background: {linen}; }}
QTreeWidget::branch:selected {{ background: {lit}; }}
QTreeWidget::branch:has-children:closed {{ image: url({closed}); }}
QTreeWidget::branch:has-children:open {{ image: url({opened}); }}
QTableView {{ background: {paper}; border: none; gridline-color: {linen}; selection-background-color: {lit};
  selection-color: {peat}; alternate-background-color: {paper}; }}
QTableView QTableCornerButton::section {{ background: {mist}; border: none; }}
QHeaderView {{ background: {mist}; border: none; }}
QTableView::item {{ padding: 0 8px; }}
QHeaderView::section:vertical {{ font-weight: 400; color: {stone_text}; padding: 0 8px; }}
QHeaderView::section {{ background: {mist}; border: none; border-right: 1px solid {line}; border-bottom: 1px solid
  {line};
  padding: 4px 8px; font-weight: 600; }}
QSplitter::handle {{ background: {line}; }}
QAbstractScrollArea::corner {{ background: transparent; border: none; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
QScrollBar::handle {{ background: {stone}; border-radius: 4px; min-height: 28px; min-width: 28px; margin: 1px; }}
QScrollBar::handle:hover {{ background: {stone_text}; }}
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; border:
  none;
  width: 0; height: 0; }}
QProgressBar {{ background: {line}; border: none; max-height: 3px; min-height: 3px; }}
QProgressBar::chunk {{ background: {lichen}; }}
"""


def ink(name: str) -> QColor:
    """A colour as the look that is shown has it; those on pages are always the same."""
    return QColor(_shown.get(name, name))


_ICONS_IN_SHEET = {
    "light": {
        "arrow": "chevron-down", "raise": "chevron-up", "opened": "chevron-down", "closed": "chevron-right",
        "tick": "check-white",
    },
    "dark": {
        "arrow": "chevron-down-light", "raise": "chevron-up-light", "opened": "chevron-down-light",
        "closed": "chevron-right-light", "tick": "check-dark",
    },
}  # fmt: skip
"""Icons that the style sheet names, by the words in it."""


def style_sheet(variant: str, text_size: int) -> str:
    """The style sheet of a variant, with texts of some pixels."""
    folder = str(files("northmoor") / "assets" / "icons").replace("\\", "/")
    icons = {name: f"{folder}/{drawing}.svg" for name, drawing in _ICONS_IN_SHEET[variant].items()}
    others = {"ui_font": UI_FONT, "mono_font": MONO_FONT, "text_size": text_size, "page": PAGE, "mark": MARK}
    return _STYLE_SHEET.format(**COLORS[variant], **icons, **others)


def apply_theme(application: QApplication, preferences: Preferences = _USUAL) -> None:
    """Give the application its fonts and its look; nothing is taken from the system's theme."""
    for file in _FONT_FILES:
        QFontDatabase.addApplicationFont(str(files("northmoor") / "assets" / "fonts" / f"{file}.ttf"))
    application.setStyle("Fusion")
    apply_look(application, preferences)


def apply_look(application: QApplication, preferences: Preferences) -> None:
    """Show all that is open, and all that will be, in the colours and the size of text that are preferred."""
    variant = "dark" if preferences.is_dark else "light"
    before = {color: name for name, color in _shown.items()}
    _shown.update(COLORS[variant])
    font = QFont(UI_FONT)
    font.setPixelSize(preferences.text_size)
    application.setFont(font)
    palette = QPalette()
    for role, name in _PALETTE.items():
        palette.setColor(role, ink(name))
    application.setPalette(palette)
    application.setStyleSheet(style_sheet(variant, preferences.text_size))
    for widget in application.allWidgets():
        if isinstance(widget, QTreeWidget):
            _color_again(widget, before)
        elif isinstance(widget, QLabel) and "<a " in (text := widget.text()):
            widget.clear()
            widget.setText(text)  # links have the colour of when they were written


def _color_again(tree: QTreeWidget, before: Mapping[str, str]) -> None:
    """Give the texts of a tree the colours that have the names of those they had before."""
    items = QTreeWidgetItemIterator(tree)
    while (item := items.value()) is not None:
        for column in range(tree.columnCount()):
            brush = item.foreground(column)
            name = before.get(brush.color().name().upper())
            if brush.style() != Qt.BrushStyle.NoBrush and name is not None:
                item.setForeground(column, ink(name))
        items += 1


_PALETTE = {
    QPalette.ColorRole.Window: MIST,
    QPalette.ColorRole.Base: PAPER,
    QPalette.ColorRole.Text: PEAT,
    QPalette.ColorRole.WindowText: PEAT,
    QPalette.ColorRole.ButtonText: PEAT,
    QPalette.ColorRole.Button: PAPER,
    QPalette.ColorRole.Highlight: HEATHER,
    QPalette.ColorRole.HighlightedText: PAPER,
    QPalette.ColorRole.PlaceholderText: STONE_TEXT,
    QPalette.ColorRole.Link: HEATHER,
}
