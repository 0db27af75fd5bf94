"""Pointing at pages: spots, edges and brackets are where the page's own items are."""

from collections.abc import Callable
from itertools import pairwise
from pathlib import Path

import pytest

import northmoor
from northmoor.core.document import Document
from northmoor.core.layout.graphics.display_list import items
from northmoor.core.layout.page.hit_testing import HitMap, hit_map
from northmoor.core.sources.library import Library
from tests.helpers import level_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
GROUPS = "create table lines (k text, j integer, v integer); insert into lines with recursive r(i) as (select 0 union all select i + 1 from r where i < 149) select 'g' || (i / 70), i / 20, i from r;"


@pytest.fixture
def document(library: MakeLibrary) -> Document:
    """Two levels over four pages; the outer groups are longer than a page."""
    inner = level_of("j", heading=row_of(v="{j}"))
    outer = level_of("k", heading=row_of(v="{k}"), total=row_of(v="sum(v)"))
    return render(report_of(table_of("v", "k", levels=(outer, inner), total=row_of(v="sum(v)"))), library(GROUPS))


def places(document: Document) -> list[HitMap]:
    return [hit_map(document.composition, index) for index in range(len(document))]


def test_every_text_lies_in_the_spot_of_its_own_cell(document: Document, demo: Path) -> None:
    for made in (document, northmoor.render(demo / "reports" / "fares-by-route.moor")):
        for index, found in enumerate(places(made)):
            for item in items(made.page(index)):
                if item.kind != "text" or item.origin.block in ("header", "footer"):
                    continue
                region = found.region_at(item.x + item.width // 2, item.y + item.height // 2)
                assert region is not None
                assert (region.block, region.row, region.level) == (
                    item.origin.block,
                    item.origin.row,
                    item.origin.level,
                )
                assert region.column == item.origin.column


def test_spots_of_a_row_fill_it_without_overlap(document: Document) -> None:
    for found in places(document):
        rows = [s for s in found.regions if s.column is None]
        for row in rows:
            cells = sorted((s for s in found.regions if s.column and s.y == row.y), key=lambda s: s.x)
            assert all(a.x + a.width <= b.x for a, b in pairwise(cells))
            assert all(row.x <= s.x and s.x + s.width <= row.x + row.width for s in cells)


def test_edges_are_between_columns(document: Document) -> None:
    for found in places(document):
        rights = {s.column: s.x + s.width for s in found.regions if s.row == "detail" and s.column}
        assert {e.column: e.x for e in found.edges} == rights


def test_a_bracket_reaches_over_exactly_its_group(document: Document) -> None:
    seen: dict[tuple[str, int], int] = {}
    for index, found in enumerate(places(document)):
        page = [i for i in items(document.page(index)) if i.kind == "text" and i.origin.row == "detail"]
        for depth, level in enumerate(("k", "j")):
            brackets = [b for b in found.brackets if b.level == level]
            assert all(a.bottom <= b.top for a, b in pairwise(brackets))
            keys = list(dict.fromkeys(i.origin.keys[: depth + 1] for i in page))
            with_rows = [b for b in brackets if any(b.top <= i.y < b.bottom for i in page)]
            assert len(with_rows) == len(keys)
            for bracket, key in zip(with_rows, keys, strict=True):
                inside = {i.origin.keys[: depth + 1] for i in page if bracket.top <= i.y < bracket.bottom}
                assert inside == {key}
            seen[level, index] = len(brackets)
    assert sum(seen.values()) > 12


def test_brackets_are_open_where_their_group_goes_on(document: Document) -> None:
    outer = [[b for b in found.brackets if b.level == "k"] for found in places(document)]
    begins = sum(b.begins for page in outer for b in page)
    ends = sum(b.ends for page in outer for b in page)
    assert begins == ends == 3
    assert any(not b.ends for b in outer[0])
    assert not outer[1][0].begins


def test_headers_and_footers_can_be_pointed_at(demo: Path) -> None:
    made = northmoor.render(demo / "reports" / "fares-by-route.moor")
    found = hit_map(made.composition, 0)
    page = made.page(0)
    for item in items(page):
        if item.origin.block in ("header", "footer"):
            region = found.region_at(item.x + 1000, item.y + item.height // 2)
            assert region is not None
            assert region.block == item.origin.block
    assert {s.column for s in found.regions if s.block == "header"} == {"0.start", "0.end"}
