"""Numbers, dates, codes and words are whole on every page, or hash marks that Preflight names: in tables, matrices,
grids, frames and columns of a page, whatever the widths."""

from collections.abc import Callable
from decimal import Decimal
from itertools import pairwise
from typing import Any

import pytest
from hypothesis import Phase, given, settings
from hypothesis import strategies as st

from northmoor.core.checks.preflight import preflight
from northmoor.core.document import Document
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.containers import FrameBlock, FrameItem, GridBlock, GridCell, Track
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.table import Cell, Column, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.styles import NamedStyle
from northmoor.core.sources.library import Library
from tests.helpers import dumped, examples, render, report_of, table_of

MakeLibrary = Callable[[str], Library]
NUMBERS = st.decimals(-(10**8), 10**8, places=2) | st.decimals(-99, 99, places=2)
WORDS = st.sampled_from(["Ro-ro", "Tarrow", "hay and straw", "machine parts", "a", "returned empty 12.5 t", ""])
ROWS = st.lists(st.tuples(st.lists(NUMBERS, min_size=14, max_size=14), WORDS), min_size=1, max_size=5)
NAMES = [f"n{number}" for number in range(14)]


def script(rows: list[tuple[list[Decimal], str]]) -> str:
    columns = ", ".join(f"{name} decimal(12,2)" for name in NAMES)
    values = ", ".join(f"({', '.join(map(str, numbers))}, '{text}')" for numbers, text in rows)
    return f"create table lines ({columns}, t text); insert into lines values {values};"


def texts(document: Document) -> list[dict[str, Any]]:
    return [item for page in dumped(document)["pages"] for item in page["items"] if item["kind"] == "text"]


def columns(count: int, width: int | None) -> list[Column | str]:
    return [Column(name="t", value="t"), *(Column(name=n, value=n, width=width) for n in NAMES[:count])]


def hold(block: Block, holder: str) -> Block:
    """A block as it is, in a narrow cell of a grid, or in a frame."""
    if holder == "grid":
        return GridBlock(name="grid", tracks=(Track(), Track(share=3)), cells=(GridCell(blocks=(block,), column=1),))
    if holder == "frame":
        return FrameBlock(name="frame", items=(FrameItem(x=0, y=0, width=150_000, height=100_000, blocks=(block,)),))
    return block


def assert_whole(document: Document, numbers: list[Decimal]) -> None:
    """Each number is on the pages as often as it should, unless some are hash marks; nothing is on anything else."""
    shown = [item["text"] for item in texts(document) if item["origin"]["row"] == "detail"]
    wanted = [f"{number:,.2f}" for number in numbers]
    hashes = [text for text in shown if set(text) <= {"#"}]
    found = [text for text in shown if text in wanted]
    assert len(found) + len(hashes) >= len(wanted)
    assert any(hashes) <= any(f.rule == "does not fit" and f.is_error for f in document.findings)
    if not any(finding.rule == "does not fit" for finding in document.findings):
        assert sorted(found) == sorted(wanted)
    for page in dumped(document)["pages"]:
        lines: dict[float, list[tuple[float, float]]] = {}
        for item in page["items"]:
            if item["kind"] == "text" and item["origin"]["row"] == "detail":
                lines.setdefault(item["baseline"], []).append((item["x"], item["x"] + item["width"]))
        for line in lines.values():
            assert all(left[1] <= right[0] + 0.001 for left, right in pairwise(sorted(line)))


@settings(max_examples=examples(60), phases=[Phase.generate])
@given(
    rows=ROWS,
    count=st.integers(1, 14),
    width=st.none() | st.integers(12_000, 60_000),
    setup=st.sampled_from([PageSetup(), PageSetup(size="A6"), PageSetup(columns=3)]),
    holder=st.sampled_from(["none", "grid", "frame"]),
    when_wide=st.sampled_from(["narrow", "across"]),
)
def test_numbers_of_tables_are_whole(
    library: MakeLibrary, rows: list[Any], count: int, width: int | None, setup: PageSetup, holder: str, when_wide: Any
) -> None:
    table = table_of(*columns(count, width), when_wide=when_wide)
    document = render(report_of(hold(table, holder), page=setup), library(script(rows)))
    assert_whole(document, [number for numbers, _ in rows for number in numbers[:count]])


@settings(max_examples=examples(30), phases=[Phase.generate])
@given(rows=ROWS, way=st.sampled_from(["narrow", "across", "shrink"]), setup=st.sampled_from([PageSetup(), PageSetup(size="A6")]))  # fmt: skip
def test_numbers_of_matrices_are_whole(library: MakeLibrary, rows: list[Any], way: Any, setup: PageSetup) -> None:
    long = " union all ".join(
        f"select rowid as r, '{n[1:]}' as month, {n} as fare from lines" for n in NAMES[:12]
    )  # a row for each month of each row
    matrix = MatrixBlock(
        name="matrix", query="rows", rows=(MatrixLevel(name="r", by="r"),),
        columns=(MatrixLevel(name="month", by="month"),), measures=(Measure(name="fare", value="sum(fare)", format="#,##0.00"),),
        when_wide=way, column_total="none",
    )  # fmt: skip
    made = library(script(rows) + f"create table months as {long};")
    document = render(report_of(matrix, sql="select * from months", page=setup), made)
    assert_whole(document, [number for numbers, _ in rows for number in numbers[:12]])


def fitted(library: MakeLibrary, count: int, number: str, text: str, **more: Any) -> Document:
    table = table_of(*columns(count, None), **more)
    body = NamedStyle(name="body", inset=4000)
    made = library(script([([Decimal(number)] * 14, text)]))
    return render(report_of(table.but(style="body", head_style="body"), styles=(body,)), made)


def first(document: Document, column: str) -> dict[str, Any]:
    return next(i for i in texts(document) if i["origin"]["column"] == column and i["origin"]["row"] == "detail")


def test_texts_give_way_first_then_the_space_between_then_size_then_pages(library: MakeLibrary) -> None:
    long = "Ro-ro cargo and passengers " * 8
    for count, number, rules, size, pages in (
        (8, "12345.67", [], 9.0, 1),
        (9, "12345.67", [], 9.0, 1),
        (13, "12345.67", ["smaller print"], None, 1),
        (14, "12345678.90", ["across pages"], 9.0, 3),
    ):
        document = fitted(library, count, number, long)
        assert [finding.rule for finding in document.findings] == rules
        own = first(document, "n0")
        assert own["text"] == f"{Decimal(number):,}"
        assert size in (own["size"], None)
        assert 6.3 <= own["size"] <= 9.0
        assert len(document) == pages
    wide, close = (first(fitted(library, count, "12345.67", long), "n0") for count in (8, 9))
    cells = [
        next(i for i in texts(fitted(library, c, "12345.67", long)) if i["origin"]["column"] == "n1")["x"]
        for c in (8, 9)
    ]
    assert cells[0] - wide["x"] > cells[1] - close["x"]  # less space between columns


def test_a_given_width_gives_way_to_numbers_and_a_limit_keeps_the_print_readable(library: MakeLibrary) -> None:
    table = table_of(Column(name="n0", value="n0", width=20_000), Column(name="t", value="t", width=100_000))
    document = render(report_of(table), library(script([([Decimal("1234567.89")] * 14, "a")])))
    assert first(document, "n0")["text"] == "1,234,567.89"
    document = fitted(library, 13, "12345.67", "a", minimum_scale=1.0)
    assert [finding.rule for finding in document.findings] == ["across pages"]


def test_what_fits_nowhere_is_hash_marks_and_preflight_offers_more_room(library: MakeLibrary) -> None:
    table = table_of(*columns(12, None))
    held = hold(table, "frame")
    made = library(script([([Decimal("12345678.90")] * 14, "Ro-ro")]))
    document = render(report_of(held), made)
    assert {*first(document, "n3")["text"]} == {"#"}
    finding = next(finding for finding in preflight(document) if finding.rule == "does not fit")
    assert finding.is_error
    labels = [remedy.label for remedy in finding.remedies]
    assert labels == ["Turn the page", "Smaller print"]
    for remedy in finding.remedies:
        assert remedy.edit is not None
        assert len(preflight(render(remedy.edit(document.report), made))) <= len(preflight(document))


@pytest.mark.parametrize("holder", ["none", "grid", "frame"])
def test_a_number_in_a_text_is_whole_or_named(library: MakeLibrary, holder: str) -> None:
    block = TextBlock(name="said", text="{sum(rows.n0)} {'x' || 'y'}")
    made = library(script([([Decimal("99999999.99")] * 14, "a")] * 3))
    document = render(report_of(hold(block, holder), page=PageSetup(columns=4, column_gap=50_000)), made)
    shown = [item["text"].split()[0] for item in texts(document)]
    assert shown[0] == "299,999,999.97" or set(shown[0]) == {"#"}
    assert ("does not fit" in [f.rule for f in document.findings]) == (set(shown[0]) == {"#"})


def test_page_totals_are_whole_though_pages_are_made_before_they_are_known(library: MakeLibrary) -> None:
    rows = [([Decimal("9999999.99")] * 14, "a") for _ in range(120)]
    row = Row(cells=tuple(Cell(column=n, value=f"sum({n})") for n in NAMES[:10]))
    table = TableBlock(
        name="table", query="rows", columns=tuple(Column(name=n, value=n, format="0") for n in NAMES[:10]),
        page_total=row, carried_forward=row,
    )  # fmt: skip
    document = render(report_of(table), library(script(rows)))
    shown = [i["text"] for i in texts(document) if i["origin"]["row"] in ("total", "carry")]
    assert shown
    assert all(text.isdigit() and len(text) >= 9 for text in shown)
