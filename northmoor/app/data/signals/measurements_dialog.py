"""Asks what is measured of a signal log: which signals, over which time, and what of them."""

from decimal import Decimal, InvalidOperation

from pydantic import ValidationError
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QFormLayout,
    QHBoxLayout,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.data.query.dialogs.step_dialog import StepDialog
from northmoor.app.data.signals.log_fields import DurationField, PeriodField, SelectionField, combo
from northmoor.app.data.signals.signal_list import SignalList
from northmoor.app.data.signals.spans_dialog import LogContext
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.core.authoring.starters.signal_blocks import MOST_IN_ONE_TREND, USUAL_STATISTICS
from northmoor.core.errors import QueryError
from northmoor.core.model.base import refusal
from northmoor.core.model.data.signal_queries import MeasurementsQuery, StatisticColumn
from northmoor.core.model.kinds.signal_statistics import SIGNAL_STATISTICS, SignalStatistic

_GIVEN = (
    (tr("statistics"), "statistics"),
    (tr("the values at each step"), "values"),
    (tr("each reading as recorded"), "recorded"),
    (tr("the outline of a line"), "outline"),
)
_CALENDAR = (
    (tr("no steps"), ""),
    (tr("steps of equal length"), "step"),
    (tr("hours"), "hour"),
    (tr("shifts"), "shift"),
    (tr("days"), "day"),
    (tr("weeks"), "week"),
    (tr("months"), "month"),
    (tr("quarters"), "quarter"),
    (tr("years"), "year"),
)
_ON_PAGE = ((tr("nothing yet"), ""), (tr("a table"), "table"), (tr("a trend"), "trend"))
_KIND = Qt.ItemDataRole.UserRole


class MeasurementsDialog(StepDialog):
    """Asks for a query for measurements."""

    def __init__(self, given: MeasurementsQuery | None, around: LogContext, parent: QWidget | None = None) -> None:
        super().__init__(tr("Measure signals of {name}").format(name=around.log.name), parent)
        self._around = around
        query = given
        self._is_new = given is None
        self.signals = SignalList(around.log, query.signals if query else ())
        self.signals.show_survey(around.survey)
        self.objects = SelectionField(query.objects if query else (), around.objects, "objects")
        over = [(tr("the period"), ""), *((tr("each of {name}").format(name=name), name) for name in around.spans)]
        self.over = combo(
            over, query.spans if query else (around.spans[-1] if around.spans else ""), tr("Measured over")
        )
        self.period = PeriodField(query.start if query else None, query.end if query else None, around.values)
        self.give = combo(_GIVEN, query.give if query else "statistics", tr("What is given"))
        steps = (query.calendar or ("step" if query.step else "")) if query else ""
        self.steps = combo(_CALENDAR, steps, tr("Steps"))
        self.step = DurationField(query.step if query else None, tr("such as 10 min"), tr("Step"))
        self.moving = DurationField(query.moving if query else None, tr("none"), tr("Moving mean over"))
        self.on_page = combo(_ON_PAGE, "", tr("On the page"))
        self.wide = QCheckBox(tr("A column for each signal"))
        self.wide.setChecked(bool(query and query.wide))
        self.statistics = self._statistics(query)
        self.state, self.limit, self.share = (self._more(query, name) for name in ("state", "limit", "share"))
        self._place()
        self._follow()
        self.resize(1200, 580)

    def _statistics(self, query: MeasurementsQuery | None) -> QListWidget:
        chosen = {each.statistic for each in (query.statistics if query else USUAL_STATISTICS)}
        found = QListWidget()
        found.setAccessibleName(tr("Statistics"))
        for kind in SIGNAL_STATISTICS:
            item = QListWidgetItem(tr(kind.label))
            item.setData(_KIND, kind)
            item.setToolTip(core_text(kind.help))
            item.setCheckState(Qt.CheckState.Checked if kind.name in chosen else Qt.CheckState.Unchecked)
            found.addItem(item)
        return found

    def _more(self, query: MeasurementsQuery | None, what: str) -> QLineEdit:
        """A field for what some statistics want besides."""
        held = (
            next((getattr(s, what) for s in query.statistics if getattr(s, what) is not None), None) if query else None
        )
        line = QLineEdit("" if held is None else str(held))
        line.setPlaceholderText({"state": tr("on"), "limit": tr("such as 14"), "share": tr("such as 0.95")}[what])
        line.setAccessibleName(what.capitalize())
        return line

    def _place(self) -> None:
        form = self.form = QFormLayout()
        if self._around.log.object is not None or self._around.log.separator is not None:
            form.addRow(tr("&Objects"), self.objects)
        form.addRow(tr("O&ver"), self.over)
        form.addRow(tr("&Period"), self.period)
        form.addRow(tr("&Give"), self.give)
        form.addRow(tr("&In"), self.steps)
        form.addRow(tr("S&tep"), self.step)
        form.addRow(tr("&Moving mean over"), self.moving)
        form.addRow("", self.wide)
        if self._is_new:
            form.addRow(tr("On the pag&e"), self.on_page)
        form.addRow(tr("&Statistics"), self.statistics)
        form.addRow(tr("St&ate"), self.state)
        form.addRow(tr("&Limit"), self.limit)
        form.addRow(tr("S&hare of time"), self.share)
        row = QHBoxLayout()
        row.addWidget(self.signals, 8)
        row.addLayout(form, 5)
        column = QVBoxLayout(self)
        column.addLayout(row, 1)
        column.addWidget(self.fault)
        column.addWidget(self.buttons)
        self.on_page.currentIndexChanged.connect(self._suit_page)
        for box in (self.over, self.give, self.steps):
            box.currentIndexChanged.connect(self._follow)
        self.statistics.itemChanged.connect(lambda _: self._follow())

    def _follow(self) -> None:
        """Show the fields that are needed."""
        give, steps = self.give.currentData(), self.steps.currentData()
        wanted = {kind.wants for kind in self._ticked()} if give == "statistics" else set()
        is_stepped = give == "values" or (give == "statistics" and steps == "step")
        visible = {
            self.period: not self.over.currentData(), self.steps: give == "statistics", self.step: is_stepped,
            self.moving: give != "statistics", self.statistics: give == "statistics",
            self.wide: self.on_page.currentData() != "trend",
            self.state: "state" in wanted, self.limit: "limit" in wanted, self.share: "share" in wanted,
        }  # fmt: skip
        for part, is_visible in visible.items():
            self.form.setRowVisible(part, is_visible)
        self.fault.setText("")

    def _suit_page(self) -> None:
        """A trend is of what a line shows: that is chosen with it."""
        if self.on_page.currentData() == "trend":
            self.give.setCurrentIndex(self.give.findData("outline"))
        self._follow()

    @property
    def _is_wide(self) -> bool:
        """Whether signals have columns of their own; in a trend, if there are few enough for one chart."""
        if self.on_page.currentData() == "trend":
            return len(self.signals.ticked()) <= MOST_IN_ONE_TREND
        return self.wide.isChecked()

    def _ticked(self) -> list[SignalStatistic]:
        items = (self.statistics.item(row) for row in range(self.statistics.count()))
        return [i.data(_KIND) for i in items if i is not None and i.checkState() == Qt.CheckState.Checked]

    def _columns(self) -> tuple[StatisticColumn, ...]:
        found = []
        for kind in self._ticked():
            more: dict[str, object] = {}
            if kind.wants == "state" and self.state.text().strip():
                more["state"] = self.state.text().strip()
            elif kind.wants in ("limit", "share"):
                more[kind.wants] = self._number(kind.wants, getattr(self, kind.wants).text().strip(), kind)
            found.append(StatisticColumn.model_validate({"statistic": kind.name, **more}))
        return tuple(found)

    @staticmethod
    def _number(what: str, text: str, kind: SignalStatistic) -> Decimal:
        try:
            return Decimal(text)
        except InvalidOperation as error:
            such = {"limit": tr("a number such as 14"), "share": tr("a share of the time such as 0.95")}[what]
            raise QueryError(
                tr("{label} needs {such}; write it below the statistics.").format(label=tr(kind.label), such=such)
            ) from error

    def query(self) -> MeasurementsQuery:
        """The query that is filled in. Raises QueryError for one that is not whole."""
        give, steps, spans = self.give.currentData(), self.steps.currentData(), self.over.currentData() or None
        if self.on_page.currentData() == "trend" and give not in ("outline", "values"):
            raise QueryError(
                tr("A trend is drawn through the outline of a line, or values at each step; give one of these.")
            )
        if not self.signals.ticked():
            raise QueryError(tr("Tick the signals that are measured."))
        is_stepped = give == "values" or (give == "statistics" and steps == "step")
        if is_stepped and self.step.duration() is None:
            raise QueryError(tr("Write how long a step is, such as 10 min."))
        period = {"start": None, "end": None} if spans else self.period.ends()
        try:
            return MeasurementsQuery(
                log=self._around.log.name, objects=self.objects.selected(), signals=self.signals.ticked(), give=give,
                spans=spans, step=self.step.duration() if is_stepped else None,
                calendar=steps if give == "statistics" and steps not in ("", "step") else None,
                statistics=self._columns() if give == "statistics" else (),
                wide=self._is_wide,
                moving=self.moving.duration() if give != "statistics" else None, **period,
            )  # fmt: skip
        except ValidationError as error:
            raise QueryError(refusal(error)) from error

    def check(self) -> None:
        """See that the query is whole. Raises QueryError."""
        self.query()
