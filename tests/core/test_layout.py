"""Layout: cells in their places, text shaped and wrapped, headers and footers, breaks per level."""

from collections.abc import Callable
from pathlib import Path

import pytest
import uharfbuzz as hb
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from northmoor.core.layout.text.fonts import FAMILIES, font_file, open_font
from northmoor.core.layout.text.shaping import Shaper, line_width, shape
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.table import Cell, Column, Row
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.pages import PageSetup, PicturePiece, Running, RunningLine, TextPiece
from northmoor.core.model.styles import NamedStyle, Style
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, column_of, dumped, level_of, lines_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
MANY = "create table lines (k text, n integer, v decimal(8,2), t text); insert into lines with recursive r(i) as (select 0 union all select i + 1 from r where i < 179) select 'g' || (i / 45), i, i * 1.25, 'row ' || i from r;"


@given(st.text(alphabet="0123456789.,- €%()/:'’", max_size=14))
def test_the_quick_way_to_shape_numbers_is_harfbuzz_own(text: str) -> None:
    for file in ("IBMPlexSans-Regular", "LiberationSans-Regular", "IBMPlexSerif-Bold"):
        shaper = Shaper(file)
        number = shaper.add([text])
        assert shaper.widths(number, 1_000_000)[0] == line_width(shape(text, file))


@given(st.text(max_size=20))
def test_widths_are_the_sum_of_harfbuzz_advances(text: str) -> None:
    text = "".join(c for c in text if c.isprintable() and ord(c) < 0x250)
    font = open_font("IBMPlexSans-Regular")
    if any(ord(c) not in font.characters for c in text):
        return
    buffer = hb.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    hb.shape(font.hb, buffer, {"tnum": True, "calt": False, "liga": False})
    shaper = Shaper("IBMPlexSans-Regular")
    assert shaper.widths(shaper.add([text]), 1000)[0] == sum(p.x_advance for p in buffer.glyph_positions or [])


def test_every_family_has_its_four_files() -> None:
    for family in FAMILIES:
        for bold in (False, True):
            for italic in (False, True):
                assert open_font(font_file(family, bold, italic)).upem > 0


def test_digits_are_as_wide_as_each_other() -> None:
    for family in FAMILIES:
        shaper = Shaper(font_file(family, False, False))
        assert len(set(shaper.widths(shaper.add(list("0123456789")), 9000).tolist())) == 1


def test_characters_a_font_lacks_come_from_another_and_what_none_has_is_known() -> None:
    line = shape("a ✔ 漢", "LiberationSans-Regular")
    assert [run.font for run in line.runs] == ["LiberationSans-Regular", "DejaVuSans", "LiberationSans-Regular"]
    assert line.missing == "漢"


def test_a_long_text_wraps_and_its_row_grows(library: MakeLibrary) -> None:
    made = library(
        "create table lines (t text, n integer); insert into lines values ('short', 1), ('much longer than its narrow column is', 2), ('two\nlines', 3);"
    )
    document = render(report_of(table_of(Column(name="t", value="t", width=60_000), "n")), made)
    texts = [
        i
        for i in dumped(document)["pages"][0]["items"]
        if i["origin"]["row"] == "detail" and i["origin"]["column"] == "t"
    ]
    by_row = [[i["text"] for i in texts if i["origin"]["ordinal"] == n] for n in range(3)]
    assert by_row[0] == ["short"]
    assert " ".join(by_row[1]) == "much longer than its narrow column is"
    assert len(by_row[1]) > 2
    assert by_row[2] == ["two", "lines"]
    tops = [line.y for line in lines_of(document) if line.kind == "detail"]
    assert tops[2] - tops[1] == pytest.approx(len(by_row[1]) * 11.7 + 4, abs=0.01)


def test_nothing_is_drawn_outside_its_column_or_the_page(library: MakeLibrary) -> None:
    columns = [Column(name=c, value=c, width=w) for c, w in (("t", 20_000), ("n", 30_000), ("v", 60_000))]
    report = report_of(table_of(*columns, total=row_of(v="sum(v)")), page=PageSetup(size="A5"))
    left = 56.693
    edges = {"t": (left, left + 20), "n": (left + 20, left + 50), "v": (left + 50, left + 110)}
    for page in dumped(render(report, library(MANY)))["pages"]:
        for item in page["items"]:
            start, end = edges[item["origin"]["column"]]
            assert start <= item["x"] <= item["x"] + item["width"] <= end + 0.002
            assert 56.693 <= item["y"] <= item["y"] + item["height"] <= page["height"] - 56.692


def test_numbers_are_at_the_end_and_texts_at_the_start(library: MakeLibrary) -> None:
    document = render(report_of(table_of("route", "charge")), library(FREIGHT))
    items = [i for i in dumped(document)["pages"][0]["items"] if i["origin"]["row"] == "detail"]
    starts = {i["x"] for i in items if i["origin"]["column"] == "route"}
    ends = {round(i["x"] + i["width"], 3) for i in items if i["origin"]["column"] == "charge"}
    assert len(starts) == len(ends) == 1


def test_widths_given_stay_and_the_rest_is_shared_by_content(library: MakeLibrary) -> None:
    table = table_of("route", Column(name="note", value="note", width=100_000), "vessel")
    edges = render(report_of(table), library(FREIGHT)).composition.placed.tables[0].layout.edges
    assert edges[2] - edges[1] == 100_000
    assert edges[-1] == 595_276 - 2 * 56_693


def test_columns_wider_than_the_page_are_narrowed_and_reported(library: MakeLibrary) -> None:
    columns = [Column(name=c, value=c, width=400_000) for c in ("route", "vessel", "note")]
    document = render(report_of(table_of(*columns)), library(FREIGHT))
    assert document.composition.placed.tables[0].layout.edges[-1] <= 595_276 - 2 * 56_693
    assert "wider than the page" in str(document.findings[0])
    assert not document.findings[0].is_error


def test_three_hundred_columns_stay_on_the_page(library: MakeLibrary) -> None:
    columns = [Column(name=f"c{i}", value="n") for i in range(300)]
    document = render(
        report_of(table_of(*columns)), library("create table lines (n integer); insert into lines values (7);")
    )
    assert document.composition.placed.tables[0].layout.edges[-1] <= 595_276 - 2 * 56_693


@pytest.mark.parametrize(
    ("page_break", "first_rows"),
    [
        ("none", None),
        ("between", [("heading", "g0"), ("heading", "g1"), ("heading", "g2"), ("heading", "g3")]),
        ("before", [("heading", "g0"), ("heading", "g1"), ("heading", "g2"), ("heading", "g3")]),
        ("after", [("heading", "g0"), ("heading", "g1"), ("heading", "g2"), ("heading", "g3"), ("total", None)]),
    ],
)
def test_a_break_belongs_to_one_level(library: MakeLibrary, page_break: str, first_rows: list | None) -> None:
    level = level_of("k", page_break=page_break, heading=row_of(t="{k}"), total=row_of(v="sum(v)"))
    table = table_of("t", "v", levels=(level, level_of("n")), total=row_of(v="sum(v)"))
    document = render(report_of(table, page=PageSetup(size="A3")), library(MANY))
    lines = [line for line in lines_of(document) if line.kind != "head"]
    if first_rows is None:
        assert len({line.page for line in lines}) == len(document)
        return
    tops = {}
    for line in lines:
        tops.setdefault(line.page, line)
    assert [(line.kind, line.keys[0] if line.keys else None) for line in tops.values()] == first_rows


def test_headings_are_repeated_where_a_group_goes_on(library: MakeLibrary) -> None:
    level = level_of("k", heading=row_of(t="{k}"), total=row_of(v="sum(v)"))
    made = library(MANY)
    document = render(report_of(table_of("t", "v", levels=(level,))), made)
    for page in range(2, len(document) + 1):
        kinds = [(line.kind, line.keys) for line in lines_of(document) if line.page == page][:3]
        assert [kind for kind, _ in kinds] == ["head", "heading", "detail"]
        assert kinds[1][1] == kinds[2][1]
    once = render(report_of(table_of("t", "v", levels=(level.but(repeat_heading=False),))), made)
    assert sum(line.kind == "heading" for line in lines_of(once)) == 4


def test_page_numbers_restart_with_a_level(library: MakeLibrary) -> None:
    footer = Running(lines=(RunningLine(end=TextPiece(text="{page_number()} of {page_count()}")),))
    level = level_of("k", page_break="between", restart_page_number=True, heading=row_of(t="{k}"))
    report = report_of(table_of("t", levels=(level,)), page=PageSetup(size="A5"), edition={"footer": footer})
    texts = [
        i["text"]
        for p in dumped(render(report, library(MANY)))["pages"]
        for i in p["items"]
        if i["origin"]["row"] == "footer"
    ]
    assert texts == ["1 of 2", "2 of 2"] * 4


def test_header_and_footer_know_page_title_and_data_time(library: MakeLibrary, tmp_path: Path) -> None:
    Image.new("RGB", (40, 20), "teal").save(tmp_path / "logo.png")
    header = Running(
        lines=(
            RunningLine(start=PicturePiece(file="logo.png", height=20_000), end=TextPiece(text="{report_title()}")),
        ),
        rule=500,
    )
    footer = Running(lines=(RunningLine(center=TextPiece(text="{data_time(); yyyy-MM-dd HH:mm}")),))
    report = report_of(table_of("t"), title="Log", edition={"header": header, "footer": footer})
    document = render(report, library(MANY), data_time="2026-01-01T06:00")
    for page in dumped(document)["pages"]:
        texts = [i["text"] for i in page["items"] if i["origin"]["row"] in ("header", "footer") and i["kind"] == "text"]
        assert texts == ["Log", "2026-01-01 06:00"]
        (picture,) = [i for i in page["items"] if i["kind"] == "picture"]
        assert (picture["x"], picture["y"], picture["width"], picture["height"]) == (56.693, 56.693, 40, 20)
        assert min(i["y"] for i in page["items"] if i["origin"]["block"] == "table") >= 56.693 + 20 + 0.5 + 12


@pytest.mark.parametrize("make", ["missing", "text", "bomb"])
def test_a_picture_that_cannot_be_read_is_marked_in_its_place(library: MakeLibrary, tmp_path: Path, make: str) -> None:
    made = library(MANY)
    if make == "text":
        (tmp_path / "x.png").write_text("no picture")
    if make == "bomb":
        Image.new("1", (20_000, 20_000)).save(tmp_path / "x.png")
    document = render(report_of(PictureBlock(name="x", file="x.png", height=50_000), table_of("t")), made)
    (finding,) = document.findings  # before any page is drawn
    texts = [i["text"] for i in dumped(document)["pages"][0]["items"] if i["origin"]["block"] == "x"]
    assert texts[0].startswith("⚠")
    assert finding.rule == "picture"
    assert document.findings == (finding,)
    assert column_of(document, "t")[0] == "row 0"


def test_blocks_flow_and_a_paragraph_that_does_not_fit_goes_to_the_next_page(library: MakeLibrary) -> None:
    blocks = [TextBlock(name=f"t{i}", text="word " * 400, space_after=10_000) for i in range(4)]
    pages = dumped(render(report_of(*blocks, page=PageSetup(size="A5")), library(FREIGHT)))["pages"]
    where = {
        b: {p["number"] for p in pages for i in p["items"] if i["origin"]["block"] == b}
        for b in ("t0", "t1", "t2", "t3")
    }
    assert all(len(found) == 1 for found in where.values())
    long = render(report_of(TextBlock(name="long", text="word " * 6000)), library(FREIGHT))
    words = " ".join(i["text"] for p in dumped(long)["pages"] for i in p["items"]).split()
    assert len(words) == 6000
    assert len(long) > 3


def test_styles_build_on_each_other_and_own_changes_win(library: MakeLibrary) -> None:
    styles = (NamedStyle(name="base", size=8000, color="#111111"), NamedStyle(name="loud", based_on="base", bold=True))
    column = Column(name="route", value="route", style="loud", look=Style(color="#ABCDEF", fill="#EEEEEE"))
    document = render(report_of(table_of(column, "note", style="base"), styles=styles), library(FREIGHT))
    items = [i for i in dumped(document)["pages"][0]["items"] if i["origin"]["row"] == "detail"]
    shown = {
        (i["font"], i["size"], i["color"]) for i in items if i["kind"] == "text" and i["origin"]["column"] == "route"
    }
    assert shown == {("IBMPlexSans-Bold", 8.0, "#abcdef")}
    plain = {
        (i["font"], i["size"], i["color"]) for i in items if i["kind"] == "text" and i["origin"]["column"] == "note"
    }
    assert plain == {("IBMPlexSans-Regular", 8.0, "#111111")}
    fills = [i for i in items if i["kind"] == "fill"]
    assert len(fills) == 6
    assert {i["color"] for i in fills} == {"#eeeeee"}


def test_spans_and_rules_follow_the_columns(library: MakeLibrary) -> None:
    total = Row(
        look=Style(rule_above=500),
        cells=(Cell(column="route", text="All of them", span=2), Cell(column="charge", value="sum(charge)")),
    )
    document = render(report_of(table_of("route", "vessel", "charge", total=total)), library(FREIGHT))
    (rule,) = [i for i in dumped(document)["pages"][0]["items"] if i["kind"] == "rule"]
    edges = document.composition.placed.tables[0].layout.edges
    assert (rule["x"], rule["width"], rule["height"]) == (56.693, edges[-1] / 1000, 0.5)


def test_a_table_head_can_say_what_was_chosen(library: MakeLibrary) -> None:
    parameter = {"name": "year", "kind": "integer", "default": 2025}
    table = table_of(Column(name="x", value="pieces", title="Pieces {:year; 0} {{net}}"))
    document = render(report_of(table, parameters=[parameter]), library(FREIGHT))
    assert column_of(document, "x", "head") == ["Pieces 2025 {net}"]


def test_landscape_turns_the_page(library: MakeLibrary) -> None:
    page = render(report_of(table_of("t"), page=PageSetup(orientation="landscape")), library(MANY)).page(0)
    assert (page.width, page.height) == (841_890, 595_276)
