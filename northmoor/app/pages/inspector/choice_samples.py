"""Fonts and styles in lists, each shown as itself."""

from collections.abc import Sequence
from functools import cache
from importlib.resources import files
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QFont, QFontDatabase
from PyQt6.QtWidgets import QApplication, QComboBox

from northmoor.core.layout.text.fonts import FAMILIES, font_file
from northmoor.core.model.styles import NamedStyle, style_chain

_LARGEST, _SMALLEST = 1.5, 0.75
"""How much larger or smaller than other texts of the window a style is shown."""
_BODY = 9_000


@cache
def report_font(family: str, bold: bool, italic: bool) -> QFont:
    """A shipped font; it is loaded when it is first shown."""
    path = files("northmoor") / "assets" / "fonts" / f"{font_file(family, bold, italic)}.ttf"
    found = QFontDatabase.applicationFontFamilies(QFontDatabase.addApplicationFont(str(path)))
    font = QFont(found[0] if found else "")
    font.setBold(bold)
    font.setItalic(italic)
    return font


def show_fonts(box: QComboBox) -> None:
    """Show each family in itself."""
    for at in range(box.count()):
        if (family := box.itemData(at)) in FAMILIES:
            box.setItemData(at, _sized(report_font(family, False, False)), Qt.ItemDataRole.FontRole)


def show_styles(box: QComboBox, styles: Sequence[NamedStyle]) -> None:
    """Show each style in its font and size; the window's own colours stay, in which everything can be read."""
    known = {style.name for style in styles}
    for at in range(box.count()):
        if (name := box.itemData(at)) in known:
            box.setItemData(at, style_font(name, styles), Qt.ItemDataRole.FontRole)


def style_font(name: str, styles: Sequence[NamedStyle]) -> QFont:
    """The font of a style, in a size like its own."""
    chain = style_chain(tuple(styles), name)
    bold, italic = bool(_given(chain, "bold")), bool(_given(chain, "italic"))
    scale = min(max((_given(chain, "size") or _BODY) / _BODY, _SMALLEST), _LARGEST)
    return _sized(report_font(_given(chain, "font") or "Plex Sans", bold, italic), scale)


def _sized(font: QFont, scale: float = 1.0) -> QFont:
    """A font in the size of the window's texts, or so many times that."""
    sized = QFont(font)
    sized.setPixelSize(round(QApplication.font().pixelSize() * scale))
    return sized


def _given(chain: Sequence[NamedStyle], field: str) -> Any:
    return next((value for style in reversed(chain) if (value := getattr(style, field)) is not None), None)
