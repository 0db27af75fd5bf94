"""What is done to the page: its paper, margins, header and footer, and what is inserted."""

import re
from collections.abc import Callable
from functools import partial
from typing import Any

from northmoor.app.document_controller import Selection
from northmoor.app.language.translation import tr, words_in_english
from northmoor.app.pages.part_menu.entries import PartCommand, PartEntry, PartGroup
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.core.model import edits
from northmoor.core.model.base import Part
from northmoor.core.model.lengths import parse_length
from northmoor.core.model.pages import PAPER_SIZES, PicturePiece, Running, RunningLine, TextPiece
from northmoor.core.model.report import Report

_LOGO_HEIGHT = parse_length("10mm")
_MARGINS = (tr("10 mm"), tr("15 mm"), tr("20 mm"), tr("25 mm"))
_SIDES = ("margin_top", "margin_right", "margin_bottom", "margin_left")
TYPED_MARGIN = re.compile(
    r"(?:(?P<before>top|right|bottom|left) )?margins? (?:(?P<behind>top|right|bottom|left) )?"
    r"(?P<number>\d{1,4}(?:[.,]\d{1,4})?) ?(?P<unit>mm|cm|in|pt)"
)
WORDS_OF_MARGINS = {
    tr("margin"): "margin", tr("margins"): "margins", tr("top"): "top", tr("right"): "right", tr("bottom"): "bottom",
    tr("left"): "left",
}  # fmt: skip
_PIECES = (
    (tr("Page number"), "{page_number(); 0}"),
    (tr("Page n of m"), tr("Page {page_number(); 0} of {page_count(); 0}")),
    (tr("Report title"), "{report_title()}"),
    (tr("Data time"), "{data_time()}"),
)
_ON_PAGES = (
    (tr("Every page"), "every"), (tr("The first page"), "first"), (tr("All but the first"), "later"),
    (tr("Odd pages"), "odd"), (tr("Even pages"), "even"), (tr("The last page"), "last"),
)  # fmt: skip


def page_entries(context: PartContext) -> list[PartEntry]:
    """The commands of the page."""
    page = context.edition.page

    def command(text: str, *, is_on: bool, **changes: Any) -> PartCommand:
        return PartCommand(text, _changing(context, changes), is_on=is_on)

    papers = tuple(command(size, is_on=page.size == size, size=size) for size in PAPER_SIZES)
    margins = []
    for text in _MARGINS:
        sides = dict.fromkeys(_SIDES, parse_length(text))
        is_on = all(getattr(page, side) == own for side, own in sides.items())
        margins.append(command(tr("Margins {text}").format(text=text), is_on=is_on, **sides))
    return [
        PartGroup(tr("Paper"), papers, "file-text"),
        command(tr("Portrait"), is_on=page.orientation == "portrait", orientation="portrait"),
        command(tr("Landscape"), is_on=page.orientation == "landscape", orientation="landscape"),
        None,
        *margins,
        None,
        *(_running(context, name) for name in ("header", "footer")),
        None,
        *(context.window_command(f"add_{kind}") for kind in ("table", "matrix", "chart", "text", "picture")),
        context.window_command("paste"),
        None,
        context.window_command("keep_page"),
        context.window_command("apply_page"),
    ]


def typed_page_commands(context: PartContext, text: str) -> list[PartCommand]:
    """What a typed text such as "margin 12 mm" or "left margin 1in" does to the page, in English or the window's
    language; nothing where it says no such thing."""
    typed = TYPED_MARGIN.fullmatch(words_in_english(text, WORDS_OF_MARGINS))
    if typed is None:
        return []
    length = f"{typed['number'].replace(',', '.')} {typed['unit']}"
    side = typed["before"] or typed["behind"]
    changes = dict.fromkeys((f"margin_{side}",) if side else _SIDES, parse_length(length))
    label = (
        tr("{side} margin {length}").format(side=tr(side).capitalize(), length=length)
        if side
        else tr("Margins {length}").format(length=length)
    )
    return [PartCommand(label, _changing(context, changes), "file-text")]


def _changing(context: PartContext, changes: dict[str, Any]) -> Callable[[], bool]:
    return context.edit(tr("Change the page"), partial(_change_page, changes=changes))


def _change_page(report: Report, edition: str, changes: dict[str, Any]) -> Report:
    found = report.edition(edition)
    assert found is not None  # the edition that is shown
    return edits.change_edition(report, edition, page=found.page.but(**changes))


def _running(context: PartContext, name: str) -> PartEntry:
    if getattr(context.edition, name) is not None:
        return PartCommand(
            tr("Select the {name}").format(name=tr(name)), lambda: context.tools.select(Selection(name, name))
        )
    text = "{report_title()}" if name == "header" else tr("Page {page_number(); 0} of {page_count(); 0}")
    made = Running(lines=(RunningLine(**{"start" if name == "header" else "end": TextPiece(text=text)}),))
    label = tr("Add a {name}").format(name=tr(name))
    add = context.edit(label, partial(_change_edition, changes={name: made}))

    def run() -> None:
        if add():
            context.tools.select(Selection(name, name))

    return PartCommand(label, run, "plus")


def _change_edition(report: Report, edition: str, changes: dict[str, Part]) -> Report:
    return edits.change_edition(report, edition, **changes)


def running_entries(context: PartContext) -> list[PartEntry]:
    """The commands of a header or footer, and of what is in it; none of one that is not there."""
    name = context.selection.kind
    running = getattr(context.edition, name)
    if running is None:
        return []  # it has been undone or removed since
    at = context.selection.column
    found: list[PartEntry] = []
    if at is not None and isinstance(running.piece_at(at), TextPiece):
        inserted = tuple(
            context.command(text, partial(_append, running=name, at=at, slot=slot)) for text, slot in _PIECES
        )
        found += [
            PartCommand(tr("Edit"), context.tools.edit_in_place, "pencil", shortcut="Enter"),
            PartGroup(tr("Insert"), inserted, "hash"),
        ]
    places = []
    for side, where in (("start", "left"), ("center", "centre"), ("end", "right")):
        if getattr(running.lines[0], side) is None:
            for text, slot in _PIECES:
                put = partial(edits.change_piece, running=name, at=f"0.{side}", piece=TextPiece(text=slot))
                places.append(context.command(f"{text}, {where}", put))
            put_picture = partial(_add_picture, context, name, f"0.{side}")
            places.append(PartCommand(tr("Picture, {where}…").format(where=where), put_picture, "image"))
    return [
        *found,
        PartGroup(tr("Add"), tuple(places), "plus"),
        PartGroup(tr("Shown on"), _pages(context, name), "file-text"),
    ]


def _pages(context: PartContext, name: str) -> tuple[PartCommand, ...]:
    """The pages that the selected line of a header or footer is on; without one, its first."""
    running = getattr(context.edition, name)
    number = int((context.selection.column or "0").partition(".")[0])

    def change(report: Report, edition: str, on: str) -> Report:
        lines = tuple(line.but(on=on) if at == number else line for at, line in enumerate(running.lines))
        return edits.change_edition(report, edition, **{name: running.but(lines=lines)})

    now = running.lines[number].on
    return tuple(context.command(text, partial(change, on=on), is_on=on == now) for text, on in _ON_PAGES)


def _add_picture(context: PartContext, running: str, at: str) -> None:
    file = context.tools.ask_picture()
    if file is not None:
        put = partial(edits.change_piece, running=running, at=at, piece=PicturePiece(file=file, height=_LOGO_HEIGHT))
        context.controller.edit(tr("Add a picture"), put)


def _append(report: Report, edition: str, running: str, at: str, slot: str) -> Report:
    found = report.edition(edition)
    piece = getattr(found, running).piece_at(at)
    return edits.change_piece(report, edition, running, at, piece.but(text=piece.text + slot))
