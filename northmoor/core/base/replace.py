"""A copy of an object with some of its fields changed, be it a struct or a dataclass.

Structs of msgspec and their classes are made in a tenth of a dataclass's time. Only classes with cached properties, or
with fields that do not count in comparisons, are dataclasses: structs have neither.
"""

import dataclasses
from typing import Any, TypeVar

from msgspec import Struct, structs

ObjectT = TypeVar("ObjectT")


def replace(original: ObjectT, **changes: Any) -> ObjectT:
    """A copy with other values in some fields. Raises TypeError for a field that there is not."""
    if isinstance(original, Struct):
        return structs.replace(original, **changes)
    copy: ObjectT = dataclasses.replace(original, **changes)  # type: ignore[type-var]
    return copy
