"""Lists of titles with live page numbers: a table of contents, or a list of captions.

What they list is known only when everything has been placed, and takes room itself; so the document is placed again
with the entries that the last time found, until they stay the same.
"""

from collections.abc import Sequence

from northmoor.core.layout.context import Setting
from northmoor.core.layout.display import Origin
from northmoor.core.layout.placed import Entry, Placed
from northmoor.core.layout.richtext import RichText, Run, make_rich_text
from northmoor.core.layout.shelf import Listed, Lists
from northmoor.core.layout.tablepage import table_bookmarks
from northmoor.core.model.leaves import ContentsBlock
from northmoor.core.model.texts import TabStop

MOST_ENTRIES = 20_000
_STEP = 14_000


def entries_of(placed: Placed) -> list[Entry]:
    """All titles of a document in the order of its pages: of texts, records and the groups of tables."""
    found = list(placed.entries)
    for run in placed.all_runs():
        if not run.layout.flow.has_headings:
            continue
        for piece in run.slices:
            page = run.first_page + piece.page
            marks = table_bookmarks(run.layout, piece, piece.y)
            found += [Entry(page, mark.y, mark.title, mark.depth) for mark in marks]
    return sorted(found, key=lambda entry: (entry.page, entry.y))[:MOST_ENTRIES]


def lists_of(entries: Sequence[Entry], numbers: Sequence[int]) -> Lists:
    """The entries of each list, with the numbers of their pages."""
    found: dict[str, list[Listed]] = {}
    for at, entry in enumerate(entries):
        own = Listed(entry.title, entry.depth, numbers[entry.page], f"entry-{at + 1}")
        found.setdefault(entry.list, []).append(own)
    return found


def listed_lines(
    block: ContentsBlock, lists: Lists, width: int, origin: Origin, setting: Setting
) -> list[tuple[int, RichText]]:
    """The lines of a list, each with how far it is in."""
    look = setting.look(block.style, block.look)
    lines = []
    for entry in lists.get(block.lists, ()):
        if entry.depth >= block.depth:
            continue
        left = min(entry.depth * _STEP, width // 2)
        room = width - left
        stop = TabStop(at=max(room - 2 * look.inset, 0), align="end", leader=block.leader)
        run = Run(f"{entry.title}\t{entry.number}", look, f"#{entry.anchor}")
        lines.append((left, make_rich_text([run], look, "none", (stop,), room, origin, setting)))
    return lines
