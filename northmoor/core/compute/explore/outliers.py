"""Values that lie far from the others: outside of three times the middle half's width on either side of it, which are
the outer fences of J. W. Tukey, Exploratory Data Analysis (1977), 2D."""

import numpy as np

from northmoor.core.base.arrays import Bools, Floats, Ints

_FEWEST = 20
"""Rows below which nothing can be called far from the others."""
_LARGEST_SHARE = 0.05
"""Where more rows are far away, that is how the values are spread."""
_REACH = 3.0


def outliers(numbers: Floats, counts: Ints) -> tuple[Bools, Bools]:
    """Which of some distinct numbers, each of which so many rows have, lie far below and far above the others."""
    none = np.zeros(len(numbers), bool)
    finite = np.isfinite(numbers)
    order = np.argsort(numbers[finite], kind="stable")
    ordered, total = numbers[finite][order], int(counts[finite].sum())
    if total < _FEWEST:
        return none, none
    ranks = np.cumsum(counts[finite][order])
    lower, upper = ordered[np.searchsorted(ranks, (0.25 * total, 0.75 * total))]
    reach = _REACH * (upper - lower)
    below, above = finite & (numbers < lower - reach), finite & (numbers > upper + reach)
    if not reach or counts[below | above].sum() > _LARGEST_SHARE * total:
        return none, none
    return below, above
