"""What a cell shows, as the expressions that it needs, and the scope of each of a table's rows."""

from collections.abc import Iterator, Mapping
from contextlib import suppress

from northmoor.core.compute.evaluate.scope_names import DETAIL, PAGE, PAGES_BEFORE, PAGES_TO_HERE
from northmoor.core.compute.groups.boundaries import Grouping
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import parse
from northmoor.core.expr.templates import Slot, Template, parse_template, with_names
from northmoor.core.model.base import GroupingLevel
from northmoor.core.model.blocks.table import Column, Content, RowPlace, TableBlock

_SCOPES = {
    "head": 0, "detail": DETAIL, "page_total": PAGE, "brought_forward": PAGES_BEFORE, "carried_forward": PAGES_TO_HERE,
}  # fmt: skip


def template_of(content: Content) -> Template:
    """A cell's content as literal texts and slots. Raises ExpressionError."""
    if content.value is not None:
        return (Slot(parse(content.value), content.format),)
    return parse_template(content.text or "")


def head_content(column: Column) -> Content:
    """A column's title as a cell; its scope is the report."""
    return Content(text=column.title)


def grouping_of(level: GroupingLevel) -> Grouping:
    """What decides a level's groups."""
    return Grouping(
        level.name,
        level.by,
        level.order,
        level.order_by,
        level.keep_groups,
        level.first_groups if isinstance(level.first_groups, int) else None,
        level.parent,
        level.listed,
        level.others,
        level.count_ways,
    )


def slots_in(content: Content | str) -> Iterator[str]:
    """The expressions that a cell, or a template, needs. Faulty ones are left out; they are reported where they are
    laid out."""
    if isinstance(content, str):
        content = Content(text=content)
    yield from (rule.when for rule in content.rules if _parses(rule.when))
    if content.currency and _parses(content.currency):
        yield content.currency
    for text in (content.text, content.link, content.anchor):
        with suppress(ExpressionError):
            yield from (slot.expression.text for slot in parse_template(text or "") if isinstance(slot, Slot))
    if content.value is not None and _parses(content.value):
        yield parse(content.value).text


def with_renamed_columns(content: Content, named: Mapping[str, str]) -> Content:
    """A cell with some of its expressions replaced by the names of others."""
    value = content.value
    if value is not None and _parses(value):
        value = named.get(parse(value).text, value)
    texts = {
        name: with_names(text, named)
        for name in ("text", "link", "anchor")
        if (text := getattr(content, name)) is not None
    }
    rules = tuple(rule.but(when=named.get(rule.when, rule.when)) for rule in content.rules)
    currency = named.get(content.currency, content.currency) if content.currency is not None else None
    return content.but(value=value, rules=rules, currency=currency, **texts)


def _parses(text: str) -> bool:
    try:
        parse(text)
    except ExpressionError:
        return False  # reported where the rule is asked
    return True


def scope_of(table: TableBlock, place: RowPlace) -> int:
    """The scope that expressions of a row are in."""
    if place.row in _SCOPES:
        return _SCOPES[place.row]
    return 0 if place.level is None else 1 + [level.name for level in table.levels].index(place.level)
