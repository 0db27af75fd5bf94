"""Columns, labels, turned pages, papers and watermarks: where things are, and that nothing is lost between areas."""

import sqlite3
from collections.abc import Callable
from pathlib import Path

import pytest
from pydantic import ValidationError

from northmoor.core.document import Document
from northmoor.core.layout.page.hit_testing import hit_map
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.simple import BreakBlock
from northmoor.core.model.blocks.table import Column
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.pages import PageSetup, Running, RunningLine, TextPiece, Watermark
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.styles import Style
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.demo.reports.winter_letter import winter_letter
from tests.helpers import column_of, dumped, level_of, lines_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
NUMBERED = "create table numbered as with recursive n(i) as (select 1 union all select i + 1 from n where i < 500) select i from n;"
MANY = "select i, 1 as one from numbered"


def places_of(document: Document, block: str) -> list[tuple[int, float, float, str]]:
    """Page, left, top and text of each line of a block, in printed order."""
    return [
        (page["number"], item["x"], item["y"], item["text"])
        for page in dumped(document)["pages"]
        for item in page["items"]
        if item["origin"]["block"] == block and item["kind"] == "text"
    ]


def test_a_table_goes_on_in_the_next_column_with_its_head_and_its_page_totals(library: MakeLibrary) -> None:
    table = table_of(
        Column(name="i", value="i", title="i", look=Style(align="start")),
        page_total=row_of(i="sum(i)"),
        total=(row_of(i="sum(i)"),),
    )
    page = PageSetup(columns=3, column_gap=20_000)
    document = render(report_of(table, sql=MANY, page=page), library(NUMBERED))
    assert column_of(document, "i") == [str(n) for n in range(1, 501)]  # column by column
    heads = [(number, round(x)) for number, x, _, text in places_of(document, "table") if text == "i"]
    width = (595_276 - 2 * 56_693 - 2 * 20_000) // 3
    lefts = {round((56_693 + at * (width + 20_000)) / 1000 + 2) for at in range(3)}
    assert {x for number, x in heads if number == 1} == lefts
    shown = [line.cells["i"] for line in lines_of(document) if (line.kind, line.level) == ("total", "page")]
    sums = [int(figure.replace(",", "")) for line in shown for figure in line.split()]
    assert sum(sums) == 500 * 501 // 2
    assert len(sums) == len(heads)  # one for each column of a page
    regions = [
        region for region in hit_map(document.composition, 0).regions if region.row == "detail" and region.column
    ]
    right = 595_276 - 56_693
    assert all(region.x >= 56_693 and region.x + region.width <= right for region in regions)


@pytest.mark.parametrize("fill_first", ["down", "across"])
def test_each_record_has_a_label(library: MakeLibrary, fill_first: str) -> None:
    page = PageSetup(columns=3, rows=7, column_gap=0, row_gap=6_000, fill_first=fill_first)  # type: ignore[arg-type]
    label = ForEachBlock(name="label", query="rows", by="i", page_break="column",
                         blocks=(TextBlock(name="said", text="No. {i; 0}", look=Style(align="start")),))  # fmt: skip
    document = render(report_of(label, sql=MANY, page=page), library(NUMBERED))
    found = places_of(document, "said")
    assert len(document) == -(-500 // 21)
    height = (841_890 - 2 * 56_693 - 6 * 6_000) // 7
    for number, x, y, text in found:
        at = int(text.removeprefix("No. ")) - 1
        down, across = (at % 21 % 7, at % 21 // 7) if fill_first == "down" else (at % 21 // 3, at % 21 % 3)
        width = (595_276 - 2 * 56_693) // 3
        assert (number, round(x * 1000) - 2000, round(y * 1000) - 2000) == (
            at // 21 + 1, 56_693 + across * width, 56_693 + down * (height + 6_000)
        )  # fmt: skip
    assert len(found) == 500


def test_a_page_break_turns_the_pages_that_follow(library: MakeLibrary) -> None:
    footer = Running(lines=(RunningLine(end=TextPiece(text="{page_number(); 0} of {page_count(); 0}")),))
    document = render(report_of(
        TextBlock(name="a", text="upright"), BreakBlock(name="turn", orientation="landscape"),
        table_of("i", foot_of_page=True), BreakBlock(name="back", orientation="portrait"),
        TextBlock(name="b", text="upright again"),
        sql="select i from numbered where i <= 60", edition={"footer": footer},
    ), library(NUMBERED))  # fmt: skip
    pages = dumped(document)["pages"]
    sizes = [(page["width"], page["height"]) for page in pages]
    upright, turned = (595.276, 841.89), (841.89, 595.276)
    assert sizes == [upright, *[turned] * (len(sizes) - 2), upright]
    for number, page in enumerate(pages, 1):
        (own,) = [item for item in page["items"] if item["origin"]["row"] == "footer"]
        assert own["text"] == f"{number} of {len(pages)}"
        assert own["x"] + own["width"] == pytest.approx(page["width"] - 56.693 - 2, abs=0.01)
        assert own["y"] + own["height"] == pytest.approx(page["height"] - 56.693 - 2, abs=0.01)
    assert column_of(document, "i") == [str(n) for n in range(1, 61)]
    assert {b: place[0] for b, place in document.composition.placed.blocks.items()} == {
        "a": 0, "table": 1, "b": len(pages) - 1,
    }  # fmt: skip


def test_papers_of_any_size_are_printed_and_too_many_columns_refused(library: MakeLibrary) -> None:
    page = PageSetup(size="custom", width="100mm", height="150mm", margin_left=0, margin_right=0)  # type: ignore[arg-type]
    (only,) = dumped(render(report_of(TextBlock(name="a", text="x"), page=page), library(NUMBERED)))["pages"]
    assert (only["width"], only["height"]) == (283.465, 425.197)
    with pytest.raises(ValidationError, match="the columns leave less than"):
        PageSetup(columns=30)
    with pytest.raises(ValidationError, match="the labels leave less than"):
        PageSetup(rows=100)


def test_a_watermark_is_behind_the_pages_that_its_condition_names(library: MakeLibrary) -> None:
    mark = Watermark(text="Draft {page_number(); 0}", visible=":state = 'draft' and page_number() > 1")
    parameter = Parameter(name="state", default="draft")
    report = report_of(
        TextBlock(name="a", text="x"), BreakBlock(name="b"), TextBlock(name="c", text="y"),
        parameters=[parameter], edition={"watermark": mark},
    )  # fmt: skip

    def marks(state: str) -> list[tuple[int, str, str]]:
        pages = dumped(render(report, library(NUMBERED), state=state))["pages"]
        return [(page["number"], page["items"][0]["text"], page["items"][0].get("turn", ""))
                for page in pages if page["items"][0]["origin"]["row"] == "watermark"]  # fmt: skip

    assert marks("draft") == [(2, "Draft 2", "55")]
    assert marks("final") == []
    broken = report.but(editions=(report.editions[0].but(watermark=mark.but(visible="no_such_thing")),))
    document = render(broken, library(NUMBERED))
    assert [f.message for f in document.findings if f.place.block == "watermark"]
    assert len(dumped(document)["pages"]) == 2


@pytest.mark.parametrize("repeated", [False, True])
def test_a_header_shows_the_group_or_record_that_is_open_on_its_page(library: MakeLibrary, repeated: bool) -> None:
    sql = "select i, case when i <= 90 then 'Curlew' when i <= 95 then 'Dunlin' else 'Plover' end as vessel from numbered where i <= 200"
    header = Running(lines=(
        RunningLine(start=TextPiece(text="Vessel {vessel}"), end=TextPiece(text="{nothing}"), of="vessel"),
        RunningLine(start=TextPiece(text="Page {page_number(); 0}"), on="later"),
    ))  # fmt: skip
    table = table_of("i", levels=() if repeated else (level_of("vessel"),))
    each = ForEachBlock(name="vessel", query="rows", by="vessel", page_break="none", blocks=(table,))
    report = report_of(TextBlock(name="first", text="Log"), BreakBlock(name="break"), each if repeated else table,
                       sql=sql, edition={"header": header})  # fmt: skip
    document = render(report, library(NUMBERED))
    said, opened = [], []
    for page in dumped(document)["pages"]:
        texts = [i["text"] for i in page["items"] if i["origin"]["row"] == "header" and "⚠" not in i["text"]]
        said.append(next((text.removeprefix("Vessel ") for text in texts if text.startswith("Vessel")), None))
        rows = [int(i["text"]) for i in page["items"] if i["origin"]["row"] == "detail" and i["kind"] == "text"]
        opened.append(None if not rows else "Curlew" if rows[0] <= 90 else "Dunlin" if rows[0] <= 95 else "Plover")
    assert said == opened
    assert len({*said}) >= 3
    assert any("'nothing' is not known here" in finding.message for finding in document.findings)


@pytest.mark.parametrize("port", ["SK", "OX"])
@pytest.mark.variants
def test_each_shipper_of_a_port_gets_a_letter_and_a_label(demo: Path, tarrow: sqlite3.Connection, port: str) -> None:
    asked = "select s.name from shippers s join ports p using (port_id) where p.code = ? order by 1"
    shippers = [name for (name,) in tarrow.execute(asked, (port,))]
    session = Session(Library.around(demo / "reports"))
    letters = dumped(session.render(winter_letter(), {"port": port}, "letter"))["pages"]
    said = [next(i["text"] for i in page["items"] if i["origin"]["block"] == "to") for page in letters]
    assert said == shippers
    counted = tarrow.execute(
        """select count(*) from waybills w join shippers s using (shipper_id) where s.name = ? and w.status <> 'cancelled'
        and w.shipped_on >= '2025-01-01'""", (shippers[0],),
    ).fetchone()[0]  # fmt: skip
    greeting = [i["text"] for i in letters[0]["items"] if i["origin"]["block"] == "greeting"]
    assert f"{counted:,} waybills" in greeting
    assert not [i for i in letters[0]["items"] if i["origin"]["row"] == "watermark"]
    draft = session.render(winter_letter(), {"port": port, "draft": True}, "letter")
    assert {
        i["text"] for page in dumped(draft)["pages"] for i in page["items"] if i["origin"]["row"] == "watermark"
    } == {"Draft"}
    labels = dumped(session.render(winter_letter(), {"port": port}, "labels"))["pages"]
    assert len(labels) == -(-len(shippers) // 24)
    names = [i["text"] for page in labels for i in page["items"] if i["origin"]["block"] == "label-to"]
    assert names[::2] == shippers
