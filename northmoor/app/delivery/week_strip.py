"""A week of runs at a glance: a dot for each at its time of the day, hollow for those to come. A day is chosen to see
only its runs."""

from collections.abc import Sequence
from datetime import date

from PyQt6.QtCore import QPointF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QAbstractButton, QFrame, QHBoxLayout, QSizePolicy, QWidget

from northmoor.app.delivery.delivery_snapshot import DAYS_AFTER, DAYS_BEFORE, DayMarks
from northmoor.app.delivery.run_list import TONE_COLORS
from northmoor.app.language.translation import moment_text, tr, tr_count
from northmoor.app.widgets.theme import EDGE, HEATHER, LINE, LIT, MIST, PAPER, PEAT, STONE_TEXT, ink

_HEIGHT, _LANES, _DOT = 84, 3, 4


class DayButton(QAbstractButton):
    """A day."""

    def __init__(self) -> None:
        super().__init__()
        self.marks = DayMarks(date.min)
        self.is_today = False
        self.setCheckable(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setSizePolicy(QSizePolicy.Policy.Expanding, QSizePolicy.Policy.Fixed)

    def sizeHint(self) -> QSize:
        """As high as the strip."""
        return QSize(96, _HEIGHT)

    def show_marks(self, marks: DayMarks, is_today: bool) -> None:
        """Show a day."""
        self.marks, self.is_today = marks, is_today
        past, coming = len(marks.past), len(marks.coming)
        failed = sum(tone == "fault" for _, tone in marks.past)
        parts = (
            tr_count(past, "{count} run", "{count} runs") if past else "",
            tr("{count} to come").format(count=coming) if coming else "",
            tr("{count} failed").format(count=failed) if failed else "",
        )
        words = ", ".join(filter(None, parts)) or tr("no runs")
        self.setAccessibleName(f"{self._title()}: {words}")
        self.setToolTip(
            tr("{title}: {words}. Choose it to see only its runs.").format(title=self._title(), words=words)
        )
        self.update()

    def _title(self) -> str:
        return tr("today") if self.is_today else moment_text(self.marks.day, "%a %-d")

    def paintEvent(self, event: QPaintEvent | None) -> None:  # noqa: ARG002
        """Paint the day and its dots."""
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        ground = LIT if self.isChecked() else PAPER if self.is_today else MIST
        painter.fillRect(self.rect(), ink(ground))
        painter.setPen(ink(LINE))
        painter.drawLine(self.width() - 1, 0, self.width() - 1, self.height())
        font = QFont(self.font())
        font.setWeight(QFont.Weight.DemiBold if self.is_today else QFont.Weight.Normal)
        painter.setFont(font)
        painter.setPen(ink(PEAT if self.is_today else STONE_TEXT))
        painter.drawText(11, 20, self._title())
        if self.hasFocus():
            painter.setPen(ink(HEATHER))
            painter.drawRect(self.rect().adjusted(1, 1, -2, -2))
        painter.setPen(Qt.PenStyle.NoPen)
        for number, (at, tone) in enumerate(self.marks.past):
            painter.setBrush(ink(TONE_COLORS[tone]))
            painter.drawEllipse(self._point(at, number), _DOT, _DOT)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(ink(EDGE), 1.2))
        for number, at in enumerate(self.marks.coming, len(self.marks.past)):
            painter.drawEllipse(self._point(at, number), _DOT - 0.6, _DOT - 0.6)
        painter.end()

    def _point(self, at: float, number: int) -> QPointF:
        left, right = 14, self.width() - 14
        return QPointF(left + at * (right - left), 38 + number % _LANES * 14)


class WeekStrip(QFrame):
    """Some days before today, and after it."""

    day_chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setFixedHeight(_HEIGHT)
        self.buttons = [DayButton() for _ in range(DAYS_BEFORE + DAYS_AFTER + 1)]
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        for button in self.buttons:
            row.addWidget(button)
            button.clicked.connect(lambda _=False, button=button: self._choose(button))

    def _choose(self, chosen: DayButton) -> None:
        for button in self.buttons:
            button.setChecked(button is chosen and button.isChecked())
        self.day_chosen.emit(chosen.marks.day if chosen.isChecked() else None)

    def choose_none(self) -> None:
        """Show all days again."""
        for button in self.buttons:
            button.setChecked(False)

    def show_days(self, days: Sequence[DayMarks]) -> None:
        """Show days."""
        for number, (button, marks) in enumerate(zip(self.buttons, days, strict=False)):
            button.show_marks(marks, number == DAYS_BEFORE)
