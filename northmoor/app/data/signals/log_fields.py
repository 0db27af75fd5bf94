"""Fields that the dialogs of queries over logs share: selected values, the ends of a period, durations."""

from collections.abc import Callable, Sequence

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QLineEdit, QToolButton, QWidget

from northmoor.app.language.period_text import shown_period, typed_period
from northmoor.app.language.translation import tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.menus import menu_of
from northmoor.app.widgets.widget_tools import pass_focus
from northmoor.core.errors import QueryError
from northmoor.core.model.data.durations import format_duration, parse_duration

OFFERED_PERIODS = ("last hour", "last full hour", "today", "yesterday", "this shift", "last full shift", "this week",
           "last full week", "last 24 hours", "last 7 days")  # fmt: skip
"""Periods that are offered."""


class SelectionField(QWidget):
    """Some values or parameters with commas between them; a menu offers those that are known."""

    changed = pyqtSignal()

    def __init__(self, selected: Sequence[str], offers: Callable[[], Sequence[str]], what: str) -> None:
        super().__init__()
        self._offers = offers
        self.line = QLineEdit(", ".join(selected))
        self.line.setPlaceholderText(tr("all {what}").format(what=what))
        self.line.setAccessibleName(what.capitalize())
        more = QToolButton()
        more.setIcon(icon("list-filter"))
        more.setToolTip(tr("Choose {what}, or a parameter that holds them").format(what=what))
        more.setAccessibleName(tr("Choose {what}").format(what=what))
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.line, 1)
        row.addWidget(more)
        more.clicked.connect(lambda: self._menu(more))
        self.line.textChanged.connect(self.changed.emit)
        pass_focus(self, self.line)

    def _menu(self, button: QToolButton) -> None:
        entries: list[tuple[str, object]] = [(tr("All"), lambda: self.line.setText(""))]
        entries += [(offer, lambda o=offer: self._toggle(o)) for offer in self._offers()]
        menu_of(self, entries).popup(button.mapToGlobal(QPoint(0, button.height() + 2)))

    def _toggle(self, value: str) -> None:
        kept = list(self.selected())
        self.line.setText(", ".join([v for v in kept if v != value] if value in kept else [*kept, value]))

    def selected(self) -> tuple[str, ...]:
        """The values."""
        return tuple(part.strip() for part in self.line.text().split(",") if part.strip())


class PeriodField(QWidget):
    """From when to when: values, moments or words; a menu offers periods."""

    changed = pyqtSignal()

    def __init__(self, start: str | None, end: str | None, values: Sequence[str]) -> None:
        super().__init__()
        self._values = values
        self.start, self.end = (QLineEdit(shown_period(each or "")) for each in (start, end))
        self.start.setPlaceholderText(tr("its first reading"))
        self.end.setPlaceholderText(tr("the data time"))
        self.start.setAccessibleName(tr("Period from"))
        self.end.setAccessibleName(tr("Period to"))
        message = tr("A moment such as 2025-06-02 06:00, words such as last full hour, or a value such as :departed")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for line in (self.start, self.end):
            line.setToolTip(message)
            line.textChanged.connect(self.changed.emit)
            row.addWidget(line, 1)
        more = QToolButton()
        more.setIcon(icon("calendar"))
        more.setToolTip(tr("Choose a period, or parameters that hold one"))
        more.setAccessibleName(tr("Choose a period"))
        row.addWidget(more)
        more.clicked.connect(lambda: self._menu(more))
        pass_focus(self, self.start)

    def _menu(self, button: QToolButton) -> None:
        entries: list[tuple[str, object]] = [(tr("The whole log"), lambda: self.put("", ""))]
        offered = [shown_period(words) for words in OFFERED_PERIODS]
        entries += [(words[:1].upper() + words[1:], lambda w=words: self.put(w, w)) for words in offered]
        pairs = [(name, f"{name[:-5]}_to") for name in self._values if name.endswith("_from")]
        pairs = [pair for pair in pairs if pair[1] in self._values]
        entries += [("", None)] if pairs else []
        entries += [(f":{a} to :{b}", lambda a=a, b=b: self.put(f":{a}", f":{b}")) for a, b in pairs]
        menu_of(self, entries).popup(button.mapToGlobal(QPoint(0, button.height() + 2)))

    def put(self, start: str, end: str) -> None:
        """Fill in both ends."""
        self.start.setText(start)
        self.end.setText(end)

    def ends(self) -> dict[str, str | None]:
        """The ends, as a query holds them."""
        return {
            name: typed_period(line.text().strip()) or None for name, line in (("start", self.start), ("end", self.end))
        }


class DurationField(QLineEdit):
    """A duration such as 5 min."""

    def __init__(self, duration: int | None, placeholder: str, name: str) -> None:
        super().__init__(format_duration(duration) if duration else "")
        self.setPlaceholderText(placeholder)
        self.setAccessibleName(name)
        self.setToolTip(tr("Write for example 30 s, 5 min, 1.5 h or 2 d"))

    def duration(self) -> int | None:
        """The duration in microseconds; None for none. Raises QueryError."""
        text = self.text().strip()
        if not text:
            return None
        try:
            return parse_duration(text) or None
        except ValueError as error:
            raise QueryError(f"{self.accessibleName()}: {error}.") from error


def combo(entries: Sequence[tuple[str, object]], current: object, name: str) -> QComboBox:
    """A drop-down of labels and what each means."""
    found = QComboBox()
    found.setAccessibleName(name)
    for label, value in entries:
        found.addItem(label, value)
    found.setCurrentIndex(max(next((n for n, (_, v) in enumerate(entries) if v == current), 0), 0))
    found.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToContents)
    found.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
    return found
