"""Texts put together by the column, from columns and from pieces that are the same in all rows.

Arrow looks for an optional package each time that it makes a scalar, which takes longer than to join a page of texts;
so the pieces are made once.
"""

from functools import lru_cache
from typing import TypeVar

import pyarrow as pa
import pyarrow.compute as pc

TextOrBytes = TypeVar("TextOrBytes", str, bytes)


@lru_cache(maxsize=4096)
def scalar(piece: str | bytes) -> pa.Scalar:
    """A piece as Arrow has it."""
    return pa.scalar(piece)


def concat(*pieces: pa.Array | pa.Scalar | TextOrBytes, separator: str | bytes = "") -> pa.Array:
    """The pieces of each row together; all are texts, or all are bytes, as the separator is."""
    made = [scalar(piece) if isinstance(piece, str | bytes) else piece for piece in pieces]
    return pc.binary_join_element_wise(*made, scalar(separator))


def concat_lists(lists: pa.ListArray, separator: str | bytes = "") -> pa.Array:
    """The texts of each list together."""
    return pc.binary_join(lists, scalar(separator))
