"""Where pages are in the canvas, one below the other: their sizes and tops in pixels, of whatever paper each is; and
how their pictures are drawn there.
"""

from bisect import bisect_right
from collections.abc import Sequence

from msgspec import Struct
from PyQt6.QtCore import QPointF, QRect, QRectF, QSize
from PyQt6.QtGui import QPainter, QPixmap

GAP = 20
"""Room between pages, in pixels."""
AHEAD = 150
"""Milliseconds without a change after which pages beside those in view are made."""
_ZOOMS = (0.25, 0.33, 0.5, 0.67, 0.75, 0.9, 1.0, 1.1, 1.25, 1.5, 2.0, 3.0, 4.0)


def next_zoom(zoom: float, is_larger: bool) -> float:
    """The next larger or smaller one of the usual zooms."""
    larger = [z for z in _ZOOMS if z > zoom * 1.01]
    smaller = [z for z in _ZOOMS if z < zoom * 0.99]
    return (larger or [_ZOOMS[-1]])[0] if is_larger else (smaller or [_ZOOMS[0]])[-1]


class _Run(Struct, frozen=True):
    """Pages of one size, one after another: the index of the first, the top of that, and the size of each."""

    first: int
    top: int
    size: QSize


class PageStack:
    """The pages of a document at a scale (pixels for a millipoint). `papers` are the sizes of pages in millipoints,
    each with the index of the first page that has it."""

    def __init__(self, papers: Sequence[tuple[int, tuple[int, int]]], pages: int, scale: float) -> None:
        self.pages = pages
        self._runs: list[_Run] = []
        top = GAP
        for number, (first, (width, height)) in enumerate(papers):
            end = papers[number + 1][0] if number + 1 < len(papers) else pages
            size = QSize(round(width * scale), round(height * scale))
            self._runs.append(_Run(first, top, size))
            top += (end - first) * (size.height() + GAP)
        self.height = top
        """The height of all of them, with the room around."""
        self.width = max((run.size.width() for run in self._runs), default=0)
        """The width of the widest."""

    def size(self, index: int) -> QSize:
        """The size of a page."""
        return self._run_of(index).size

    def top(self, index: int) -> int:
        """The distance of a page from the top of the first one's room."""
        run = self._run_of(index)
        return run.top + (index - run.first) * (run.size.height() + GAP)

    def at(self, y: int) -> int:
        """The page at a distance from the top, the room above it included; the last one below all."""
        run = self._runs[max(bisect_right(self._runs, y, key=lambda each: each.top - GAP) - 1, 0)]
        within = (y - run.top + GAP) // (run.size.height() + GAP)
        return max(0, min(run.first + within, self.pages - 1))

    def _run_of(self, index: int) -> _Run:
        return self._runs[bisect_right(self._runs, index, key=lambda each: each.first) - 1]


def draw_picture(painter: QPainter, place: QRect, picture: QPixmap) -> None:
    """Draw a page's picture in its place. One that was made at this scale is drawn dot for dot: to fit the whole pixels
    that the page has, one more or less, would lose a line of them in the midst of it."""
    ratio = picture.devicePixelRatio()
    wide, high = round(place.width() * ratio), round(place.height() * ratio)
    if abs(picture.width() - wide) <= ratio and abs(picture.height() - high) <= ratio:
        seen = QRectF(0, 0, min(picture.width(), wide), min(picture.height(), high))
        painter.drawPixmap(QPointF(place.topLeft()), picture, seen)
    else:
        painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        painter.drawPixmap(QRectF(place), picture, QRectF(picture.rect()))
