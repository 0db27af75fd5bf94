"""Layouts that a new report can begin with: each proposes what the chosen fields are, and makes the report's page."""

from collections.abc import Callable, Sequence

from msgspec import Struct

from northmoor.core.authoring.starters.block_starters import BLOCK_STARTERS, BlockStarter, ChosenField
from northmoor.core.authoring.starters.starter_layouts import STYLES, Field, running_footer
from northmoor.core.base.replace import replace
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.text import TextBlock, literal_template
from northmoor.core.model.data.queries import Query
from northmoor.core.model.report import Edition, Report

_NEEDS_TWO = "Tick another field, and one whose values repeat from row to row."
_HEADING = TextBlock(name="title", text="{report_title()}", style="title", space_after=14_000)


class ReportLayout(Struct, frozen=True):
    """A layout. `needs` says what it lacks where it does not fit; `required` are roles of which each must be given to a
    field, beside one that has another role if `is_more` is so."""

    name: str
    starter: BlockStarter
    propose: Callable[[Sequence[Field]], list[ChosenField]]
    needs: str
    required: tuple[str, ...] = ()
    is_more: bool = False
    is_titled: bool = True

    def fits(self, chosen: Sequence[ChosenField]) -> bool:
        """Whether a report can be begun with these fields."""
        roles = [each.role for each in chosen]
        given = all(role in roles for role in self.required)
        return bool(roles) and given and (not self.is_more or len(roles) > len(self.required))

    def begin(self, base: Report, query: Query, chosen: Sequence[ChosenField], title: str) -> Report:
        """The new report. `base` has the queries and parameters that it keeps."""
        block = self.starter.make(query.name, chosen)
        blocks = (_HEADING, block) if self.is_titled else (block,)
        known = {style.name for style in base.styles}
        styles = (*base.styles, *(style for style in STYLES if style.name not in known))
        edition = Edition(name="main", footer=running_footer(), blocks=blocks)
        return base.but(title=title, styles=styles, editions=(edition,), shown_edition=None)


def _proposed_table(fields: Sequence[Field], first_group: str | None) -> list[ChosenField]:
    """Columns, of which the first whose values repeat has a role of its own."""
    plain = (field for field in fields if field.total is None and field.repeats)
    group = next(plain, None) if first_group is not None else None
    return [
        ChosenField(field, str(first_group) if field == group else "column" if field.total is None else "total")
        for field in fields
    ]


def _proposed_crossing(starter: BlockStarter, most: int) -> Callable[[Sequence[Field]], list[ChosenField]]:
    def propose(fields: Sequence[Field]) -> list[ChosenField]:
        crossing = [field for field in fields if field.total is not None or field.repeats or field.is_moment]
        plain = [field for field in crossing if field.total is None]
        is_enough = bool(plain) and (len(plain) < len(crossing) or len(plain) >= most)
        return starter.propose(crossing) if is_enough else []

    return propose


def _records(query: str, chosen: Sequence[ChosenField]) -> Block:
    """A page for each value of the fields that make records, with a table of the others."""
    record, *inner = (each.field for each in chosen if each.role == "record")
    others = [each for each in chosen if each.role != "record"]
    table = BLOCK_STARTERS["table"].make(query, [*(ChosenField(field, "group") for field in inner), *others])
    key = record.expression
    heading = TextBlock(
        name="heading", text=f"{literal_template(record.label)} {{{key}}}", style="title", space_after=14_000
    )
    return ForEachBlock(
        name=f"each-{record.name}", query=query, by=key, restart_page_number=True, bookmark=f"{{{key}}}",
        blocks=(heading, table),
    )  # fmt: skip


_TABLE, _MATRIX, _CHART = BLOCK_STARTERS["table"], BLOCK_STARTERS["matrix"], BLOCK_STARTERS["chart"]
_RECORDS = replace(
    _TABLE, name="records", label="Page per record", make=_records,
    roles={"record": "Page for each", **_TABLE.roles}, propose=lambda fields: _proposed_table(fields, "record"),
)  # fmt: skip
REPORT_LAYOUTS: tuple[ReportLayout, ...] = (
    ReportLayout("Listing", _TABLE, lambda fields: _proposed_table(fields, None), "Tick a field."),
    ReportLayout(
        "Grouped", _TABLE, lambda fields: _proposed_table(fields, "group"), _NEEDS_TWO, ("group",), is_more=True
    ),
    ReportLayout("Matrix", _MATRIX, _proposed_crossing(_MATRIX, 2), _NEEDS_TWO, ("rows",)),
    ReportLayout(
        "Chart", _CHART, _proposed_crossing(_CHART, 1), "Tick a field whose values repeat from row to row.",
        ("category",),
    ),
    ReportLayout("Page per record", _RECORDS, _RECORDS.propose, _NEEDS_TWO, ("record",), True, is_titled=False),
)  # fmt: skip
"""All layouts, in the order in which they are offered."""


def proposed_reports(base: Report, query: Query, fields: Sequence[Field], title: str) -> dict[str, Report]:
    """The reports that can be begun with fields as each layout proposes them, by the names of the layouts."""
    proposed = [(layout, layout.propose(fields)) for layout in REPORT_LAYOUTS]
    return {layout.name: layout.begin(base, query, chosen, title) for layout, chosen in proposed if layout.fits(chosen)}
