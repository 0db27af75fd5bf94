"""The time zones that the system knows."""

from functools import cache
from zoneinfo import available_timezones


@cache
def known_time_zones() -> frozenset[str]:
    """The names of all IANA time zones that can be used; they are read from the system's folders once."""
    return frozenset(available_timezones())
