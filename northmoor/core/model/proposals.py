"""Four ways to begin a report with a query's fields: a listing, groups, a matrix, and a statement for each record."""

from collections.abc import Sequence
from dataclasses import dataclass

from northmoor.core.model.blocks import Block, ForEachBlock
from northmoor.core.model.data import Query
from northmoor.core.model.edits import aggregate_of
from northmoor.core.model.matrices import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.starting import STYLES, listing, running_footer, total_row
from northmoor.core.model.tables import Column, TableBlock
from northmoor.core.model.texts import TextBlock, literal


@dataclass(frozen=True)
class Field:
    """A field of a query: its name, the expression that means it, what readers call it, how it is totalled, if at all,
    and whether it is a moment, whose months make better groups than its days."""

    name: str
    expression: str
    label: str
    total: str | None = None
    is_moment: bool = False


def proposals(base: Report, query: Query, fields: Sequence[Field], title: str) -> dict[str, Report]:
    """The reports that can be begun with fields, in the order in which they matter, by the names of their kinds. `base`
    has the queries and parameters that they keep."""
    plain, totalled = [f for f in fields if f.total is None], [f for f in fields if f.total is not None]
    found: dict[str, Report] = {}
    if fields:
        found["Listing"] = _listed(base, query, fields, [], title)
    if plain and len(fields) > 1:
        found["Grouped"] = _listed(base, query, fields, plain[:1], title)
    if plain and (totalled or len(plain) > 1):
        found["Matrix"] = _with_blocks(base, title, _matrix(query, plain, totalled))
    if plain and len(fields) > 1:
        found["Statements"] = _with_blocks(base, title, _statements(query, fields, plain[0]), titled=False)
    return found


def _with_blocks(base: Report, title: str, block: Block, titled: bool = True) -> Report:
    heading = (TextBlock(name="title", text="{report_title()}", style="title", space_after=14_000),) if titled else ()
    edition = Edition(name="main", footer=running_footer(), blocks=(*heading, block))
    return _begun(base, edition, title)


def _begun(base: Report, edition: Edition, title: str) -> Report:
    known = {style.name for style in base.styles}
    styles = (*base.styles, *(style for style in STYLES if style.name not in known))
    return base.but(title=title, styles=styles, editions=(edition,), shown_edition=None)


def _listed(base: Report, query: Query, fields: Sequence[Field], levels: Sequence[Field], title: str) -> Report:
    columns = [(f.name, f.expression, f.label) for f in fields]
    totals = [f.name for f in fields if f.total is not None]
    made = listing(query, columns, [f.name for f in levels], totals, title)
    return _begun(base, made.editions[0], title)


def _matrix(query: Query, plain: Sequence[Field], totalled: Sequence[Field]) -> MatrixBlock:
    measures = [
        Measure(name=f.name, value=aggregate_of(str(f.total), f.expression), title=literal(f.label))
        for f in totalled[:1]
    ]
    return MatrixBlock(
        name="matrix", query=query.name, rows=tuple(map(_level, plain[:1])), columns=tuple(map(_level, plain[1:2])),
        measures=tuple(measures) or (Measure(name="count", value="count(*)", title="Count"),),
        style="body", head_style="head", total_style="grand-total",
    )  # fmt: skip


def _level(field: Field) -> MatrixLevel:
    by = f"date_trunc('month', {field.expression})" if field.is_moment else field.expression
    return MatrixLevel(name=field.name, by=by, title=literal(field.label), format="MMM y" if field.is_moment else None)


def _statements(query: Query, fields: Sequence[Field], key: Field) -> ForEachBlock:
    others = [field for field in fields if field is not key]
    shown = [(field.name, field.expression, field.label) for field in others]
    totals = [field.name for field in others if field.total is not None]
    table = TableBlock(
        name="table", query=query.name, style="body", head_style="head",
        columns=tuple(Column(name=n, value=e, title=literal(label)) for n, e, label in shown),
        total=(total_row("Total", {n: e for n, e, _ in shown}, shown, totals, "grand-total"),) if totals else (),
    )  # fmt: skip
    heading = TextBlock(
        name="heading", text=f"{literal(key.label)} {{{key.expression}}}", style="title", space_after=14_000
    )
    return ForEachBlock(
        name=f"each-{key.name}", query=query.name, by=key.expression, restart_page_number=True,
        bookmark=f"{{{key.expression}}}", blocks=(heading, table),
    )  # fmt: skip
