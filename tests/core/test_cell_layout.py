"""The plans of a table's cells: how they are aligned, what they say once, how far they are indented, how they look."""

import json
from collections.abc import Callable, Sequence
from typing import Any

import pytest

from northmoor.core.document import Document
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.table.cell_layout import (
    CellLayout,
    RowLayout,
    continued_rows,
    lay_out_page_rows,
    lay_out_rows,
    name_of_row,
    ordered_cells,
    with_extent,
)
from northmoor.core.layout.table.fitting import sequence_of
from northmoor.core.model.blocks.chart import Chart, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.table import Cell, Column, Drawing, OrderBy, Row, RowPlace, TableBlock
from northmoor.core.model.styles import ColorScale, ConditionalFormat, Style
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, dumped, level_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
CHART = Chart(category=ChartLevel(name="vessel", by="vessel"), measures=(ChartMeasure(name="n", value="count(*)"),))


def planned(made: Library, table: TableBlock, **more: Any) -> tuple[Document, list[RowLayout], LayoutContext]:
    """The document of a table over the freight lines, its plans, and what they were made with."""
    document = render(report_of(table, **more), made)
    data, context = document.composition.data[table.name], document.composition.context
    _, plans = lay_out_rows(table, data, sequence_of(table, data, context), context)  # type: ignore[arg-type]
    return document, list(plans), context


def plan_of(plans: Sequence[RowLayout], row: str, level: str | None = None, number: int = 0) -> RowLayout:
    return next(plan for plan in plans if plan.place == RowPlace(row, level, number))


def cell_of(plan: RowLayout, column: str) -> CellLayout:
    return next(cell for cell in plan.cells if cell.name == column)


def texts_of(cell: CellLayout) -> list[str]:
    return [cell.texts.text(at) for at in range(len(cell.shaped.lines))]


def test_numbers_end_texts_start_and_heads_and_totals_follow_their_column(library: MakeLibrary) -> None:
    total = Row(cells=(
        Cell(column="vessel", text="All of {count(*)}"), Cell(column="pieces", value="sum(pieces)"),
        Cell(column="charge", text="in all"), Cell(column="note", value="count(note)"),
    ))  # fmt: skip
    table = table_of("route", "vessel", "pieces", "charge", "note", total=(total,))
    _, plans, _ = planned(library(FREIGHT), table)
    sides = {
        column: cell_of(plan_of(plans, "detail"), column).align for column in ("route", "pieces", "charge", "note")
    }
    assert sides == {"route": "start", "pieces": "end", "charge": "end", "note": "start"}
    assert [cell.align for cell in plan_of(plans, "head").cells] == ["start", "start", "end", "end", "start"]
    found = plan_of(plans, "total")
    assert [(cell.name, cell.align) for cell in found.cells] == [
        ("vessel", "start"), ("pieces", "end"), ("charge", "end"), ("note", "start"),
    ]  # fmt: skip


def test_a_text_over_several_columns_and_one_in_the_first_start(library: MakeLibrary) -> None:
    wide = Row(cells=(Cell(column="pieces", text="over two", span=2),))
    first = Row(cells=(Cell(column="pieces", text="first"), Cell(column="charge", text="second")))
    _, plans, _ = planned(library(FREIGHT), table_of("pieces", "charge", total=(wide, first)))
    assert [cell.align for cell in plan_of(plans, "total").cells] == ["start"]
    assert plan_of(plans, "total").cells[0].span == 2
    assert [cell.align for cell in plan_of(plans, "total", number=1).cells] == ["start", "end"]


def test_a_style_decides_the_side_before_all_else(library: MakeLibrary) -> None:
    centred = Column(name="pieces", value="pieces", title="pieces", look=Style(align="center"))
    _, plans, _ = planned(library(FREIGHT), table_of(centred, total=(row_of(pieces="sum(pieces)"),)))
    assert cell_of(plan_of(plans, "detail"), "pieces").align == "center"
    assert cell_of(plan_of(plans, "head"), "pieces").align == "center"
    assert cell_of(plan_of(plans, "total"), "pieces").align == "center"


def test_columns_without_rows_are_aligned_by_their_totals(library: MakeLibrary) -> None:
    levels = (level_of("route", total=(row_of(charge="sum(charge)", note="max(note)"),)),)
    _, plans, _ = planned(library(FREIGHT), table_of("charge", "note", levels=levels, show_details=False))
    assert [cell.align for cell in plan_of(plans, "head").cells] == ["end", "start"]


def test_a_value_is_shown_once_in_each_group(library: MakeLibrary) -> None:
    def repeats(column: str, *levels: str, **more: Any) -> list[bool]:
        shown = Column(name="c", value=column, title="c", blank_repeats=True)
        made = tuple(level_of(level, **more) for level in levels)
        _, plans, _ = planned(library(FREIGHT), table_of(shown, levels=made, order=(OrderBy(by="day"),)))
        marked = plan_of(plans, "detail").cells[0].repeats
        assert marked is not None
        return marked.tolist()

    # by route: TQ-IL (Dunlin, Curlew), TQ-SK (Curlew, Dunlin, Curlew), none (Dunlin)
    assert repeats("vessel", "route") == [False, False, False, False, False, False]
    assert repeats("vessel", "route", "vessel") == [False, False, False, True, False, False]
    assert repeats("route", "route") == [False, True, False, True, True, False]
    assert repeats("route", "route", "vessel") == [False, True, False, True, True, False]  # the key of a level around
    assert repeats("'same'", "route") == [False, True, False, True, True, False]
    assert repeats("'same'") == [False, True, True, True, True, True]


def test_rows_of_a_group_say_once_what_the_group_around_says_too(library: MakeLibrary) -> None:
    heading = Row(cells=(Cell(column="c", value="route", blank_repeats=True),))
    inner = level_of("vessel", heading=(heading,))
    _, plans, _ = planned(library(FREIGHT), table_of(Column(name="c", value="note", title="c"),
                                                     levels=(level_of("route"), inner)))  # fmt: skip
    marked = plan_of(plans, "heading", "vessel").cells[0].repeats
    assert marked is not None
    assert marked.tolist() == [False, True, False, True, False]  # of five vessels on three routes


def test_what_is_in_a_group_begins_further_right_in_the_first_column_only(library: MakeLibrary) -> None:
    heading = (row_of(vessel="max(vessel)", note="max(note)"),)
    levels = (level_of("route", indent=3_000, heading=heading), level_of("vessel", indent=2_000, heading=heading))
    _, plans, _ = planned(library(FREIGHT), table_of("vessel", "note", levels=levels))
    detail, outer, inner = (plan_of(plans, *of) for of in (("detail",), ("heading", "route"), ("heading", "vessel")))
    for plan, wanted in ((detail, 5_000), (outer, 0), (inner, 3_000)):
        shift = plan.cells[0].shift
        assert shift is not None
        assert set(shift.tolist()) == {wanted}
        assert plan.cells[0].widest == wanted + max(plan.cells[0].shaper.widths(plan.cells[0].shaped.among, 9_000))
        assert plan.cells[1].shift is None
    flat = planned(library(FREIGHT), table_of("vessel", levels=(level_of("route"),)))[1]
    assert plan_of(flat, "detail").cells[0].shift is None


def test_groups_of_a_tree_are_indented_by_their_depth(library: MakeLibrary) -> None:
    tree = "create table lines (id text, up text, n integer);" + "".join(
        f"insert into lines values ('{own}', {up}, 1);"
        for own, up in (("a", "null"), ("b", "'a'"), ("c", "'b'"), ("d", "'a'"))
    )
    level = level_of("id", parent="up", indent=1_000, heading=(row_of(id="id"),))
    _, plans, _ = planned(library(tree), table_of("id", levels=(level,)))
    heading, detail = plan_of(plans, "heading", "id").cells[0], plan_of(plans, "detail").cells[0]
    assert heading.shift is not None
    assert detail.shift is not None
    assert dict(zip(texts_of(heading), heading.shift.tolist(), strict=True)) == {
        "a": 0,
        "b": 1_000,
        "c": 2_000,
        "d": 1_000,
    }
    assert dict(zip(texts_of(detail), detail.shift.tolist(), strict=True)) == {
        "a": 1_000,
        "b": 2_000,
        "c": 3_000,
        "d": 2_000,
    }


def test_decimal_signs_are_as_far_from_the_end_as_the_longest_tail(library: MakeLibrary) -> None:
    shown = Column(name="x", value="charge", title="x", format="0.###", look=Style(align="decimal"))
    _, plans, _ = planned(library(FREIGHT), table_of(shown, order=(OrderBy(by="charge"),)))
    cell = plan_of(plans, "detail").cells[0]
    assert texts_of(cell) == ["0.35", "7", "9.9", "12.1", "38.5", "100.05"]
    assert cell.tails is not None
    widths = [cell.shaper.width(text, 9_000) for text in (".35", "", ".9", ".1", ".5", ".05")]
    assert cell.tails.tolist() == pytest.approx(widths, abs=60)
    assert cell.tail == max(cell.tails)
    assert cell.needed == cell.widest + cell.tail


def test_rules_of_rows_and_cells_give_looks_to_their_instances(library: MakeLibrary) -> None:
    bold = ConditionalFormat(when="pieces >= 4", look=Style(bold=True))
    red = ConditionalFormat(when="charge > 20", look=Style(color="#AA0000"))
    charged = Column(name="charge", value="charge", title="charge", rules=(red,))
    table = table_of("pieces", charged, rules=(bold,), order=(OrderBy(by="charge"),))
    _, plans, _ = planned(library(FREIGHT), table)
    detail = plan_of(plans, "detail")
    pieces, charge = detail.cells
    assert [pieces.look_of(at).bold for at in range(6)] == [False, True, False, False, True, True]
    assert [charge.look_of(at).bold for at in range(6)] == [False, True, False, False, True, True]
    assert [charge.look_of(at).color == "#AA0000" for at in range(6)] == [False, False, False, False, True, True]
    assert [detail.look_of(at).bold for at in range(6)] == [False, True, False, False, True, True]
    assert charge.widest == max(variant.widest for variant in (charge, *charge.variants))
    assert max(variant.widest for variant in charge.variants) > charge.variants[0].widest  # bold is wider


def test_a_colour_scale_is_over_all_rows_and_totals_have_their_own(library: MakeLibrary) -> None:
    scale = ColorScale(low="#FFFFFF", high="#000000")
    column = Column(name="pieces", value="pieces", title="pieces", scale=scale)
    _, plans, _ = planned(
        library(FREIGHT), table_of(column, order=(OrderBy(by="pieces"),), total=(row_of(pieces="sum(pieces)"),))
    )
    cell = plan_of(plans, "detail").cells[0]
    fills = [cell.look_of(at).fill for at in range(6)]
    assert (fills[0], fills[-1]) == ("#ffffff", "#000000")
    assert len(set(fills)) == 6
    assert plan_of(plans, "total").cells[0].fills is None


def test_turned_texts_leave_the_width_of_one_line(library: MakeLibrary) -> None:
    column = Column(name="vessel", value="vessel", title="a title that is long", look=Style(turn="up"))
    _, plans, _ = planned(library(FREIGHT), table_of(column))
    cell = plan_of(plans, "detail").cells[0]
    assert cell.turned is not None
    assert (cell.widest, set(texts_of(cell))) == (cell.leading, {""})
    assert set(texts_of(cell.turned)) == {"Curlew", "Dunlin"}
    assert plan_of(plans, "head").cells[0].turned is None  # the head has a look of its own


def test_drawings_and_charts_are_in_place_of_texts_and_keep_links(library: MakeLibrary) -> None:
    bar = Column(
        name="pieces", value="pieces", title="pieces", draw=Drawing(kind="bar"), link="https://x.example/{pieces}"
    )
    level = level_of("route", heading=(Row(cells=(Cell(column="pieces", chart=CHART),)),))
    document, plans, _ = planned(
        library(FREIGHT),
        table_of(bar, levels=(level,), order=(OrderBy(by="vessel"), OrderBy(by="pieces", descending=True))),
    )
    cell = plan_of(plans, "detail").cells[0]
    assert cell.drawing is not None
    assert set(texts_of(cell)) == {""}
    assert [cell.link(at) for at in range(6)] == [f"https://x.example/{pieces}" for pieces in (3, 2, 6, 4, 1, 5)]
    heading = plan_of(plans, "heading", "route").cells[0]
    assert heading.chart is not None
    assert heading.drawing is None
    assert document.findings == ()


def test_a_chart_in_a_row_that_belongs_to_pages_is_a_finding(library: MakeLibrary) -> None:
    row = Row(cells=(Cell(column="pieces", chart=CHART),))
    document, plans, _ = planned(library(FREIGHT), table_of("pieces", page_total=row))
    assert plan_of(plans, "page_total").cells[0].chart is None
    assert {(f.rule, f.place.row) for f in document.findings} == {("chart", "page total")}


def test_rows_of_pages_without_anything_computed_are_printed_as_they_are(library: MakeLibrary) -> None:
    row = Row(cells=(Cell(column="pieces", text="in pieces"),))
    document, plans, _ = planned(library(FREIGHT), table_of("pieces", page_total=row))
    assert set(texts_of(plan_of(plans, "page_total").cells[0])) == {"in pieces"}
    assert any("in pieces" in json.dumps(page) for page in dumped(document)["pages"])
    assert document.findings == ()


def test_links_that_a_page_may_not_open_are_none(library: MakeLibrary) -> None:
    column = Column(name="note", value="note", title="note", link="{note}", anchor="n-{note}")
    _, plans, _ = planned(library(FREIGHT), table_of(column, order=(OrderBy(by="note"),)))
    cell = plan_of(plans, "detail").cells[0]
    assert [cell.link(at) for at in range(6)] == [None] * 6  # words without a scheme
    assert cell.anchors is not None
    assert cell.anchors.text(0) == "n-feed"
    bare = planned(library(FREIGHT), table_of("note"))[1]
    assert plan_of(bare, "detail").cells[0].link(0) is None


def test_likely_totals_of_pages_tell_how_wide_their_columns_are(library: MakeLibrary) -> None:
    table = table_of("charge", page_total=row_of(charge="sum(charge)"), carried_forward=row_of(charge="sum(charge)"))
    document, plans, context = planned(library(FREIGHT), table)
    assert texts_of(plan_of(plans, "carried_forward").cells[0])[-1] == "167.90"  # after all rows
    assert set(texts_of(plan_of(plans, "page_total").cells[0])) == {
        "38.50",
        "12.10",
        "9.90",
        "100.05",
        "0.35",
        "7.00",
        "",
    }
    assert plan_of(plans, "brought_forward").cells == ()
    data = document.composition.data["table"]
    details, _ = lay_out_rows(table, data, sequence_of(table, data, context), context)  # type: ignore[arg-type]
    empty = lay_out_page_rows(table, data, 0, details, context)  # type: ignore[arg-type]
    assert [texts_of(plan.cells[0]) if plan.cells else None for plan in empty] == [None, [], []]


def test_a_heading_that_goes_on_says_so_after_its_first_text(library: MakeLibrary) -> None:
    heading = (row_of(route="{route} by {count(*)}", vessel="max(vessel)"),)
    table = table_of("route", "vessel", levels=(level_of("route", heading=heading, continued="(continued) "),))
    _, plans, context = planned(library(FREIGHT), table)
    found = continued_rows(table, tuple(plans), context)
    ((number, plan),) = found.items()
    assert plans[number].place == RowPlace("heading", "route")
    assert texts_of(plan.cells[0]) == ["TQ-IL by 2 (continued)", "TQ-SK by 3 (continued)", " by 1 (continued)"]
    assert texts_of(plan.cells[1]) == texts_of(plans[number].cells[1])
    plain = table_of("route", levels=(level_of("route", heading=(row_of(route="route"),)),))
    assert continued_rows(plain, tuple(planned(library(FREIGHT), plain)[1]), context) == {}


def test_cells_are_in_the_order_of_columns_and_extents_are_those_of_all_parts(library: MakeLibrary) -> None:
    table = table_of("route", "pieces", "charge")
    row = Row(cells=tuple(Cell(column=name, text=name) for name in ("charge", "route", "pieces")))
    assert [cell.column for cell in ordered_cells(row, table)] == ["route", "pieces", "charge"]
    cell = plan_of(planned(library(FREIGHT), table)[1], "detail").cells[0]
    wide = with_extent(cell, (90_000, 4_000, 30_000))
    assert (wide.widest, wide.tail, wide.known_least, wide.needed) == (90_000, 4_000, 30_000, 94_000)


@pytest.mark.parametrize(
    ("place", "name"),
    [
        (RowPlace("detail"), "line 1 of rows"), (RowPlace("detail", None, 2), "line 3 of rows"), (RowPlace("head"), "head"),
        (RowPlace("head", None, 1), "head 2"), (RowPlace("heading", "route"), "heading of route"),
        (RowPlace("total", "route", 1), "total 2 of route"), (RowPlace("page_total"), "page total"),
    ],
)  # fmt: skip
def test_findings_name_a_row(place: RowPlace, name: str) -> None:
    assert name_of_row(place) == name
