"""What is done to the page: its paper, margins, header and footer, and what is inserted."""

from functools import partial
from typing import Any

from northmoor.app.document_controller import Selection
from northmoor.app.pages.part_menu.entries import PartCommand, PartEntry, PartGroup
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.core.model import edits
from northmoor.core.model.base import Part
from northmoor.core.model.lengths import parse_length
from northmoor.core.model.pages import PAPER_SIZES, Running, RunningLine, TextPiece
from northmoor.core.model.report import Report

_MARGINS = ("10 mm", "15 mm", "20 mm", "25 mm")
_SIDES = ("margin_top", "margin_right", "margin_bottom", "margin_left")
_PIECES = (("Page number", "{page_number(); 0}"), ("Page n of m", "Page {page_number(); 0} of {page_count(); 0}"),
           ("Report title", "{report_title()}"), ("Data time", "{data_time()}"))  # fmt: skip


def page_entries(context: PartContext) -> list[PartEntry]:
    """The commands of the page."""
    page = context.edition.page

    def changing(**changes: Any) -> partial[Report]:
        return partial(_change_page, changes=changes)

    def command(text: str, *, is_on: bool, **changes: Any) -> PartCommand:
        return PartCommand(text, context.edit("Change the page", changing(**changes)), is_on=is_on)

    papers = tuple(command(size, is_on=page.size == size, size=size) for size in PAPER_SIZES)
    margins = []
    for text in _MARGINS:
        sides = dict.fromkeys(_SIDES, parse_length(text))
        is_on = all(getattr(page, side) == own for side, own in sides.items())
        margins.append(command(f"Margins {text}", is_on=is_on, **sides))
    return [
        PartGroup("Paper", papers, "file-text"),
        command("Portrait", is_on=page.orientation == "portrait", orientation="portrait"),
        command("Landscape", is_on=page.orientation == "landscape", orientation="landscape"),
        None,
        *margins,
        None,
        *(_running(context, name) for name in ("header", "footer")),
        None,
        context.window_command("add_text"),
        context.window_command("add_picture"),
        context.window_command("paste"),
        None,
        context.window_command("keep_page"),
        context.window_command("apply_page"),
    ]


def _change_page(report: Report, edition: str, changes: dict[str, Any]) -> Report:
    found = report.edition(edition)
    assert found is not None  # the edition that is shown
    return edits.change_edition(report, edition, page=found.page.but(**changes))


def _running(context: PartContext, name: str) -> PartEntry:
    if getattr(context.edition, name) is not None:
        return PartCommand(f"Select the {name}", lambda: context.tools.select(Selection(name, name)))
    text = "{report_title()}" if name == "header" else "Page {page_number(); 0} of {page_count(); 0}"
    made = Running(lines=(RunningLine(**{"start" if name == "header" else "end": TextPiece(text=text)}),))
    return context.command(f"Add a {name}", partial(_change_edition, changes={name: made}), "plus")


def _change_edition(report: Report, edition: str, changes: dict[str, Part]) -> Report:
    return edits.change_edition(report, edition, **changes)


def running_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a header or footer, and of what is in it."""
    name = context.selection.kind
    running = getattr(context.edition, name)
    at = context.selection.column
    found: list[PartEntry] = []
    if at is not None and isinstance(running.piece_at(at), TextPiece):
        inserted = tuple(
            context.command(text, partial(_append, running=name, at=at, slot=slot)) for text, slot in _PIECES
        )
        found += [PartCommand("Edit", context.tools.edit_in_place, "pencil", shortcut="Enter"),
                  PartGroup("Insert", inserted, "hash")]  # fmt: skip
    places = []
    for side, where in (("start", "left"), ("center", "centre"), ("end", "right")):
        if getattr(running.lines[0], side) is None:
            for text, slot in _PIECES:
                put = partial(edits.change_piece, running=name, at=f"0.{side}", piece=TextPiece(text=slot))
                places.append(context.command(f"{text}, {where}", put))
    return [*found, PartGroup("Add", tuple(places), "plus")]


def _append(report: Report, edition: str, running: str, at: str, slot: str) -> Report:
    found = report.edition(edition)
    piece = getattr(found, running).piece_at(at)
    return edits.change_piece(report, edition, running, at, piece.but(text=piece.text + slot))
