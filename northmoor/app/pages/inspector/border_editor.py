"""Borders of a cell, as a picture of it whose edges are clicked."""

from collections.abc import Mapping
from typing import Any

from PyQt6.QtCore import QPointF, QRectF, QSize, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from northmoor.app.language.translation import tr
from northmoor.app.widgets.theme import EDGE, HEATHER, LINE, PAPER, PEAT, ink
from northmoor.app.widgets.value_editors import Commit

EDGES = ("rule_above", "rule_right", "rule_below", "rule_left")
"""The properties of a look that it sets, clockwise."""
_THIN = 500
"""The thickness that a click gives an edge, in millipoints."""
_NAMES = {"rule_above": "top", "rule_right": "right", "rule_below": "bottom", "rule_left": "left"}


class BorderEditor(QWidget):
    """Clicking near an edge gives it a thin line, or takes its line away. By keyboard: the arrow keys choose an edge,
    Space changes it. `commit` gets the property and its new thickness."""

    def __init__(self, value: Mapping[str, int | None], commit: Commit) -> None:
        super().__init__()
        self._value, self._commit = dict(value), commit
        self._chosen = EDGES[0]
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setFixedHeight(54)
        self.setProperty("field", "borders")
        self.setAccessibleName(tr("Borders"))
        self._describe()

    def sizeHint(self) -> QSize:
        """Room for the picture."""
        return QSize(110, 54)

    def show_value(self, value: Mapping[str, int | None]) -> None:
        """Show other borders."""
        self._value = dict(value)
        self._describe()
        self.update()

    def _describe(self) -> None:
        drawn = [_NAMES[edge] for edge in EDGES if self._value[edge]]
        self.setToolTip(tr("Click an edge to draw or remove its line; arrow keys and Space do the same"))
        self.setAccessibleDescription(
            tr("Lines: {drawn}; chosen: {side}").format(
                drawn=", ".join(drawn) or tr("none of its own"), side=_NAMES[self._chosen]
            )
        )

    @property
    def cell(self) -> QRectF:
        """Where the picture's cell is."""
        return QRectF(10, 10, min(self.width() - 20, 90), self.height() - 20)

    def _lines(self) -> dict[str, tuple[QPointF, QPointF]]:
        cell = self.cell
        return {
            "rule_above": (cell.topLeft(), cell.topRight()), "rule_right": (cell.topRight(), cell.bottomRight()),
            "rule_below": (cell.bottomLeft(), cell.bottomRight()), "rule_left": (cell.topLeft(), cell.bottomLeft()),
        }  # fmt: skip

    def paintEvent(self, _: QPaintEvent | None) -> None:
        """Draw the cell, its lines, and the edge that the keyboard has chosen."""
        painter = QPainter(self)
        painter.fillRect(self.cell, ink(PAPER))
        painter.setPen(QPen(ink(LINE), 5))
        for y in (0.35, 0.65):
            at = self.cell.top() + y * self.cell.height()
            painter.drawLine(QPointF(self.cell.left() + 14, at), QPointF(self.cell.right() - 14, at))
        for edge, (begin, end) in self._lines().items():
            thickness = self._value[edge]
            style = Qt.PenStyle.SolidLine if thickness else Qt.PenStyle.DotLine
            painter.setPen(QPen(ink(PEAT if thickness else EDGE), 3 if thickness else 1, style))
            painter.drawLine(begin, end)
        if self.hasFocus():
            begin, end = self._lines()[self._chosen]
            painter.setPen(QPen(ink(HEATHER), 2))
            painter.drawRect(QRectF(begin, end).normalized().adjusted(-4, -4, 4, 4))
        painter.end()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Change the edge that is nearest."""
        if event is not None:
            point = event.position()
            self._chosen = min(EDGES, key=lambda edge: self._distance(edge, point))
            self.toggle(self._chosen)

    def _distance(self, edge: str, point: QPointF) -> float:
        cell = self.cell
        return {
            "rule_above": abs(point.y() - cell.top()), "rule_below": abs(point.y() - cell.bottom()),
            "rule_left": abs(point.x() - cell.left()), "rule_right": abs(point.x() - cell.right()),
        }[edge]  # fmt: skip

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Arrow keys choose an edge, Space changes it."""
        keys = {Qt.Key.Key_Up: 0, Qt.Key.Key_Right: 1, Qt.Key.Key_Down: 2, Qt.Key.Key_Left: 3}
        at: Any = keys.get(Qt.Key(event.key())) if event is not None else None
        if at is not None:
            self._chosen = EDGES[at]
            self._describe()
            self.update()
        elif event is not None and event.key() == Qt.Key.Key_Space:
            self.toggle(self._chosen)
        else:
            super().keyPressEvent(event)

    def toggle(self, edge: str) -> None:
        """Draw an edge's line, or take it away."""
        thickness = 0 if self._value[edge] else _THIN
        self._value[edge] = thickness
        self._describe()
        self.update()
        self._commit((edge, thickness))
