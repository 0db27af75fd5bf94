"""The window's look: its colours and the style sheet made of them. Quiet; the page is the brightest thing on screen.

The colours are those of the variant that is preferred when the program starts.
"""

from importlib.resources import files
from typing import Any

from PyQt6.QtGui import QColor, QFont, QFontDatabase, QPalette
from PyQt6.QtWidgets import QApplication

from northmoor.app.widgets.preferences import own_settings, read_preferences

_PREFERRED = read_preferences(own_settings())
_LIGHT = {
    "mist": "#F3F1EC", "linen": "#E7E3DA", "peat": "#33291F", "stone": "#8B8378", "stone_text": "#6B645A",
    "edge": "#857C70", "heather": "#7B4B94", "deep_heather": "#5E3873", "lichen": "#5E7F3A",
    "lichen_text": "#47662A", "gorse": "#C9971C", "gorse_text": "#7A5A0A", "rowan": "#AD3B2A", "desk": "#D9D4C8",
    "paper": "#FFFFFF", "lit": "#E4D8EA", "lit_active": "{LIT_ACTIVE}", "line": "#CFC9BC", "bar": "{_BAR}",
    "rails": ("#7B4B94", "#2F7F86", "#B0612B", "#5E7F3A"),
}  # fmt: skip
_DARK = {
    "mist": "#241F1A", "linen": "#2C2620", "peat": "#EFE9DE", "stone": "#7D7569", "stone_text": "#B8AFA2",
    "edge": "#8B8276", "heather": "#C79FDB", "deep_heather": "#DDBFEC", "lichen": "#93B56A",
    "lichen_text": "#A5C67E", "gorse": "#E0B24A", "gorse_text": "#E3BC63", "rowan": "#F0907F", "desk": "#191510",
    "paper": "#17130F", "lit": "#45344F", "lit_active": "#523D5E", "line": "#443C33", "bar": "#5C5348",
    "rails": ("#C79FDB", "#6CC0C7", "#E29A67", "#9CC274"),
}  # fmt: skip
"""The same names in the dark variant: grounds darker, what is drawn on them lighter, the hues the same."""
COLORS = {"light": _LIGHT, "dark": _DARK}
_CHOSEN: dict[str, Any] = COLORS["dark" if _PREFERRED.is_dark else "light"]
MIST, LINEN, PAPER, DESK = (_CHOSEN[name] for name in ("mist", "linen", "paper", "desk"))
"""Grounds: of the window, of panels, of controls, and behind the pages."""
PEAT, STONE_TEXT, STONE = (_CHOSEN[name] for name in ("peat", "stone_text", "stone"))
"""Text, quiet text, and marks that need not be read."""
EDGE, LINE = (_CHOSEN[name] for name in ("edge", "line"))
"""Borders of controls, and hairlines between parts."""
HEATHER, DEEP_HEATHER, LIT, LIT_ACTIVE = (_CHOSEN[name] for name in ("heather", "deep_heather", "lit", "lit_active"))
"""The primary action and what is chosen; the same pressed or focused; the ground of what is chosen."""
LICHEN, LICHEN_TEXT, GORSE, GORSE_TEXT, ROWAN = (
    _CHOSEN[name] for name in ("lichen", "lichen_text", "gorse", "gorse_text", "rowan")
)
"""Good, warnings and faults, as marks and as texts."""
RAILS: tuple[str, ...] = _CHOSEN["rails"]
_BAR = _CHOSEN["bar"]
PAGE, MARK, GUIDE = "#FFFFFF", "#7B4B94", "#2F7F86"
"""What is drawn on pages, which stay white: their ground, what is selected, and guides."""
TEXT_SIZE = _PREFERRED.text_size
UI_FONT = "IBM Plex Sans"
MONO_FONT = "IBM Plex Mono"
_FONT_FILES = (
    "IBMPlexSans-Regular",
    "IBMPlexSans-SemiBold",
    "IBMPlexSans-Bold",
    "IBMPlexMono-Regular",
    "IBMPlexMono-Bold",
)

STYLE_SHEET = f"""
* {{ font-family: "{UI_FONT}"; font-size: {TEXT_SIZE}px; color: {PEAT}; }}
QMainWindow, QDialog, QMessageBox {{ background: {MIST}; }}
QMenuBar {{ background: {LINEN}; border-bottom: 1px solid {LINE}; padding: 1px 4px; }}
QMenuBar::item {{ padding: 4px 9px; background: transparent; border-radius: 4px; }}
QMenuBar::item:selected, QMenu::item:selected {{ background: {LIT}; }}
QMenu {{ background: {PAPER}; border: 1px solid {STONE}; padding: 4px; }}
QMenu::item {{ padding: 4px 28px 4px 12px; border-radius: 3px; }}
QMenu::item:disabled {{ color: {STONE}; }}
QMenu::separator {{ height: 1px; background: {LINE}; margin: 4px 8px; }}
QStatusBar {{ background: {LINEN}; border-top: 1px solid {LINE}; }}
QStatusBar::item {{ border: none; }}
QToolTip {{ background: {PEAT}; color: {MIST}; border: none; padding: 4px 6px; }}
QLabel#drop-sign {{ background: {HEATHER}; color: {PAPER}; padding: 8px 14px; border-radius: 6px; font-weight: 600; }}
QDialogButtonBox {{ dialogbuttonbox-buttons-have-icons: 0; }}
QDialog#finder, QWidget#popup {{ background: {MIST}; border: 1px solid {STONE}; }}
QWidget#popup QTableWidget {{ background: {MIST}; border: none; }}
QScrollArea#start, QWidget#start {{ background: {MIST}; }}
QLabel#title {{ font-size: 24px; font-weight: 600; }}
QPushButton#start-card {{ background: {PAPER}; border: 1px solid {STONE}; border-radius: 6px; }}
QPushButton#start-card:hover, QPushButton#start-card:focus {{ border: 1px solid {HEATHER}; background: {LIT}; }}
QToolButton#recent {{ background: transparent; border: 1px solid transparent; padding: 4px; }}
QToolButton#recent:hover, QToolButton#recent:focus {{ border: 1px solid {HEATHER}; }}
QLabel#drop-hint {{ border: 2px dashed {STONE}; border-radius: 6px; color: {STONE_TEXT}; padding: 12px; }}
QToolButton#picture {{ padding: 4px; }}
QToolButton#picture:checked {{ background: {LIT}; border-color: {HEATHER}; }}
QToolButton#handle {{ background: {PAGE}; border: 1px solid {MARK}; border-radius: 4px; padding: 0; }}
QToolButton#handle:hover {{ background: #E4D8EA; }}
QDialog#finder QListWidget {{ background: {MIST}; }}
QFrame#bar {{ background: {MIST}; border-bottom: 1px solid {LINE}; }}
QFrame#reports, QTabBar#reports {{ background: {LINEN}; }}
QToolButton#tab-button {{ background: transparent; border: 1px solid transparent; padding: 2px; }}
QToolButton#tab-button:hover, QToolButton#tab-button:focus {{ border-color: {HEATHER}; }}
QTabBar#reports::tab {{ background: {LINEN}; border: none; border-right: 1px solid {LINE}; border-bottom: 1px solid
  {LINE}; padding: 6px 10px; color: {STONE_TEXT}; }}
QTabBar#reports::tab:selected {{ background: {MIST}; border-bottom: 2px solid {HEATHER}; color: {PEAT}; }}
QTabBar#reports::tab:hover {{ color: {HEATHER}; }}
QFrame#side {{ background: {LINEN}; border-right: 1px solid {LINE}; }}
QWidget#panel, QScrollArea#panel, QScrollArea#panel > QWidget > QWidget {{ background: {LINEN}; }}
QLabel#section {{ font-weight: 600; }}
QToolButton#section-header {{ background: transparent; border: none; border-top: 1px solid {LINE}; border-radius: 0;
  padding: 6px 0 2px 0; font-weight: 600; text-align: left; }}
QToolButton#section-header:hover, QToolButton#section-header:focus {{ color: {HEATHER}; }}
QToolButton#reset-dot {{ background: transparent; border: none; color: {HEATHER}; padding: 0 1px; font-size: 9px; }}
QToolButton#reset-dot:focus {{ border: 1px solid {HEATHER}; }}
QLabel#quiet {{ color: {STONE_TEXT}; }}
QLabel#fault {{ color: {ROWAN}; }}
QLabel#warning {{ color: {GORSE_TEXT}; }}
QLabel#good {{ color: {LICHEN_TEXT}; }}
QLabel#name {{ font-weight: 600; }}
QToolButton#workspace {{ background: transparent; border: none; border-left: 3px solid transparent; padding: 9px
  2px; border-radius: 0; }}
QToolButton#workspace:checked {{ background: {MIST}; border-left: 3px solid {HEATHER}; color: {HEATHER};
  font-weight: 600; }}
QToolButton#workspace:hover {{ background: {MIST}; }}
QPushButton, QToolButton {{ background: {PAPER}; border: 1px solid {EDGE}; border-radius: 4px; padding: 4px 10px; }}
QToolButton {{ padding: 4px; }}
QPushButton:hover, QToolButton:hover {{ border-color: {PEAT}; }}
QPushButton:focus, QToolButton:focus {{ border: 1px solid {HEATHER}; }}
QPushButton:disabled, QToolButton:disabled {{ color: {STONE}; background: {LINEN}; }}
QPushButton#primary {{ background: {HEATHER}; color: {PAPER}; border-color: {HEATHER}; font-weight: 600; padding:
  5px 14px; }}
QPushButton#primary:hover {{ background: {DEEP_HEATHER}; }}
QPushButton#primary:focus {{ background: {DEEP_HEATHER}; border: 2px solid {PAPER}; padding: 4px 13px; }}
QPushButton#primary:disabled {{ background: {LINE}; border-color: {LINE}; color: {STONE_TEXT}; }}
QToolButton#card {{ border: 2px solid {LINE}; color: {PEAT}; }}
QToolButton#card:checked {{ border-color: {HEATHER}; color: {HEATHER}; }}
QToolButton#card:focus {{ border-color: {HEATHER}; }}
QToolButton#choice {{ padding: 3px 8px; border-radius: 0; margin: 0; }}
QToolButton#choice:checked {{ background: {HEATHER}; color: {PAPER}; border-color: {HEATHER}; }}
QToolButton#parameter-name {{ background: transparent; border: 1px solid transparent; padding: 3px 2px; color:
  {STONE_TEXT}; }}
QToolButton#parameter-name:hover, QToolButton#parameter-name:focus {{ color: {HEATHER}; border-color: {LINE}; }}
QPushButton#place {{ background: transparent; border: none; padding: 0; font-weight: 600; text-align: left; }}
QPushButton#place:hover, QPushButton#place:focus {{ color: {HEATHER}; border: none; }}
QToolButton#opener {{ padding: 3px 6px 3px 8px; }}
QToolButton#opener[invalid="true"], QComboBox[invalid="true"] {{ border: 1px solid {ROWAN}; }}
QToolButton#step {{ padding: 2px 7px; border-radius: 0; background: transparent; }}
QToolButton#bar-button {{ background: transparent; border: 1px solid transparent; padding: 3px 5px; }}
QToolButton#bar-button:hover, QToolButton#bar-button:focus {{ border-color: {LINE}; }}
QToolButton#bar-button:checked {{ background: {LIT}; border-color: {HEATHER}; }}
QFrame#popup {{ background: {MIST}; border: 1px solid {STONE}; }}
QFrame#popup QListView, QFrame#popup QListWidget {{ background: {PAPER}; border: 1px solid {LINE}; }}
QListView {{ outline: none; }}
QListView::item {{ padding: 2px; min-height: 20px; }}
QListView::item:selected {{ background: {LIT}; color: {PEAT}; }}
QListView::indicator, QTreeView::indicator, QTableView::indicator {{ width: 14px; height: 14px; background: {PAPER};
  border: 1px solid {STONE}; border-radius: 3px; }}
QListView::indicator:checked, QTreeView::indicator:checked, QTableView::indicator:checked {{ background: {HEATHER};
  border-color: {HEATHER}; image: url({{tick}}); }}
QCalendarWidget QWidget#qt_calendar_navigationbar {{ background: {LINEN}; }}
QCalendarWidget QTableView::item {{ padding: 0; }}
QCalendarWidget QToolButton::menu-indicator {{ image: none; }}
QCalendarWidget QToolButton {{ background: transparent; border: none; padding: 4px 8px; }}
QCalendarWidget QAbstractItemView {{ background: {PAPER}; selection-background-color: {HEATHER};
  selection-color: {PAPER};
  outline: none; }}
QToolButton#quiet-button {{ background: transparent; border: 1px solid transparent; padding: 2px; }}
QToolButton#quiet-button:hover {{ border-color: {STONE}; }}
QToolButton#chip, QToolButton#new-chip {{ border: 1px solid {LINE}; border-radius: 12px; padding: 3px 5px 3px
  8px; }}
QTableView[old="true"] {{ color: {STONE}; }}
QToolButton#chip[bound="true"] {{ color: {HEATHER}; }}
QToolButton#chip[invalid="true"] {{ color: {ROWAN}; border: 2px solid {ROWAN}; }}
QToolButton#chip:hover, QToolButton#new-chip:hover {{ border-color: {HEATHER}; }}
QToolButton#chip:focus, QToolButton#new-chip:focus {{ border: 1px solid {HEATHER}; background: {LIT}; }}
QToolButton#new-chip {{ border-style: dashed; background: transparent; }}
QToolButton#new-chip::menu-indicator {{ image: none; width: 0; }}
QToolButton#word-button {{ background: transparent; border: none; color: {STONE_TEXT}; padding: 2px 1px;
  text-decoration: underline; }}
QToolButton#word-button:focus, QToolButton#word-button:hover {{ color: {HEATHER}; border: none; }}
QFrame#hairline {{ background: {LINE}; border: none; }}
QWidget#framed {{ background: {PAPER}; border: 1px solid {LINE}; border-radius: 4px; }}
QLabel#plan {{ font-size: 12px; }}
QLineEdit, QComboBox, QSpinBox, QDoubleSpinBox, QPlainTextEdit, QTextEdit {{
    background: {PAPER}; border: 1px solid {EDGE};
  border-radius: 4px; padding: 3px 6px; selection-background-color: {HEATHER}; selection-color: {PAPER}; min-height:
  18px; }}
QLineEdit:focus, QComboBox:focus, QSpinBox:focus, QDoubleSpinBox:focus, QPlainTextEdit:focus, QTextEdit:focus {{
    border-color:
  {HEATHER}; }}
QLineEdit[invalid="true"], QPlainTextEdit[invalid="true"] {{ border: 1px solid {ROWAN}; }}
QLineEdit#expression, QPlainTextEdit#expression {{ font-family: "{MONO_FONT}"; }}
QComboBox::drop-down {{ border: none; width: 20px; }}
QComboBox::down-arrow {{ image: url({{arrow}}); width: 12px; height: 12px; }}
QComboBox QAbstractItemView {{ background: {PAPER}; border: 1px solid {STONE}; selection-background-color: {LIT};
  selection-color: {PEAT}; outline: none; }}
QCheckBox {{ spacing: 6px; background: transparent; min-height: 24px; }}
QCheckBox::indicator {{ width: 15px; height: 15px; background: {PAPER}; border: 1px solid {STONE};
  border-radius: 3px; }}
QCheckBox::indicator:focus {{ border: 1px solid {HEATHER}; }}
QCheckBox::indicator:indeterminate {{ background: {LINE}; }}
QCheckBox::indicator:checked {{ background: {HEATHER}; border-color: {HEATHER}; image: url({{tick}}); }}
QSpinBox::up-button, QSpinBox::down-button {{ border: none; background: transparent; width: 18px; }}
QSpinBox::up-arrow {{ image: url({{raise}}); width: 10px; height: 10px; }}
QSpinBox::down-arrow {{ image: url({{arrow}}); width: 10px; height: 10px; }}
QTreeWidget, QListWidget {{ background: {LINEN}; border: none; outline: none; }}
QTreeWidget::item, QListWidget::item {{ padding: 3px 2px; border: none; border-left: 3px solid transparent;
  min-height: 18px; }}
QTreeWidget::item:selected, QListWidget::item:selected {{ background: {LIT}; color: {PEAT};
  border-left: 3px solid {HEATHER}; }}
QTreeWidget::item:selected:middle, QTreeWidget::item:selected:last {{ border-left-color: transparent; }}
QTreeWidget::item:selected:active, QListWidget::item:selected:active {{ background: {LIT_ACTIVE}; color: {PEAT}; }}
QTreeWidget#table-list, QWidget#popup QListWidget {{ background: {PAPER}; border: 1px solid {LINE}; }}
QTreeWidget#table-list::item {{ border-left: none; }}
QTreeWidget::branch {{ background: {LINEN}; }}
QTreeWidget::branch:selected {{ background: {LIT}; }}
QTreeWidget::branch:has-children:closed {{ image: url({{closed}}); }}
QTreeWidget::branch:has-children:open {{ image: url({{opened}}); }}
QTableView {{ background: {PAPER}; border: none; gridline-color: {LINEN}; selection-background-color: {LIT};
  selection-color: {PEAT}; alternate-background-color: {PAPER}; }}
QTableView QTableCornerButton::section {{ background: {MIST}; border: none; }}
QHeaderView {{ background: {MIST}; border: none; }}
QTableView::item {{ padding: 0 8px; }}
QHeaderView::section:vertical {{ font-weight: 400; color: {STONE_TEXT}; padding: 0 8px; }}
QHeaderView::section {{ background: {MIST}; border: none; border-right: 1px solid {LINE}; border-bottom: 1px solid
  {LINE};
  padding: 4px 8px; font-weight: 600; }}
QSplitter::handle {{ background: {LINE}; }}
QScrollBar:vertical {{ background: transparent; width: 10px; margin: 0; }}
QScrollBar:horizontal {{ background: transparent; height: 10px; margin: 0; }}
QScrollBar::handle {{ background: {_BAR}; border-radius: 4px; min-height: 28px; min-width: 28px; margin: 1px; }}
QScrollBar::handle:hover {{ background: {STONE}; }}
QScrollBar::add-line, QScrollBar::sub-line, QScrollBar::add-page, QScrollBar::sub-page {{ background: none; border:
  none;
  width: 0; height: 0; }}
QProgressBar {{ background: {LINE}; border: none; max-height: 3px; min-height: 3px; }}
QProgressBar::chunk {{ background: {LICHEN}; }}
"""


_VARIANT = "-light" if _PREFERRED.is_dark else ""
ICONS_IN_SHEET = {
    "arrow": f"chevron-down{_VARIANT}", "raise": f"chevron-up{_VARIANT}", "opened": f"chevron-down{_VARIANT}",
    "closed": f"chevron-right{_VARIANT}", "tick": "check-dark" if _PREFERRED.is_dark else "check-white",
}  # fmt: skip
"""Icons that the style sheet names, by the words in it."""


def apply_theme(application: QApplication) -> None:
    """Give the application its fonts, colours and style sheet; nothing is taken from the system's theme."""
    for file in _FONT_FILES:
        QFontDatabase.addApplicationFont(str(files("northmoor") / "assets" / "fonts" / f"{file}.ttf"))
    application.setStyle("Fusion")
    font = QFont(UI_FONT)
    font.setPixelSize(TEXT_SIZE)
    application.setFont(font)
    palette = QPalette()
    roles = {
        QPalette.ColorRole.Window: MIST,
        QPalette.ColorRole.Base: PAPER,
        QPalette.ColorRole.Text: PEAT,
        QPalette.ColorRole.WindowText: PEAT,
        QPalette.ColorRole.ButtonText: PEAT,
        QPalette.ColorRole.Button: PAPER,
        QPalette.ColorRole.Highlight: HEATHER,
        QPalette.ColorRole.HighlightedText: PAPER,
        QPalette.ColorRole.PlaceholderText: STONE_TEXT,
    }
    for role, color in roles.items():
        palette.setColor(role, QColor(color))
    application.setPalette(palette)
    icons = files("northmoor") / "assets" / "icons"
    sheet = STYLE_SHEET
    for name, icon in ICONS_IN_SHEET.items():
        sheet = sheet.replace(f"{{{name}}}", (str(icons / f"{icon}.svg")).replace("\\", "/"))
    application.setStyleSheet(sheet)
