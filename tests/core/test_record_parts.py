"""Records that are laid out in parts and placed in batches: they print, tell and trace what they do in one piece."""

from collections.abc import Callable
from typing import Any

import pytest

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.preflight import preflight
from northmoor.core.checks.trace import trace
from northmoor.core.document import Document
from northmoor.core.layout.flow import for_each
from northmoor.core.layout.page.hit_testing import hit_map
from northmoor.core.layout.table import per_record
from northmoor.core.model.blocks.containers import ForEachBlock, GridBlock, GridCell
from northmoor.core.model.blocks.simple import BreakBlock, ContentsBlock
from northmoor.core.model.blocks.table import Column, Drawing
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Link, LinkedColumns
from northmoor.core.model.pages import PageSetup, Running, RunningLine, TextPiece
from northmoor.core.model.report import Report
from northmoor.core.model.styles import ColorScale, ConditionalFormat, Style
from northmoor.core.sources.library import Library
from tests.helpers import dumped, level_of, query, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
SHIPPERS, LINES = 9, 17
_VALUES = ", ".join(
    f"({who}, 'goods {n * (who + 3) % 5}', {(n * 37 + who * 11) % 400 - 80}, {(n * who * 7919 % 90_000) / 100})"
    for who in range(SHIPPERS)
    for n in range(LINES)
)
ROWS = f"create table lines (who integer, goods text, kg integer, fee decimal(9,2)); insert into lines values {_VALUES}"
"""Freight lines: for each shipper some goods with their weight, which may be negative, and their fee."""
_ORDERED = "select * from lines order by who, goods, kg, fee"


def statements(**more: Any) -> Report:
    """A report with all that the parts of a table have in common: widths, signs, scales, bars, rows of pages."""
    heavy = ConditionalFormat(when="kg > 250", look=Style(bold=True, size=12_000))
    columns = (
        Column(name="goods", value="goods", blank_repeats=True, link="#shipper {who}"),
        Column(
            name="kg",
            value="kg",
            scale=ColorScale(),
            rules=(ConditionalFormat(when="kg < 0", look=Style(italic=True)),),
        ),
        Column(name="fee", value="fee", format="0.##", look=Style(align="decimal")),
        Column(name="bar", value="kg", width=60_000, draw=Drawing(kind="bar")),
        Column(name="odd", value="fee / (kg - 20)", format="0.0000000", width=30_000, look=Style(overflow="cut")),
        Column(name="who", value="cast(goods as integer)", anchor="shipper {who}"),
    )
    level = level_of("goods", heading=(row_of(goods="{goods}: {sum(kg)}"),), continued="(more)", keep_together=True)
    table = table_of(
        *columns, levels=(level,), rules=(heavy,), total=(row_of(kg="sum(kg)", fee="sum(fee) / sum(fee) over report"),),
        page_total=row_of(kg="sum(kg)"), brought_forward=row_of(kg="sum(kg)", goods="{'brought to this page'}"),
        carried_forward=row_of(kg="sum(kg)"), rows_per_page=9,
    )  # fmt: skip
    title = TextBlock(name="title", text="Shipper {who}: {sum(fee)}", link="#shipper {who}")
    made = {"name": "shipper", "query": "rows", "by": "who", "restart_page_number": True, "bookmark": "{who}"} | more
    header = Running(lines=(RunningLine(start=TextPiece(text="{goods}"), of="goods"),))
    page = PageSetup(size="A5", orientation="landscape")
    shippers = query("select distinct who, 0.5 as fee from lines", name="shippers")
    rows = query(_ORDERED).but(detail_of=Link(query="shippers", columns=(LinkedColumns(own="who", other="who"),)))
    block = ForEachBlock(blocks=(title, table), **made)
    return report_of(block, queries=(shippers, rows), page=page, edition={"header": header})


def in_small_parts(monkeypatch: pytest.MonkeyPatch) -> None:
    """Let a few records be laid out together, each be placed by itself, and nothing of it be held."""
    monkeypatch.setattr(per_record, "ROWS_OF_PART", 4 * LINES)
    monkeypatch.setattr(for_each, "PARTS_OF_BATCH", 1)
    monkeypatch.setattr(for_each, "MANY_RECORDS", 2)
    monkeypatch.setattr(for_each, "PARTS_HELD", 0)


def messages(document: Document) -> list[str]:
    return sorted({str(finding) for finding in (*document.findings, *preflight(document))})


def traced(document: Document, page: int) -> list[Any]:
    """The traces of all figures in rows of a page: what is shown, in what scope, over how many rows."""
    regions = [s for s in hit_map(document.composition, page).regions if s.column in ("kg", "fee") and s.row != "head"]
    found = [trace(document, page, region, CancelToken()) for region in regions if region.block == "table"]
    return [(t.shown, t.scope, t.rows and t.rows.table.to_pylist(), [f.agrees for f in t.figures]) for t in found]


@pytest.mark.slow
@pytest.mark.parametrize(("more", "parts"), [
    ({}, 3), ({"order_by": "sum(fee)"}, 3), ({"query": "shippers", "order_by": "who % 4"}, 1),
])  # fmt: skip
def test_parts_print_what_the_whole_prints(
    library: MakeLibrary, monkeypatch: pytest.MonkeyPatch, more: dict[str, str], parts: int
) -> None:
    """Where records come in another order than a table's groups, the table is laid out as one part."""
    report, made = statements(**more), library(ROWS)
    whole = render(report, made)
    in_small_parts(monkeypatch)
    parted = render(report, made)
    assert len(parted.composition.placed.batches) == SHIPPERS
    assert all(batch.fragments_held is None for batch in parted.composition.placed.batches)
    assert len(parted.composition.record_tables["table"].parts) == parts
    assert len(whole.composition.record_tables["table"].parts) == 1
    assert dumped(parted) == dumped(whole)
    assert parted.pdf() == whole.pdf()
    assert messages(parted) == messages(whole)
    page = len(whole) // 2
    assert traced(parted, page) == traced(whole, page)
    assert all(agrees for *_, figures in traced(parted, page) for agrees in figures)
    assert hit_map(parted.composition, page).brackets == hit_map(whole.composition, page).brackets


@pytest.mark.parametrize("page", [
    PageSetup(size="A5", columns=2), PageSetup(size="A4", rows=3, columns=2, fill_first="down"), PageSetup(size="A6"),
])  # fmt: skip
@pytest.mark.variants
def test_batches_go_on_where_the_one_before_ended(
    library: MakeLibrary, monkeypatch: pytest.MonkeyPatch, page: PageSetup
) -> None:
    """Records that follow one another on a page, in its columns and labels, with nested ones and blocks around them."""
    inner = ForEachBlock(name="of", query="rows", by="goods", page_break="none", without_rows="left_out", blocks=(
        TextBlock(name="goods", text="{goods}: {count(*)}", listed="contents"), table_of("kg", "fee"),
    ))  # fmt: skip
    right = GridCell(column=1, blocks=(table_of("kg").but(name="right"),))
    grid = GridBlock(name="grid", cells=(GridCell(blocks=(TextBlock(name="left", text="{who}"),)), right))
    each = ForEachBlock(name="who", query="rows", by="who", page_break="none", blocks=(
        TextBlock(name="title", text="Shipper {who}", stays_with_next=True, listed="contents"), grid, inner,
        TextBlock(name="end", text="{count(*)} lines of {who}"), table_of("goods").but(name="last"),
    ))  # fmt: skip
    around = [TextBlock(name=name, text=name) for name in ("before", "after")]
    again = ForEachBlock(name="again", query="rows", by="who", blocks=(TextBlock(name="once", text="{who} again"),))
    turned = BreakBlock(name="turned", orientation="landscape")
    blocks = (ContentsBlock(name="contents"), around[0], each, turned, again, around[1])
    report, made = report_of(*blocks, sql=_ORDERED, page=page), library(ROWS)
    whole = render(report, made)
    in_small_parts(monkeypatch)
    batched = render(report, made)
    inner_ones = len({(who, n * (who + 3) % 5) for who in range(SHIPPERS) for n in range(LINES)})
    lonely = sum(not (who + 3) % 5 for who in range(SHIPPERS))  # shippers of one kind of goods: no batch for that
    assert len(batched.composition.placed.batches) == 2 * SHIPPERS + inner_ones - lonely
    assert len(whole.composition.placed.batches) == 2
    assert dumped(batched) == dumped(whole)
    for index in (len(whole) - 1, 0, len(whole) // 2):  # in any order
        assert batched.page_pdf(index) == whole.page_pdf(index)
    assert messages(batched) == messages(whole)


def test_the_first_records_are_held_and_the_others_placed_again(
    library: MakeLibrary, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(for_each, "PARTS_OF_BATCH", 3)
    monkeypatch.setattr(for_each, "PARTS_HELD", 12)
    document = render(statements(), library(ROWS))
    batches = document.composition.placed.batches
    held = [batch.fragments_held is not None for batch in batches]
    assert held == sorted(held, reverse=True)
    assert 0 < sum(held) < len(held)
    assert sum(len(batch.fragments_held) for batch in batches if batch.fragments_held is not None) <= 12
    first, last = batches[0], batches[-1]
    assert first.parts is first.parts
    again = last.place()
    assert again is not last.parts
    assert [(run.first_page, [*run.fragments]) for run in again.tables] == [
        (run.first_page, [*run.fragments]) for run in last.parts.tables
    ]
