"""Tables of contents and lists of captions: what they list, with the numbers of the pages it is on."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pikepdf

from northmoor.core.document import Document
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.simple import BreakBlock, ContentsBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.sources.library import Library
from tests.helpers import dumped, level_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
MANY = """create table numbered as with recursive n(i) as (select 0 union all select i + 1 from n where i < 599)
select i, 'Group ' || (100 + i / 5) as g from n;"""


def heading(name: str, text: str, **more: Any) -> TextBlock:
    return TextBlock(name=name, text=text, listed=more.pop("listed", "contents"), **more)


def listed(document: Document, block: str = "list") -> list[tuple[str, int]]:
    """The titles of a list with their numbers, as they are printed."""
    rows: dict[tuple[int, float], list[tuple[float, str]]] = {}
    for page in dumped(document)["pages"]:
        for item in page["items"]:
            if item["origin"]["block"] == block and item["kind"] == "text":
                rows.setdefault((page["number"], item["baseline"]), []).append((item["x"], item["text"]))
    texts = [[text for _, text in sorted(row)] for row in rows.values()]
    return [(row[0].strip(" ."), int(row[-1])) for row in texts]


def pages_with(document: Document, text: str, block: str) -> list[int]:
    return [
        page["number"] for page in dumped(document)["pages"] for item in page["items"]
        if item.get("text") == text and item["origin"]["block"] == block
    ]  # fmt: skip


def test_contents_list_what_follows_them_though_they_take_pages_themselves(
    library: MakeLibrary, tmp_path: Path
) -> None:
    table = table_of("i", levels=(level_of("g", heading=(row_of(i="{g}"),)),))
    report = report_of(
        heading("first", "About this"), ContentsBlock(name="list"), BreakBlock(name="break"), table,
        heading("last", "In closing"), sql="select * from numbered",
    )  # fmt: skip
    document = render(report, library(MANY))
    found = listed(document)
    assert [title for title, _ in found] == ["About this", *(f"Group {100 + n}" for n in range(120)), "In closing"]
    assert dict(found)["About this"] == 1
    assert dict(found)["Group 100"] > 2  # the list is longer than a page
    for title in ("Group 100", "Group 150", "Group 219"):
        assert pages_with(document, title, "table")[0] == dict(found)[title]
    (path,) = document.write(tmp_path / "out.pdf")
    with pikepdf.open(path) as pdf:
        links = [a for page in pdf.pages for a in page.get("/Annots", [])]
        places = pdf.Root.Names.Dests.Names
        named = {str(places[at]): places[at + 1] for at in range(0, len(places), 2)}
        targets = {str(link.A.D) for link in links}
        assert len(targets) == 122
        assert targets <= set(named)
        own = named["entry-2"][0]
        assert [at + 1 for at, page in enumerate(pdf.pages) if page.objgen == own.objgen] == [dict(found)["Group 100"]]


def test_a_list_shows_the_numbers_that_pages_print_and_as_many_steps_as_asked(library: MakeLibrary) -> None:
    record = ForEachBlock(
        name="each", query="rows", by="g", bookmark="Record {g}", restart_page_number=True,
        blocks=(heading("inner", "Inner {g}", heading=1), BreakBlock(name="b"), heading("deep", "Deep {g}", heading=3)),
    )  # fmt: skip
    sql = "select g, i from numbered where 10 > i order by g"
    report = report_of(ContentsBlock(name="list", depth=2), BreakBlock(name="break"), record, sql=sql)
    assert listed(render(report, library(MANY))) == [
        ("Record Group 100", 1), ("Inner Group 100", 1), ("Record Group 101", 1), ("Inner Group 101", 1),
    ]  # fmt: skip
    deeper = report_of(ContentsBlock(name="list", depth=9), BreakBlock(name="break"), record, sql=sql)
    assert ("Deep Group 101", 2) in listed(render(deeper, library(MANY)))


def test_captions_have_a_list_of_their_own(library: MakeLibrary) -> None:
    report = report_of(
        ContentsBlock(name="list", lists="captions"), heading("a", "A heading"), heading("b", "Table 1", listed="captions"),
        BreakBlock(name="break"), heading("c", "Table 2", listed="captions"), ContentsBlock(name="main"),
    )  # fmt: skip
    document = render(report, library(MANY))
    assert listed(document) == [("Table 1", 1), ("Table 2", 2)]
    assert listed(document, "main") == [("A heading", 1)]
    assert [mark["title"] for page in dumped(document)["pages"] for mark in page["bookmarks"]] == ["A heading"]
