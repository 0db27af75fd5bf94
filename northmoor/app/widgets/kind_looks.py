"""What kinds of values look like in the window: each has one record here."""

from msgspec import Struct

from northmoor.app.language.translation import tr
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, KindName


class KindLook(Struct, frozen=True):
    """The window's half of a kind of value."""

    icon: str
    """The icon of a field of it."""
    column_width: int
    """Pixels of a column of its values."""
    field_width: int
    """Pixels of a field to type one into."""


KIND_LOOKS: dict[str, KindLook] = {
    "text": KindLook("type", 140, 150),
    "integer": KindLook("hash", 100, 80),
    "decimal": KindLook("hash", 112, 90),
    "float": KindLook("hash", 112, 90),
    "date": KindLook("calendar", 108, 100),
    "timestamp": KindLook("clock", 164, 140),
    "boolean": KindLook("toggle-left", 90, 60),
}
"""By the names of the kinds."""


def kind_text(kind: KindName) -> str:
    """What the values of a kind are called beside a field."""
    return tr(KIND_OF_NAME[kind].label)
