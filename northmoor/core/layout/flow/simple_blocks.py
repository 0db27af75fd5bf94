"""Places blocks without rows of their own: texts, pictures, lines, shapes, codes, readouts, lists, space, breaks."""

from typing import Any

from northmoor.core.errors import LayoutError, Place
from northmoor.core.layout.flow.layout_pass import RecordScope
from northmoor.core.layout.flow.leaf_boxes import (
    LeafBox,
    barcode_box,
    picture_box,
    rule_box,
    shape_box,
)
from northmoor.core.layout.flow.placement import OutlineEntry
from northmoor.core.layout.flow.placer import BlockPlacer
from northmoor.core.layout.flow.readout import readout_box
from northmoor.core.layout.flow.text_evaluation import content_of
from northmoor.core.layout.flow.toc import toc_lines
from northmoor.core.layout.inline.paragraph import Paragraph, fault_paragraph
from northmoor.core.layout.inline.rich_text import make_rich_text
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
from northmoor.core.model.blocks.text import TextBlock


def place_picture(placer: BlockPlacer, block: PictureBlock, scope: RecordScope) -> None:
    """Place a picture whole; one that cannot be read is found now, not only when its page is drawn."""
    value, fault = (None, None) if block.value is None else placer.evaluator.value(block.value, scope)
    if fault is not None:
        raise LayoutError(fault)
    shown = None if value is None else value.as_py()
    if block.value is not None and shown is None:
        return
    origin = placer.evaluator.origin(block.name, "picture", scope)
    leaf = picture_box(block, shown, placer.region.width, origin, placer.context)
    words = block.description
    if words is not None:
        words, _ = placer.evaluator.text_of(content_of(words), block.name, scope)
    placer.add_box(block, leaf, scope, placer.evaluator.href(block.link, scope), words)


def place_simple(placer: BlockPlacer, block: Any, scope: RecordScope) -> None:
    words = None
    if isinstance(block, BarcodeBlock):
        words, _ = placer.evaluator.text_of(content_of(block.text), block.name, scope)
    placer.add_box(block, _box_of(placer, block, scope), scope, words=words)


def _box_of(placer: BlockPlacer, block: Any, scope: RecordScope) -> LeafBox | Paragraph:
    width = placer.region.width
    if isinstance(block, LineBlock):
        return rule_box(block, width)
    if isinstance(block, ShapeBlock):
        return shape_box(block, width)
    if isinstance(block, BarcodeBlock):
        text, is_faulty = placer.evaluator.text_of(content_of(block.text), block.name, scope)
        if is_faulty:
            return fault_paragraph(text, width, placer.evaluator.origin(block.name, "barcode", scope), placer.context)
        return barcode_box(block, text, width, placer.context)
    assert isinstance(block, ReadoutBlock)
    telling, name = placer.evaluator, block.name
    return readout_box(
        block, lambda text, look: telling.paragraph(text, look, width, name, "readout", scope),
        lambda text: telling.text_of(text, name, scope), lambda text: telling.value(text, scope), width,
        telling.origin(name, "readout", scope), placer.context,
    )  # fmt: skip


def report_missing(placer: BlockPlacer, block: IncludeBlock, _: RecordScope) -> None:
    """What is still there could not be included; why is among the findings."""
    fault = placer.results.missing.get(block.name, "It cannot be included.")
    raise LayoutError(fault, Place(block=block.name))


def place_contents(placer: BlockPlacer, block: ContentsBlock, scope: RecordScope) -> None:
    placer.placement.has_lists = True
    origin = placer.evaluator.origin(block.name, "contents", scope)
    for left, line in toc_lines(block, placer.layout_pass.lists, placer.region.width, origin, placer.context):
        placer.add_paragraph(line, left=left)


def place_spacer(placer: BlockPlacer, block: SpacerBlock, _: RecordScope) -> None:
    if placer.used and placer.used + block.height <= placer.region.height:
        placer.used += block.height


def place_break(placer: BlockPlacer, block: BreakBlock, _: RecordScope) -> None:
    if placer.region.is_endless:
        return
    placer.advance(block.on == "column")
    wanted = {"odd": 0, "even": 1}.get(block.on)
    if wanted is not None and placer.index % 2 != wanted:
        placer.page += placer.region.areas
    placer.placement.pages = max(placer.placement.pages, placer.page + 1)


def place_text(placer: BlockPlacer, block: TextBlock, scope: RecordScope) -> None:
    link = placer.evaluator.href(block.link, scope)
    if block.listed != "none":
        title_text, _ = placer.evaluator.text_of(content_of(block.template), block.name, scope)
        title = " ".join(title_text.split()) or "–"
        placer.awaited.append(OutlineEntry(0, 0, title, block.heading - 1 + len(scope.around), block.listed))
    if not block.is_rich:
        placer.add_paragraph(placer.evaluator.text(block, placer.region.width, scope), link)
        return
    look = placer.context.look(block.style, block.look)
    runs = [placer.evaluator.inline_run(block.name, block.text, look, link, scope)]
    for run in block.runs:
        own = placer.context.look(run.style, run.look, look)
        runs.append(
            placer.evaluator.inline_run(
                block.name, run.text, own, placer.evaluator.href(run.link, scope) or link, scope
            )
        )
    origin = placer.evaluator.origin(block.name, "text", scope)
    width = placer.region.width
    placer.add_paragraph(make_rich_text(runs, look, block.marker, block.tabs, width, origin, placer.context))
