"""Signal logs: what tables of readings mean, and what is known of their signals."""

from typing import Annotated, Literal

from pydantic import Field, field_validator, model_validator

from northmoor.core.base.time_zones import known_time_zones
from northmoor.core.model.base import Identifier, Part, Title, unique_names
from northmoor.core.model.data.durations import SomeTime
from northmoor.core.model.kinds.signal_natures import NATURE_OF_NAME, NatureName, SignalNature

TimeForm = Literal["moment", "text", "text with T", "seconds", "milliseconds", "microseconds"]
"""How a log's times are kept: in the database's own type, as texts such as 2025-06-02 05:17:00 (with a T between), or
counted from the start of 1970."""
Per = Literal["second", "minute", "hour"]
MICROSECONDS_PER: dict[str, int] = {"second": 1_000_000, "minute": 60_000_000, "hour": 3_600_000_000}


class Signal(Part):
    """What is known of a signal beyond its readings."""

    name: Title
    """Its name in the log, without the object's."""
    label: str | None = None
    """What readers see instead of the name."""
    unit: str = ""
    """The unit of its values, such as kn or l/h."""
    nature: NatureName = "held"
    """What a value says about the time until the next one."""
    per: Per = "hour"
    """The time that a rate's values are per."""
    type: Literal["number", "text"] = "number"
    """Whether its values are numbers or texts."""
    on: str | None = None
    """The value that counts as on; without one, every number but 0."""
    unknown_after: SomeTime | None = None
    """How long a value holds before it counts as unknown; without it, what the log says."""

    @property
    def shown_name(self) -> str:
        """Its name as readers see it."""
        return self.label or self.name

    @property
    def kind(self) -> SignalNature:
        """What its nature means."""
        return NATURE_OF_NAME[self.nature]


class SignalLog(Part):
    """Which columns of a table, or of a query, hold the readings of signals.

    A long log has a row for each reading, which names its signal. A wide one has no column for the signal: each column
    in `values` is one.
    """

    name: Identifier
    """The name by which queries use it."""
    table: Title | None = None
    """The table of the connection; none where a query's rows are the log."""
    time: Title
    """The column of the time of a reading."""
    time_form: TimeForm = "moment"
    """How the times are kept."""
    time_zone: str | None = None
    """IANA time zone of times that do not say their own; none where they all do."""
    signal: Title | None = None
    """The column of the signal's name; none where each signal has a column."""
    values: Annotated[tuple[Title, ...], Field(min_length=1, max_length=500)]
    """The columns of the value: several where numbers and texts have their own. Where each signal has a column, these
    are the signals."""
    object: Title | None = None
    """The column of the object that a signal belongs to, such as a vessel."""
    separator: Annotated[str, Field(min_length=1, max_length=3)] | None = None
    """What is between object and signal where names hold both, as in curlew.speed."""
    quality: Title | None = None
    """The column that says how good a reading is."""
    good: tuple[str, ...] = ()
    """The qualities that count as good; of a reading with another one the value is unknown."""
    order: Title | None = None
    """The column that grows as readings are written; without it, their order in the table tells which of two at one
    time is the later."""
    unknown_after: SomeTime | None = None
    """How long a value holds before it counts as unknown; without it, until the next one."""
    shift_starts: tuple[Annotated[str, Field(pattern=r"^([01]\d|2[0-3]):[0-5]\d$")], ...] = ()
    """When shifts begin, as 06:00: the periods this shift and last full shift follow from it."""
    signals: tuple[Signal, ...] = ()
    """What is known of its signals; others are held numbers."""

    @field_validator("time_zone")
    @classmethod
    def _zone_is_known(cls, value: str | None) -> str | None:
        if value is not None and value not in known_time_zones():
            raise ValueError(f"{value!r} is no IANA time zone; write for example Europe/Dublin")
        return value

    @model_validator(mode="after")
    def _parts_fit_together(self) -> "SignalLog":
        unique_names([signal.name for signal in self.signals], "signal")
        if self.separator is not None and (self.object is not None or self.signal is None):
            raise ValueError("a separator is for logs whose signals' names hold the object")
        if self.quality is not None and not self.good:
            raise ValueError(f"log {self.name!r} has qualities, and none of them counts as good")
        if list(self.shift_starts) != sorted(set(self.shift_starts)):
            raise ValueError("shifts begin in the order of the day, each once")
        return self

    @property
    def is_wide(self) -> bool:
        """Whether each signal has a column."""
        return self.signal is None

    def known(self, name: str) -> Signal:
        """What is known of a signal; that it is a held number, if nothing is."""
        return next((signal for signal in self.signals if signal.name == name), Signal(name=name))

    def holds_for(self, name: str) -> int | None:
        """How many microseconds a value of a signal holds at most; None for no limit."""
        return self.known(name).unknown_after or self.unknown_after
