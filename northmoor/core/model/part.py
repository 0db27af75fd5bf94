"""The base of everything in a report file: immutable, strict about unknown entries, compared by value."""

import re
from typing import Annotated, Any, Self

from pydantic import BaseModel, BeforeValidator, ConfigDict, StringConstraints, WithJsonSchema

Name = Annotated[str, StringConstraints(pattern=r"^[A-Za-z_][A-Za-z0-9_\-]*$", max_length=63)]
Identifier = Annotated[str, StringConstraints(pattern=r"^[A-Za-z_][A-Za-z0-9_]*$", max_length=63)]
"""A name that can stand in SQL."""
Title = Annotated[str, StringConstraints(min_length=1, max_length=200)]
_COLOR = r"^#[0-9A-Fa-f]{6}$"


def _check_color(text: object) -> object:
    if not isinstance(text, str) or not re.match(_COLOR, text):
        raise ValueError(f"{text!r} is no colour; write for example #7B4B94")
    return text


Color = Annotated[str, BeforeValidator(_check_color), WithJsonSchema({"type": "string", "pattern": _COLOR})]


class Part(BaseModel):
    """A part of a report. Parts never change; an edit makes a new part with `but`."""

    model_config = ConfigDict(frozen=True, extra="forbid", use_attribute_docstrings=True)

    def but(self, **changes: Any) -> Self:
        """The same part with some properties changed, validated like a file's.

        Raises pydantic.ValidationError when a changed value does not fit.
        """
        values = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self).model_validate(values | changes)


def unique_names(names: list[str], what: str) -> None:
    """Raise ValueError when two parts of a kind have the same name."""
    seen: set[str] = set()
    for name in names:
        if name in seen:
            raise ValueError(f"two {what}s are named {name!r}")
        seen.add(name)
