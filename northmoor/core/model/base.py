"""The base of everything in a report file: immutable, strict about unknown entries, compared by value; and what it
refuses, as a sentence."""

import ast
import inspect
import re
import textwrap
from collections.abc import Callable, Iterator
from functools import cache
from itertools import pairwise
from typing import Annotated, Any, Literal, Self

from pydantic import (
    BaseModel,
    BeforeValidator,
    ConfigDict,
    Field,
    GetJsonSchemaHandler,
    StringConstraints,
    ValidationError,
    WithJsonSchema,
)
from pydantic.json_schema import JsonSchemaValue
from pydantic_core import CoreSchema, ErrorDetails

from northmoor.core.base.phrases import phrase
from northmoor.core.errors import NorthmoorError
from northmoor.core.model.lengths import Gap, format_length, is_length

Name = Annotated[str, StringConstraints(pattern=r"^[A-Za-z_][A-Za-z0-9_\-]*$", max_length=63)]
Identifier = Annotated[str, StringConstraints(pattern=r"^[A-Za-z_][A-Za-z0-9_]*$", max_length=63)]
"""A name that can be used in SQL."""
Title = Annotated[str, StringConstraints(min_length=1, max_length=200)]
_COLOR = r"^#[0-9A-Fa-f]{6}$"


def _check_color(text: object) -> object:
    if not isinstance(text, str) or not re.match(_COLOR, text):
        raise ValueError(f"{text!r} is no colour; write for example #7B4B94")
    return text


Color = Annotated[str, BeforeValidator(_check_color), WithJsonSchema({"type": "string", "pattern": _COLOR})]


class Part(BaseModel):
    """A part of a report. Parts never change; an edit makes a new part with `but`."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    def but(self, **changes: Any) -> Self:
        """The same part with some properties changed, validated like a file's.

        Raises pydantic.ValidationError when a changed value does not fit, NorthmoorError for a text that no file can
        hold.
        """
        for value in changes.values():
            if isinstance(value, str) and not value.isascii() and any("\ud800" <= char <= "\udfff" for char in value):
                raise NorthmoorError("The text has half a character, which no file can hold. Type it again.")
        values = {name: getattr(self, name) for name in type(self).model_fields}
        return type(self).model_validate(values | changes)

    @classmethod
    def help_of(cls, field: str) -> str:
        """The sentence of help that a property is declared with: the string that follows it in its class."""
        return next((help_text for kind in cls.__mro__ if (help_text := _helps(kind).get(field))), "")

    @classmethod
    def __get_pydantic_json_schema__(cls, schema: CoreSchema, handler: GetJsonSchemaHandler) -> JsonSchemaValue:
        written = handler(schema)
        for field, entry in handler.resolve_ref_schema(written).get("properties", {}).items():
            if help_text := cls.help_of(field):
                entry.setdefault("description", help_text)
        return written


@cache
def _helps(kind: type) -> dict[str, str]:
    """The help of a class's own properties, read from its source when first asked for: imports need not wait for it."""
    if not issubclass(kind, Part) or kind is Part:
        return {}
    body = ast.parse(textwrap.dedent(inspect.getsource(kind))).body[0]
    assert isinstance(body, ast.ClassDef)
    return {
        declared.target.id: inspect.cleandoc(doc.value.value)
        for declared, doc in pairwise(body.body)
        if isinstance(declared, ast.AnnAssign) and isinstance(declared.target, ast.Name)
        and isinstance(doc, ast.Expr) and isinstance(doc.value, ast.Constant) and isinstance(doc.value.value, str)
    }  # fmt: skip


def unique_names(names: list[str], what: str) -> None:
    """Raise ValueError when two parts of a kind have the same name."""
    seen: set[str] = set()
    for name in names:
        if name in seen:
            raise ValueError(f"two {what}s are named {name!r}")
        seen.add(name)


class FlowBlock(Part):
    """A block's name and its place among others."""

    name: Name
    """The name by which findings and origins refer to it."""
    space_after: Gap = 0
    """Space between it and the next block."""
    visible: str | None = None
    """Expression that says whether it is shown, such as :detail = 'full'; without one, it always is."""


RESERVED_WINDOWS = ("report", "page", "pages_before", "pages_to_here", "own")
"""Windows that have a meaning everywhere, so that no level has their names."""


class GroupingLevel(Part):
    """A grouping step: what makes a group, in what order groups are, and which are kept."""

    name: Title
    """Its name, which is also a window: sum(fare) over route."""
    by: str
    """The expression whose equal values make a group."""
    parent: str | None = None
    """Expression for the key of the group that a group lies in, such as parent_id: then groups form a tree, and a
    group's rows are its own and those of all groups in it. The rows that are a group's own are the window own."""
    order: Literal["ascending", "descending", "as_given"] = "ascending"
    """Order of the groups: by their key, or as the query gives it."""
    order_by: str | None = None
    """Expression over a group's rows that orders the groups in place of their key, such as sum(fare)."""
    keep_groups: str | None = None
    """Condition over a group's rows; groups for which it does not hold are left out, such as count(*) > 10."""
    count_ways: bool = False
    """In a tree: whether the rows of groups that are only kept as the way up to others are shown and totalled too."""
    first_groups: Annotated[int, Field(ge=1, le=1_000_000)] | str | None = None
    """How many groups are kept at most in each group around them, the first in their order: a number, or an expression
    such as :top."""
    listed: tuple[str, ...] = ()
    """Keys, as text, whose groups come first, in this order; the others follow in theirs."""
    others: str | None = None
    """The name of the group that collects all groups after the first ones, such as Others; without it, they are left
    out."""


def refusal(error: ValidationError) -> str:
    """The first thing that is wrong, as a sentence."""
    first = error.errors(include_url=False)[0]
    kinds = {kind.__name__: kind for kind in _kinds_of_parts(Part)}
    own = kinds[error.title].model_fields if error.title in kinds and len(first["loc"]) == 1 else {}
    info = own.get(str(first["loc"][0])) if own else None
    return refusal_of(first, info is not None and is_length(info))


def refusal_of(fault: ErrorDetails, is_of_length: bool) -> str:
    """What a fault says, as a sentence; limits of a length are written as people write lengths."""
    bounds = fault.get("ctx", {})
    write: Callable[[int], object] = format_length if is_of_length else str
    kind = fault["type"]
    if kind in _PLAIN:
        return _PLAIN[kind]
    if kind == "greater_than_equal":
        return f"It must be at least {write(bounds['ge'])}."
    if kind == "less_than_equal":
        return f"It must be at most {write(bounds['le'])}."
    if kind == "greater_than":
        return f"It must be more than {write(bounds['gt'])}."
    if kind == "less_than":
        return f"It must be less than {write(bounds['lt'])}."
    if kind in ("literal_error", "enum"):
        return f"It must be one of {bounds['expected'].replace(' or ', ', ').replace(chr(39), '')}."
    if kind == "string_too_short" and bounds["min_length"] == 1:
        return "It must not be empty."
    if kind == "string_too_short":
        return f"It must have at least {bounds['min_length']} characters."
    if kind == "string_too_long":
        return f"It must have at most {bounds['max_length']} characters."
    message = fault["msg"].removeprefix("Value error, ").rstrip(".")
    return f"{message[:1].upper()}{message[1:]}."


_WHOLE, _NUMBER, _TRUTH, _TEXT = (
    phrase("It must be a whole number."),
    phrase("It must be a number."),
    phrase("It must be true or false."),
    phrase("It must be a text."),
)
_PLAIN = {
    "missing": phrase("This entry is missing."),
    "extra_forbidden": phrase("There is no such entry; remove it or correct its name."),
    "int_type": _WHOLE, "int_parsing": _WHOLE, "int_from_float": _WHOLE, "float_type": _NUMBER,
    "float_parsing": _NUMBER, "decimal_type": _NUMBER, "decimal_parsing": _NUMBER, "bool_type": _TRUTH,
    "bool_parsing": _TRUTH, "string_type": _TEXT,
}  # fmt: skip
"""What is said of a kind of fault, whatever the entry is."""


def _kinds_of_parts(kind: type[Part]) -> Iterator[type[Part]]:
    for each in kind.__subclasses__():
        yield each
        yield from _kinds_of_parts(each)
