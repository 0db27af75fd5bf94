"""Every output of documents with nothing, or nothing sound, in them: each is written, or says why not."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from northmoor.core.errors import OutputError
from northmoor.core.model.blocks.chart import ChartBlock, ChartMeasure
from northmoor.core.model.blocks.containers import ForEachBlock, GridBlock
from northmoor.core.model.blocks.simple import ContentsBlock, LineBlock, ShapeBlock
from northmoor.core.model.blocks.table import Cell, Column, Row
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.kinds.output_formats import OUTPUT_FORMATS
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, level_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
NO_ROWS = "select * from lines where 1 = 0"
ODD: dict[str, tuple[tuple[Any, ...], str]] = {
    "nothing": ((), "select * from lines"),
    "texts without words": ((TextBlock(name="a", text=""), TextBlock(name="b", text="\n\n")), "select * from lines"),
    "a table without rows": ((table_of("route", total=row_of(route="count(*)")),), NO_ROWS),
    "a table without head, rows or texts": ((table_of("route", show_head=False),), NO_ROWS),
    "a column of nothing": ((table_of(Column(name="n", value="null")),), "select * from lines"),
    "groups without details": (
        (table_of("route", show_details=False, levels=(level_of("route", heading=row_of(route="{route}")),)),),
        "select * from lines",
    ),
    "faults": ((table_of("nowhere"), TextBlock(name="t", text="{nowhere}")), "select * from lines"),
    "a query that fails": ((table_of("route"),), "select nowhere from lines"),
    "records without rows": ((ForEachBlock(name="each", query="rows", by="route", blocks=(table_of("note"),)),), NO_ROWS),
    "an empty grid": ((GridBlock(name="grid"), LineBlock(name="rule"), ShapeBlock(name="shape")), "select * from lines"),
    "a chart without values": (
        (ChartBlock(name="chart", query="rows", measures=(ChartMeasure(name="n", value="sum(charge)"),)),), NO_ROWS,
    ),
    "a list of no titles": ((ContentsBlock(name="contents"),), "select * from lines"),
    "a cell over everything": (
        (table_of("route", "note", total=Row(cells=(Cell(column="route", text="All", span=2),))),), "select * from lines",
    ),
}  # fmt: skip


@pytest.mark.parametrize("what", ODD)
@pytest.mark.variants
def test_odd_documents_are_written_in_every_format(library: MakeLibrary, tmp_path: Path, what: str) -> None:
    blocks, sql = ODD[what]
    document = render(report_of(*blocks, sql=sql), library(FREIGHT))
    (tmp_path / "out").mkdir()
    for form in OUTPUT_FORMATS:
        target = tmp_path / "out" / f"x.{form.suffix}"
        try:
            written = document.write(target)
        except OutputError as error:
            assert str(error) == "There are no tables or charts here; choose a format of pages, such as PDF."
            continue
        assert form.suffix == "jsonl" or all(path.stat().st_size > 0 for path in written)  # no rows, no lines
    assert not list((tmp_path / "out").glob("*.part"))


@pytest.mark.parametrize("what", [name for name, (blocks, _) in ODD.items() if blocks])
def test_odd_blocks_are_written_alone(library: MakeLibrary, tmp_path: Path, what: str) -> None:
    blocks, sql = ODD[what]
    document = render(report_of(*blocks, sql=sql), library(FREIGHT))
    for suffix in ("pdf", "svg", "html", "xlsx"):
        document.write(tmp_path / f"x.{suffix}", block=blocks[0].name)
