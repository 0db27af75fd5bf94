"""Places what a for-each repeats: a record after the other, many of them in batches that can be placed again."""

import numpy as np

from northmoor.core.compute.report.correlation import record_templates
from northmoor.core.errors import Place
from northmoor.core.layout.flow.layout_pass import RecordScope
from northmoor.core.layout.flow.placement import OutlineEntry, PlacedFragments, Placement, RecordBatch, RecordStart
from northmoor.core.layout.flow.placer import BlockPlacer
from northmoor.core.layout.flow.records import Records
from northmoor.core.layout.flow.text_evaluation import content_of
from northmoor.core.model.blocks.containers import ForEachBlock

PARTS_OF_BATCH = 1_000
"""How many parts the records of a batch have together, or somewhat more."""
MANY_RECORDS = 50
"""How many records in another one are placed in batches of their own."""
PARTS_HELD = 50_000
"""How many parts of records are held, about 500 bytes each; records after those are placed again."""


def place_for_each(placer: BlockPlacer, block: ForEachBlock, scope: RecordScope) -> None:
    here = _records_of(placer, block, placer.layout_pass.records(block), scope)
    if placer.in_batches and (scope.records is None or len(here) >= MANY_RECORDS):
        is_printed = _place_batches(placer, block, here, scope)
    else:
        is_printed, _ = _place_records(placer, block, here, scope, False)
    if not is_printed:
        message = "It has no records, so nothing of it is printed."
        placer.context.find("no records", Place(block=block.name), message, is_error=False)


def _place_batches(placer: BlockPlacer, block: ForEachBlock, here: range, scope: RecordScope) -> bool:
    """Place records in batches; whether any has been printed.

    Where the record around them is placed again, its batches are not: what follows begins where they ended.
    """
    passed, key = placer.layout_pass.batch_starts, (block.name, scope.index)
    if key in passed:
        state, runs, is_printed = passed[key]
        placer.restore(state)
        placer.layout_pass.seek(runs)
        return is_printed
    is_printed = False
    while len(here):
        is_printed, here = _place_batch(placer, block, here, scope, is_printed)
    passed[key] = placer.state, placer.layout_pass.runs(), is_printed
    return is_printed


def _place_batch(
    placer: BlockPlacer, block: ForEachBlock, here: range, scope: RecordScope, is_printed: bool
) -> tuple[bool, range]:
    """Place the first of some records as a batch; whether any has been printed then, and those that are left.

    What is not held of it is placed again by another flow that begins where this one is now.
    """
    state, runs = placer.state, placer.layout_pass.runs()

    def place() -> PlacedFragments:
        placer.layout_pass.seek(runs)
        again = BlockPlacer(placer.layout_pass, placer.region, in_batches=True)
        again.restore(state)
        _place_records(again, block, range(here.start, rest.start), scope, is_printed)
        return again.placement.parts

    whole = placer.placement
    placer.placement = own = Placement()
    is_now, rest = _place_records(placer, block, here, scope, is_printed, PARTS_OF_BATCH)
    placer.placement = whole
    whole.note(own)
    placer.layout_pass.parts_held += len(own.parts)
    held = own.parts if placer.layout_pass.parts_held <= PARTS_HELD else None
    whole.batches.append(RecordBatch(state.page, placer.page, place, placer.layout_pass.recent, held))
    return is_now, rest


def _place_records(
    placer: BlockPlacer, block: ForEachBlock, here: range, scope: RecordScope, is_printed: bool, most: int | None = None
) -> tuple[bool, range]:
    """Place some records one after another, until there are so many parts; whether any has been printed then, and
    the records that are left."""
    records, before = placer.layout_pass.records(block), placer.count
    for index in here:
        placer.context.stop.raise_if_cancelled()
        if most is not None and placer.count - before >= most:
            return is_printed, range(index, here.stop)
        inner = RecordScope(records, index, {**scope.around, block.name: index})
        if block.without_rows == "left_out" and not _has_rows(placer, block, index):
            continue
        if is_printed and block.page_break != "none":
            placer.advance(block.page_break == "column")
        if block.restart_page_number and not placer.used and not placer.region.is_endless:
            placer.placement.restarts.add(placer.page)
        if block.bookmark is not None:
            title, _ = placer.evaluator.text_of(content_of(block.bookmark), block.name, inner)
            placer.awaited.append(OutlineEntry(0, 0, title.strip() or "–", len(scope.around)))
        placer.awaited.append(RecordStart(block.name, index, texts=_known_texts(placer, block, inner)))
        _place_record(placer, block, inner)
        is_printed = True
    return is_printed, range(here.stop, here.stop)


def _known_texts(placer: BlockPlacer, block: ForEachBlock, scope: RecordScope) -> tuple[str | None, ...]:
    """What a bundle knows of a record, if it is for one."""
    templates = record_templates(block)
    if not any(templates):
        return ()
    text_of = placer.evaluator.text_of
    made = [text_of(content_of(text), block.name, scope) if text else ("", False) for text in templates]
    return tuple(None if is_faulty else text for text, is_faulty in made)


def _records_of(placer: BlockPlacer, block: ForEachBlock, records: Records, scope: RecordScope) -> range:
    """The records that belong to the record around, or all."""
    correlated = placer.results.correlated[block.name]
    if not correlated.join_keys:
        return range(len(records))
    group = int(placer.layout_pass.groups_of(block.name)[scope.around[str(correlated.host)]])
    if group < 0:
        return range(0)
    ends = records.data.levels[correlated.depth - 1].starts[group : group + 2]
    begin, end = np.searchsorted(records.groups.starts, ends).tolist()
    return range(begin, end)


def _has_rows(placer: BlockPlacer, block: ForEachBlock, index: int) -> bool:
    """Whether a record has rows in any block over its details; a for-each without such blocks has them."""
    own = [name for name, correlated in placer.results.correlated.items() if correlated.host == block.name]
    return not own or any(placer.layout_pass.groups_of(name)[index] >= 0 for name in own)


def _place_record(placer: BlockPlacer, block: ForEachBlock, scope: RecordScope) -> None:
    if block.keep_together and not placer.region.is_endless:
        sub = placer.measured(block.blocks, scope, placer.region.width)
        if sub.height <= placer.region.height:
            placer.reserve(sub.height)
            placer.take(sub, placer.region.left, placer.used)
            placer.used += sub.height + block.space_after
            return
    placer.blocks(block.blocks, scope)
    placer.used += block.space_after if placer.used else 0
