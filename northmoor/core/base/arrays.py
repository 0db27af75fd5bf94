"""Types of the NumPy arrays that stages hand on."""

from typing import Any

import numpy as np
import numpy.typing as npt

Ints = npt.NDArray[np.int64]
AnyInts = npt.NDArray[np.signedinteger[Any]]
"""Whole numbers of any width: 32 bits where millions of rows are counted."""
Floats = npt.NDArray[np.float64]
Bools = npt.NDArray[np.bool_]
