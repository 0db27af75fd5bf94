"""Characters without a glyph are an error wherever they are printed, with their place, and `run` says so."""

from collections.abc import Callable
from pathlib import Path

import pytest

from northmoor.core.checks.preflight import preflight
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.table import Column, Drawing
from northmoor.core.model.blocks.text import TextBlock, TextRun
from northmoor.core.model.pages import PicturePiece, Running, RunningLine, TextPiece, Watermark
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.styles import Style
from northmoor.core.sources.library import Library
from tests.helpers import render, report_of, script_of, table_of

MakeLibrary = Callable[[str], Library]
DATA = script_of(["plain", "漢 of it"])
SUM = ChartMeasure(name="n", value="sum(n)")


def said(**texts: object) -> TextBlock:
    return TextBlock(name="said", **texts)  # type: ignore[arg-type]


@pytest.mark.parametrize(
    ("block", "place"),
    [
        (table_of("n", "t"), "Block table, column t"),
        (said(text="{max(rows.t)}"), "Block said"),
        (said(text="a 漢"), "Block said"),
        (said(runs=(TextRun(text="plain "), TextRun(text="漢", look=Style(bold=True)))), "Block said"),
        (ForEachBlock(name="each", query="rows", by="n", blocks=(said(text="{t}"),)), "Block said"),
        (ChartBlock(name="chart", query="rows", category=ChartLevel(name="t", by="t"), measures=(SUM,)), "Block chart"),
        (ChartBlock(name="chart", query="rows", title="漢 title", measures=(SUM,)), "Block chart"),
        (MatrixBlock(name="m", query="rows", rows=(MatrixLevel(name="n", by="n"),), columns=(MatrixLevel(name="t", by="t"),),
                     measures=(Measure(name="n", value="sum(n)"),)), "Block m"),
    ],
)  # fmt: skip
def test_a_character_without_a_glyph_is_an_error_where_it_is(library: MakeLibrary, block: Block, place: str) -> None:
    found = [f for f in preflight(render(report_of(block), library(DATA))) if f.rule == "missing character"]
    assert found
    assert all(str(finding.place).startswith(place) and "漢 (U+6F22)" in finding.message for finding in found)
    assert all(finding.is_error for finding in found)


def test_a_text_in_a_drawing_counts_wherever_the_drawing_is(library: MakeLibrary, tmp_path: Path) -> None:
    drawing = '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><text y="5">a 漢</text></svg>'
    (tmp_path / "a.svg").write_text(drawing, encoding="utf-8")
    column = Column(name="d", value="'a.svg'", draw=Drawing(kind="picture"))
    footer = Running(lines=(RunningLine(start=PicturePiece(file="a.svg", height=10_000)),))
    blocks = (PictureBlock(name="picture", file="a.svg", height=20_000), table_of(column))
    document = render(report_of(*blocks, edition={"footer": footer}), library(DATA))
    found = [f for f in preflight(document) if f.rule == "missing character"]
    assert [str(finding.place) for finding in found] == ["Block picture", "Block footer", "Block table, rows, column d"]
    assert all(finding.is_error and "漢 (U+6F22)" in finding.message for finding in found)


def test_headers_watermarks_and_the_values_that_they_show_count(library: MakeLibrary) -> None:
    footer = Running(lines=(RunningLine(start=TextPiece(text="For {:who}, page {page_number()}")),))
    edition = {"footer": footer, "watermark": Watermark(text="草 draft")}
    report = report_of(table_of("n"), edition=edition, parameters=(Parameter(name="who", kind="text"),))
    found = [f for f in preflight(render(report, library(DATA), who="李")) if f.rule == "missing character"]
    assert [(str(f.place), f.message.split(";")[0]) for f in found] == [
        ("Block footer", "No font has a glyph for 李 (U+674E)"),
        ("Block watermark", "No font has a glyph for 草 (U+8349)"),
    ]
    assert not [f for f in preflight(render(report, library(DATA), who="Ann")) if "674E" in f.message]
