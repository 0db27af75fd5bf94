"""A query over a signal log as a sentence of words and chips; each chip opens the dialog of the query."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from northmoor.app.data.query.chip_row import ChipRow
from northmoor.app.help.help_actions import GUIDE_PROPERTY
from northmoor.app.language.period_text import shown_period
from northmoor.app.language.translation import in_sentence, tr
from northmoor.core.model.data.durations import format_duration
from northmoor.core.model.data.signal_queries import (
    LogQuery,
    MeasurementsQuery,
    SignalQuery,
    SpansQuery,
    StatisticColumn,
)
from northmoor.core.sources.signals.results import statistic_title

_MOST = 60
_GIVEN = {
    "recorded": tr("recorded readings"),
    "values": tr("values at each step"),
    "outline": tr("the outline of a line"),
}
_CALENDAR = {
    "hour": tr("each hour"),
    "shift": tr("each shift"),
    "day": tr("each day"),
    "week": tr("each week"),
    "month": tr("each month"),
    "quarter": tr("each quarter"),
    "year": tr("each year"),
}


class SignalSentence(ChipRow):
    """Shows what a query reads of a log."""

    edit_wanted = pyqtSignal(str)
    """The field to begin with."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setProperty(GUIDE_PROPERTY, "signals#Measurements")
        self.words: list[str] = []
        """The sentence's words and chips, in order."""

    def show_query(self, query: SignalQuery, has_objects: bool) -> None:
        """Show a query."""
        self.clear()
        self.words = []
        if isinstance(query, SpansQuery):
            self._spans(query, has_objects)
        else:
            self._measurements(query, has_objects)
        self.updateGeometry()

    def _say(self, word: str) -> None:
        self.add_word(word)
        self.words.append(word)

    def _show(self, text: str, drawing: str, field: str, message: str) -> None:
        shown = text if len(text) <= _MOST else f"{text[: _MOST - 1]}…"
        self.add_chip(shown, drawing, lambda: self.edit_wanted.emit(field), message if shown == text else text)
        self.words.append(text)

    def _objects(self, query: LogQuery, has_objects: bool, word: str) -> None:
        if has_objects:
            self._say(word)
            self._show(", ".join(query.objects) or tr("all objects"), "layers", "objects", tr("Choose the objects"))

    def _period(self, query: LogQuery) -> None:
        if query.start is None and query.end is None:
            self._say(tr("in"))
            self._show(tr("the whole log"), "calendar", "period", tr("Choose the period"))
        elif query.start == query.end:
            self._say(tr("in"))
            self._show(shown_period(query.start or ""), "calendar", "period", tr("Choose the period"))
        else:
            for word, text in (
                (tr("from"), shown_period(query.start or "") or tr("the first reading")),
                (tr("to"), shown_period(query.end or "") or tr("the data time")),
            ):
                self._say(word)
                self._show(text, "calendar", "period", tr("Choose the period"))

    def _spans(self, query: SpansQuery, has_objects: bool) -> None:
        self._say(tr("Spans"))
        self._objects(query, has_objects, tr("of"))
        if query.by is not None:
            self._say(tr("by"))
            self._show(query.by, "hash", "id", tr("Choose the signal that is the id"))
            if query.ids:
                self._say(tr("only"))
                self._show(", ".join(query.ids), "funnel", "ids", tr("Choose the ids"))
        if query.condition is not None:
            self._say(tr("while"))
            self._show(query.condition, "toggle-left", "condition", tr("Change the condition that holds"))
        if query.begins is not None and query.ends is not None:
            for word, text, name in (
                (tr("beginning when"), query.begins, "begins"),
                (tr("ending when"), query.ends, "ends"),
            ):
                self._say(word)
                self._show(text, "toggle-left", name, tr("Change the condition"))
        self._period(query)
        if query.bridge:
            self._say(tr("bridging up to"))
            self._show(format_duration(query.bridge), "clock", "bridge", tr("Change what is bridged"))
        if query.shortest:
            self._say(tr("at least"))
            self._show(format_duration(query.shortest), "clock", "shortest", tr("Change the minimum duration"))
        if query.crossing != "whole":
            self._say(tr("those that cross its ends"))
            self._show(
                {"cut": tr("cut"), "left out": tr("left out")}[query.crossing],
                "split",
                "crossing",
                tr("Change this"),
            )
        if query.open != "kept":
            self._say(tr("those that have not ended"))
            self._show(tr("left out"), "split", "open", tr("Change this"))

    def _measurements(self, query: MeasurementsQuery, has_objects: bool) -> None:
        self._say(tr("Measure"))
        self._show(", ".join(query.signals), "gauge", "signals", tr("Choose the signals"))
        self._objects(query, has_objects, tr("of"))
        if query.spans is not None:
            self._say(tr("in each of"))
            self._show(query.spans, "split", "over", tr("Choose over what it is measured"))
        else:
            self._period(query)
        if query.calendar is not None:
            self._show(_CALENDAR[query.calendar], "clock", "steps", tr("Change the steps"))
        elif query.step is not None:
            self._say(tr("in steps of") if query.give == "statistics" else tr("each"))
            self._show(format_duration(query.step), "clock", "step", tr("Change the step"))
        self._say(tr("as"))
        if query.give == "statistics":
            titles = ", ".join(map(_statistic_text, query.statistics))
            self._show(titles, "sigma", "statistics", tr("Choose the statistics"))
        else:
            words = _GIVEN[query.give]
            self._show(words, "list", "give", tr("Choose what is given"))
        if query.wide:
            self._show(tr("a column for each signal"), "columns-3", "wide", tr("Give a row for each signal instead"))
        if query.moving is not None:
            self._say(tr("with means over"))
            self._show(format_duration(query.moving), "clock", "moving", tr("Change the time of the moving mean"))


def _statistic_text(wanted: StatisticColumn) -> str:
    label = wanted.kind.label
    return statistic_title(wanted).replace(label, in_sentence(tr(label)), 1)
