"""What holds for blocks of every kind: hidden ones leave nothing behind, and files and the clipboard carry them whole."""

import json
from collections.abc import Callable, Mapping

import pytest

from northmoor.core.document import Document
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.containers import ForEachBlock, FrameBlock, FrameItem, GridBlock, GridCell
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.simple import (
    BarcodeBlock,
    BreakBlock,
    ContentsBlock,
    IncludeBlock,
    LineBlock,
    ReadoutBlock,
    ShapeBlock,
    SpacerBlock,
)
from northmoor.core.model.blocks.table import Column, TableBlock
from northmoor.core.model.blocks.text import TabStop, TextBlock, TextRun
from northmoor.core.model.blocks.tree import for_each_around, items_of, walk
from northmoor.core.model.clipboard import blocks_text, paste_blocks
from northmoor.core.model.edits import Target, insert_blocks, move_into, remove_blocks
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Report
from northmoor.core.model.serialization import read_report, report_text
from northmoor.core.model.styles import NamedStyle, Style
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, dumped, query, render, report_of

MakeLibrary = Callable[[str], Library]


def text(name: str = "text") -> TextBlock:
    run = TextRun(text=" and {sum(rows.charge)}", style="loud", look=Style(bold=True), link="https://tarrow.example")
    return TextBlock(name=name, text="Said", runs=(run,), marker="bullet", tabs=(TabStop(at=100_000, align="end"),))


KINDS: Mapping[str, Block] = {
    "text": text(),
    "picture": PictureBlock(name="picture", value="'<no>'", height=20_000, width=30_000, fit="fill", crop_left=0.1),
    "rule": LineBlock(name="rule"),
    "spacer": SpacerBlock(name="spacer", height=50_000),
    "break": BreakBlock(name="break", orientation="landscape"),
    "shape": ShapeBlock(name="shape", draw="ellipse", fill="#ABCDEF"),
    "barcode": BarcodeBlock(name="barcode", text="TQ-{count(rows.charge)}"),
    "readout": ReadoutBlock(name="readout", value="sum(rows.charge)", trend="list(rows.charge)", caption="Sum"),
    "contents": ContentsBlock(name="contents", lists="captions"),
    "include": IncludeBlock(name="include", file="none.blocks.json"),
    "table": TableBlock(name="table", query="rows", columns=(Column(name="charge", value="charge"),)),
    "matrix": MatrixBlock(
        name="matrix", query="rows", rows=(MatrixLevel(name="route", by="route"),),
        columns=(MatrixLevel(name="vessel", by="vessel"),), measures=(Measure(name="m", value="sum(charge)"),),
    ),
    "chart": ChartBlock(
        name="chart", query="rows", category=ChartLevel(name="route", by="route"),
        measures=(ChartMeasure(name="m", value="sum(charge)"),), height=100_000,
    ),
    "for-each": ForEachBlock(name="each", query="rows", by="route", page_break="none", blocks=(text("inner"),)),
    "grid": GridBlock(name="grid", cells=(GridCell(blocks=(text("inner"),), fill="#ABCDEF"),)),
    "frame": FrameBlock(name="frame", stroke="#ABCDEF", items=(FrameItem(x=9_000, y=9_000, blocks=(text("inner"),)),)),
}  # fmt: skip
STYLES = (NamedStyle(name="base", italic=True), NamedStyle(name="loud", based_on="base", bold=True))


def report_with(*blocks: Block) -> Report:
    shown = Parameter(name="shown", kind="boolean", default=True)
    return report_of(TextBlock(name="before", text="before"), *blocks, TextBlock(name="after", text="after"),
                     styles=STYLES, parameters=[shown])  # fmt: skip


def pages(document: Document) -> str:
    return json.dumps(dumped(document)["pages"])


def test_every_kind_is_here() -> None:
    schema = Report.model_json_schema()
    kinds = {d["properties"]["kind"]["const"] for name, d in schema["$defs"].items() if name.endswith("Block")}
    assert set(KINDS) == kinds


@pytest.mark.parametrize("kind", KINDS)
def test_a_hidden_block_leaves_nothing_behind(library: MakeLibrary, kind: str) -> None:
    made = library(FREIGHT)
    block = KINDS[kind].but(visible=":shown", space_after=40_000)
    without = pages(render(report_with(), made))
    assert pages(render(report_with(block), made, shown=False)) == without
    if kind != "spacer":
        assert pages(render(report_with(block), made)) != without


@pytest.mark.parametrize("kind", KINDS)
def test_a_block_hidden_in_a_record_leaves_nothing_behind(library: MakeLibrary, kind: str) -> None:
    made = library(FREIGHT)

    def each(*inner: Block) -> ForEachBlock:
        words = TextBlock(name="words", text="{vessel}")
        return ForEachBlock(name="record", query="rows", by="vessel", page_break="none", blocks=(words, *inner))

    block = KINDS[kind].but(visible="vessel = 'none'", space_after=40_000)
    assert pages(render(report_with(each(block)), made)) == pages(render(report_with(each()), made))


@pytest.mark.parametrize("kind", KINDS)
def test_files_and_the_clipboard_carry_every_kind_whole(kind: str) -> None:
    report = report_with(KINDS[kind])
    assert read_report(report_text(report)) == report
    assert report_text(read_report(report_text(report))) == report_text(report)
    carried = blocks_text(report, "main", [KINDS[kind].name])
    other = report_of(queries=[query("select 1 as charge", name="others")])
    pasted, names = paste_blocks(other, "main", carried, Target())
    assert names == (KINDS[kind].name,)
    assert pasted.editions[0].blocks == (KINDS[kind],)
    again, names = paste_blocks(pasted, "main", carried, Target(KINDS[kind].name))
    assert names == (f"{KINDS[kind].name}_2",)
    inner = [block.name for block in walk(again.editions[0].blocks)]
    assert len(inner) == len(set(inner))
    if "Said" in carried:
        assert [style.name for style in pasted.styles] == ["base", "loud"]


@pytest.mark.parametrize("kind", ["for-each", "grid", "frame"])
def test_blocks_go_into_those_that_hold_others_and_out_again(kind: str) -> None:
    report, holder = report_with(KINDS[kind]), KINDS[kind]
    target = Target(holder.name, "after" if kind == "grid" else "inside", cell=0 if kind == "grid" else None)
    moved = move_into(report, "main", "before", target)
    top = [block.name for block in moved.editions[0].blocks]
    assert top == [holder.name, "after"]
    assert "before" in [block.name for block in walk(moved.editions[0].blocks)]
    if kind == "for-each":
        around = for_each_around(moved.editions[0].blocks, "before")
        assert around is not None
        assert around.name == "each"
    if kind == "frame":
        held = items_of(moved.editions[0].blocks, ["before"])
        assert held is not None
        assert held[1] == [1]
    assert move_into(moved, "main", holder.name, target) == moved  # nothing can be in itself
    out = move_into(moved, "main", "before", Target("after"))
    assert [block.name for block in out.editions[0].blocks] == [holder.name, "after", "before"]
    emptied = remove_blocks(out, "main", ["inner"])
    assert "inner" not in [block.name for block in walk(emptied.editions[0].blocks)]
    put_back = insert_blocks(emptied, "main", [text("inner")], target)
    assert [block.name for block in walk(put_back.editions[0].blocks)].count("inner") == 1
