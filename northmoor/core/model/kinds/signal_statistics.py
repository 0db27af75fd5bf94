"""Statistics of signals over a stretch of time: to add one, add its record here and its function in
`northmoor.core.sources.signals.statistics`."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal

from msgspec import Struct

StatisticResult = Literal["value", "text", "number", "count", "duration", "share", "moment"]
"""What a statistic is: a value of the signal in its unit, its text, a number in another unit, how many, a duration in
seconds, a share from 0 to 1, or a moment."""
Wants = Literal["nothing", "state", "limit", "share"]


class SignalStatistic(Struct, frozen=True):
    """A statistic of one signal over a stretch of time."""

    name: str
    """Its name in files, and of its column unless another is given."""
    label: str
    """What it is called where statistics are chosen, and as its column's title."""
    help: str
    """What it is, in a sentence."""
    result: StatisticResult
    wants: Wants = "nothing"
    """What has to be given besides: which state (without one, on), which limit, or which share of the time."""


SIGNAL_STATISTICS: tuple[SignalStatistic, ...] = (
    SignalStatistic("first", "First", "The value at the start: what held then, or else the first reading.", "value"),
    SignalStatistic("last", "Last", "The value at the end.", "value"),
    SignalStatistic("first_text", "First text", "The text at the start.", "text"),
    SignalStatistic("last_text", "Last text", "The text at the end.", "text"),
    SignalStatistic("min", "Minimum", "The smallest value.", "value"),
    SignalStatistic("min_at", "Time of minimum", "When the value was smallest, for the first time.", "moment"),
    SignalStatistic("max", "Maximum", "The largest value.", "value"),
    SignalStatistic("max_at", "Time of maximum", "When the value was largest, for the first time.", "moment"),
    SignalStatistic("mean", "Mean over time", "The mean, each value weighted by how long it held.", "number"),
    SignalStatistic("reading_mean", "Mean of readings", "The mean of the readings written within, each counted once.",
                    "number"),
    SignalStatistic("deviation", "Standard deviation", "The standard deviation over time.", "number"),
    SignalStatistic("total", "Total", "The integral over time of a rate: so much an hour becomes so much.", "number"),
    SignalStatistic("change", "Change", "Last less first; a counter's restarts are counted from zero.", "value"),
    SignalStatistic("readings", "Readings", "How many readings were written within.", "count"),
    SignalStatistic("known", "Known", "The share of the time of which the value is known.", "share"),
    SignalStatistic("times_on", "Times on", "How many times it changed to on, or to the state.", "count", "state"),
    SignalStatistic("times_off", "Times off", "How many times it changed from on, or from the state.", "count",
                    "state"),
    SignalStatistic("time_on", "Time on", "How long it was on, or in the state.", "duration", "state"),
    SignalStatistic("time_off", "Time off", "How long it was known not to be on, or in the state.", "duration",
                    "state"),
    SignalStatistic("share_on", "Share on", "Time on, as a share of the known time.", "share", "state"),
    SignalStatistic("longest_on", "Longest on", "The longest time on without a break.", "duration", "state"),
    SignalStatistic("between_starts", "Mean time between starts", "The mean time from one change to on to the next.",
                    "duration", "state"),
    SignalStatistic("time_above", "Time above", "How long the value was above a limit.", "duration", "limit"),
    SignalStatistic("times_above", "Times above", "How many times the value rose above a limit.", "count", "limit"),
    SignalStatistic("time_below", "Time below", "How long the value was below a limit.", "duration", "limit"),
    SignalStatistic("times_below", "Times below", "How many times the value fell below a limit.", "count", "limit"),
    SignalStatistic("percentile", "Percentile over time", "The value not exceeded for a share of the known time.",
                    "number", "share"),
)  # fmt: skip
"""All statistics, in the order in which they are offered."""
STATISTIC_OF_NAME: Mapping[str, SignalStatistic] = {kind.name: kind for kind in SIGNAL_STATISTICS}

if TYPE_CHECKING:
    StatisticName = str
else:
    StatisticName = Literal[tuple(STATISTIC_OF_NAME)]
"""A statistic, as files name it."""
