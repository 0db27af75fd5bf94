"""Readings of a clock that is turned back: in an hour that it showed twice, which of them are of the second time."""

import numpy as np

from northmoor.core.base.arrays import Ints

_DAY = 86_400_000_000


def after_turning_back(earlier: Ints, later: Ints, series: Ints, order: Ints | None) -> Ints:
    """The moments of readings of which the clock's time is of an earlier and a later one: the later one of those that a
    series has after the clock's time went back by more than half the difference.

    `order` is the order in which they were written; without it they come in that. A reading that was only written late
    is not so far behind.
    """
    twice = np.flatnonzero(later != earlier)
    if not len(twice):
        return earlier
    written = twice if order is None else order[twice]
    days = earlier[twice] // _DAY
    ranked = np.lexsort((written, days, series[twice]))
    twice, days = twice[ranked], days[ranked]
    owner = series[twice]
    begins = np.flatnonzero(np.append(True, (owner[1:] != owner[:-1]) | (days[1:] != days[:-1])))
    found = []
    for own in np.split(twice, begins[1:]):
        behind = np.maximum.accumulate(earlier[own]) - earlier[own]
        is_second = np.logical_or.accumulate(behind > (later[own] - earlier[own]) // 2)
        found.append(own[is_second])
    second = np.concatenate(found)
    moments = earlier.copy()
    moments[second] = later[second]
    return moments
