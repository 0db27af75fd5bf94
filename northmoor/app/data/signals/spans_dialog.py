"""Asks how spans of time are cut from a signal log, with a picture of the cut that follows what is filled in."""

from collections.abc import Callable, Sequence

from msgspec import Struct
from pydantic import ValidationError
from PyQt6.QtCore import QTimer
from PyQt6.QtWidgets import QFormLayout, QLineEdit, QVBoxLayout, QWidget

from northmoor.app.data.query.dialogs.step_dialog import StepDialog
from northmoor.app.data.signals.log_fields import DurationField, PeriodField, SelectionField, combo
from northmoor.app.data.signals.span_strip import SpanStrip
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.widgets.word_completer import WordCompleter
from northmoor.core.authoring.completions import Completion
from northmoor.core.errors import NorthmoorError, QueryError
from northmoor.core.model.base import refusal
from northmoor.core.model.data.signal_logs import SignalLog
from northmoor.core.model.data.signal_queries import SpansQuery
from northmoor.core.sources.fetch.log_survey import LogSurvey
from northmoor.core.sources.signals.conditions import as_name, signals_in

_LASTING = ("underway", "under_way", "active", "in_progress", "busy", "running")
"""What states are called, of which a span lasts while they are on; the likeliest first."""
_SETTLE = 450  # milliseconds without a change before the picture follows
_CUTS = ((tr("while a condition holds"), "while"), (tr("as long as the id stays the same"), "id"),
         (tr("from one condition to another"), "between"))  # fmt: skip
_CROSSING = (
    (tr("are given whole"), "whole"),
    (tr("are cut at its ends"), "cut"),
    (tr("are left out"), "left out"),
)
_OPEN = ((tr("are given up to the data time"), "kept"), (tr("are left out"), "left out"))


class LogContext(Struct, frozen=True):
    """What the dialogs of queries over a log refer to: the log, what it holds as far as that is known, the names of
    values, and the queries whose rows are spans."""

    log: SignalLog
    survey: LogSurvey | None = None
    values: tuple[str, ...] = ()
    spans: tuple[str, ...] = ()

    @property
    def signals(self) -> tuple[str, ...]:
        """The names of the signals."""
        found = [summary.name for summary in self.survey.signals] if self.survey is not None else []
        return tuple(dict.fromkeys([*(signal.name for signal in self.log.signals), *found]))

    def objects(self) -> Sequence[str]:
        """Objects to choose, and parameters that may hold some."""
        return [*(self.survey.objects if self.survey is not None else ()), *(f":{name}" for name in self.values)]


_MISSING = {
    "condition": tr("Write the condition that holds while a span lasts, such as underway = 1."),
    "begins": tr("Write the condition with which a span begins."),
    "ends": tr("Write the condition with which a span ends."),
}


class SpansDialog(StepDialog):
    """Asks for a query for spans. `ask_picture` gives the picture of one to the strip, later."""

    def __init__(
        self,
        given: SpansQuery | None,
        around: LogContext,
        ask_picture: Callable[[SpansQuery, SpanStrip], None],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(tr("Spans of {name}").format(name=around.log.name), parent)
        self._around, self._ask_picture = around, ask_picture
        query = given or _first_guess(around)
        self.objects = SelectionField(query.objects, around.objects, "objects")
        self.id = combo([(tr("no id"), ""), *((name, name) for name in around.signals)], query.by or "", tr("Id"))
        self.ids = SelectionField(query.ids, self._known_ids, "ids")
        way = "between" if query.begins else "while" if query.condition else "id"
        self.way = combo(_CUTS, way, tr("How spans are cut"))
        self.condition = self._condition(query.condition, tr("Condition that holds, such as underway = 1"))
        self.begins = self._condition(query.begins, tr("Condition with which a span begins"))
        self.ends = self._condition(query.ends, tr("Condition with which it ends"))
        self.period = PeriodField(query.start, query.end, around.values)
        self.bridge = DurationField(query.bridge, tr("none"), tr("Interruptions bridged up to"))
        self.shortest = DurationField(query.shortest, tr("any"), tr("Shortest span"))
        self.crossing = combo(_CROSSING, query.crossing, tr("Spans that cross the period's ends"))
        self.still_open = combo(_OPEN, query.open, tr("Spans that have not ended"))
        self.strip = SpanStrip(can_choose=True)
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(_SETTLE)
        self._settle.timeout.connect(self._picture)
        self._place()
        self._follow()
        self.resize(760, self.sizeHint().height())
        self._picture()

    def _condition(self, text: str | None, placeholder: str) -> QLineEdit:
        line = QLineEdit(text or "")
        line.setPlaceholderText(placeholder)
        line.setAccessibleName(placeholder)
        line.setToolTip(tr("A condition over signals, such as underway = 1 and speed > 3; :name is a value"))
        WordCompleter(line, self._names)
        return line

    def _known_ids(self) -> list[str]:
        """Values that may hold ids, and the ids of the spans in the picture."""
        return [*(f":{name}" for name in self._around.values), *self.strip.ids()]

    def _choose_id(self, name: str) -> None:
        """Select the spans of an id alone, of the object that is pictured."""
        pictured = self.strip.objects.currentText()
        if pictured and not self.objects.selected():
            self.objects.line.setText(pictured)
        self.ids.line.setText(name)

    def _names(self) -> list[Completion]:
        log = self._around.log
        return [Completion(as_name(name), log.known(name).shown_name) for name in self._around.signals]

    def _place(self) -> None:
        form = self.form = QFormLayout()
        if self._around.log.object is not None or self._around.log.separator is not None:
            form.addRow(tr("&Objects"), self.objects)
        form.addRow(tr("&Id"), self.id)
        form.addRow(tr("Onl&y these"), self.ids)
        form.addRow(tr("Spans &last"), self.way)
        form.addRow(tr("&Condition"), self.condition)
        form.addRow(tr("&Begin when"), self.begins)
        form.addRow(tr("&End when"), self.ends)
        form.addRow(tr("&Period"), self.period)
        form.addRow(tr("B&ridge up to"), self.bridge)
        form.addRow(tr("&Shortest"), self.shortest)
        form.addRow(tr("Crossin&g ones"), self.crossing)
        form.addRow(tr("Ope&n ones"), self.still_open)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(self.strip)
        column.addWidget(self.fault)
        column.addWidget(self.buttons)
        for box in (self.id, self.way, self.crossing, self.still_open):
            box.currentIndexChanged.connect(self._follow)
        for line in (self.condition, self.begins, self.ends, self.bridge, self.shortest):
            line.textChanged.connect(lambda _: self._follow())
        for part in (self.objects, self.ids, self.period):
            part.changed.connect(self._follow)
        self.strip.object_chosen.connect(lambda _: self._picture())
        self.strip.id_chosen.connect(self._choose_id)

    def _follow(self) -> None:
        """Show the fields that are needed, and the picture a moment later."""
        way = self.way.currentData()
        self.form.setRowVisible(self.condition, way == "while")
        self.form.setRowVisible(self.begins, way == "between")
        self.form.setRowVisible(self.ends, way == "between")
        self.form.setRowVisible(self.ids, bool(self.id.currentData()))
        self.fault.setText("")
        self._settle.start()

    def _picture(self) -> None:
        try:
            self._ask_picture(self.query(), self.strip)
        except NorthmoorError as error:
            self.strip.note.setText(core_text(error.message))

    def query(self) -> SpansQuery:
        """The query that is filled in. Raises QueryError or ExpressionError for one that is not whole."""
        way = self.way.currentData()
        texts = {name: getattr(self, name).text().strip() or None for name in ("condition", "begins", "ends")}
        wanted = {"while": ("condition",), "between": ("begins", "ends"), "id": ()}[way]
        missing = next((name for name in wanted if texts[name] is None), None)
        if missing is not None:
            raise QueryError(_MISSING[missing])
        for name in wanted:
            signals_in(texts[name] or "")
        by = self.id.currentData() or None
        try:
            return SpansQuery(
                log=self._around.log.name, objects=self.objects.selected(), by=by,
                ids=self.ids.selected() if by else (), bridge=self.bridge.duration() or 0,
                shortest=self.shortest.duration() or 0, crossing=self.crossing.currentData(),
                open=self.still_open.currentData(), **self.period.ends(), **{name: texts[name] for name in wanted},
            )  # fmt: skip
        except ValidationError as error:
            raise QueryError(refusal(error)) from error

    def check(self) -> None:
        """See that the query is whole. Raises QueryError."""
        try:
            self.query()
        except NorthmoorError as error:
            raise QueryError(error.message) from error


def _first_guess(around: LogContext) -> SpansQuery:
    """A query to begin with: a text that is an id, while a state is on."""
    known = [around.log.known(name) for name in around.signals]
    texts = [signal.name for signal in known if signal.type == "text"]
    states = [signal.name for signal in known if signal.nature == "state" and signal.type == "number"]
    condition = f"{as_name(states[0])} = 1" if states and not texts else None
    if states and texts:
        likely = [name for word in _LASTING for name in states if word in name.lower()]
        condition = f"{as_name([*likely, *states][0])} = 1"
    if not texts and condition is None:
        condition = f"{as_name(around.signals[0])} > 0" if around.signals else "true"
    return SpansQuery(log=around.log.name, by=texts[0] if texts else None, condition=condition)
