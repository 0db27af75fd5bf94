"""A picture of how spans were cut: the id's texts, the states and values of the signals, and the spans as bars."""

from collections.abc import Callable, Sequence
from functools import partial
from zoneinfo import ZoneInfo

import numpy as np
from PyQt6.QtCore import QEvent, QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QHelpEvent, QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLabel, QSizePolicy, QToolTip, QVBoxLayout, QWidget

from northmoor.app.help.help_actions import GUIDE_PROPERTY
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import moment_text, tr, tr_count
from northmoor.app.widgets.theme import GORSE, HEATHER, LINE, PAPER, PEAT, RAILS, STONE_TEXT, ink
from northmoor.app.widgets.widget_tools import plain_tip
from northmoor.core.errors import NorthmoorError
from northmoor.core.sources.fetch.signal_rows import CutPicture
from northmoor.core.sources.signals.series import Series
from northmoor.core.sources.signals.windows import wall_moment

_ROW, _LABELS, _BAR, _EDGE = 24, 96, 14, 14
_MOST_ROWS = 5
_ON_GORSE = "#33291F"
"""Text on that yellow, which is light in either look."""


class SpanStrip(QWidget):
    """The picture, with the object that it is of; where ids can be chosen, a click on a span chooses its id."""

    object_chosen = pyqtSignal(str)
    id_chosen = pyqtSignal(str)

    def __init__(self, can_choose: bool = False, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._can_choose = can_choose
        self.setProperty(GUIDE_PROPERTY, "signals#Spans")
        self.objects = QComboBox()
        self.objects.setAccessibleName(tr("Object shown"))
        self.objects.setToolTip(tr("The object whose spans are pictured"))
        self.note = QLabel()
        self.note.setObjectName("quiet")
        self.note.setTextFormat(Qt.TextFormat.PlainText)
        self.drawing = _Drawing()
        head = QHBoxLayout()
        head.setContentsMargins(14, 0, 14, 0)
        head.addWidget(self.objects)
        head.addWidget(self.note, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 2, 0, 6)
        column.setSpacing(2)
        column.addLayout(head)
        column.addWidget(self.drawing)
        self.objects.activated.connect(lambda _: self.object_chosen.emit(self.objects.currentText()))
        if can_choose:
            self.drawing.id_clicked.connect(self.id_chosen.emit)
        self.setAccessibleName(tr("How the spans were cut"))

    def ids(self) -> list[str]:
        """The ids of the spans in the picture, each once."""
        picture = self.drawing.picture
        return [] if picture is None else [name for name in dict.fromkeys(picture.spans.id) if name]

    def show_objects(self, names: Sequence[str], current: str) -> None:
        """Offer objects to look at."""
        self.objects.clear()
        self.objects.addItems([name for name in names if name])
        self.objects.setCurrentText(current)
        self.objects.setVisible(self.objects.count() > 0)

    def show_picture(self, found: CutPicture | NorthmoorError, zone: ZoneInfo) -> None:
        """Show a picture, or why there is none."""
        if isinstance(found, NorthmoorError):
            self.note.setText(core_text(found))
            self.drawing.show_picture(None, zone)
            return
        count = len(found.spans)
        ends = [wall_moment(at, zone) for at in (found.start, found.end)]
        text = tr("{spans} from {start:%d %b %Y, %H:%M} to {end:%d %b %Y, %H:%M}").format(
            spans=tr_count(count, "{count} span", "{count} spans"), start=ends[0], end=ends[1]
        )
        if self._can_choose and count > 1 and any(found.spans.id):
            text = tr("{spans}; click one to select it alone").format(spans=text)
        self.note.setText(text)
        self.drawing.show_picture(found, zone)


class _Drawing(QWidget):
    """Draws the rows of the picture over one axis of time."""

    id_clicked = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.picture: CutPicture | None = None
        self._zone = ZoneInfo("UTC")
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def show_picture(self, picture: CutPicture | None, zone: ZoneInfo) -> None:
        self.picture, self._zone = picture, zone
        self.updateGeometry()
        self.update()

    def sizeHint(self) -> QSize:
        """A row for each signal and one for the spans, over the times."""
        rows = 0 if self.picture is None else min(len(self.picture.series), _MOST_ROWS) + 1
        return QSize(400, rows * _ROW + 18 if rows else 0)

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: ARG002  # all is drawn again
        """Draw the signals above and the spans below."""
        picture = self.picture
        if picture is None:
            return
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        room = QRectF(_LABELS, 2, self.width() - _LABELS - _EDGE, _ROW)
        place = partial(self._place, picture)
        self._shade(painter, picture, place)
        for signal, series in list(picture.series.items())[:_MOST_ROWS]:
            self._label(painter, room, series.signal.shown_name or signal)
            draw = _draw_texts if series.texts is not None else _draw_values
            draw(painter, room, series, place)
            room.translate(0, _ROW)
        self._label(painter, room, tr("Spans"))
        self._bars(painter, room, picture, place)
        self._times(painter, room, picture, place)
        painter.end()

    def _place(self, picture: CutPicture, at: int) -> float:
        """How far from the left a time is."""
        width = self.width() - _LABELS - _EDGE
        return _LABELS + (min(max(at, picture.start), picture.end) - picture.start) * width / max(
            picture.end - picture.start, 1
        )

    def span_at(self, x: float) -> int | None:
        """The number of the span at a place; None between spans."""
        if self.picture is None:
            return None
        spans = self.picture.spans
        ends = zip(spans.start.tolist(), spans.end.tolist(), strict=True)
        pieces = [(self._place(self.picture, start), self._place(self.picture, end)) for start, end in ends]
        return next((n for n, (left, right) in enumerate(pieces) if left <= x <= max(right, left + 2)), None)

    def mousePressEvent(self, event: QMouseEvent | None) -> None:
        """Choose the id of the span below the pointer."""
        if event is None or self.picture is None or event.button() != Qt.MouseButton.LeftButton:
            return
        number = self.span_at(event.position().x())
        if number is not None and self.picture.spans.id[number]:
            self.id_clicked.emit(self.picture.spans.id[number])

    def event(self, event: QEvent | None) -> bool:
        """Say what the span below the pointer is."""
        if isinstance(event, QHelpEvent) and event.type() == QEvent.Type.ToolTip and self.picture is not None:
            number = self.span_at(event.pos().x())
            QToolTip.showText(event.globalPos(), "" if number is None else self._described(self.picture, number), self)
            return True
        return super().event(event)

    def _described(self, picture: CutPicture, number: int) -> str:
        spans = picture.spans
        ends = [wall_moment(int(at[number]), self._zone) for at in (spans.start, spans.end)]
        text = tr("{start:%d %b %Y, %H:%M} to {end:%d %b %Y, %H:%M}").format(start=ends[0], end=ends[1])
        return plain_tip(f"{spans.id[number]}\n{text}" if spans.id[number] else text)

    def _label(self, painter: QPainter, room: QRectF, text: str) -> None:
        painter.setPen(ink(STONE_TEXT))
        shown = painter.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, _LABELS - 24)
        box = QRectF(14, room.top(), _LABELS - 20, room.height())
        painter.drawText(box, Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignLeft, shown)

    def _shade(self, painter: QPainter, picture: CutPicture, place: Callable[[int], float]) -> None:
        color = ink(HEATHER)
        color.setAlphaF(0.10)
        height = self.sizeHint().height() - 18
        for start, end in zip(picture.spans.start.tolist(), picture.spans.end.tolist(), strict=True):
            painter.fillRect(QRectF(place(start), 0, max(place(end) - place(start), 1), height), color)

    def _bars(self, painter: QPainter, room: QRectF, picture: CutPicture, place: Callable[[int], float]) -> None:
        spans = picture.spans
        for number, (start, end) in enumerate(zip(spans.start.tolist(), spans.end.tolist(), strict=True)):
            box = QRectF(place(start), room.top() + (_ROW - _BAR) / 2, max(place(end) - place(start), 2), _BAR)
            painter.fillRect(box, ink(GORSE if spans.is_open[number] else HEATHER))
            text = spans.id[number] or ""
            if painter.fontMetrics().horizontalAdvance(text) < box.width() - 6:
                painter.setPen(QColor(_ON_GORSE) if spans.is_open[number] else ink(PAPER))
                painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)

    def _times(self, painter: QPainter, room: QRectF, picture: CutPicture, place: Callable[[int], float]) -> None:
        painter.setPen(ink(STONE_TEXT))
        top = room.bottom()
        for at in _ticks(picture.start, picture.end, self._zone):
            x = place(at)
            painter.drawLine(QPointF(x, top), QPointF(x, top + 3))
            wall = wall_moment(at, self._zone)
            text = moment_text(wall, "%d %b") if wall.hour == wall.minute == 0 else f"{wall:%H:%M}"
            width = painter.fontMetrics().horizontalAdvance(text)
            if x + width / 2 < self.width() - 4:
                painter.drawText(QPointF(x - width / 2, top + 15), text)


def _ticks(start: int, end: int, zone: ZoneInfo) -> list[int]:
    """Round times, eight at most."""
    minute = 60_000_000
    steps = (1, 2, 5, 10, 15, 30, 60, 120, 180, 360, 720, 1440, 2880, 7200, 14400, 43200)
    step = next((s for s in steps if (end - start) / (s * minute) <= 8), 100_000) * minute
    midnight = wall_moment(start, zone).replace(hour=0, minute=0, second=0, microsecond=0)
    offset = start - int((wall_moment(start, zone) - midnight).total_seconds() * 1_000_000)
    first = offset + -(-(start - offset) // step) * step
    return list(range(first, end, step))


def _draw_texts(painter: QPainter, room: QRectF, series: Series, place: Callable[[int], float]) -> None:
    """The texts of an id: a piece for each, with the text where there is room."""
    names = series.texts or ()
    for number, (at, until) in enumerate(zip(series.at.tolist(), series.until.tolist(), strict=True)):
        left, right = place(at), place(until)
        if right - left < 1:
            continue
        color = ink(RAILS[number % len(RAILS)])
        color.setAlphaF(0.18)
        box = QRectF(left, room.top() + 4, right - left - 1, room.height() - 8)
        painter.fillRect(box, color)
        text = names[int(series.values[number])] if series.is_known[number] else ""
        if painter.fontMetrics().horizontalAdvance(text) < box.width() - 4:
            painter.setPen(ink(PEAT))
            painter.drawText(box, Qt.AlignmentFlag.AlignCenter, text)


def _draw_values(painter: QPainter, room: QRectF, series: Series, place: Callable[[int], float]) -> None:
    """The values as they held: steps, or lines for what is linear; gaps where nothing is known."""
    painter.setPen(QPen(ink(LINE), 1))
    base = room.bottom() - 4
    painter.drawLine(QPointF(room.left(), base), QPointF(room.right(), base))
    known = np.flatnonzero(series.is_known)
    if not len(known):
        return
    doubles = series.doubles()
    low, high = min(float(doubles[known].min()), 0.0), float(doubles[known].max())
    height = (high - low) or 1.0

    def y(value: float) -> float:
        return base - (value - low) / height * (room.height() - 9)

    painter.setPen(QPen(ink(RAILS[1]), 1.4))
    points: list[QPointF] = []
    last_until = -1
    for at, until, value in zip(*(each[known].tolist() for each in (series.at, series.until, doubles)), strict=True):
        if points and at != last_until:
            painter.drawPolyline(QPolygonF(points))
            points = []
        points.append(QPointF(place(at), y(value)))
        if not series.is_linear:
            points.append(QPointF(place(until), y(value)))
        last_until = until
    painter.drawPolyline(QPolygonF(points))
