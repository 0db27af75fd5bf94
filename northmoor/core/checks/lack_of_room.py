"""What gives numbers and words more room, where findings say that they have too little."""

from collections.abc import Callable
from functools import partial
from typing import Any

from northmoor.core.base.replace import replace
from northmoor.core.document import Document
from northmoor.core.model import edits
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.findings import Finding, Remedy
from northmoor.core.model.pages import Orientation
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.styles import Style

RULES_OF_ROOM = frozenset({"does not fit", "smaller print", "across pages"})
"""Findings of layout that more room fixes."""
_SMALLEST = 0.5


def with_room_remedies(finding: Finding, document: Document) -> Finding:
    """The finding with changes that give its block more room; as it is where it is about something else."""
    if finding.rule not in RULES_OF_ROOM:
        return finding
    edition, name = document.edition, finding.place.block
    remedies = [_turn(edition)] if edition.page.orientation == "portrait" else []
    try:
        block = edits.block_of(document.report, edition.name, str(name))
    except KeyError:
        return replace(finding, remedies=tuple(remedies))  # a header, or a block of the library
    change = partial(_change, edition.name, block.name)
    if isinstance(block, TableBlock | MatrixBlock):
        if finding.rule == "does not fit" and block.minimum_scale > _SMALLEST:
            remedies.append(Remedy("Smaller print", change(minimum_scale=_SMALLEST)))
        if finding.rule == "smaller print":
            remedies.append(Remedy("Across pages instead", change(when_wide="across")))
        if finding.rule != "smaller print" and block.head_style is not None:
            remedies.append(Remedy("Hyphenate titles", partial(_hyphenate, style=block.head_style)))
    elif hasattr(block, "look"):
        look = (block.look or Style()).but(break_words="hyphenate")
        remedies.append(Remedy("Hyphenate words", change(look=look)))
    return replace(finding, remedies=tuple(remedies))


def _turn(edition: Edition) -> Remedy:
    page = edition.page.but(orientation="landscape")
    return Remedy("Turn the page", lambda report: edits.change_edition(report, edition.name, page=page))


def _change(edition: str, block: str, **changes: Any) -> Any:
    return lambda report: edits.change_block(report, edition, block, **changes)


def _hyphenate(report: Report, style: str) -> Report:
    return edits.change_style(report, style, break_words="hyphenate")


def turned(report: Report, orientation: Orientation) -> Report:
    """The report with the pages of all its editions upright or on their sides."""
    editions = tuple(each.but(page=each.page.but(orientation=orientation)) for each in report.editions)
    return report.but(editions=editions)


def with_room(report: Report, render: Callable[[Report], Document]) -> tuple[Orientation, Document]:
    """How a report's pages are best, and its document then: upright, unless that lacks room and its side has more.

    Raises what `render` raises.
    """
    upright = render(report)
    lacking = _lacking(upright)
    if not lacking:
        return "portrait", upright
    on_side = render(turned(report, "landscape"))
    return ("landscape", on_side) if _lacking(on_side) < lacking else ("portrait", upright)


def _lacking(document: Document) -> list[str]:
    """What findings say of room: fewer and lesser ones are before others in order."""
    order = {"smaller print": "1", "across pages": "2", "does not fit": "3"}
    assert order.keys() == RULES_OF_ROOM
    return sorted((order[f.rule] for f in document.findings if f.rule in RULES_OF_ROOM), reverse=True)
