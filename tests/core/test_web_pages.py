"""Web pages: strict HTML without scripts or addresses outside, tables with heads, the figures of the pages, groups that
open and close; and the text of a mail, whose looks are in its elements."""

import io
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import Element

import html5lib
import pytest

import northmoor
from northmoor.core.document import Document
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.table import Cell, Column, HeadRow, Row
from northmoor.core.model.blocks.text import TextBlock, TextRun
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.sources.library import Library
from tests.core.test_tagged_pdf import DEMO, read_texts, squeezed
from tests.helpers import FREIGHT, level_of, render, report_of, row_of, script_of, table_of

MakeLibrary = Callable[[str], Library]


def html_of(document: Document, options: OutputOptions | None = None, block: str | None = None) -> str:
    from northmoor.core.output.html.writer import write_html

    target = io.BytesIO()
    write_html(document.output("html", block=block, options=options), target)
    return target.getvalue().decode()


def tree_of(html: str) -> Any:
    """A page as a browser reads it; what a browser would have to put right is an error."""
    return html5lib.HTMLParser(strict=True, namespaceHTMLElements=False).parse(html)


def text_of(element: Element) -> str:
    return " ".join("".join(element.itertext()).split())


def texts(root: Any, tag: str) -> list[str]:
    return [text_of(each) for each in root.iter(tag)]


@pytest.mark.slow
@pytest.mark.parametrize(("name", "edition"), DEMO)
def test_demo_pages_are_strict_safe_and_say_what_the_pages_say(demo: Path, name: str, edition: str | None) -> None:
    document = northmoor.render(demo / "reports" / f"{name}.moor", edition=edition)
    html = html_of(document)
    root = tree_of(html)
    assert root.get("lang") == "en-IE"
    assert not list(root.iter("script"))
    assert not re.findall(r'(?:src|href)="(?!data:|#|https://tarrow.example/)', html)
    names = re.findall(r' id="([^"]*)"', html)
    assert len(names) == len(set(names))
    assert len(texts(root, "h1")) == 1
    assert all(image.get("alt") is not None for image in root.iter("img"))
    if name == "freight-statement":
        return  # its pages say the same, but take long to read back letter by letter
    said = squeezed(["".join(root.find("body").itertext())])
    for text in read_texts(document, with_pages=False):
        assert squeezed([text.rstrip("-")]) in said or text.rstrip("-…").strip() == "", text


def test_tables_have_heads_rows_with_names_and_groups_that_fold(demo: Path) -> None:
    root = tree_of(html_of(northmoor.render(demo / "reports" / "fares-by-route.moor")))
    groups = [each for each in root.iter("details") if "group" in (each.get("class") or "")]
    assert len(groups) == 9
    assert text_of(groups[0].find("summary")) == "Inverlang – Skarholm"
    assert all("open" in each.attrib for each in groups)
    inner = groups[0].find("table")
    assert texts(inner.find("thead"), "th") == ["Route / month", "Sailings", "Tickets", "Fares, €"]
    assert {th.get("scope") for th in inner.find("thead").iter("th")} == {"col"}
    assert len(list(inner.find("tbody").iter("tr"))) == 12
    totals = [th for th in root.iter("th") if text_of(th).startswith("Total for")]
    assert len(totals) == 9
    assert {th.get("scope") for th in totals} == {"row"}
    in_groups = [th for group in groups for th in group.iter("th")]
    assert not any(text_of(th).startswith("Total for") for th in in_groups)  # they are seen when it is closed


def test_a_matrix_has_heads_over_columns_and_before_rows(demo: Path) -> None:
    root = tree_of(html_of(northmoor.render(demo / "reports" / "route-month-matrix.moor")))
    first = next(iter(root.iter("table")))
    heads = {text_of(th): th for th in first.find("thead").iter("th")}
    assert (heads["Q1"].get("colspan"), heads["Q1"].get("scope")) == ("4", "colgroup")
    rows = list(first.find("tbody").iter("tr"))
    assert all(row[0].tag == "th" and row[0].get("scope") == "row" for row in rows)


def test_charts_are_drawings_with_words_and_figures(demo: Path) -> None:
    root = tree_of(html_of(northmoor.render(demo / "reports" / "board-sheet.moor")))
    figures = list(root.iter("figure"))
    assert len(figures) == 2
    drawing = next(each for each in figures[0] if each.tag.endswith("svg"))
    assert drawing.get("role") == "img"
    assert drawing.get("aria-label").startswith("Fares by month, €: a chart of columns")
    table = figures[0].find("details").find("table")
    assert texts(table.find("tbody"), "th") == [
        "Jan",
        "Feb",
        "Mar",
        "Apr",
        "May",
        "Jun",
        "Jul",
        "Aug",
        "Sept",
        "Oct",
        "Nov",
        "Dec",
    ]
    assert texts(table, "td")[0] == "115,669.40"


def test_contents_list_the_headings(library: MakeLibrary) -> None:
    headings = tuple(
        TextBlock(name=f"h{n}", text=f"Part {n} <&>", listed="contents", heading=1 + n % 2) for n in range(4)
    )
    root = tree_of(html_of(render(report_of(*headings, title="All"), library(FREIGHT))))
    links = list(next(iter(root.iter("nav"))).iter("a"))
    assert [text_of(a) for a in links] == [f"Part {n} <&>" for n in range(4)]
    places = {each.get("id"): each.tag for each in root.iter() if each.get("id")}
    assert [places[a.get("href")[1:]] for a in links] == ["h2", "h3", "h2", "h3"]
    assert texts(root, "h1") == ["All"]


def test_links_lead_out_or_to_places_and_never_elsewhere(library: MakeLibrary) -> None:
    runs = (
        TextRun(text="out", link="https://tarrow.example/?a=1&b=2"), TextRun(text=" in", link="#TQ-SK"),
        TextRun(text=" report", link="other.moor?year=2025"),
    )  # fmt: skip
    cells = Row(cells=(Cell(column="vessel", text="{route}", anchor="{route}"),))
    table = table_of("vessel", levels=(level_of("route", heading=cells),))
    html = html_of(render(report_of(TextBlock(name="t", text="Go ", runs=runs), table), library(FREIGHT)))
    root = tree_of(html)
    assert [a.get("href") for a in root.iter("a")] == ["https://tarrow.example/?a=1&b=2", "#p-TQ-SK"]
    assert "other.moor" not in html
    assert 'id="p-TQ-SK"' in html


def test_lists_are_lists_and_deeper_items_are_in_them(library: MakeLibrary) -> None:
    text = TextBlock(name="t", text="one\n\tone a\n\tone b\ntwo", marker="bullet")
    root = tree_of(html_of(render(report_of(text), library(FREIGHT))))
    outer = next(iter(root.iter("ul")))
    assert [item.text for item in outer.findall("li")] == ["one", "two"]
    assert texts(outer.find("li").find("ul"), "li") == ["one a", "one b"]


HOSTILE = ["<script>alert(1)</script>", '"><img src=x onerror=y>', "a & b &amp; c", "\x00\x0bcontrol", "</style>"]


def test_texts_of_strangers_are_texts(library: MakeLibrary) -> None:
    document = render(
        report_of(table_of("t"), title="</title><script>"), library(script_of([t for t in HOSTILE if "\x00" not in t]))
    )
    html = html_of(document)
    root = tree_of(html)
    assert not list(root.iter("script"))
    assert not list(root.iter("img"))
    assert texts(root, "td") == ["<script>alert(1)</script>", '"><img src=x onerror=y>', "a & b &amp; c", "</style>"]


def test_a_mail_has_its_looks_in_its_elements(demo: Path) -> None:
    html = html_of(northmoor.render(demo / "reports" / "board-sheet.moor"), OutputOptions(interactive=False))
    root = tree_of(html)
    assert not list(root.iter("style"))
    assert not list(root.iter("details"))
    assert "class=" not in html
    assert not [each for each in root.iter() if str(each.tag).endswith("svg")]
    pictures = list(root.iter("img"))
    assert [picture.get("alt")[:14] for picture in pictures] == ["Fares by month", "Average delay,"]
    assert all(cell.get("style") for cell in root.iter("td") if text_of(cell))


PNG = "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="


def test_pictures_say_what_they_show(library: MakeLibrary) -> None:
    named = PictureBlock(name="a", value=f"'{PNG}'", height=30_000, description="The quay at dusk")
    plain = PictureBlock(name="b", value=f"'{PNG}'", height=30_000, description="")
    root = tree_of(html_of(render(report_of(named, plain, table_of("route")), library(FREIGHT))))
    drawings = [each for each in root.iter() if str(each.tag).endswith("svg")]
    assert [(each.get("aria-label"), each.get("aria-hidden")) for each in drawings] == [
        ("The quay at dusk", None), (None, "true"),
    ]  # fmt: skip


def test_cells_keep_their_spans_looks_and_drawings(library: MakeLibrary) -> None:
    head = HeadRow(cells=(Cell(column="route", text="Both", span=2),))
    drawn = Column.model_validate({"name": "bar", "value": "pieces", "title": "Bar", "draw": {"kind": "bar"}})
    document = render(report_of(table_of("route", "charge", drawn, head=(head,))), library(FREIGHT))
    root = tree_of(html_of(document))
    (table,) = root.iter("table")
    assert table.find("thead")[0][0].get("colspan") == "2"
    bars = [each for each in table.find("tbody").iter() if str(each.tag).endswith("svg")]
    assert [bar.get("aria-label") for bar in bars] == ["4", "2", "1", "6", "3", "5"]


def test_one_block_has_no_title_and_a_table_without_rows_has_its_head(demo: Path, library: MakeLibrary) -> None:
    document = northmoor.render(demo / "reports" / "voyage-report.moor")
    root = tree_of(html_of(document, block="engines"))
    assert texts(root, "h1") == []
    assert len(list(root.iter("table"))) == 1
    empty = render(report_of(table_of("route"), sql="select * from lines where 1 = 0"), library(FREIGHT))
    assert texts(tree_of(html_of(empty)), "th") == ["route"]
    assert html_of(document) == html_of(document)


def test_totals_before_their_groups_and_several_lines_are_kept(library: MakeLibrary) -> None:
    total = Row(position="before", cells=(Cell(column="pieces", value="sum(pieces)"),))
    table = table_of("vessel", "pieces", levels=(level_of("route", total=total),), total=row_of(pieces="sum(pieces)"))
    root = tree_of(html_of(render(report_of(table), library(FREIGHT))))
    (made,) = root.iter("table")
    column = [text_of(row[-1]) for row in made.find("tbody").iter("tr")]
    assert column.count("21") == 1
    assert column.index("21") == len(column) - 1
