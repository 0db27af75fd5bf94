"""The list of runs: a small picture of the first page, what it is, its state as a word and a colour, where it went."""

from collections.abc import Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QPainter, QPaintEvent, QPixmap
from PyQt6.QtWidgets import QListView, QStyle, QStyledItemDelegate, QStyleOptionViewItem, QWidget

from northmoor.app.delivery.delivery_snapshot import RunLine
from northmoor.app.help.help_actions import GUIDE_PROPERTY
from northmoor.app.language.translation import tr
from northmoor.app.widgets.headings import draw_hint
from northmoor.app.widgets.theme import GORSE_TEXT, HEATHER, LICHEN_TEXT, LINE, LIT, PAGE, PEAT, ROWAN, STONE_TEXT, ink

RUN_HEIGHT = 76
_PICTURE = QSize(44, 60)
TONE_COLORS = {"good": LICHEN_TEXT, "warning": GORSE_TEXT, "fault": ROWAN, "busy": HEATHER, "quiet": STONE_TEXT}
_LINE = Qt.ItemDataRole.UserRole
_EMPTY = tr("No runs yet. Deliver a report with Keep in the archive ticked, or make a standing order at the left.")


class RunModel(QAbstractListModel):
    """The runs that are listed."""

    def __init__(self) -> None:
        super().__init__()
        self.lines: tuple[RunLine, ...] = ()

    def rowCount(self, parent: QModelIndex = QModelIndex()) -> int:  # noqa: B008
        """How many there are."""
        return 0 if parent.isValid() else len(self.lines)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """A run, and its words."""
        line = self.lines[index.row()]
        if role in (Qt.ItemDataRole.DisplayRole, Qt.ItemDataRole.AccessibleTextRole, Qt.ItemDataRole.ToolTipRole):
            return line.words
        return line if role == _LINE else None

    def show(self, lines: Sequence[RunLine]) -> None:
        """Show other runs; where they are the same ones, only what has changed of them."""
        if [line.id for line in lines] == [line.id for line in self.lines]:
            self.lines = tuple(lines)
            self.dataChanged.emit(self.index(0), self.index(len(lines) - 1))
        else:
            self.beginResetModel()
            self.lines = tuple(lines)
            self.endResetModel()


class RunDelegate(QStyledItemDelegate):
    """Paints a run."""

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:  # noqa: ARG002
        """All are of one height."""
        return QSize(300, RUN_HEIGHT)

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Paint it."""
        line = index.data(_LINE)
        if painter is None or line is None:
            return
        painter.save()
        area = option.rect
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(area, ink(LIT))
        painter.setPen(ink(LINE))
        painter.drawLine(area.bottomLeft(), area.bottomRight())
        self._picture(painter, QRect(area.left() + 14, area.top() + 8, _PICTURE.width(), _PICTURE.height()), line)
        left = area.left() + 14 + _PICTURE.width() + 12
        room = area.right() - left - 10
        widths = (room * 46 // 100, room * 30 // 100, room - room * 76 // 100)
        plain, bold = QFont(option.font), QFont(option.font)
        bold.setWeight(QFont.Weight.DemiBold)
        columns = (
            ((line.title, bold, PEAT), (line.asked, plain, STONE_TEXT)),
            ((f"● {line.state}", bold, TONE_COLORS[line.tone]), (line.result, plain, STONE_TEXT)),
            ((line.went, plain, STONE_TEXT),),
        )
        for texts, width in zip(columns, widths, strict=True):
            self._texts(painter, QRect(left, area.top() + 10, width - 10, RUN_HEIGHT - 16), texts)
            left += width
        if line.share is not None:
            self._progress(painter, area, option.rect.left() + 70 + widths[0], widths[1] - 10, line.share)
        painter.restore()

    @staticmethod
    def _texts(painter: QPainter, area: QRect, texts: tuple[tuple[str, QFont, str], ...]) -> None:
        top = area.top()
        for number, (text, font, color) in enumerate(texts):
            painter.setFont(font)
            painter.setPen(ink(color))
            metrics = painter.fontMetrics()
            is_last = number == len(texts) - 1
            height = area.bottom() - top if is_last else metrics.lineSpacing() + 2
            flags = Qt.TextFlag.TextWordWrap if is_last else Qt.TextFlag.TextSingleLine
            place = QRect(area.left(), top, area.width(), height)
            shown = (
                text
                if is_last and metrics.boundingRect(place, flags, text).height() <= height
                else _cut(metrics, text, area.width(), max(1, height // metrics.lineSpacing()) if is_last else 1)
            )
            painter.drawText(place, int(flags | Qt.AlignmentFlag.AlignTop | Qt.AlignmentFlag.AlignLeft), shown)
            top += height

    @staticmethod
    def _progress(painter: QPainter, area: QRect, left: int, width: int, share: float) -> None:
        bar = QRect(left, area.bottom() - 14, width, 4)
        painter.fillRect(bar, ink(LINE))
        bar.setWidth(int(width * min(max(share, 0.02), 1)))
        painter.fillRect(bar, ink(HEATHER))

    @staticmethod
    def _picture(painter: QPainter, area: QRect, line: RunLine) -> None:
        pixmap = _pixmap(line.picture) if line.picture is not None else None
        if pixmap is not None and not pixmap.isNull():
            size = pixmap.size().scaled(area.size(), Qt.AspectRatioMode.KeepAspectRatio)
            place = QRect(area.left() + (area.width() - size.width()) // 2, area.top(), size.width(), size.height())
            painter.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            painter.fillRect(place, QColor(PAGE))
            painter.drawPixmap(place, pixmap)
        else:
            place = QRect(area.left() + 1, area.top(), area.width() - 2, area.height())
        painter.setPen(ink(LINE))
        painter.drawRect(place)


def _cut(metrics: Any, text: str, width: int, lines: int) -> str:
    """A text that is cut where there is no room, with a sign of it."""
    return str(metrics.elidedText(text, Qt.TextElideMode.ElideRight, width * lines - (10 if lines > 1 else 0)))


@lru_cache(maxsize=512)
def _pixmap(path: Path) -> QPixmap:
    return QPixmap(str(path))


class RunList(QListView):
    """The runs; `chosen` has the one that is chosen, and Enter opens it."""

    chosen = pyqtSignal(object)
    opened = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.runs = RunModel()
        self.setModel(self.runs)
        self.setItemDelegate(RunDelegate(self))
        self.setUniformItemSizes(True)
        self.setVerticalScrollMode(QListView.ScrollMode.ScrollPerPixel)
        self.setFrameShape(QListView.Shape.NoFrame)
        self.setAccessibleName(tr("Runs"))
        self.setProperty(GUIDE_PROPERTY, "delivery#The archive")
        self.activated.connect(lambda index: self.opened.emit(index.data(_LINE)))
        selection = self.selectionModel()
        assert selection is not None
        selection.currentChanged.connect(
            lambda index, _: self.chosen.emit(index.data(_LINE) if index.isValid() else None)
        )

    @property
    def line(self) -> RunLine | None:
        """The run that is chosen."""
        index = self.currentIndex()
        return index.data(_LINE) if index.isValid() else None

    def show_runs(self, lines: Sequence[RunLine]) -> None:
        """Show runs; the chosen one stays chosen if it is still there."""
        chosen = self.line.id if self.line is not None else None
        self.runs.show(lines)
        for row, line in enumerate(lines):
            if line.id == chosen and self.currentIndex().row() != row:
                self.setCurrentIndex(self.runs.index(row))
        if self.line is not None:
            self.chosen.emit(self.line)

    def choose(self, run_id: str) -> None:
        """Choose a run."""
        for row, line in enumerate(self.runs.lines):
            if line.id == run_id:
                self.setCurrentIndex(self.runs.index(row))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Say what belongs here where there is nothing."""
        super().paintEvent(event)
        draw_hint(self, _EMPTY)
