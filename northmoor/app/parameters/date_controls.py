"""Days, moments and ranges of them: from a calendar, typed, or in words such as last full quarter."""

from datetime import date, datetime

from PyQt6.QtCore import QDate, QLocale, Qt
from PyQt6.QtGui import QTextCharFormat
from PyQt6.QtWidgets import (
    QCalendarWidget,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QPushButton,
    QToolButton,
    QVBoxLayout,
)

from northmoor.app.language.period_text import shown_period, typed_period
from northmoor.app.language.translation import tr, window_language
from northmoor.app.parameters.control_base import ControlState, Popup, PopupControl, value_text
from northmoor.app.parameters.inline_controls import CommitLine, FieldControl
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import PEAT, STONE_TEXT, ink
from northmoor.core.model.parameters import Parameter
from northmoor.core.values.parameter_values import ends_of
from northmoor.core.values.relative_periods import COMMON, COMMON_DAYS, COMMON_MOMENTS, Span, is_relative

_STARTS = ("now", "start of today", "start of yesterday", "start of this week", "start of this month",
           "start of this year")  # fmt: skip
_NONE = tr("none")


def calendar() -> QCalendarWidget:
    """A calendar in the window's look; its weeks are numbered as in ISO 8601."""
    made = QCalendarWidget()
    made.setLocale(QLocale(window_language()))
    made.setGridVisible(False)
    made.setFirstDayOfWeek(Qt.DayOfWeek.Monday)
    made.setHorizontalHeaderFormat(QCalendarWidget.HorizontalHeaderFormat.ShortDayNames)
    made.setMinimumSize(290, 200)
    plain, quiet = QTextCharFormat(), QTextCharFormat()
    plain.setForeground(ink(PEAT))
    quiet.setForeground(ink(STONE_TEXT))
    for weekend in (Qt.DayOfWeek.Saturday, Qt.DayOfWeek.Sunday):
        made.setWeekdayTextFormat(weekend, plain)
    made.setHeaderTextFormat(quiet)
    return made


def words_list(words: tuple[str, ...], name: str) -> QListWidget:
    """A list of relative periods or days, in the language of the window."""
    made = QListWidget()
    made.addItems([shown_period(each) for each in words])
    made.setAccessibleName(name)
    made.setFixedWidth(150)
    return made


class CalendarControl(FieldControl):
    """A field for a day or moment, with a calendar and words such as start of this month."""

    def __init__(self, kind: str) -> None:
        super().__init__(kind)
        self._kind = kind
        self.button = QToolButton()
        self.button.setIcon(icon("calendar"))
        self.button.setToolTip(tr("Choose from a calendar (Alt+Down)"))
        self.button.setAccessibleName(tr("Calendar"))
        self.row.setSpacing(2)
        self.row.addWidget(self.button)
        self.calendar = calendar()
        self.words = words_list(COMMON_DAYS if kind == "date" else _STARTS, tr("Days in words"))
        self.popup = Popup(self)
        row = QHBoxLayout()
        row.addWidget(self.words)
        row.addWidget(self.calendar)
        self.popup.column.addLayout(row)
        self.button.clicked.connect(self.open)
        self.calendar.clicked.connect(self._picked)
        self.calendar.activated.connect(self._picked)
        self.words.itemActivated.connect(lambda item: self._choose(item.text()))
        self.words.itemClicked.connect(lambda item: self._choose(item.text()))
        self._day: date | None = None
        self._moment: datetime | None = None

    def show_state(self, state: ControlState) -> None:
        """Show the day; one in words shows them, and which day that is in its tooltip."""
        super().show_state(state)
        held = state.chosen
        self._day = held if isinstance(held, date) else None
        self._moment = held if isinstance(held, datetime) else None
        is_words = isinstance(state.given, str) and is_relative(state.given)
        self.line.setToolTip(value_text(held) if is_words else "")

    def open(self) -> None:
        """Open the calendar at the current day."""
        if self._day is not None:
            self.calendar.setSelectedDate(QDate(self._day.year, self._day.month, self._day.day))
        self.popup.open_below(self.line)
        self.calendar.setFocus()

    def _picked(self, day: QDate) -> None:
        text = day.toString("yyyy-MM-dd")
        self._choose(text if self._kind == "date" else f"{text} {self._moment or datetime.min:%H:%M}")

    def _choose(self, text: str) -> None:
        self.popup.hide()
        self.line.setText(text)
        self._typed()

    def _shown(self, given: str) -> str:
        return shown_period(given)

    def _read(self, text: str) -> str:
        return typed_period(text)


class PeriodControl(PopupControl):
    """A button that opens a panel for a range: words at the left, its two ends at the right."""

    def __init__(self, parameter: Parameter) -> None:
        super().__init__("calendar")
        self._is_date = parameter.kind == "date"
        words = COMMON if self._is_date else COMMON_MOMENTS
        self.words = words_list(words if parameter.required else (_NONE, *words), tr("Periods in words"))
        self.typed = CommitLine(150)
        self.typed.setPlaceholderText(tr("or write: last 3 months"))
        self.typed.setAccessibleName(tr("Period in words"))
        width = 100 if self._is_date else 140
        self.first, self.last = CommitLine(width), CommitLine(width)
        self.calendar = calendar()
        self.apply = QPushButton(tr("Apply"))
        self.apply.setObjectName("primary")
        self._fill_popup()
        self._given: object = None
        self._span: Span | None = None
        self._parameter = parameter
        self.words.itemClicked.connect(lambda item: self._choose(item.text()))
        self.words.itemActivated.connect(lambda item: self._choose(item.text()))
        self.typed.returnPressed.connect(lambda: self._choose(self.typed.text()))
        self.calendar.clicked.connect(self._picked)
        self.apply.clicked.connect(self._ends)
        for line in (self.first, self.last):
            line.returnPressed.connect(self._ends)

    def _fill_popup(self) -> None:
        left = QVBoxLayout()
        self.words.setMinimumHeight(200)
        left.addWidget(self.words, 1)
        left.addWidget(self.typed)
        ends = QGridLayout()
        for row, (text, line) in enumerate(
            ((tr("From"), self.first), (tr("To") if self._is_date else tr("Before"), self.last))
        ):
            label = QLabel(text)
            label.setBuddy(line)
            line.setAccessibleName(text)
            ends.addWidget(label, 0, 2 * row)
            ends.addWidget(line, 0, 2 * row + 1)
        right = QVBoxLayout()
        right.addWidget(self.calendar)
        right.addLayout(ends)
        right.addWidget(self.apply, 0, Qt.AlignmentFlag.AlignRight)
        both = QHBoxLayout()
        both.addLayout(left)
        both.addLayout(right)
        self.popup.column.addLayout(both)

    def show_state(self, state: ControlState) -> None:
        """Show the range: its words if it has any, and its ends."""
        self._given, self._span = state.given, state.chosen if isinstance(state.chosen, Span) else None
        words = state.given if isinstance(state.given, str) else state.parameter.default
        is_words = isinstance(words, str) and is_relative(words) and "/" not in words
        none = tr("choose") if state.parameter.required else tr("none")
        self.button.setText(shown_period(str(words)) if is_words and self._span is not None else state.label or none)
        self.button.setToolTip(
            tr("{label} (data time counts as now)").format(label=state.label) if is_words else state.label
        )

    def open(self) -> None:
        """Open the panel at the current range."""
        self.typed.clear()
        ends = ends_of(self._parameter, self._span) if self._span is not None else (None, None)
        for line, end in zip((self.first, self.last), ends, strict=True):
            line.put(value_text(end))
        if self._span is not None:
            first = self._span.start
            self.calendar.setSelectedDate(QDate(first.year, first.month, first.day))
        self.popup.open_below(self.button)
        self.words.setFocus()

    def _picked(self, day: QDate) -> None:
        """A click sets one end; the next one the other."""
        text = day.toString("yyyy-MM-dd")
        line = self.last if self.last.hasFocus() else self.first
        line.setText(text if self._is_date else f"{text} 00:00")
        (self.last if line is self.first else self.first).setFocus()

    def _ends(self) -> None:
        self._choose(f"{self.first.text().strip()}/{self.last.text().strip()}")

    def _choose(self, text: str) -> None:
        self.popup.hide()
        words = typed_period(text)
        if words.strip() and words != self._given:
            self.changed.emit(None if text == _NONE else words)
