"""Edits of a frame's items: their places, which is in front, what is locked and what moves together."""

from collections.abc import Callable, Iterable, Mapping, Sequence
from typing import Literal

from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.containers import FrameBlock, FrameItem

Edge = Literal["left", "center", "right", "top", "middle", "bottom"]
ItemSizes = Mapping[int, tuple[int, int]]
"""Width and height that items have on the page, by their numbers; the height of one may follow from its content."""


def with_items(frame: FrameBlock, blocks: Sequence[Block]) -> FrameBlock:
    """A frame with more blocks in front of all others, each a step further in than the last item."""
    step = frame.step or 14_173
    items = list(frame.items)
    for block in blocks:
        x, y = (items[-1].x + step, items[-1].y + step) if items else (step, step)
        items.append(FrameItem(x=x, y=min(y, max(frame.height - step, 0)), blocks=(block,)))
    return frame.but(items=tuple(items))


def moved(frame: FrameBlock, numbers: Iterable[int], across: int, down: int) -> FrameBlock:
    """A frame with some items moved; none leaves it at the left or the top, and locked ones stay."""
    chosen = [at for at in sorted(set(numbers)) if not frame.items[at].locked]
    if not chosen:
        return frame
    across = max(across, -min(frame.items[at].x for at in chosen))
    down = max(down, -min(frame.items[at].y for at in chosen))
    return _changed(frame, chosen, lambda item: item.but(x=item.x + across, y=item.y + down))


def resized(frame: FrameBlock, number: int, width: int, height: int | None) -> FrameBlock:
    """A frame with an item of another size."""
    return _changed(frame, [number], lambda item: item.but(width=max(width, 1000), height=height))


def with_guide(frame: FrameBlock, is_level: bool, number: int | None, at: int | None) -> FrameBlock:
    """A frame with a guide of a number elsewhere, or with a new one; without a place, it has it no longer."""
    name = "guides_down" if is_level else "guides_across"
    kept = [guide for own, guide in enumerate(getattr(frame, name)) if own != number]
    return frame.but(**{name: tuple(sorted({*kept, *([at] if at is not None else [])}))})


def with_group_members(frame: FrameBlock, numbers: Iterable[int]) -> list[int]:
    """Some items with all that are in a group with one of them."""
    chosen = set(numbers)
    groups = {frame.items[at].group for at in chosen} - {None}
    return [at for at, item in enumerate(frame.items) if at in chosen or item.group in groups]


def aligned(frame: FrameBlock, numbers: Sequence[int], edge: Edge, extents: ItemSizes) -> FrameBlock:
    """A frame with some items at one line: that of the outermost of them; a single one at that of the frame."""
    boxes = {at: (frame.items[at].x, frame.items[at].y, *extents[at]) for at in numbers}
    lefts, tops = [box[0] for box in boxes.values()], [box[1] for box in boxes.values()]
    rights = [box[0] + box[2] for box in boxes.values()]
    bottoms = [box[1] + box[3] for box in boxes.values()]
    if len(boxes) == 1:
        lefts, tops, rights, bottoms = [0], [0], [frame.width or max(rights)], [frame.height]
    left, right, top, bottom = min(lefts), max(rights), min(tops), max(bottoms)

    def place(at: int) -> FrameItem:
        x, y, width, height = boxes[at]
        x = {"left": left, "center": (left + right - width) // 2, "right": right - width}.get(edge, x)
        y = {"top": top, "middle": (top + bottom - height) // 2, "bottom": bottom - height}.get(edge, y)
        return frame.items[at].but(x=max(x, 0), y=max(y, 0))

    return frame.but(items=tuple(place(at) if at in boxes else item for at, item in enumerate(frame.items)))


def distributed(frame: FrameBlock, numbers: Sequence[int], down: bool, extents: ItemSizes) -> FrameBlock:
    """A frame with the same space between each two of some items; the outermost stay. It takes three."""
    axis, side = ("y", 1) if down else ("x", 0)
    order = sorted(numbers, key=lambda at: int(getattr(frame.items[at], axis)))
    if len(order) < 3:
        return frame
    first, last = (int(getattr(frame.items[at], axis)) for at in (order[0], order[-1]))
    free = last + extents[order[-1]][side] - first - sum(extents[at][side] for at in order)
    items = list(frame.items)
    used = 0
    for place, at in enumerate(order):
        items[at] = items[at].but(**{axis: max(first + used + free * place // (len(order) - 1), 0)})
        used += extents[at][side]
    return frame.but(items=tuple(items))


def reordered(frame: FrameBlock, numbers: Iterable[int], to_front: bool) -> FrameBlock:
    """A frame with some items in front of all others, or behind them."""
    chosen = set(numbers)
    own = [item for at, item in enumerate(frame.items) if at in chosen]
    others = [item for at, item in enumerate(frame.items) if at not in chosen]
    return frame.but(items=(*others, *own) if to_front else (*own, *others))


def with_group(frame: FrameBlock, numbers: Sequence[int], on: bool) -> FrameBlock:
    """A frame with some items in a new group, or in none."""
    taken = {item.group for item in frame.items}
    name = next(f"group-{n}" for n in range(1, len(frame.items) + 2) if f"group-{n}" not in taken)
    return _changed(frame, numbers, lambda item: item.but(group=name if on else None))


def locked(frame: FrameBlock, numbers: Sequence[int], on: bool) -> FrameBlock:
    """A frame with some items locked, or free."""
    return _changed(frame, numbers, lambda item: item.but(locked=on))


def _changed(frame: FrameBlock, numbers: Sequence[int], change: Callable[[FrameItem], FrameItem]) -> FrameBlock:
    return frame.but(items=tuple(change(item) if at in numbers else item for at, item in enumerate(frame.items)))
