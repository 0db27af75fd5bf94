"""Small blocks and grids: where they are on the page, to the millipoint, and what they say when something is wrong."""

import shutil
import sqlite3
from collections.abc import Callable
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.document import Document
from northmoor.core.layout.flow.grid_tracks import spanned_rows, track_widths
from northmoor.core.layout.page.hit_testing import hit_map
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.containers import ForEachBlock, GridBlock, GridCell, Track
from northmoor.core.model.blocks.simple import (
    BarcodeBlock,
    BreakBlock,
    LineBlock,
    ReadoutBlock,
    ShapeBlock,
    SpacerBlock,
)
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.edits.grid_edits import insert_row, insert_track, remove_row, remove_track
from northmoor.core.model.pages import PageSetup, Running, RunningLine, TextPiece
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.demo.reports.board_sheet import board_sheet
from tests.helpers import FREIGHT, dumped, level_of, lines_of, render, report_of, table_of

MakeLibrary = Callable[[str], Library]
LEFT, TOP, WIDTH = 56.693, 56.693, 595.276 - 2 * 56.693


def items(document: Document, block: str, kind: str | None = None) -> list[dict[str, Any]]:
    found = [i for page in dumped(document)["pages"] for i in page["items"] if i["origin"]["block"] == block]
    return [i for i in found if kind in (None, i["kind"])]


def box(item: dict[str, Any]) -> tuple[float, ...]:
    return tuple(round(item[name], 3) for name in ("x", "y", "width", "height"))


def text(name: str, said: str = "x", **more: Any) -> TextBlock:
    return TextBlock(name=name, text=said, **more)


def test_lines_shapes_and_spaces_are_where_they_are_placed(library: MakeLibrary) -> None:
    document = render(report_of(
        SpacerBlock(name="none", height=50_000),
        LineBlock(name="rule", thickness=2_000, color="#123456", space_after=10_000),
        ShapeBlock(name="box", width=100_000, height=40_000, align="end", fill="#ABCDEF", thickness=1_000, corner=5_000),
        SpacerBlock(name="space", height=20_000),
        ShapeBlock(name="round", draw="ellipse", width=60_000, height=30_000, align="center", stroke=None, fill="#123456"),
        ShapeBlock(name="line", draw="line", height=10_000),
    ), library(FREIGHT))  # fmt: skip
    (rule,) = items(document, "rule")
    assert box(rule) == (LEFT, TOP, round(WIDTH, 3), 2.0)  # a space at the top of a page takes no room
    (rounded,) = items(document, "box", "shape")
    assert box(rounded) == (round(LEFT + WIDTH - 100 + 0.5, 3), round(TOP + 12.5, 3), 99.0, 39.0)
    (ellipse,) = items(document, "round", "shape")
    assert box(ellipse) == (pytest.approx(LEFT + WIDTH / 2 - 30, abs=0.002), round(TOP + 72, 3), 60.0, 30.0)
    (line,) = items(document, "line", "path")
    assert line["points"] == [
        [LEFT, pytest.approx(TOP + 102)],
        [pytest.approx(LEFT + WIDTH, abs=0.002), pytest.approx(TOP + 112)],
    ]


def test_page_breaks_lead_to_the_wanted_page(library: MakeLibrary) -> None:
    document = render(report_of(
        text("a"), BreakBlock(name="b1"), text("b"), BreakBlock(name="b2", on="odd"), text("c"),
        BreakBlock(name="b3", on="odd"), text("d"), BreakBlock(name="b4"), BreakBlock(name="b5"), text("e"),
    ), library(FREIGHT))  # fmt: skip
    assert pages_of(document) == {"a": 1, "b": 2, "c": 3, "d": 5, "e": 6}


def pages_of(document: Document) -> dict[str, int]:
    """The last page that each block is on."""
    return {i["origin"]["block"]: page["number"] for page in dumped(document)["pages"] for i in page["items"]}


def test_odd_pages_are_those_of_the_document(library: MakeLibrary) -> None:
    """After a turned page, and for groups in columns: pages are counted from the document's first one."""
    turn, odd = BreakBlock(name="turn", orientation="landscape"), BreakBlock(name="odd", on="odd")
    document = render(report_of(text("a"), turn, text("b"), odd, text("c")), library(FREIGHT))
    assert pages_of(document) == {"a": 1, "b": 2, "c": 3}
    table = table_of("charge", levels=(level_of("route", page_break="between", odd_page=True),))
    for page, around in ((PageSetup(), (text("a"), turn)), (PageSetup(columns=2), ())):
        document = render(report_of(*around, table, page=page), library(FREIGHT))
        starts = {line.keys: line.page for line in reversed(lines_of(document)) if line.kind == "detail"}
        assert len(starts) > 2
        assert all(number % 2 for number in starts.values())
        assert len(set(starts.values())) == len(starts)


@pytest.mark.parametrize(
    ("against", "good", "shown", "color"),
    [
        ("100", "more", "+67.9 % more", "#5e7f3a"), ("100", "less", "+67.9 % more", "#b3402e"),
        ("250", "more", "−32.8 % more", "#b3402e"), ("167.90", "more", "±0.0 % more", "#6f675d"),
        ("0", "more", "– more", "#6f675d"), ("null", "more", "– more", "#6f675d"),
    ],
)  # fmt: skip
def test_a_readout_says_how_it_differs(library: MakeLibrary, against: str, good: str, shown: str, color: str) -> None:
    readout = ReadoutBlock(
        name="r", value="sum(rows.charge)", format="#,##0.00", caption="Charged", against=against, good=good,
        difference_text="more",
    )  # fmt: skip
    lines = items(render(report_of(readout), library(FREIGHT)), "r", "text")
    assert [line["text"] for line in lines] == ["Charged", "167.90", shown]
    assert lines[2]["color"] == color
    assert lines[1]["size"] > 2 * lines[0]["size"]


def test_what_cannot_be_shown_is_reported_in_its_place(library: MakeLibrary) -> None:
    blocks: tuple[Block, ...] = (
        BarcodeBlock(name="long", text="x" * 70, draw="barcode", width=30_000), BarcodeBlock(name="code", text="ok"),
        ReadoutBlock(name="bad", value="sum(nothing.charge)"),
        GridBlock(name="grid", cells=(GridCell(blocks=(ReadoutBlock(name="inner", value="1 / 'a'"), text("well"))),)),
    )  # fmt: skip
    document = render(report_of(*blocks), library(FREIGHT))
    assert "barcode of" in " ".join(i["text"] for i in items(document, "long", "text"))
    assert items(document, "code", "fill")
    assert "nothing" in " ".join(i["text"] for i in items(document, "bad", "text"))
    assert items(document, "inner", "text")
    assert items(document, "well", "text")


def test_a_grid_has_its_columns_and_rows(library: MakeLibrary) -> None:
    tall = ShapeBlock(name="tall", height=80_000)
    grid = GridBlock(
        name="grid", tracks=(Track(width=100_000), Track(share=1), Track(share=3)), gap=10_000, minimum_row_height=30_000,
        cells=(
            GridCell(row=0, column=0, rows=2, blocks=(tall,), fill="#123456", padding=5_000),
            GridCell(row=0, column=1, blocks=(text("one"),), fill="#223456"),
            GridCell(row=0, column=2, blocks=(table_of("note"),), fill="#323456"),
            GridCell(row=1, column=1, columns=2, blocks=(text("wide"),), fill="#423456"),
        ),
    )  # fmt: skip
    document = render(report_of(text("before", space_after=3_000), grid, text("after")), library(FREIGHT))
    grounds = [box(item) for item in items(document, "grid", "shape")]
    begin = items(document, "before")[0]
    top = round(begin["y"] + begin["height"] + 3, 3)
    free = WIDTH - 100 - 20
    first = grounds[1][3]
    assert grounds[0] == (LEFT, pytest.approx(top, abs=4), 100.0, grounds[0][3])
    assert grounds[1][:3] == (round(LEFT + 110, 3), grounds[0][1], pytest.approx(free / 4, abs=0.002))
    assert grounds[2][0] == pytest.approx(LEFT + 120 + free / 4, abs=0.002)
    assert grounds[2][2] == pytest.approx(free * 3 / 4, abs=0.002)
    assert grounds[2][3] == first  # cells are as high as their row
    assert grounds[3][1] == pytest.approx(grounds[0][1] + first + 10, abs=0.002)
    assert grounds[0][3] == pytest.approx(max(90.0, first + 10 + 30), abs=0.002)
    (shape,) = items(document, "tall")
    assert shape["x"] == pytest.approx(LEFT + 5 + 0.35, abs=0.001)
    assert items(document, "after")[0]["y"] > grounds[3][1] + grounds[3][3]
    rows = [i for i in items(document, "table", "text") if i["origin"]["row"] == "detail"]
    assert all(grounds[2][0] <= i["x"] <= i["x"] + i["width"] <= grounds[2][0] + grounds[2][2] for i in rows)


def test_a_grid_is_parted_between_rows_only(library: MakeLibrary) -> None:
    shapes = [ShapeBlock(name=f"s{n}", height=150_000) for n in range(8)]
    grid = GridBlock(
        name="grid", tracks=(Track(), Track()),
        cells=(*(GridCell(row=n, column=0, blocks=(shape,)) for n, shape in enumerate(shapes)),
               GridCell(row=3, column=1, rows=3)),
    )  # fmt: skip
    document = render(report_of(grid), library(FREIGHT))
    pages = {i["origin"]["block"]: page["number"] for page in dumped(document)["pages"] for i in page["items"]}
    assert [pages[shape.name] for shape in shapes] == [1, 1, 1, 2, 2, 2, 2, 3]
    high = GridBlock(name="grid", cells=(GridCell(blocks=(ShapeBlock(name="s", height=900_000),)),))
    (shape,) = dumped(render(report_of(high), library(FREIGHT)))["pages"][0]["items"]
    assert shape["height"] == pytest.approx(841.89 - 2 * 56.693 - 0.7, abs=0.01)  # as high as a page has room for


@given(
    widths=st.lists(st.none() | st.integers(1_000, 100_000), min_size=1, max_size=8), gap=st.integers(0, 20_000),
    shares=st.lists(st.floats(0.1, 9), min_size=8, max_size=8),
)  # fmt: skip
def test_columns_fill_the_width_where_one_is_free(widths: list[int | None], gap: int, shares: list[float]) -> None:
    tracks = tuple(Track(width=w, share=s) for w, s in zip(widths, shares, strict=False))
    grid = GridBlock(name="g", tracks=tracks, gap=gap)
    found = track_widths(grid, 2_000_000)
    assert all(w is None or w == f for w, f in zip(widths, found, strict=True))
    if None in widths:
        assert sum(found) + gap * (len(found) - 1) == 2_000_000


@given(st.lists(st.tuples(st.integers(0, 4), st.integers(0, 3), st.integers(1, 3)), max_size=6), st.integers(0, 5))
def test_rows_and_columns_put_in_can_be_taken_out_again(found: list[tuple[int, int, int]], at: int) -> None:
    cells: list[GridCell] = []
    taken: set[tuple[int, int]] = set()
    for row, column, rows in found:
        own = {(row + step, column) for step in range(rows)}
        if not own & taken:
            taken |= own
            cells.append(GridCell(row=row, column=column, rows=rows))
    grid = GridBlock(name="g", tracks=(Track(),) * 4, cells=tuple(cells))
    assert remove_row(insert_row(grid, at), at) == grid
    assert remove_track(insert_track(grid, min(at, 4)), min(at, 4)) == grid
    rows = max((cell.row + cell.rows for cell in cells), default=0)
    stretches = list(spanned_rows(grid, rows))
    assert [row for first, end in stretches for row in range(first, end)] == list(range(rows))


def test_the_board_sheet_is_one_page_with_the_right_figures(demo: Path, tarrow: sqlite3.Connection) -> None:
    document = Session(Library.around(demo / "reports")).render(board_sheet())
    assert len(document) == 1
    assert not document.findings
    fares = {}
    for year in ("2024", "2025"):
        (cents,) = tarrow.execute(
            "select sum(quantity * cast(round(unit_price * 100) as integer)) from bookings b join sailings s using"
            " (sailing_id) where b.status = 'paid' and strftime('%Y', departs_at) = ?", (year,),
        ).fetchone()  # fmt: skip
        fares[year] = Decimal(cents) / 100
    shown = [i["text"] for i in items(document, "fares", "text")]
    change = (fares["2025"] - fares["2024"]) / fares["2024"]
    assert shown == ["Fares", f"€{fares['2025']:,.0f}", f"+{change * 100:.1f} % on 2024"]


@pytest.mark.parametrize(("on", "wanted"), [("every", [1, 2, 3]), ("first", [1, 3]), ("later", [2])])
def test_a_letterhead_lies_behind_its_pages(demo: Path, library: MakeLibrary, on: str, wanted: list[int]) -> None:
    made = library("create table lines (v integer); insert into lines values (1), (2)")
    shutil.copy(demo / "pictures" / "tarrow.png", made.root / "head.png")
    blocks = (text("said", "{v}"), BreakBlock(name="turn", visible="v = 1"), text("more", visible="v = 1"))
    each = ForEachBlock(name="each", query="rows", by="v", restart_page_number=True, blocks=blocks)
    page = PageSetup(background="head.png", background_on=on)
    document = render(report_of(each, page=page), made)
    pages = dumped(document)["pages"]
    assert [p["number"] for p in pages if p["items"][0]["kind"] == "picture"] == wanted
    behind = next(p["items"][0] for p in pages if p["items"][0]["kind"] == "picture")
    assert box(behind) == (0.0, round((841.89 - 595.276) / 2, 3), 595.276, 595.276)  # it is square
    gone = render(report_of(each, page=page.but(background="gone.png")), made)
    assert len(gone.page(0).layers) == 1
    assert any("gone.png" in finding.message for finding in gone.findings)


def test_lines_of_header_and_footer_are_on_their_pages(library: MakeLibrary) -> None:
    header = Running(lines=tuple(
        RunningLine(start=TextPiece(text=f"{on} {{page_number()}}"), on=on)
        for on in ("every", "first", "later", "odd", "even", "last")
    ), rule=1_000)  # fmt: skip
    footer = Running(lines=(RunningLine(end=TextPiece(text="foot"), on="later"),), rule=500)
    blocks = [each for n in range(4) for each in (text(f"t{n}"), BreakBlock(name=f"b{n}"))][:-1]
    document = render(report_of(*blocks, edition={"header": header, "footer": footer}), library(FREIGHT))
    shown = [
        [i["text"].split()[0] for i in page["items"] if i["kind"] == "text" and i["origin"]["block"] == "header"]
        for page in dumped(document)["pages"]
    ]
    assert shown == [
        ["every", "first", "odd"], ["every", "later", "even"], ["every", "later", "odd"], ["every", "later", "even", "last"],
    ]  # fmt: skip
    tops = [page["items"] for page in dumped(document)["pages"]]
    bodies = {i["y"] for items_of in tops for i in items_of if i["origin"]["block"].startswith("t")}
    assert len(bodies) == 1  # every page leaves as much room
    feet = [sorted(i["kind"] for i in page if i["origin"]["block"] == "footer") for page in tops]
    assert feet == [[], ["rule", "text"], ["rule", "text"], ["rule", "text"]]
    lowest = min(bodies)
    assert all(i["y"] + i["height"] <= lowest for page in tops for i in page if i["origin"]["block"] == "header")
    for index, names in enumerate(shown):
        found = [region for region in hit_map(document.composition, index).regions if region.block == "header"]
        assert [region.column for region in found] == [f"{ORDER.index(name)}.start" for name in names]


ORDER = ("every", "first", "later", "odd", "even", "last")


def test_a_readout_draws_a_small_trend_below(library: MakeLibrary) -> None:
    block = ReadoutBlock(name="read", value="sum(rows.charge)", trend="list(rows.charge)", trend_height=20_000)
    document = render(report_of(block, text("below")), library(FREIGHT))
    (line,) = items(document, "read", "path")
    (said,) = items(document, "read", "text")
    (below,) = items(document, "below")
    assert len(line["points"]) == 6
    assert said["y"] + said["height"] <= line["y"]
    assert (line["height"], below["y"]) == (20.0, pytest.approx(line["y"] + 20 + 4))
    columns = render(report_of(block.but(trend_drawn="columns")), library(FREIGHT))
    assert len(items(columns, "read", "fill")) == 6
    wrong = render(report_of(block.but(trend="sum(rows.charge)")), library(FREIGHT))
    assert [finding.message[:24] for finding in wrong.findings] == ["A spark line is drawn fr"]
    assert items(wrong, "read", "text")[0]["text"] == said["text"]


def test_a_column_by_content_is_as_wide_as_what_is_in_it(library: MakeLibrary) -> None:
    def grid(*first: Block, **track: Any) -> GridBlock:
        cells = (GridCell(blocks=first, padding=3_000), GridCell(column=1, blocks=(text("right", "x"),)))
        return GridBlock(name="grid", gap=5_000, cells=cells, tracks=(Track(by_content=True, **track), Track()))

    def left_of(*first: Block, **track: Any) -> float:
        (item,) = items(render(report_of(grid(*first, **track)), library(FREIGHT)), "right")
        return round((item["x"] - LEFT - 2) * 1000)  # a text is further in by its inset

    (said,) = items(render(report_of(text("a", "Tarrow Quay")), library(FREIGHT)), "a")
    assert left_of(text("a", "Tarrow Quay")) == round(said["width"] * 1000) + 2 * 2_000 + 2 * 3_000 + 5_000
    shape = ShapeBlock(name="b", width=70_000, height=9_000)
    assert left_of(text("a", "x"), shape) == 70_000 + 2 * 3_000 + 5_000
    half = round(WIDTH * 1000) // 2 + 5_000
    assert 0.95 * half < left_of(text("a", "word " * 200)) <= half  # at most half of the grid
    assert left_of(text("a", "Tarrow Quay"), width=90_000) == 90_000 + 5_000  # a width that is given counts
