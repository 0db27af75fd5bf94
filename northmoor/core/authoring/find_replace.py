"""Finding and replacing across a report: any text of it, or a field wherever expressions name it."""

import re
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from types import UnionType
from typing import Any, Union, get_args, get_origin

import sqlglot
from pydantic.fields import FieldInfo
from sqlglot.errors import SqlglotError
from sqlglot.tokens import TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

from northmoor.core.authoring.rename_parameter import EXPRESSIONS, TEMPLATES
from northmoor.core.expr.window_names import SLOT, rename_window, rename_window_in_template
from northmoor.core.model.base import FlowBlock, GroupingLevel, Part
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.report import Report
from northmoor.core.sources.fetch.query_resolution import ENGINE_DIALECT

_FIELD_NAMES = {("LinkedColumns", "own"), ("LinkedColumns", "other"), ("QueryColumn", "name")}
_NAMES = ("name", "column")
"""Names by which parts of a block speak of one another; readers do not see them."""
PropertyPath = tuple[str | int, ...]


@dataclass(frozen=True)
class SearchTerm:
    """What is looked for: a text anywhere, or a field (of a query, or of any) where expressions name it."""

    text: str
    is_field: bool = False
    query: str | None = None
    match_case: bool = False


@dataclass(frozen=True)
class Occurrence:
    """A property of a part that has what is wanted: the way to it, the edition and the block it belongs to, the
    property, and its text as it is."""

    path: PropertyPath
    edition: str | None
    block: str | None
    field: str
    text: str

    @property
    def place(self) -> str:
        """Where it is, in words."""
        query = self.path[0] == "queries"
        around = [self.edition, self.block] if self.edition else ["query" if query else "report", self.block]
        return " · ".join([part for part in around if part] + [self.field.replace("_", " ")])


def find_occurrences(report: Report, wanted: SearchTerm) -> list[Occurrence]:
    """Every property that has what is wanted, in the order of the report; queries' own texts come first."""
    if not wanted.text:
        return []
    return [
        found for found in _strings(report, (), _Scope()) if _changed(found, wanted, wanted.text + "\0") is not None
    ]


def replace_occurrences(report: Report, wanted: SearchTerm, by: str, chosen: Sequence[Occurrence]) -> Report:
    """The report with what is wanted replaced in some occurrences. Raises ValidationError where that cannot be."""
    changes = {found.path: new for found in chosen if (new := _changed(found, wanted, by)) is not None}
    made: Report = _rebuilt(report, (), changes)
    return made


def with_window_renamed(report: Report, edition: str, old: str, new: str) -> Report:
    """The report where expressions of an edition name a window otherwise, as in ``sum(fare) over shipper``."""
    changes = {}
    for found in _strings(report, (), _Scope()):
        if found.edition == edition and found.field in EXPRESSIONS | TEMPLATES:
            rename = rename_window if found.field in EXPRESSIONS else rename_window_in_template
            changed = rename(found.text, old, new)
            if changed != found.text:
                changes[found.path] = changed
    made: Report = _rebuilt(report, (), changes)
    return made


@dataclass(frozen=True)
class _Scope:
    edition: str | None = None
    block: str | None = None
    query: str | None = None


@dataclass(frozen=True)
class _Found(Occurrence):
    """An occurrence with the query whose fields its expressions name, and the part it is a property of."""

    query: str | None = None
    part: str = ""


def _strings(part: Part, path: PropertyPath, scope: _Scope) -> Iterator[_Found]:
    """The free texts of a part and of all in it."""
    scope = _scope_of(part, path, scope)
    for field, info in type(part).model_fields.items():
        held = getattr(part, field)
        if isinstance(held, str) and (
            (field not in _NAMES and _is_free(info)) or (type(part).__name__, field) in _FIELD_NAMES
        ):
            kind = type(part).__name__
            yield _Found((*path, field), scope.edition, scope.block, field, held, scope.query, kind)
        elif isinstance(held, Part):
            yield from _strings(held, (*path, field), scope)
        elif isinstance(held, tuple):
            for at, inner in enumerate(held):
                if isinstance(inner, Part):
                    yield from _strings(inner, (*path, field, at), scope)


def _scope_of(part: Part, path: PropertyPath, around: _Scope) -> _Scope:
    """What the properties of a part belong to."""
    name = getattr(part, "name", None)
    if len(path) == 2 and path[0] == "editions":
        return _Scope(edition=name)
    if len(path) == 2 and path[0] == "queries":
        return _Scope(block=name, query=name)
    if isinstance(part, FlowBlock | GroupingLevel | TableBlock | MatrixBlock | ChartBlock) and getattr(
        part, "kind", None
    ):
        return _Scope(around.edition, name, getattr(part, "query", around.query))
    return around


def _is_free(info: FieldInfo) -> bool:
    """Whether a property may be any text."""
    annotation: Any = info.annotation
    kinds = get_args(annotation) if get_origin(annotation) in (Union, UnionType) else (annotation,)
    return str in kinds and not any(getattr(limit, "pattern", None) for limit in info.metadata)


def _changed(found: Occurrence, wanted: SearchTerm, by: str) -> str | None:
    """The text with what is wanted replaced; none where it has none of it."""
    assert isinstance(found, _Found)
    if wanted.is_field:
        new = _with_field(found, wanted, by)
    elif (found.part, found.field) in _FIELD_NAMES:
        return None
    else:
        flags = 0 if wanted.match_case else re.IGNORECASE
        new = re.sub(re.escape(wanted.text), lambda _: by, found.text, flags=flags)
    return None if new == found.text else new


def _with_field(found: _Found, wanted: SearchTerm, by: str) -> str:
    owner = found.query

    def rewrite(text: str) -> str:
        return _renamed(text, wanted, by, owner)

    if (found.part, found.field) in _FIELD_NAMES:
        is_own = wanted.query in (None, owner) and found.text.lower() == wanted.text.lower()
        return by if is_own and found.field != "other" else found.text
    if found.field in EXPRESSIONS:
        return rewrite(found.text)
    if found.field in TEMPLATES:
        return SLOT.sub(lambda s: s[0] if s[0] in ("{{", "}}") else rewrite(s[0]), found.text)
    return found.text


def _renamed(text: str, wanted: SearchTerm, by: str, owner: str | None) -> str:
    """An expression where a field has another name: a word by itself or after its query's name and a point, which is
    no function and no parameter."""
    try:
        tokens = sqlglot.tokenize(text, dialect=ENGINE_DIALECT)
    except SqlglotError:
        return text
    nothing = TokenType.SEMICOLON
    spans = []
    for at, token in enumerate(tokens):
        if token.token_type not in (TokenType.VAR, TokenType.IDENTIFIER) or token.text.lower() != wanted.text.lower():
            continue
        before, after = (tokens[n].token_type if 0 <= n < len(tokens) else nothing for n in (at - 1, at + 1))
        if after in (TokenType.L_PAREN, TokenType.DOT) or before is TokenType.COLON:
            continue
        named = tokens[at - 2].text if before is TokenType.DOT and at >= 2 else owner
        if wanted.query is None or named == wanted.query:
            spans.append((token.start, token.end + 1))
    for start, end in reversed(spans):
        text = text[:start] + by + text[end:]
    return text


def _rebuilt(part: Part, path: PropertyPath, changes: dict[PropertyPath, str]) -> Any:
    """A part with the texts at some ways changed."""
    own: dict[str, Any] = {}
    for field in type(part).model_fields:
        held, here = getattr(part, field), (*path, field)
        if here in changes:
            own[field] = changes[here]
        elif any(way[: len(here)] == here for way in changes):
            if isinstance(held, Part):
                own[field] = _rebuilt(held, here, changes)
            else:
                own[field] = tuple(_inner(inner, (*here, at), changes) for at, inner in enumerate(held))
    return part.but(**own) if own else part


def _inner(held: Any, here: PropertyPath, changes: dict[PropertyPath, str]) -> Any:
    return _rebuilt(held, here, changes) if isinstance(held, Part) else held
