"""What a trigger has found that asks for a run."""

from collections.abc import Mapping
from typing import Any

from msgspec import Struct


class Occasion(Struct, frozen=True):
    """Something that asks for a run: what tells it from others of its order, what it gives, and why in words."""

    name: str
    given: Mapping[str, Any]
    because: str
