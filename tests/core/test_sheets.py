"""Wide tables across pages, headings that say they go on, and very many columns."""

from collections.abc import Callable
from itertools import groupby, pairwise

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.layout.table.horizontal_split import split_columns
from northmoor.core.model.blocks.table import PAGE_ROWS, Cell, Column, Row
from northmoor.core.model.pages import PageSetup
from northmoor.core.sources.library import Library
from tests.core.test_page_rows import MANY
from tests.helpers import Line, dumped, level_of, lines_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
SMALL = PageSetup(size="A5")


def by_page(lines: list[Line]) -> dict[int, list[Line]]:
    return {page: list(own) for page, own in groupby(lines, key=lambda line: line.page)}


def test_a_wide_table_goes_on_across_pages_with_some_columns_repeated(library: MakeLibrary) -> None:
    wide = [Column(name=f"c{n}", value=f"n + {n}", title=f"C{n}", width=70_000) for n in range(5)]
    columns = (Column(name="k", value="k", title="Key", width=80_000, repeat_across=True), *wide)
    heading = Row(cells=(Cell(column="k", text="{k}", span=6),))
    level = level_of("k", heading=heading, total=row_of(c4="sum(n)"))
    rows = {name: row_of(c1="sum(n)", c4="count(*)") for name in PAGE_ROWS}
    document = render(
        report_of(table_of(*columns, levels=(level,), when_wide="across", **rows), page=SMALL), library(MANY)
    )
    assert document.findings == ()
    pages = by_page(lines_of(document))
    heads = [list(lines[0].cells.values()) for lines in pages.values()]
    assert heads[:3] == [["Key", "C0", "C1", "C2"], ["Key", "C3", "C4"], ["Key", "C0", "C1", "C2"]]
    assert len(document) % 2 == 0
    for left, right in ((pages[n], pages[n + 1]) for n in range(1, len(document), 2)):
        shown = [[(line.ordinal, line.y) for line in lines if line.kind == "detail"] for lines in (left, right)]
        assert shown[0] == shown[1]
    ordinals = [line.ordinal for page, lines in pages.items() if page % 2 for line in lines if line.kind == "detail"]
    assert ordinals == list(range(180))
    for page in dumped(document)["pages"]:
        assert all(item["x"] + item["width"] <= 419.6 - 56.6 for item in page["items"])


def test_a_table_that_fits_is_one_sheet(library: MakeLibrary) -> None:
    one = render(report_of(table_of("k", "n", when_wide="across")), library(MANY))
    other = render(report_of(table_of("k", "n")), library(MANY))
    assert dumped(one) == dumped(other)


def test_a_repeated_heading_says_that_its_group_goes_on(library: MakeLibrary) -> None:
    level = level_of("k", heading=row_of(k="{k} of the log"), continued="(continued on this page, too)")
    table = table_of(Column(name="k", width=90_000), "n", levels=(level,))
    document = render(report_of(table, page=SMALL), library(MANY))
    bottom = (595_276 - 56_693) / 1000
    headings = [(line.keys, line.page, line.cells["k"]) for line in lines_of(document) if line.kind == "heading"]
    seen = set()
    for keys, _, text in headings:
        assert text == f"{keys[0]} of the log" + (" (continued on this page, too)" if keys in seen else "")
        seen.add(keys)
    assert len(headings) > len(seen) == 4
    assert all(i["y"] + i["height"] <= bottom for page in dumped(document)["pages"] for i in page["items"])


@pytest.mark.slow
def test_three_hundred_columns_are_laid_out(library: MakeLibrary) -> None:
    columns = [Column(name=f"c{n}", value=f"n * {n}", width=60_000) for n in range(300)]
    total = Row(cells=tuple(Cell(column=c.name, value=f"sum({c.value})") for c in columns))
    across = render(report_of(table_of(*columns, total=total, when_wide="across"), page=SMALL), library(MANY))
    sums = {k: v for line in lines_of(across) if line.kind == "total" for k, v in line.cells.items()}
    assert {name: int(v.replace(",", "")) for name, v in sums.items()} == {f"c{n}": 16_110 * n for n in range(300)}
    narrow = render(report_of(table_of(*columns[:40]), page=SMALL), library(MANY))
    assert "wider than the page" in narrow.findings[0].message


@given(
    st.lists(st.tuples(st.integers(1, 9), st.booleans(), st.booleans()), min_size=1, max_size=40), st.integers(6, 30)
)
def test_columns_are_parted_in_order_and_joined_ones_stay(made: list[tuple[int, bool, bool]], available: int) -> None:
    columns = [
        Column(name=f"c{at}", repeat_across=repeated and at == 0, joined=joined)
        for at, (_, joined, repeated) in enumerate(made)
    ]
    widths = [width for width, _, _ in made]
    sheets = split_columns(columns, widths, available)
    always = [at for at, column in enumerate(columns) if column.repeat_across]
    room = available - sum(widths[at] for at in always)
    own = [[at for at in sheet if at not in always] for sheet in sheets]
    assert [at for sheet in own for at in sheet] == [at for at in range(len(columns)) if at not in always]
    assert all(set(always) <= set(sheet) for sheet in sheets)
    for sheet in own:
        assert len(sheet) <= 1 or sum(widths[at] for at in sheet) <= room
    for before, after in pairwise(own):
        if before and after and columns[after[0]].joined:  # only where what is joined is wider than a sheet
            start = after[0]
            while start > 0 and columns[start].joined and start - 1 not in always:
                start -= 1
            assert sum(widths[start : after[0] + 1]) > room
