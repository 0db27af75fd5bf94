"""Rules, colour scales, and looks of cells: what is drawn where they hold, seen on the page dump."""

from collections.abc import Callable
from typing import Any

import pytest

from northmoor.core.document import Document
from northmoor.core.layout.text.shaping import Shaper
from northmoor.core.model.blocks.table import Cell, Column, Row
from northmoor.core.model.styles import ColorScale, ConditionalFormat, NamedStyle, Style
from northmoor.core.sources.library import Library
from tests.core.test_output import chars
from tests.helpers import FREIGHT, dumped, level_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
NUMBERS = "create table lines (n integer, t text); insert into lines with recursive r(i) as (select 1 union all select i + 1 from r where i < 8) select i, 'text ' || i from r;"
LATE = NamedStyle(name="late", bold=True, color="#AA0000")
ODD = NamedStyle(name="odd", fill="#EEEEEE")


def items(document: Document, kind: str = "text", row: str = "detail") -> list[dict[str, Any]]:
    found = [item for page in dumped(document)["pages"] for item in page["items"]]
    return [item for item in found if item["kind"] == kind and item["origin"]["row"] == row]


def test_a_rule_of_a_cell_changes_its_look_where_it_holds(library: MakeLibrary) -> None:
    column = Column(name="n", value="n", rules=(ConditionalFormat(when="n > 6", style="late"),))
    document = render(report_of(table_of(column, "t"), styles=(LATE,)), library(NUMBERS))
    assert document.findings == ()
    looks = {(i["text"], i["origin"]["column"]): (i["font"], i["color"]) for i in items(document)}
    assert looks[("7", "n")] == looks[("8", "n")] == ("IBMPlexSans-Bold", "#aa0000")
    assert looks[("6", "n")] == looks[("text 7", "t")] == ("IBMPlexSans-Regular", "#1f1b16")


def test_rules_are_asked_in_order_until_one_stops(library: MakeLibrary) -> None:
    rules = (
        ConditionalFormat(when="n >= 3", look=Style(color="#000001")),
        ConditionalFormat(when="n >= 5", look=Style(color="#000002"), stop=True),
        ConditionalFormat(when="n >= 7", look=Style(color="#000003", italic=True)),
        ConditionalFormat(when="n = 4", look=Style(italic=True)),
    )
    document = render(report_of(table_of(Column(name="n", value="n", rules=rules))), library(NUMBERS))
    assert [(i["color"][-1], "Italic" in i["font"]) for i in items(document)] == [
        ("6", False), ("6", False), ("1", False), ("1", True), *([("2", False)] * 4),
    ]  # fmt: skip


def test_rules_of_rows_fill_the_row_and_those_of_cells_lie_over_them(library: MakeLibrary) -> None:
    column = Column(name="n", value="n", rules=(ConditionalFormat(when="n = 3", look=Style(fill="#111111")),))
    table = table_of(column, "t", rules=(ConditionalFormat(when="row_number() % 2 = 1", style="odd"),))
    document = render(report_of(table, styles=(ODD,)), library(NUMBERS))
    fills = [(i["origin"]["ordinal"], i["origin"]["column"], i["color"]) for i in items(document, "fill")]
    assert fills == [
        (0, None, "#eeeeee"),
        (2, None, "#eeeeee"),
        (2, "n", "#111111"),
        (4, None, "#eeeeee"),
        (6, None, "#eeeeee"),
    ]


def test_conditional_formats_are_in_headings_totals_and_rows_of_pages(library: MakeLibrary) -> None:
    rule = (ConditionalFormat(when="sum(pieces) > 5", style="late"),)
    total = Row(cells=(Cell(column="pieces", value="sum(pieces)"),), rules=rule)
    table = table_of("pieces", levels=(level_of("route", total=total),), page_total=total, total=total)
    document = render(report_of(table, styles=(LATE,)), library(FREIGHT))
    shown = [(i["text"], i["color"] == "#aa0000") for i in items(document, row="total")]
    assert shown == [("5", False), ("11", True), ("5", False), ("21", True), ("21", True)]


def test_a_condition_that_cannot_be_decided_is_reported_and_changes_nothing(library: MakeLibrary) -> None:
    for when, message in (("n +", "cannot be understood"), ("n + 1", "neither yes nor no"), ("m > 1", "no field 'm'")):
        column = Column(name="n", value="n", rules=(ConditionalFormat(when=when, look=Style(bold=True)),))
        document = render(report_of(table_of(column)), library(NUMBERS))
        (finding,) = document.findings
        assert message in finding.message
        assert len(items(document)) == 8
    with pytest.raises(ValueError, match="style 'gone', which is not defined"):
        report_of(table_of(Column(name="n", value="n", rules=(ConditionalFormat(when="n > 1", style="gone"),))))


def test_a_colour_scale_goes_from_the_least_to_the_greatest(library: MakeLibrary) -> None:
    column = Column(
        name="n", value="n", scale=ColorScale(low="#000000", middle="#808080", high="#FFFFFF", minimum=0, maximum=8)
    )
    document = render(report_of(table_of(column)), library(NUMBERS))
    assert [int(i["color"][1:3], 16) for i in items(document, "fill")] == [32, 64, 96, 128, 160, 192, 223, 255]
    plain = render(report_of(table_of(Column(name="t", value="t", scale=ColorScale()))), library(NUMBERS))
    assert items(plain, "fill") == []


def test_texts_are_cut_shrunk_or_wrapped_as_set(library: MakeLibrary) -> None:
    script = "create table lines (t text); insert into lines values ('short'), ('a rather long text about timber'), ('two' || char(10) || 'lines');"

    def drawn(overflow: str) -> tuple[list[dict[str, Any]], Document]:
        column = Column(name="t", value="t", width=60_000, look=Style(overflow=overflow))
        document = render(report_of(table_of(column)), library(script))
        return items(document), document

    wrapped, _ = drawn("wrap")
    assert [i["text"] for i in wrapped] == ["short", "a rather long", "text about", "timber", "two", "lines"]
    cut, document = drawn("cut")
    assert [i["text"] for i in cut] == ["short", "a rather lon…", "two…"]
    assert [f.message for f in document.findings] == [
        "2 texts are wider than the cell and cut with an ellipsis; make the column wider, or let it wrap."
    ]
    shrunk, _ = drawn("shrink")
    assert (shrunk[0]["size"], shrunk[1]["size"]) == (9.0, 4.5)  # half the size is the least; then it wraps
    assert all(i["width"] <= 56 for found in (wrapped, cut, shrunk) for i in found)
    wide = Column(name="t", value="t", width=110_000, look=Style(overflow="shrink"))
    sizes = [i["size"] for i in items(render(report_of(table_of(wide)), library(script)))]
    assert sizes[0] == 9.0
    assert 4.5 < sizes[1] < 9.0


def test_texts_are_at_the_top_the_middle_or_the_bottom(library: MakeLibrary) -> None:
    columns = [Column(name=name, value="'x'", look=Style(vertical_align=name)) for name in ("top", "middle", "bottom")]
    table = table_of(*columns, Column(name="tall", value="t"))
    script = "create table lines (t text); insert into lines values ('a' || char(10) || 'b' || char(10) || 'c');"
    document = render(report_of(table), library(script))
    y = {i["origin"]["column"]: i["y"] for i in items(document)[:3]}
    lines = [i["y"] for i in items(document)[3:]]
    assert [y["top"], y["middle"], y["bottom"]] == lines


def test_cells_have_rules_on_four_sides_solid_or_dashed(library: MakeLibrary) -> None:
    look = Style(rule_left=1000, rule_right=2000, rule_below=500, rule_dash="dashed")
    table = table_of(Column(name="n", value="n", width=100_000, look=look), keep_rows="n = 1")
    document = render(report_of(table), library(NUMBERS))
    dashes = items(document, "rule")
    left = min(i["x"] for i in dashes)
    below = [i for i in dashes if i["height"] == 0.5 and i["width"] == 2.0]
    assert len(below) >= 28
    assert {round(i["x"] - left, 3) for i in dashes if i["width"] in (1.0, 2.0) and i["height"] > 1} == {0.0, 98.0}
    solid = render(report_of(table_of(Column(name="n", value="n", look=Style(rule_left=1000)))), library(NUMBERS))
    assert len(items(solid, "rule")) == 8


def test_a_value_has_the_currency_of_its_row(library: MakeLibrary) -> None:
    script = (
        "create table lines (v decimal(8,2), c text); insert into lines values (1.5, 'NOK'), (2, null), (3, 'GBP');"
    )
    column = Column(name="v", value="v", format="¤#,##0.00", currency="c")
    document = render(report_of(table_of(column)), library(script))
    assert [i["text"] for i in items(document)] == ["NOK\u00a01.50", "€2.00", "£3.00"]
    wrong = render(report_of(table_of(column.but(currency="'XEU9'"))), library(script))
    assert "no code of a currency" in wrong.findings[0].message


def test_decimal_signs_are_under_one_another(library: MakeLibrary) -> None:
    script = "create table lines (v double, s integer); insert into lines values (1, 1), (12.5, 2), (1234.125, 3), (-0.25, 4);"
    column = Column(name="v", value="v", width=100_000, look=Style(align="decimal"))
    document = render(report_of(table_of(column)), library(script))
    places = []
    for item in items(document):
        shaper = Shaper(item["font"])
        head = item["text"].rpartition(".")[0] or item["text"]
        places.append(round(item["x"] + int(shaper.widths(shaper.add([head]), 9000)[0]) / 1000, 1))
    assert len(set(places)) == 1
    assert max(item["x"] + item["width"] for item in items(document)) <= 56.693 + 100 - 2 + 0.001


def test_turned_texts_read_upward_or_downward_in_their_cells(library: MakeLibrary) -> None:
    looks = {"up": Style(turn="up", vertical_align="bottom"), "down": Style(turn="down")}
    columns = [Column(name=name, value="t", width=30_000, look=look) for name, look in looks.items()]
    table = table_of(*columns, Column(name="tall", value="t || t || t", look=Style(turn="up")), keep_rows="n = 1")
    document = render(report_of(table), library(NUMBERS))
    texts = {i["origin"]["column"]: i for i in items(document)}
    assert {name: texts[name]["turn"] for name in looks} == {"up": "up", "down": "down"}
    tall, up, down = texts["tall"], texts["up"], texts["down"]
    assert tall["height"] > 2.5 * up["height"] > 2.5 * up["width"]
    assert (down["y"], up["y"] + up["height"]) == (tall["y"], pytest.approx(tall["y"] + tall["height"]))
    letters = sorted(chars(document.pdf())[0], key=lambda c: c.x0)
    first = [c for c in letters if up["x"] - 1 <= c.x0 <= up["x"] + up["width"]]
    assert [c.get_text() for c in sorted(first, key=lambda c: c.y0) if c.get_text().strip()] == list("text1")
    assert all(c.x1 <= up["x"] + up["width"] + 1 for c in first)


def test_a_style_has_a_format(library: MakeLibrary) -> None:
    money = NamedStyle(name="money", format="¤#,##0.00")
    table = table_of(Column(name="n", value="n", style="money"), total=row_of(n="sum(n)"))
    document = render(report_of(table, styles=(money,)), library(NUMBERS))
    assert [i["text"] for i in items(document)][:2] == ["€1.00", "€2.00"]
