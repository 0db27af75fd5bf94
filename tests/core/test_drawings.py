"""Cells that draw: bars, spark lines, QR codes, pictures and links, on the dump and in the PDF."""

from collections.abc import Callable
from io import BytesIO
from pathlib import Path
from typing import Any

import pikepdf
import pytest
from PIL import Image

from northmoor.core.checks.preflight import preflight
from northmoor.core.document import Document
from northmoor.core.layout.graphics.code128 import WIDTHS, bars_of, symbol_values
from northmoor.core.model.blocks.table import Cell, Column, Drawing, Row
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.links import report_named
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.styles import ConditionalFormat, Style
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report, save_report
from tests.helpers import dumped, level_of, render, report_of, table_of

MakeLibrary = Callable[[str], Library]
NUMBERS = "create table lines (k text, n integer, t text); insert into lines values ('a', 10, 'W25-00001'), ('a', -5, 'W25-00002'), ('a', 20, null), ('b', 0, 'W25-00004');"
PLAIN = Style(padding=0, inset=0)


def items(document: Document, kind: str) -> list[dict[str, Any]]:
    return [item for page in dumped(document)["pages"] for item in page["items"] if item["kind"] == kind]


def drawn(kind: str, value: str = "n", **more: Any) -> Column:
    return Column(name="d", value=value, width=100_000, look=PLAIN, draw=Drawing(kind=kind, **more))


def test_bars_are_as_long_as_numbers_are_great(library: MakeLibrary) -> None:
    document = render(report_of(table_of(drawn("bar"))), library(NUMBERS))
    bars = items(document, "fill")
    assert [(b["width"], b["color"]) for b in bars] == [(40.0, "#2f7f86"), (20.0, "#b3402e"), (80.0, "#2f7f86")]
    assert {b["x"] for b in bars} == {56.693, 76.693}  # to the right and to the left of zero
    ruled = drawn("bar").but(rules=(ConditionalFormat(when="n > 0", look=Style(fill="#EEEEEE")),))
    fills = [b["color"] for b in items(render(report_of(table_of(ruled)), library(NUMBERS)), "fill")]
    assert fills.count("#eeeeee") == 2  # rules hold behind drawings, too
    fixed = render(report_of(table_of(drawn("bar", minimum=0, maximum=10))), library(NUMBERS))
    assert [b["width"] for b in items(fixed, "fill")] == [100.0, 100.0]
    assert not items(document, "text")[1:]


def test_spark_lines_are_drawn_from_a_groups_values(library: MakeLibrary) -> None:
    cells = tuple(
        Cell(column="d", value="list(n)", look=PLAIN, draw=Drawing(kind=kind, height=20_000)) for kind in ("spark",)
    )
    level = level_of("k", total=(Row(cells=cells), Row(cells=(cells[0].but(draw=Drawing(kind="columns")),))))
    table = table_of(Column(name="d", width=100_000), levels=(level,), show_details=False)
    document = render(report_of(table), library(NUMBERS))
    assert document.findings == ()
    (line,) = items(document, "path")  # a single value makes no line
    top = line["y"]
    assert [(x - line["x"], y - top) for x, y in line["points"]] == [
        (0, 8), (pytest.approx(50), pytest.approx(20)), (pytest.approx(100), 0),
    ]  # fmt: skip
    columns = [i for i in items(document, "fill") if i["origin"]["number"] == 1]
    assert [c["color"] for c in columns] == ["#2f7f86", "#b3402e", "#2f7f86"]
    assert columns[2]["height"] == pytest.approx(2 * columns[0]["height"], abs=0.01)
    wrong = render(report_of(table_of(drawn("spark"))), library(NUMBERS))
    assert "write list(fares)" in wrong.findings[0].message


def test_a_qr_code_is_drawn_in_whole_modules(library: MakeLibrary) -> None:
    document = render(report_of(table_of(drawn("qr", "t", height=60_000))), library(NUMBERS))
    boxes = items(document, "fill")
    rows = {box["origin"]["ordinal"] for box in boxes}
    assert rows == {0, 1, 3}  # a null draws nothing
    heights = {box["height"] for box in boxes}
    assert len(heights) == 1
    assert {round(box["width"] / heights.copy().pop(), 6) % 1 for box in boxes} == {0.0}
    long = render(report_of(table_of(drawn("qr", "concat(t, '" + "x" * 600 + "')"))), library(NUMBERS))
    assert "at most 500 characters" in _messages(long)


def _messages(document: Document) -> str:
    for page in range(len(document)):
        document.page(page)
    return " ".join(finding.message for finding in document.findings)


def test_pictures_come_from_the_paths_in_a_column(library: MakeLibrary, tmp_path: Path) -> None:
    Image.new("RGB", (20, 10), (200, 30, 60)).save(tmp_path / "a.png")
    column = drawn("picture", "case when n > 0 then 'a.png' else '../outside.png' end", height=30_000)
    document = render(report_of(table_of(column)), library(NUMBERS))
    assert [(i["width"], i["height"]) for i in items(document, "picture")] == [(60.0, 30.0), (60.0, 30.0)]
    assert "outside" in _messages(document)


def test_links_open_addresses_of_the_web_only(library: MakeLibrary) -> None:
    column = Column(name="t", value="t", link="https://tarrow.example/waybills/{t}")
    document = render(report_of(table_of(column)), library(NUMBERS))
    assert items(document, "link")[0]["target"] == "https://tarrow.example/waybills/W25-00001"
    with pikepdf.open(BytesIO(document.pdf())) as pdf:
        annotation = pdf.pages[0].Annots[1]
        assert str(annotation.A.URI) == "https://tarrow.example/waybills/W25-00002"
    evil = render(report_of(table_of(column.but(link="file:///etc/{t}"))), library(NUMBERS))
    assert items(evil, "link") == []
    assert "https, http, mailto or tel" in " ".join(finding.message for finding in preflight(evil))


def test_ticks_are_words_of_a_boolean(library: MakeLibrary) -> None:
    column = Column(name="ok", value="n > 0", format="✓;–")
    document = render(report_of(table_of(column)), library(NUMBERS))
    assert [i["text"] for i in items(document, "text")] == ["✓", "–", "✓", "–"]
    assert preflight(document) == ()


def test_a_barcode_is_code_128_with_its_check(library: MakeLibrary) -> None:
    assert len(WIDTHS) == len(set(WIDTHS)) == 107
    assert {sum(map(int, widths)) for widths in WIDTHS[:-1]} == {11}
    assert {sum(map(int, widths[::2])) % 2 for widths in WIDTHS[:-1]} == {0}  # the standard's parity of bars
    assert symbol_values("PJJ123C") == [104, 48, 42, 42, 17, 18, 19, 35, 55, 106]
    document = render(report_of(table_of(drawn("barcode", "t", height=20_000))), library(NUMBERS))
    bars = [box for box in items(document, "fill") if box["origin"]["ordinal"] == 0]
    modules, wanted = bars_of("W25-00001")
    module = 100_000 // modules / 1000
    assert [(round((b["x"] - 56.693) / module), round(b["width"] / module)) for b in bars] == list(wanted)
    narrow = render(report_of(table_of(drawn("barcode", "concat(t, t, t)"))), library(NUMBERS))
    assert "widen the column" in " ".join(finding.message for finding in preflight(narrow))  # before any page is drawn
    assert "none" in _messages(render(report_of(table_of(drawn("barcode", "'Süd'"))), library(NUMBERS)))
    assert "widen the column" in _messages(
        render(report_of(table_of(drawn("barcode", "concat(t, t, t)"))), library(NUMBERS))
    )


PLACES = "insert into lines select 'c', n, 'Süd & Ost/' || n from lines where n > 0"


def test_links_lead_to_cells_and_blocks_of_the_document(library: MakeLibrary) -> None:
    page = PageSetup(size="A5")
    index = table_of(Column(name="k", value="k", link="#{t}"), "t").but(name="index")
    full = table_of(Column(name="t", value="t", anchor="{t}")).but(
        levels=(
            level_of("k", heading=Row(cells=(Cell(column="t", value="k", anchor="group {k}"),)), page_break="between"),
        )
    )
    back = TextBlock(name="end", text="The end")
    document = render(report_of(index, full, back, page=page), library(f"{NUMBERS};{PLACES}"))
    anchors = {a["name"]: (p["number"], a["y"]) for p in dumped(document)["pages"] for a in p["anchors"]}
    texts = {
        (i["text"], i["origin"]["row"]): (p["number"], i["origin"])
        for p in dumped(document)["pages"]
        for i in p["items"]
        if i["kind"] == "text" and i["origin"]["block"] == "table"
    }
    assert anchors["Süd & Ost/20"][0] == texts["Süd & Ost/20", "detail"][0] == 3
    assert anchors["group c"][0] == texts["c", "heading"][0] == 3
    assert anchors["group c"][1] < anchors["Süd & Ost/10"][1] < anchors["Süd & Ost/20"][1] < anchors["end"][1]
    assert (anchors["index"][0], anchors["table"][0], anchors["end"][0]) == (1, 1, 3)
    assert [f.message for f in preflight(document) if f.rule == "link"] == []
    with pikepdf.open(BytesIO(document.pdf())) as pdf:
        links = [a for a in pdf.pages[0].Annots if str(a.A.S) == "/GoTo"]
        names = list(pdf.Root.Names.Dests.Names)
        places = {bytes(name): place for name, place in zip(names[::2], names[1::2], strict=True)}
        assert list(places) == sorted(places)
        aims = [places[bytes(a.A.D)] for a in links]
        assert [pdf.pages.index(pikepdf.Page(aim[0])) for aim in aims][-2:] == [2, 2]
        assert float(aims[-1][3]) == pytest.approx(document.page(2).height / 1000 - anchors["Süd & Ost/20"][1])


def test_links_lead_to_other_reports_with_values(library: MakeLibrary) -> None:
    made = library(f"{NUMBERS};{PLACES}")
    other = report_of(parameters=(Parameter(name="what"), Parameter(name="lines", kind="integer", holds="list")))
    (made.root / "reports").mkdir()
    save_report(other, made.root / "reports" / "other.moor")
    column = Column(name="t", value="t", link="other.moor?what={t}&lines={list(n) over k}")
    document = render(report_of(table_of(column, levels=(level_of("k"),))), made)
    targets = [item["target"] for item in items(document, "link")]
    assert targets[0] == "other.moor?what=W25-00001&lines=10&lines=-5&lines=20"
    assert targets[-1] == "other.moor?what=S%C3%BCd%20%26%20Ost%2F20&lines=10&lines=20"
    link = report_named(targets[-1])
    assert link is not None
    resolved = Session(made).resolve_parameters(load_report(made.report_path(link.file)), link.values)
    assert (resolved.values.by_name["what"], resolved.values.by_name["lines"]) == ("Süd & Ost/20", (10, 20))
    assert [f for f in preflight(document) if f.rule == "link"] == []


@pytest.mark.parametrize(
    ("link", "message"),
    [
        ("#nowhere {t}", "no cell has that as its place name"),
        ("gone.moor?what={t}", "no report 'gone.moor'"),
        ("../out.moor", "lies outside the library"),
        ("javascript:alert({n})", "is none of these"),
        ("#{n + t}", "t"),
    ],
)
def test_links_that_lead_nowhere_are_reported(library: MakeLibrary, link: str, message: str) -> None:
    document = render(report_of(table_of(Column(name="t", value="t", link=link))), library(NUMBERS))
    assert message in " ".join(f.message for f in preflight(document) if f.place.column == "t")
    assert not any("javascript" in item["target"] for item in items(document, "link"))
