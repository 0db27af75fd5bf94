"""Icons: the shipped line drawings, in a colour of the look that is shown when they are painted."""

from functools import lru_cache
from importlib.resources import files

from PyQt6.QtCore import QByteArray, QPoint, QRect, QRectF, QSize, Qt
from PyQt6.QtGui import QIcon, QIconEngine, QPainter, QPaintEvent, QPixmap
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QLabel, QWidget

from northmoor.app.widgets.theme import PEAT, STONE, ink


def icon(name: str, color: str = PEAT, size: int = 16) -> QIcon:
    """The icon of a name, in a named colour; `size` is that of the drawing at most, in pixels."""
    return QIcon(_LineDrawing(name, color, size))


class IconLabel(QLabel):
    """Shows an icon."""

    def __init__(self, name: str, color: str = PEAT, size: int = 16, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._drawing = _LineDrawing(name, color, size)
        self.setFixedSize(size, size)

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: ARG002
        """Paint the icon."""
        self._drawing.paint(QPainter(self), self.rect(), QIcon.Mode.Normal, QIcon.State.Off)


class _LineDrawing(QIconEngine):
    def __init__(self, name: str, color: str, size: int) -> None:
        super().__init__()
        self._name, self._color, self._size = name, color, size

    def paint(self, painter: QPainter | None, rect: QRect, mode: QIcon.Mode, state: QIcon.State) -> None:  # noqa: ARG002
        assert painter is not None
        device = painter.device()
        scale = device.devicePixelRatio() if device is not None else 1.0
        size = min(rect.width(), rect.height(), self._size)
        made = _pixmap(self._name, self._shown(mode), size, scale)
        painter.drawPixmap(rect.center() - QPoint((size - 1) // 2, (size - 1) // 2), made)

    def pixmap(self, size: QSize, mode: QIcon.Mode, state: QIcon.State) -> QPixmap:
        return self.scaledPixmap(size, mode, state, 1.0)

    def scaledPixmap(self, size: QSize, mode: QIcon.Mode, state: QIcon.State, scale: float) -> QPixmap:  # noqa: ARG002
        own = min(size.width(), size.height(), self._size)
        return _pixmap(self._name, self._shown(mode), own, scale)

    def actualSize(self, size: QSize, mode: QIcon.Mode, state: QIcon.State) -> QSize:  # noqa: ARG002
        own = min(size.width(), size.height(), self._size)
        return QSize(own, own)

    def clone(self) -> QIconEngine:
        return _LineDrawing(self._name, self._color, self._size)

    def _shown(self, mode: QIcon.Mode) -> str:
        return ink(STONE if mode == QIcon.Mode.Disabled else self._color).name()


@lru_cache(maxsize=512)
def _pixmap(name: str, color: str, size: int, scale: float) -> QPixmap:
    """A drawing of some pixels, each `scale` pixels of the screen wide."""
    renderer = QSvgRenderer(QByteArray(_drawing(name).replace("currentColor", color).encode()))
    made = QPixmap(round(size * scale), round(size * scale))
    made.fill(Qt.GlobalColor.transparent)
    painter = QPainter(made)
    renderer.render(painter, QRectF(0, 0, made.width(), made.height()))
    painter.end()
    made.setDevicePixelRatio(scale)
    return made


@lru_cache(maxsize=128)
def _drawing(name: str) -> str:
    drawing = (files("northmoor") / "assets" / "icons" / f"{name}.svg").read_text(encoding="utf-8")
    return drawing.replace('stroke-width="2"', 'stroke-width="1.75"')
