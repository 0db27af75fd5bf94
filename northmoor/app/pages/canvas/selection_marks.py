"""How the selected part is marked on the pages: its instances lit up, the one that was pointed at, and a handle beside
that which opens its menu."""

from collections.abc import Callable, Iterable, Mapping

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtGui import QColor, QImage, QMouseEvent, QPainter, QPen
from PyQt6.QtWidgets import QAbstractScrollArea, QToolButton

from northmoor.app.document_controller import Selection
from northmoor.app.language.translation import tr
from northmoor.app.pages.canvas.drag.column_width import spot_rect
from northmoor.app.pages.canvas.drag.protocol import SLACK
from northmoor.app.pages.canvas.hit_selection import selects
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import MARK
from northmoor.app.widgets.widget_tools import image_of
from northmoor.app.worker import PageShown
from northmoor.core.base.replace import replace
from northmoor.core.layout.page.hit_testing import HitRegion

_STEP = 4
"""Pixels from one spot that is tried to the next."""


def draw_selected(
    painter: QPainter, page: QRect, regions: Iterable[HitRegion], selection: Selection, scale: float
) -> None:
    """Light up the instances of a part on a page that is at a place in the viewport."""
    fill, edge = QColor(MARK), QColor(MARK)
    fill.setAlpha(30)
    edge.setAlpha(120)
    painter.setPen(QPen(edge, 1))
    painter.setBrush(fill)
    for region in regions:
        if selects(selection, region):
            painter.drawRect(spot_rect(page, region, scale))
    painter.setBrush(Qt.BrushStyle.NoBrush)


def same_instance(pointed: HitRegion, regions: Iterable[HitRegion]) -> HitRegion | None:
    """The spot of a newer page that shows what an older one did; None where nothing does."""
    where = _without_place(pointed)
    return next((region for region in regions if _without_place(region) == where), None)


def _without_place(region: HitRegion) -> HitRegion:
    return replace(region, x=0, y=0, width=0, height=0)


class SelectionHandle(QToolButton):
    """A small button beside the selected part, which opens its menu, and by which its block can be dragged: `pull` gets
    where that began and where the pointer is, or no such place when it is let go."""

    def __init__(
        self,
        open_menu: Callable[[QPoint], object],
        pull: Callable[[QPoint, QPoint | None], object],
        over: QAbstractScrollArea,
    ) -> None:
        super().__init__(over.viewport())
        self._pull = pull
        self._pressed: QPoint | None = None
        self._is_pulled = False
        self.setObjectName("handle")
        self.setIcon(icon("ellipsis", MARK, 14))
        self.setIconSize(QSize(14, 14))
        self.setFixedSize(20, 18)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAccessibleName(tr("What can be done with it"))
        self.setToolTip(tr("What can be done with it (menu key, or a right click); drag it to move the block"))
        self.setCursor(Qt.CursorShape.ArrowCursor)
        self.clicked.connect(lambda: open_menu(self.mapToGlobal(self.rect().bottomLeft())))
        self.hide()

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Remember where a drag may begin."""
        assert event is not None
        self._pressed, self._is_pulled = self.mapToParent(event.position().toPoint()), False
        super().mousePressEvent(event)

    def mouseMoveEvent(self, event: QMouseEvent | None) -> None:
        """Drag the block."""
        assert event is not None
        point = self.mapToParent(event.position().toPoint())
        if self._pressed is not None and (self._is_pulled or (point - self._pressed).manhattanLength() >= SLACK):
            self._is_pulled = True
            self._pull(self._pressed, point)

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Let the block go, or open the menu."""
        pressed, self._pressed = self._pressed, None
        if pressed is None or not self._is_pulled:
            super().mouseReleaseEvent(event)
            return
        self.setDown(False)
        self._pull(pressed, None)

    def follow(self, place: QRect | None, is_blank: Callable[[QRect], bool]) -> None:
        """Be beside or in a place in the viewport, where it covers nothing that is printed if there is such a spot; for
        no place, nowhere."""
        over = self.parentWidget()
        if place is None or over is None or not over.rect().intersects(place):
            self.hide()
            return
        spots = self._spots(place, over.width() - self.width() - 2)
        at = next((spot for spot in spots if is_blank(QRect(spot, self.size()))), spots[0])
        if self.pos() != at:
            self.move(at)
        self.setVisible(True)

    def _spots(self, place: QRect, rightmost: int) -> list[QPoint]:
        """Where it can be, best first: right of the place, in it at either end, left of it, above it and below it, or
        farther to the right and the left."""
        middle = place.top() + (place.height() - self.height()) // 2
        right, inside = min(place.right() + 3, rightmost), place.right() - self.width() - 1
        spots = [QPoint(right, middle)]
        if place.width() > 3 * self.width():
            spots += [QPoint(inside, middle), QPoint(place.left() + 2, middle)]
        return [
            *spots,
            QPoint(max(place.left() - self.width() - 3, 2), middle),
            QPoint(inside, place.top() - self.height() - 1),
            QPoint(inside, place.bottom() + 2),
            *(QPoint(x, middle) for x in range(right + _STEP, rightmost + 1, _STEP)),
            *(QPoint(x, middle) for x in range(place.left() - self.width() - 3, 1, -_STEP)),
        ]


def is_blank(shown: Mapping[int, PageShown], page_rect: Callable[[int], QRect], spot: QRect) -> bool:
    """Whether nothing is printed on the pages that are shown at a spot of the viewport: all of it has one colour."""
    for index, page in shown.items():
        place = page_rect(index)
        if place.intersects(spot):
            times = page.raster.width / max(place.width(), 1)
            found = spot.intersected(place).translated(-place.topLeft())
            part = image_of(page.raster).copy(
                round(found.x() * times), round(found.y() * times),
                round(found.width() * times), round(found.height() * times),
            )  # fmt: skip
            plain = QImage(part.size(), part.format())
            plain.fill(part.pixelColor(0, 0))
            if part != plain:
                return False
    return True
