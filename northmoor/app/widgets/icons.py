"""Icons: the shipped line drawings, in a colour."""

from functools import lru_cache
from importlib.resources import files

from PyQt6.QtCore import QByteArray, QRectF, Qt
from PyQt6.QtGui import QIcon, QPainter, QPixmap
from PyQt6.QtSvg import QSvgRenderer

from northmoor.app.widgets.theme import PEAT


@lru_cache(maxsize=256)
def icon(name: str, color: str = PEAT, size: int = 16) -> QIcon:
    """The icon of a name, sharp at once and twice its size."""
    drawing = (files("northmoor") / "assets" / "icons" / f"{name}.svg").read_text(encoding="utf-8")
    drawing = drawing.replace("currentColor", color).replace('stroke-width="2"', 'stroke-width="1.75"')
    renderer = QSvgRenderer(QByteArray(drawing.encode()))
    result = QIcon()
    for scale in (1, 2):
        pixmap = QPixmap(size * scale, size * scale)
        pixmap.fill(Qt.GlobalColor.transparent)
        painter = QPainter(pixmap)
        renderer.render(painter, QRectF(0, 0, size * scale, size * scale))
        painter.end()
        pixmap.setDevicePixelRatio(scale)
        result.addPixmap(pixmap)
    return result
