"""One block by itself: for each page that it is on, a page of its own that is as large as the block is there."""

from collections.abc import Iterator

from northmoor.core.base.replace import replace
from northmoor.core.layout.flow.fragments import BodyBox, BoxFragment, Fragment
from northmoor.core.layout.graphics.display_list import PAGES_PER_BATCH, Layer, Page, PagePart
from northmoor.core.layout.page.composition import Composition
from northmoor.core.output.content.reading_order import block_name_of, extent_of, names_in_block


def block_pages(composition: Composition, name: str) -> Iterator[Page]:
    """The pages of one block. Raises Cancelled."""
    wanted, number = names_in_block(composition, name), 0
    for first in range(0, len(composition), PAGES_PER_BATCH):
        composition.context.stop.raise_if_cancelled()
        end = min(first + PAGES_PER_BATCH, len(composition))
        for parts in composition.parts_between(first, end):
            own = [part for part in parts if block_name_of(part) in wanted]
            if own:
                number += 1
                yield _page(composition, own, number)


def _page(composition: Composition, parts: list[Fragment], number: int) -> Page:
    extents = [extent_of(part) for part in parts]
    left, top = min(e.left for e in extents), min(e.top for e in extents)
    width, height = max(e.right for e in extents) - left, max(e.bottom for e in extents) - top
    first = composition.sections[0]
    frame = BodyBox(-left, -top, first.frame.width, first.frame.height)
    moved = replace(composition, sections=(replace(first, frame=frame), *composition.sections[1:]))
    layers: list[Layer] = []
    placed: list[PagePart] = []
    for part, painted in zip(parts, moved.painted(parts), strict=True):
        own = painted.layers if not (isinstance(part, BoxFragment) and part.item) else ()
        placed.append(PagePart(part, len(layers), len(layers) + len(own)))
        layers += own
    return Page(number, max(width, 1), max(height, 1), tuple(layers), parts=tuple(placed))
