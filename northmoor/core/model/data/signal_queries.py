"""Queries over signal logs: spans of time, and what signals measured in them."""

from decimal import Decimal
from typing import Annotated, Literal

from pydantic import Field, model_validator

from northmoor.core.model.base import Identifier, Part, Title, unique_names
from northmoor.core.model.data.durations import Duration, SomeTime
from northmoor.core.model.kinds.signal_statistics import STATISTIC_OF_NAME, SignalStatistic, StatisticName

Calendar = Literal["hour", "shift", "day", "week", "month", "quarter", "year"]
Selected = Annotated[tuple[Title, ...], Field(max_length=1000)]
"""Values to select, and names of parameters such as :vessel; empty for all."""


class LogQuery(Part):
    """What queries over a log have in common."""

    log: Identifier
    """The log, by its name."""
    objects: Selected = ()
    """The objects, or parameters such as :vessel that hold them; without one, all of the log."""
    start: str | None = None
    """When the period begins: a value such as :departed, a moment such as 2025-06-02 06:00, or words such as start of
    last full hour. Without it, the log's first reading."""
    end: str | None = None
    """When the period ends, likewise: the moment after it. A day that is given as a date is within. Without it, at the
    data time."""


class SpansQuery(LogQuery):
    """Spans of time, a row for each: as long as an id stays the same, while a condition holds, or from one condition to
    another."""

    kind: Literal["spans"] = "spans"
    by: Title | None = None
    """The signal whose value is the id of a span."""
    ids: Selected = ()
    """The ids, or parameters such as :voyage that hold them; without one, all."""
    condition: str | None = None
    """Condition over signals that holds as long as a span lasts, such as underway = 1."""
    begins: str | None = None
    """Condition with which a span begins, for spans that end with another one."""
    ends: str | None = None
    """Condition with which a span ends."""
    bridge: Duration = 0
    """Interruptions up to this are no end of a span."""
    shortest: Duration = 0
    """Spans shorter than this are left out."""
    crossing: Literal["whole", "cut", "left out"] = "whole"
    """What becomes of spans that began before the period, or end after it."""
    open: Literal["kept", "left out"] = "kept"
    """What becomes of spans that have not ended at the data time."""

    @model_validator(mode="after")
    def _has_a_beginning_and_an_end(self) -> "SpansQuery":
        if (self.begins is None) != (self.ends is None):
            raise ValueError("spans from one condition to another need both of them")
        if self.begins is not None and self.condition is not None:
            raise ValueError("spans last while a condition holds, or from one to another; remove one of these")
        if self.by is None and self.condition is None and self.begins is None:
            raise ValueError("spans need an id, or a condition that holds while they last")
        if self.ids and self.by is None:
            raise ValueError("ids can be selected of spans that have one")
        return self


class StatisticColumn(Part):
    """A column with a statistic."""

    statistic: StatisticName
    """What is computed."""
    column: Identifier | None = None
    """The column's name; without one, it follows from the statistic."""
    state: str | None = None
    """The state that is counted as on; without one, what the signal's own is."""
    limit: Decimal | None = None
    """The limit that a value is above or below."""
    share: Annotated[Decimal, Field(gt=0, le=1)] | None = None
    """The share of the time, from 0 to 1, for a percentile."""

    @model_validator(mode="after")
    def _says_what_is_wanted(self) -> "StatisticColumn":
        wants = self.kind.wants
        if wants in ("limit", "share") and getattr(self, wants) is None:
            raise ValueError(f"the statistic {self.statistic} needs a {wants}")
        for given in ("state", "limit", "share"):
            if given != wants and getattr(self, given) is not None:
                raise ValueError(f"the statistic {self.statistic} takes no {given}")
        return self

    @property
    def kind(self) -> SignalStatistic:
        """What the statistic means."""
        return STATISTIC_OF_NAME[self.statistic]

    @property
    def name(self) -> str:
        """The column's name."""
        if self.column is not None:
            return self.column
        given = self.state if self.state is not None else self.limit if self.limit is not None else self.share
        more = "" if given is None else f"_{given}"
        return "".join(c if c.isalnum() else "_" for c in f"{self.statistic}{more}")


class MeasurementsQuery(LogQuery):
    """What signals measured: their readings, their values at steps of time, or statistics."""

    kind: Literal["measurements"] = "measurements"
    signals: Annotated[tuple[Title, ...], Field(min_length=1, max_length=500)]
    """The signals that are measured."""
    give: Literal["recorded", "outline", "values", "statistics"] = "statistics"
    """Each reading as it was recorded, those that the outline of a line needs, the values at each step, or statistics.
    """
    spans: Identifier | None = None
    """The query whose spans bound what is measured; without one, the period does."""
    step: SomeTime | None = None
    """Steps of time within the period or each span."""
    calendar: Calendar | None = None
    """Periods of the calendar within the period or each span, in place of steps of equal length."""
    statistics: Annotated[tuple[StatisticColumn, ...], Field(max_length=100)] = ()
    """The statistics, each a column."""
    wide: bool = False
    """Whether each signal has columns of its own; otherwise each has rows."""
    moving: SomeTime | None = None
    """Adds the mean over the time before each reading or step, so far back."""

    @model_validator(mode="after")
    def _parts_fit_together(self) -> "MeasurementsQuery":
        unique_names(list(self.signals), "signal")
        unique_names([statistic.name for statistic in self.statistics], "statistic")
        if self.give == "statistics" and not self.statistics:
            raise ValueError("name the statistics to compute, such as min, max and mean")
        if self.give == "values" and self.step is None:
            raise ValueError("values at each step need a step, such as 10 min")
        if self.calendar is not None and (self.step is not None or self.give != "statistics"):
            raise ValueError("periods of the calendar are for statistics, in place of a step")
        if self.give in ("recorded", "outline") and self.step is not None:
            raise ValueError("readings have their own times, and no steps")
        return self

    @property
    def wants_kept_only(self) -> bool:
        """Whether it wants nothing but the readings that outlines over one period keep: no value between them."""
        return self.give == "outline" and not self.wide and self.moving is None and self.spans is None


SignalQuery = Annotated[SpansQuery | MeasurementsQuery, Field(discriminator="kind")]
