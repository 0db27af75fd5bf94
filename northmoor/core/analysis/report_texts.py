"""Every free text of a report: where it is, and whether it is an expression, a template or words for readers."""

from collections.abc import Iterator, Mapping
from functools import cache
from types import UnionType
from typing import Any, Literal, Union, get_args, get_origin

from msgspec import Struct
from pydantic.fields import FieldInfo

from northmoor.core.model.base import FlowBlock, GroupingLevel, Part
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock

TextKind = Literal["expression", "template", "reference", "other"]
"""`reference` names a column of a query: by itself, or as ``query.column``."""

_EXPRESSIONS = frozenset(
    ["value", "by", "visible", "rows_per_page", "shown_edition", "expression", "order_by", "parent", "when", "currency",
     "keep_groups", "first_groups", "keep_rows", "until", "error_low", "error_high", "minimum", "maximum", "at",
     "along", "bubble", "against", "trend"]
)  # fmt: skip
_TEMPLATES = frozenset(
    ["text", "title", "when_empty", "link", "anchor", "label_text", "empty_text", "single_text", "average_title",
     "trend_title", "caption", "difference_text", "description", "bookmark", "continued", "file_name",
     "address", "listed_total"]
)  # fmt: skip
_REFERENCES = {
    ("LinkedColumns", "own"), ("LinkedColumns", "other"), ("QueryColumn", "name"), ("ChoicesFrom", "value"),
    ("ChoicesFrom", "label"), ("FromQuery", "column"), ("MatrixLevel", "members"), ("ChartLevel", "members"),
}  # fmt: skip
_NAMES = ("name", "column")
"""Names by which parts of a block refer to one another; readers do not see them."""
_WORDS = {("Report", "title"), ("Edition", "title"), ("Choice", "value"), ("Assignment", "value")}
"""Properties that hold plain words or values, though others of their name hold templates or expressions."""

PropertyPath = tuple[str | int, ...]


class Scope(Struct, frozen=True):
    """What a text belongs to: an edition, a block or query by name, and the query whose columns it names."""

    edition: str | None = None
    block: str | None = None
    query: str | None = None


class ReportText(Struct, frozen=True):
    """A property that holds a text: the way to it, the property and the class of its part, and the text."""

    path: PropertyPath
    scope: Scope
    part: str
    field: str
    text: str

    @property
    def kind(self) -> TextKind:
        """What the text is."""
        return kind_of_text(self.part, self.field)

    @property
    def place(self) -> str:
        """Where it is, in words."""
        is_query = self.path[0] == "queries"
        around = [self.scope.edition, self.scope.block]
        if not self.scope.edition:
            around = ["query" if is_query else "report", self.scope.block]
        return " · ".join([part for part in around if part] + [self.field.replace("_", " ")])


def kind_of_text(part: str, field: str) -> TextKind:
    """What a property of a class of part holds."""
    if (part, field) in _REFERENCES:
        return "reference"
    if (part, field) in _WORDS:
        return "other"
    return "expression" if field in _EXPRESSIONS else "template" if field in _TEMPLATES else "other"


def texts_of(
    part: Part, path: PropertyPath = (), around: Scope | None = None, without: str = ""
) -> Iterator[ReportText]:
    """The free texts of a part and of all in it, in the order of the file; `without` one of its properties."""
    scope = _scope_of(part, path, around or Scope())
    kind = type(part).__name__
    for field in type(part).model_fields:
        held = getattr(part, field) if field != without else None
        if isinstance(held, str) and field in _free_fields(type(part)):
            yield ReportText((*path, field), scope, kind, field, held)
        elif isinstance(held, Part):
            yield from texts_of(held, (*path, field), scope)
        elif isinstance(held, tuple):
            for at, inner in enumerate(held):
                if isinstance(inner, Part):
                    yield from texts_of(inner, (*path, field, at), scope)


def with_texts(part: Part, changes: Mapping[PropertyPath, str], path: PropertyPath = ()) -> Any:
    """A part with the texts at some ways changed. Raises ValidationError where one does not fit."""
    own: dict[str, Any] = {}
    for field in type(part).model_fields:
        held, here = getattr(part, field), (*path, field)
        if here in changes:
            own[field] = changes[here]
        elif any(way[: len(here)] == here for way in changes):
            if isinstance(held, Part):
                own[field] = with_texts(held, changes, here)
            else:
                own[field] = tuple(
                    with_texts(inner, changes, (*here, at)) if isinstance(inner, Part) else inner
                    for at, inner in enumerate(held)
                )
    return part.but(**own) if own else part


def _scope_of(part: Part, path: PropertyPath, around: Scope) -> Scope:
    """What the properties of a part belong to."""
    name = getattr(part, "name", None)
    if len(path) == 2 and path[0] == "editions":
        return Scope(edition=name)
    if len(path) == 2 and path[0] == "queries":
        return Scope(block=name, query=name)
    if isinstance(part, FlowBlock | GroupingLevel | TableBlock | MatrixBlock | ChartBlock) and getattr(
        part, "kind", None
    ):
        return Scope(around.edition, name, getattr(part, "query", around.query))
    return around


@cache
def _free_fields(kind: type[Part]) -> frozenset[str]:
    """Properties that may be any text."""
    return frozenset(
        field
        for field, info in kind.model_fields.items()
        if (kind.__name__, field) in _REFERENCES or (field not in _NAMES and _is_free(info))
    )


def _is_free(info: FieldInfo) -> bool:
    annotation: Any = info.annotation
    kinds = get_args(annotation) if get_origin(annotation) in (Union, UnionType) else (annotation,)
    return str in kinds and not any(getattr(limit, "pattern", None) for limit in info.metadata)
