"""Types of columns: a kind of value, and for decimals their digits, as files of reports write them."""

import re
from typing import Annotated

from msgspec import Struct
from pydantic import StringConstraints

from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, VALUE_KINDS, KindName

_NAMES = "|".join(kind.pattern or kind.name for kind in VALUE_KINDS)
TypeName = Annotated[str, StringConstraints(pattern=f"^({_NAMES})$")]
"""A type as files write it: ``text``, ``integer``, ``decimal(12,2)``, ``float``, ``date``, ``timestamp``,
``boolean``."""

_DECIMAL = re.compile(r"decimal\((\d+), ?(\d+)\)")
MAX_PRECISION = 38  # what Arrow's and DuckDB's 128-bit decimals hold
TOO_LONG = f"has numbers with more than {MAX_PRECISION} digits, of which 15 are kept"
"""What is said of a column whose numbers can only be held as doubles."""


class ValueType(Struct, frozen=True):
    """A kind of value; `precision` and `scale` matter to decimals only. Timestamps are wall time in the report's
    zone."""

    kind: KindName
    precision: int = 0
    scale: int = 0

    @classmethod
    def parse(cls, name: str) -> "ValueType":
        """The type of a name in a file, which the model has already checked."""
        match = _DECIMAL.fullmatch(name)
        if match is None:
            return cls(name)
        precision = min(int(match[1]), MAX_PRECISION)
        return cls("decimal", precision, min(int(match[2]), precision))

    def __str__(self) -> str:
        return f"decimal({self.precision},{self.scale})" if self.kind == "decimal" else self.kind

    @property
    def is_number(self) -> bool:
        """Whether values can be added up."""
        return KIND_OF_NAME[self.kind].is_number
