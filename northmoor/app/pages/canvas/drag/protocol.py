"""What is dragged over the pages: it follows the pointer, is drawn on its way, and tells when it is let go."""

from typing import Protocol

from PyQt6.QtCore import QPoint, QRect
from PyQt6.QtGui import QPainter

from northmoor.core.layout.page.hit_testing import HitMap

SLACK = 4
"""How far the pointer must move before a press becomes a drag, in pixels."""


class PageView(Protocol):
    """What a drag needs to know of the pages on screen."""

    def page_rect(self, index: int) -> QRect:
        """Where a page is in the view, in pixels."""

    def scale(self) -> float:
        """Pixels for a millipoint."""

    def under(self, point: QPoint) -> tuple[int, int, int] | None:
        """The page under a point, and the point on it in millipoints."""

    def places(self, index: int) -> HitMap | None:
        """What is where on a page, if it is shown."""


class Drag(Protocol):
    """Something that was taken hold of."""

    @property
    def has_moved(self) -> bool:
        """Whether it would go anywhere else."""

    def move(self, point: QPoint, freely: bool) -> None:
        """Follow the pointer; freely, without being drawn to anything."""

    def draw(self, painter: QPainter) -> None:
        """Show where it would go."""

    def drop(self) -> None:
        """Tell where it was let go."""
