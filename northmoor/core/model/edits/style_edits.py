"""Edits of styles and looks: styles kept in one place, looks of tables made of styles, looks copied from one part to
others."""

from collections.abc import Callable
from typing import Any

from msgspec import Struct

from northmoor.core.model.base import Part
from northmoor.core.model.blocks.table import Cell, RowPlace, TableBlock
from northmoor.core.model.edits.block_edits import put_block
from northmoor.core.model.edits.table_edits import change_cell, change_column, change_row, table_of
from northmoor.core.model.report import Report, style_fields
from northmoor.core.model.styles import ConditionalFormat, NamedStyle, Style


def add_style(report: Report, style: NamedStyle) -> Report:
    """Add a style."""
    return report.but(styles=(*report.styles, style))


def change_style(report: Report, name: str, /, **changes: Any) -> Report:
    """Change properties of a style, everywhere it is used; a new name goes where the old one was."""
    styles = tuple(style.but(**changes) if style.name == name else style for style in report.styles)
    new = changes.get("name", name)
    if new == name:
        return report.but(styles=styles)
    styles = tuple(style.but(based_on=new) if style.based_on == name else style for style in styles)
    editions = tuple(_renamed(edition, name, new) for edition in report.editions)
    return report.but(styles=styles, editions=editions)


def remove_style(report: Report, name: str) -> Report:
    """Take a style out; what used it, or was based on it, uses what it was based on."""
    base = next(style.based_on for style in report.styles if style.name == name)
    kept = tuple(style for style in report.styles if style.name != name)
    kept = tuple(style.but(based_on=base) if style.based_on == name else style for style in kept)
    return report.but(styles=kept, editions=tuple(_renamed(edition, name, base) for edition in report.editions))


def uses_of(report: Report, name: str) -> int:
    """How many parts use a style by its name."""
    count = 0

    def counted(part: Part) -> Part:
        nonlocal count
        count += sum(getattr(part, field) == name for field in style_fields(part))
        return part

    for edition in report.editions:
        _mapped(edition, counted)
    return count + sum(style.based_on == name for style in report.styles)


def _renamed(edition: Any, name: str, new: str | None) -> Any:
    def changed(part: Part) -> Part:
        given = {field: new for field in style_fields(part) if getattr(part, field) == name}
        return part.but(**given) if given else part

    return _mapped(edition, changed)


def _mapped(part: Any, change: Callable[[Part], Part]) -> Any:
    """A part with each of the parts in it, and itself, changed."""
    if isinstance(part, tuple):
        return tuple(_mapped(each, change) for each in part)
    if not isinstance(part, Part):
        return part
    given = {}
    for field in type(part).model_fields:
        held = getattr(part, field)
        if isinstance(held, Part | tuple):
            mapped = _mapped(held, change)
            if mapped != held:
                given[field] = mapped
    return change(part.but(**given) if given else part)


class TableLook(Struct, frozen=True):
    """A starting point for a table's look: its styles, each used by the part of the table that `uses` names, and the
    styles of every second row."""

    title: str
    styles: tuple[NamedStyle, ...]
    every_second: str | None = None


_BODY = NamedStyle(name="table", padding=2000, inset=4000)
TABLE_LOOKS = {
    "plain": TableLook(
        "Plain",
        (
            _BODY,
            NamedStyle(name="table-head", based_on="table", bold=True, rule_below=750, padding=3000),
            NamedStyle(name="table-heading", based_on="table", bold=True, padding=5000),
            NamedStyle(name="table-total", based_on="table", bold=True, rule_above=500, padding=3000),
            NamedStyle(name="table-grand-total", based_on="table-total", rule_above=1000, rule_below=1000),
        ),
    ),
    "ruled": TableLook(
        "Ruled lines",
        (
            _BODY.but(rule_below=250, rule_color="#CFC9BC"),
            NamedStyle(
                name="table-head", based_on="table", bold=True, rule_below=1000, rule_color="#1F1B16", padding=3000
            ),
            NamedStyle(name="table-heading", based_on="table", bold=True, padding=4000),
            NamedStyle(
                name="table-total", based_on="table", bold=True, rule_above=500, rule_color="#1F1B16", padding=3000
            ),
            NamedStyle(name="table-grand-total", based_on="table-total", rule_above=1000, rule_below=1000),
        ),
    ),
    "zebra": TableLook(
        "Every second row shaded",
        (
            _BODY,
            NamedStyle(name="table-head", based_on="table", bold=True, color="#FFFFFF", fill="#2F5F66", padding=3000),
            NamedStyle(name="table-heading", based_on="table", bold=True, padding=5000),
            NamedStyle(name="table-total", based_on="table", bold=True, rule_above=500, padding=3000),
            NamedStyle(name="table-grand-total", based_on="table-total", fill="#DDE7E4", rule_above=1000),
            NamedStyle(name="table-second", fill="#F1F5F3"),
        ),
        "table-second",
    ),
    "levels": TableLook(
        "Emphasis by level",
        (
            _BODY,
            NamedStyle(name="table-head", based_on="table", color="#6B645A", rule_below=500, padding=3000),
            NamedStyle(name="table-heading", based_on="table", bold=True, fill="#EFEBE2", padding=4000),
            NamedStyle(name="table-total", based_on="table", italic=True, rule_above=250, padding=2500),
            NamedStyle(name="table-grand-total", based_on="table-total", bold=True, italic=False, fill="#E4DDCF"),
        ),
    ),
}
"""Looks a table can start from."""
_SECOND = "row_number() % 2 = 0"


def take_table_look(report: Report, edition: str, table: str, name: str) -> Report:
    """Give a table one of `TABLE_LOOKS`: its styles are added to the report, where they can be changed as any."""
    look = TABLE_LOOKS[name]
    names = {style.name for style in look.styles}
    others = tuple(style for style in report.styles if style.name not in names)
    report = report.but(styles=(*others, *look.styles))
    block = table_of(report, edition, table)
    rules = tuple(rule for rule in block.rules if rule.when != _SECOND)
    if look.every_second is not None:
        rules = (ConditionalFormat(when=_SECOND, style=look.every_second), *rules)
    for place, row in block.rows():
        block = block.with_row(place, row.but(style=_style_of(place)))
    return put_block(report, edition, block.but(style="table", head_style="table-head", rules=rules))


def _style_of(place: RowPlace) -> str | None:
    if place.row == "heading":
        return "table-heading"
    if place.row == "total":
        return "table-total" if place.level is not None else "table-grand-total"
    return "table-total" if place.row == "page_total" else None


class CopiedStyle(Struct, frozen=True):
    """The look of a part: its style, own changes, rules, scale and format."""

    style: str | None
    look: Style | None
    rules: tuple[ConditionalFormat, ...]
    more: tuple[tuple[str, Any], ...] = ()


def copied_style(report: Report, edition: str, table: str, place: RowPlace, column: str | None) -> CopiedStyle:
    """The look of a table's cell, or of a whole row. Raises KeyError where there is none."""
    block = table_of(report, edition, table)
    part: Any = _part(block, place, column)
    more = tuple((name, getattr(part, name)) for name in ("scale", "format") if hasattr(part, name))
    return CopiedStyle(part.style, part.look, part.rules, more)


def with_copied_style(
    report: Report, edition: str, table: str, place: RowPlace, column: str | None, copied: CopiedStyle
) -> Report:
    """Give a cell or a row of a table a copied look."""
    block = table_of(report, edition, table)
    changes: dict[str, Any] = {"style": copied.style, "look": copied.look, "rules": copied.rules}
    part = _part(block, place, column)
    changes |= {name: value for name, value in copied.more if hasattr(part, name) and value is not None}
    if column is None:
        return change_row(report, edition, table, place, block.row_at(place).but(**changes))
    if place == RowPlace("detail"):
        return change_column(report, edition, table, column, **changes)
    return change_cell(report, edition, table, place, column, **changes)


def _part(block: TableBlock, place: RowPlace, column: str | None) -> Any:
    if place == RowPlace("detail") and column is not None:
        return next(each for each in block.columns if each.name == column)
    row = block.row_at(place)
    if column is None:
        return row
    return next((cell for cell in row.cells if cell.column == column), Cell(column=column))


def changed_style(look: Style | None, /, **changes: Any) -> Style | None:
    """A look with some properties changed; None when nothing is left of it."""
    changed = (look or Style()).but(**changes)
    return None if changed == Style() else changed
