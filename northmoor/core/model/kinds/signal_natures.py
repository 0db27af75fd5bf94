"""Natures of signals: what a logged value says about the time until the next one."""

from collections.abc import Mapping
from typing import TYPE_CHECKING, Literal

from msgspec import Struct


class SignalNature(Struct, frozen=True):
    """What a value of a signal says about the time after it."""

    name: str
    """Its name in files."""
    label: str
    """What it is called where a nature is chosen."""
    help: str
    """What it means, in a sentence."""
    is_interpolated: bool = False
    """Whether values in between lie on the straight line between two readings."""
    is_summed: bool = False
    """Whether its integral over time is a quantity."""
    restarts: bool = False
    """Whether a smaller value than the one before means that it began again from zero."""


SIGNAL_NATURES: tuple[SignalNature, ...] = (
    SignalNature("held", "Held", "Each value holds until the next one is written."),
    SignalNature("linear", "Linear", "Between two readings the value changes evenly.", is_interpolated=True),
    SignalNature("state", "State", "On or off, or a few named states; each holds until the next."),
    SignalNature(
        "counter", "Counter", "It only grows, and may start again from zero; what counts is the change.", restarts=True
    ),
    SignalNature(
        "rate", "Rate", "So much an hour, a minute or a second; its total over time is a quantity.", is_summed=True
    ),
)
"""All natures, in the order in which they are offered."""
NATURE_OF_NAME: Mapping[str, SignalNature] = {nature.name: nature for nature in SIGNAL_NATURES}

if TYPE_CHECKING:
    NatureName = str
else:
    NatureName = Literal[tuple(NATURE_OF_NAME)]
"""A nature, as files name it."""
