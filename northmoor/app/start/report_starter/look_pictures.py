"""Small pictures of what tables look like in each style that they can start from."""

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QColor, QIcon, QPainter, QPixmap

from northmoor.app.widgets.theme import PAGE
from northmoor.core.model.edits import TABLE_LOOKS
from northmoor.core.model.styles import NamedStyle, style_chain

LOOK_PICTURE = QSize(40, 20)
_LINES = ("table-head", "table", "table-second", "table", "table-grand-total")
_WIDTHS = (10.0, 13.0, 8.0, 12.0, 9.0)
_INK, _RULE = "#1F1B16", 0.0015
"""The colour of texts without one, and pixels to a millipoint of a rule."""


def look_icon(name: str) -> QIcon:
    """The picture of a style of `TABLE_LOOKS`: its column titles, three rows and its total."""
    look = TABLE_LOOKS[name]
    pixmap = QPixmap(LOOK_PICTURE * 2)
    pixmap.setDevicePixelRatio(2)
    pixmap.fill(QColor(PAGE))
    painter = QPainter(pixmap)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    high = LOOK_PICTURE.height() / len(_LINES)
    for at, line in enumerate(_LINES):
        name = line if line != "table-second" or look.every_second else "table"
        row = QRectF(2, at * high + 0.5, LOOK_PICTURE.width() - 4, high)
        _paint_row(painter, row, style_chain(look.styles, name), _WIDTHS[at])
    painter.end()
    return QIcon(pixmap)


def _paint_row(painter: QPainter, row: QRectF, chain: tuple[NamedStyle, ...], width: float) -> None:
    def given(field: str) -> object:
        return next((value for style in reversed(chain) if (value := getattr(style, field)) is not None), None)

    if fill := given("fill"):
        painter.fillRect(row, QColor(str(fill)))
    thick = 1.8 if given("bold") else 1.0
    ink = QColor(str(given("color") or _INK))
    for left, wide in ((row.left() + 2, width), (row.right() - 9, 7.0)):
        painter.fillRect(QRectF(left, row.center().y() - thick / 2, wide, thick), ink)
    for field, y in (("rule_above", row.top()), ("rule_below", row.bottom())):
        if weight := given(field):
            painter.setPen(Qt.PenStyle.NoPen)
            color = QColor(str(given("rule_color") or _INK))
            painter.fillRect(QRectF(row.left(), y - 0.4, row.width(), max(float(str(weight)) * _RULE, 0.5)), color)
