"""What a trace consists of: the figures behind a shown text, each verified, and its scope in words."""

import math
from decimal import Decimal
from typing import Any

from msgspec import Struct

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.compute.evaluate.scope_names import DETAIL, PAGE_SCOPES
from northmoor.core.compute.explain.table_query import FigureAddress, TableVerifier, Verification
from northmoor.core.compute.groups.boundaries import ScopedExpression
from northmoor.core.document import Document
from northmoor.core.engine.rows import Rows
from northmoor.core.expr.formats import format_one
from northmoor.core.layout.flow.fragments import TableFragmentOnPage
from northmoor.core.layout.page.hit_testing import HitRegion


class Figure(Struct, frozen=True):
    """One value of a cell: its formula, the value that was computed, and what plain SQL says."""

    formula: str
    value: Any
    verification: Verification
    expected_rows: int

    @property
    def agrees(self) -> bool | None:
        """Whether both ways give the same value over as many rows; None where it was asked one way only."""
        if self.verification.why_not is not None:
            return None
        return self.verification.rows == self.expected_rows and _is_equal(self.value, self.verification.value)


class Trace(Struct, frozen=True, eq=False):
    """Why a cell shows what it shows: the text, what its rows are in words, its figures, and the rows behind them."""

    shown: str
    scope: str
    figures: tuple[Figure, ...]
    rows: Rows | None
    """None where there are no rows behind it, or those of several queries."""
    readings: Rows | None = None
    """Of a statistic of a signal, the readings behind it with the time that each counted."""


def figure_of(
    text: str, cells: Any, standpoint: FigureAddress, asking: TableVerifier, rows: int, stop: CancelToken
) -> Figure:
    computed: Computed = cells[ScopedExpression(standpoint.scope, text)]
    fault = computed.fault or computed.faults.get(standpoint.at)
    if fault is not None:
        return Figure(text, None, Verification(why_not=fault.message), rows)
    return Figure(text, computed.values[standpoint.at].as_py(), asking.verify(text, standpoint, stop), rows)


def text_on_page(part: TableFragmentOnPage, region: HitRegion) -> str:
    layout = part.layout
    assert region.printed is not None
    plan = layout.plans[layout.plan_number(region.printed)]
    cell = next(cell for cell in plan.cells if cell.name == (region.under or region.column))
    if region.printed >= 0:
        return cell.texts.text(int(layout.rows.index[region.printed]))
    return cell.texts.text(part.rows.number if len(cell.texts.texts) > 1 else 0)


def scope_words(document: Document, asking: TableVerifier, standpoint: FigureAddress) -> str:
    """What the rows behind a figure have in common."""
    scope, at = standpoint.scope, standpoint.at
    if scope == DETAIL:
        return phrase(f"row {at + 1:,} of the table")
    if scope in PAGE_SCOPES.values():
        window = next(name for name, known in PAGE_SCOPES.items() if known == scope)
        return {
            "page": phrase("the rows on this page"),
            "pages_before": phrase("the rows on all pages before"),
            "pages_to_here": phrase("the rows on all pages up to this one"),
        }[window]
    if scope == 0:
        return phrase("all rows of the table")
    format_locale = document.composition.context.locale
    start = int(asking.data.levels[scope - 1].starts[at])
    words = []
    for level in range(1, scope + 1):
        groups = asking.data.levels[level - 1]
        group = at if level == scope else int(asking.data.group_of_row[level - 1][start])
        key = groups.labels.get(group) or format_one(groups.keys[group].as_py(), None, format_locale) or "blank"
        name = asking.order.groupings[level - 1].name
        is_tree = groups.tree is not None
        words.append(phrase(f"{name} = {key} and what lies in it") if is_tree else f"{name} = {key}")
    return ", ".join(words)


def _is_equal(one: Any, other: Any) -> bool:
    if isinstance(one, float) or isinstance(other, float):
        if one is None or other is None:
            return one is other
        return math.isclose(float(one), float(other), rel_tol=1e-9, abs_tol=1e-12) or (one != one and other != other)
    if isinstance(one, Decimal) or isinstance(other, Decimal):
        return one == other if one is None or other is None else Decimal(one) == Decimal(other)
    return bool(one == other)
