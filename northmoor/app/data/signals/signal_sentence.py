"""A query over a signal log as a sentence of words and chips; each chip opens the dialog of the query."""

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QWidget

from northmoor.app.data.query.chip_row import ChipRow
from northmoor.core.model.data.durations import format_duration
from northmoor.core.model.data.signal_queries import LogQuery, MeasurementsQuery, SignalQuery, SpansQuery
from northmoor.core.sources.signals.results import statistic_title

_MOST = 60
_GIVEN = {"recorded": "recorded readings", "values": "values at each step", "outline": "the outline of a line"}
_CALENDAR = {"hour": "each hour", "shift": "each shift", "day": "each day", "week": "each week", "month": "each month",
             "quarter": "each quarter", "year": "each year"}  # fmt: skip


class SignalSentence(ChipRow):
    """Shows what a query reads of a log."""

    edit_wanted = pyqtSignal(str)
    """The field to begin with."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
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
            self._show(", ".join(query.objects) or "all objects", "layers", "objects", "Choose the objects")

    def _period(self, query: LogQuery) -> None:
        if query.start is None and query.end is None:
            self._say("in")
            self._show("the whole log", "calendar", "period", "Choose the period")
        elif query.start == query.end:
            self._say("in")
            self._show(query.start or "", "calendar", "period", "Choose the period")
        else:
            for word, text in (("from", query.start or "the first reading"), ("to", query.end or "the data time")):
                self._say(word)
                self._show(text, "calendar", "period", "Choose the period")

    def _spans(self, query: SpansQuery, has_objects: bool) -> None:
        self._say("Spans")
        self._objects(query, has_objects, "of")
        if query.by is not None:
            self._say("by")
            self._show(query.by, "hash", "id", "Choose the signal that is the id")
            if query.ids:
                self._say("only")
                self._show(", ".join(query.ids), "funnel", "ids", "Choose the ids")
        if query.condition is not None:
            self._say("while")
            self._show(query.condition, "toggle-left", "condition", "Change the condition that holds")
        if query.begins is not None and query.ends is not None:
            for word, text, name in (("beginning when", query.begins, "begins"), ("ending when", query.ends, "ends")):
                self._say(word)
                self._show(text, "toggle-left", name, "Change the condition")
        self._period(query)
        if query.bridge:
            self._say("bridging up to")
            self._show(format_duration(query.bridge), "clock", "bridge", "Change what is bridged")
        if query.shortest:
            self._say("at least")
            self._show(format_duration(query.shortest), "clock", "shortest", "Change the least duration")
        if query.crossing != "whole":
            self._say("those that cross its ends")
            self._show({"cut": "cut", "left out": "left out"}[query.crossing], "split", "crossing", "Change this")
        if query.open != "kept":
            self._say("those that have not ended")
            self._show("left out", "split", "open", "Change this")

    def _measurements(self, query: MeasurementsQuery, has_objects: bool) -> None:
        self._say("Measure")
        self._show(", ".join(query.signals), "gauge", "signals", "Choose the signals")
        self._objects(query, has_objects, "of")
        if query.spans is not None:
            self._say("in each of")
            self._show(query.spans, "split", "over", "Choose over what it is measured")
        else:
            self._period(query)
        if query.calendar is not None:
            self._show(_CALENDAR[query.calendar], "clock", "steps", "Change the steps")
        elif query.step is not None:
            self._say("in steps of" if query.give == "statistics" else "each")
            self._show(format_duration(query.step), "clock", "step", "Change the step")
        self._say("as")
        if query.give == "statistics":
            titles = ", ".join(statistic_title(each).lower() for each in query.statistics)
            self._show(titles, "sigma", "statistics", "Choose the statistics")
        else:
            words = _GIVEN[query.give]
            self._show(words, "list", "give", "Choose what is given")
        if query.wide:
            self._show("a column for each signal", "columns-3", "wide", "Give a row for each signal instead")
        if query.moving is not None:
            self._say("with means over")
            self._show(format_duration(query.moving), "clock", "moving", "Change the time of the moving mean")
