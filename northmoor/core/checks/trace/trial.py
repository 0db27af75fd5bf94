"""What a cell would show if its content were another: the value of an expression while it is being written."""

from typing import Any

from msgspec import Struct

from northmoor.core.authoring.column_roles import column_format
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.trace.tables import cell_content, figure_address, traced_fragment
from northmoor.core.compute.evaluate.scope_names import PAGE_SCOPES
from northmoor.core.compute.evaluate.slots import template_of
from northmoor.core.compute.groups.boundaries import ScopedExpression
from northmoor.core.compute.table.evaluation import TablePlan, evaluate_table, table_plan
from northmoor.core.document import Document
from northmoor.core.engine.arrow_types import type_of_arrow
from northmoor.core.errors import LayoutError, NorthmoorError, Place
from northmoor.core.expr.formats import FormatLocale, format_one
from northmoor.core.expr.templates import Slot
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.core.model.blocks.table import Content, RowPlace, TableBlock
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME


class Trial(Struct, frozen=True):
    """What would be shown, and the kind of the value in words (empty for a text with values in it)."""

    shown: str
    kind: str = ""


def try_content(
    document: Document, page: int, region: HitRegion, text: str, is_template: bool, stop: CancelToken
) -> Trial:
    """Compute an expression, or the text of a template, for the row or group of a spot on a page of a table.

    Raises ExpressionError for one that cannot be understood, LayoutError for one that cannot be computed, and where
    values are those of pages or of a matrix.
    """
    template = template_of(Content(text=text) if is_template else Content(value=text))
    part = traced_fragment(document, page, region)
    table = part.layout.table
    assert region.printed is not None  # only such a fragment is traced
    place = RowPlace(region.row, region.level, region.number)
    at = figure_address(part, place, region.printed)
    if part.layout.data.crosstab is not None or at.scope in PAGE_SCOPES.values():
        raise LayoutError("Its value is shown on the page once it is changed.", Place(block=table.name))
    slots = [each for each in template if isinstance(each, Slot)]
    wanted = frozenset(ScopedExpression(at.scope, slot.expression.text) for slot in slots)
    plan = TablePlan(table.query, table_plan(table).order, wanted)
    cells = evaluate_table(plan, document.rows, document.resolved.complete_values(), stop).cells
    pattern = None if is_template else _pattern(document, table, place, region.under or region.column, text)
    texts, kind = [], ""
    for each in template:
        if not isinstance(each, Slot):
            texts.append(each)
            continue
        computed = cells[ScopedExpression(at.scope, each.expression.text)]
        if (fault := computed.fault or computed.faults.get(at.at)) is not None:
            raise LayoutError(fault.message, Place(block=table.name, column=region.column))
        texts.append(_written(document, computed.values[at.at].as_py(), each.pattern or pattern))
        known = type_of_arrow(computed.values.type)
        kind = KIND_OF_NAME[known.kind].label.lower() if known is not None else ""
    return Trial("".join(texts), kind if len(template) == 1 else "")


def _pattern(document: Document, table: TableBlock, place: RowPlace, name: str | None, text: str) -> str | None:
    """How a cell would be written with another expression: by its own format, or that of its column."""
    own = cell_content(table, place, name).format
    column = next(each for each in table.columns if each.name == name)
    if place == RowPlace("detail"):
        return column_format(document.report, table, column.but(value=text, text=None))
    return own or (column_format(document.report, table, column) if "count(" not in text.replace(" ", "") else None)


def _written(document: Document, value: Any, pattern: str | None) -> str:
    report = document.report
    locale = FormatLocale(report.locale, report.currency, report.time_zone)
    try:
        return format_one(value, pattern, locale)
    except NorthmoorError:
        return format_one(value, None, locale)  # the pattern is one for other kinds of values
