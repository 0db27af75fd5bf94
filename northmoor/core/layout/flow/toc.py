"""Lists of titles with live page numbers: a table of contents, or a list of captions.

What they list is known only when everything has been placed, and takes room itself; so the document is placed again
with the entries that the last time found, until they stay the same.
"""

from collections.abc import Sequence

from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.flow.layout_pass import Lists, TocLine
from northmoor.core.layout.flow.placement import OutlineEntry, Placement
from northmoor.core.layout.graphics.display_list import SourceRef
from northmoor.core.layout.inline.rich_text import InlineRun, RichText, make_rich_text
from northmoor.core.layout.table.painting import table_bookmarks
from northmoor.core.model.blocks.simple import ContentsBlock
from northmoor.core.model.blocks.text import TabStop

MOST_ENTRIES = 20_000
_STEP = 14_000


def outline_entries(placed: Placement) -> list[OutlineEntry]:
    """All titles of a document in the order of its pages: of texts, records and the groups of tables."""
    found = list(placed.entries)
    for run in placed.all_runs():
        if not run.layout.rows.has_headings:
            continue
        for piece in run.fragments:
            page = run.first_page + piece.page
            marks = table_bookmarks(run.layout, piece, piece.y)
            found += [OutlineEntry(page, mark.y, mark.title, mark.depth) for mark in marks]
    return sorted(found, key=lambda entry: (entry.page, entry.y))[:MOST_ENTRIES]


def lists_of(entries: Sequence[OutlineEntry], numbers: Sequence[int]) -> Lists:
    """The entries of each list, with the numbers of their pages."""
    found: dict[str, list[TocLine]] = {}
    for at, entry in enumerate(entries):
        own = TocLine(entry.title, entry.depth, numbers[entry.page], f"entry-{at + 1}")
        found.setdefault(entry.list, []).append(own)
    return found


def toc_lines(
    block: ContentsBlock, lists: Lists, width: int, origin: SourceRef, context: LayoutContext
) -> list[tuple[int, RichText]]:
    """The lines of a list, each with how far it is in."""
    look = context.look(block.style, block.look)
    lines = []
    for entry in lists.get(block.lists, ()):
        if entry.depth >= block.depth:
            continue
        left = min(entry.depth * _STEP, width // 2)
        room = width - left
        stop = TabStop(at=max(room - 2 * look.inset, 0), align="end", leader=block.leader)
        run = InlineRun(f"{entry.title}\t{entry.number}", look, f"#{entry.anchor}")
        lines.append((left, make_rich_text([run], look, "none", (stop,), room, origin, context)))
    return lines
