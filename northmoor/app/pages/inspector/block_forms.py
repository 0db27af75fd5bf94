"""The inspector's forms for small blocks and for blocks that hold others."""

from typing import Any

from northmoor.app.document_controller import ReportEdit, Selection
from northmoor.app.language.translation import in_sentence, tr
from northmoor.app.pages.grid_steps import grid_change, grid_steps
from northmoor.app.pages.inspector.form import InspectorForm
from northmoor.app.pages.inspector.form_rows import choice_row, line_row
from northmoor.core.authoring.rename import rename_record_window
from northmoor.core.compute.report.correlation import join_keys
from northmoor.core.expr.language import bare_column
from northmoor.core.model import edits
from northmoor.core.model.blocks.block_types import BLOCK_TYPE_OF_KIND
from northmoor.core.model.blocks.containers import (
    DataBlock,
    ForEachBlock,
    FrameBlock,
    FrameItem,
    GridBlock,
    GridCell,
    Track,
)
from northmoor.core.model.blocks.tree import for_each_around, items_of, walk
from northmoor.core.model.data.queries import LinkedColumns
from northmoor.core.model.edits import rename_block
from northmoor.core.model.report import Report

_WHAT = (
    "file",
    "edition",
    "text",
    "value",
    "format",
    "caption",
    "against",
    "difference",
    "difference_text",
    "draw",
    "on",
    "orientation",
    "lists",
    "depth",
    "leader",
)
_OF_READOUTS = ("good", "trend", "trend_drawn", "trend_height", "trend_color")
_WHERE = ("width", "height", "align", "thickness", "corner", "space_after", "visible")
_LOOKS = ("fill", "stroke", "color")


def name_line(form: InspectorForm, block: Any) -> None:
    """A line for the block's name; charts of its groups follow."""

    def rename(name: str) -> None:
        if form.controller.edit(tr("Rename the block"), lambda r, e: _renamed(r, e, block, name)):
            form.controller.select(Selection(block.kind, name))
        else:
            form.refused()

    form.property(type(block), block, "name", rename)


def _renamed(report: Report, edition: str, block: Any, name: str) -> Report:
    """A report where a block has another name; the name of a for-each is a window, which expressions follow."""
    changed = rename_block(report, edition, block.name, name)
    return rename_record_window(changed, edition, block.name, name) if isinstance(block, ForEachBlock) else changed


def show_simple_block(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A rule, space, page break, shape, code or readout."""
    block = edits.block_of(report, edition, selection.block)
    kind, change = type(block), form.block_change(block.name)
    what = tr("Change the {kind}").format(kind=in_sentence(tr(BLOCK_TYPE_OF_KIND[block.kind].label)))
    own = [field for field in kind.model_fields if field not in ("kind", "name", "style", "look")]
    form.title(f"{tr(BLOCK_TYPE_OF_KIND[block.kind].label)} · {block.name}")
    form.section(tr("Content"))
    name_line(form, block)
    known = (*_WHAT, *_OF_READOUTS, *_WHERE, *_LOOKS)
    form.properties(kind, block, [field for field in _WHAT if field in own], what, change)
    form.properties(kind, block, [field for field in own if field not in known], what, change)
    if "against" in own and block.against is not None:
        form.properties(kind, block, ("good",), what, change)
    if "trend" in own:
        drawn = ("trend_drawn", "trend_height", "trend_color") if block.trend is not None else ()
        form.properties(kind, block, ("trend", *drawn), what, change)
    form.section(tr("Layout"))
    fields = [field for field in _WHERE if field in own]
    if block.kind == "barcode" and block.draw == "qr":
        fields.remove("width")
    form.properties(kind, block, fields, what, change)
    looks = [field for field in _LOOKS if field in own]
    if looks:
        form.section(tr("Appearance"))
        form.properties(kind, block, looks, what, change)
    if "style" in kind.model_fields:
        form.looks(report, block, tr("Change the appearance"), change)
    form.take_out(block.name, tr("Remove"))


def show_for_each(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A block that repeats its content for each record."""
    block: ForEachBlock = edits.block_of(report, edition, selection.block)
    change = form.block_change(block.name)
    form.title(tr("For each · {name}").format(name=block.name))
    form.section(tr("Content"))
    name_line(form, block)
    queries = [query.name for query in report.queries]
    form.property(ForEachBlock, block, "query", lambda v: form.edit(tr("Change the query"), change(query=v)), queries)
    names = ("by", "keep_rows", "keep_groups", "order", "order_by", "listed", "first_groups", "without_rows")
    form.properties(ForEachBlock, block, names, tr("Change the records"), change)
    form.section(tr("Layout"))
    pages = ("page_break", "restart_page_number", "keep_together", "bookmark", "space_after", "visible")
    form.properties(ForEachBlock, block, pages, tr("Change the pages"), change)
    form.section(tr("Bundle"))
    own = ("file_name", "address", "listed_total")
    form.properties(ForEachBlock, block, own, tr("Change what a bundle knows of each record"), change)
    form.note(tr("What you insert while it is chosen goes into it."))
    form.take_out(block.name, tr("Remove with its content"))


def show_join_keys(form: InspectorForm, report: Report, edition: str, name: str) -> None:
    """Which rows a block in a for-each shows, and the choice of others."""
    found = report.edition(edition)
    assert found is not None
    host = for_each_around(found.blocks, name)
    block = next((each for each in walk(found.blocks) if each.name == name), None)
    if host is None or not isinstance(block, DataBlock | ForEachBlock):
        return
    around = [host]
    while (outer := for_each_around(found.blocks, around[0].name)) is not None:
        around.insert(0, outer)
    _join_key_choice(form, block, around, report)


def _join_key_choice(form: InspectorForm, block: Any, around: list[ForEachBlock], report: Report) -> None:
    """The choice of what ties a block's rows to the record, and which columns do."""
    change, host = form.block_change(block.name), around[-1]
    ties, tied_to = join_keys(block.but(of_record=(), all_rows=False), around, report)
    pairs = ", ".join(tie.of_row if tie.of_row == tie.of_record else f"{tie.of_row} = {tie.of_record}" for tie in ties)
    by_itself = (
        tr("Of {tied_to}, by {pairs}").format(tied_to=tied_to, pairs=pairs)
        if ties
        else tr("All: nothing links {query} to {outer}").format(query=block.query, outer=host.query)
    )
    chosen = "all" if block.all_rows else "columns" if block.of_record else "link"
    first = bare_column(host.by) or "id"
    settings: dict[str, dict[str, Any]] = {
        "link": {"of_record": (), "all_rows": False}, "all": {"of_record": (), "all_rows": True},
        "columns": {"of_record": (LinkedColumns(own=first, other=first),), "all_rows": False},
    }  # fmt: skip
    names = {"link": by_itself, "columns": tr("By columns named here"), "all": tr("All rows, in every record")}
    tip = tr("Which rows it shows in each record: those that a link or equal columns tie to it, or all")

    def choose(way: str) -> None:
        form.edit(tr("Change which rows are shown"), change(**settings[way]))

    form.section(tr("In {name}").format(name=host.name))
    form.labelled(tr("Rows shown"), choice_row("tie", names, chosen, choose, tip))
    if block.of_record:
        shown = ", ".join(f"{pair.own} = {pair.other}" for pair in block.of_record)
        tip = tr("Columns that are equal: one of {query} = one of {outer}, several with commas").format(
            query=block.query, outer=host.query
        )

        def commit(text: str) -> None:
            form.edit(tr("Change the columns"), lambda r, e: change(of_record=_pairs(text))(r, e))

        form.labelled(tr("Equal columns"), line_row("of_record", shown, commit, tip))


def _pairs(text: str) -> tuple[LinkedColumns, ...]:
    """Pairs of columns that are typed as own = other; one alone is equal in both."""
    pairs = (part.partition("=") for part in text.split(",") if part.strip())
    return tuple(LinkedColumns(own=own.strip(), other=other.strip() or own.strip()) for own, _, other in pairs)


def show_frame(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """Blocks at exact places."""
    block: FrameBlock = edits.block_of(report, edition, selection.block)
    change = form.block_change(block.name)
    form.title(tr("Frame · {name}").format(name=block.name))
    form.section(tr("Content"))
    name_line(form, block)
    form.section(tr("Layout"))
    fields = ("width", "height", "align", "when_full", "step", "guides_across", "guides_down", "space_after", "visible")
    form.properties(FrameBlock, block, fields, tr("Change the frame"), change)
    form.section(tr("Appearance"))
    form.properties(FrameBlock, block, ("fill", "stroke", "thickness"), tr("Change the frame"), change)
    form.note(
        tr(
            "Drag items to move them, their lower and right edges to resize them. Alt ignores "
            "guides. Arrow keys move by 0.1 mm, with Shift by 1 mm. Drag a guide in from the left "
            "edge or the top, and out again."
        )
    )
    form.take_out(block.name, tr("Remove with its content"))


def show_place(form: InspectorForm, report: Report, edition: str, name: str) -> None:
    """Where a block is in its frame, if it is in one."""
    found = report.edition(edition)
    held = items_of(found.blocks, [name]) if found is not None else None
    if held is None:
        return
    frame, (number,) = held
    item = frame.items[number]

    def change(**changes: Any) -> ReportEdit:
        items = (*frame.items[:number], item.but(**changes), *frame.items[number + 1 :])
        return lambda r, e: edits.change_block(r, e, frame.name, items=items)

    form.section(tr("In {name}").format(name=frame.name))
    fields = ("x", "y", "width", "height", "locked", "group")
    form.properties(FrameItem, item, fields, tr("Change the place"), change)


def show_grid(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """Rows and columns of blocks."""
    block: GridBlock = edits.block_of(report, edition, selection.block)
    change = form.block_change(block.name)
    form.title(tr("Grid · {name}").format(name=block.name))
    form.section(tr("Content"))
    name_line(form, block)
    form.section(tr("Layout"))
    names = ("gap", "minimum_row_height", "space_after", "visible")
    form.properties(GridBlock, block, names, tr("Change the grid"), change)
    for number, track in enumerate(block.tracks):
        form.section(tr("Column {number}").format(number=number + 1))

        def set_track(number: int = number, track: Track = track, **changes: Any) -> ReportEdit:
            tracks = (*block.tracks[:number], track.but(**changes), *block.tracks[number + 1 :])
            return change(tracks=tracks)

        fields: tuple[str, ...] = ("width",)
        if track.width is None:
            fields = ("width", "by_content") if track.by_content else ("width", "by_content", "share")
        form.properties(Track, track, fields, tr("Change the column"), set_track)
    form.take_out(block.name, tr("Remove with its content"))


def show_grid_cell(form: InspectorForm, report: Report, edition: str, selection: Selection) -> None:
    """A cell of a grid."""
    grid: GridBlock = edits.block_of(report, edition, selection.block)
    cell = grid.cells[selection.number]

    def change(**changes: Any) -> ReportEdit:
        cells = list(grid.cells)
        cells[selection.number] = cell.but(**changes)
        return lambda r, e: edits.change_block(r, e, grid.name, cells=tuple(cells))

    form.title(
        tr("Cell · row {row}, column {column} of {name}").format(
            row=cell.row + 1, column=cell.column + 1, name=grid.name
        )
    )
    form.section(tr("Layout"))
    form.properties(GridCell, cell, ("rows", "columns", "padding"), tr("Change the cell"), change)
    form.section(tr("Appearance"))
    form.properties(GridCell, cell, ("fill",), tr("Change the cell"), change)
    form.note(tr("What you insert while it is chosen goes into it."))
    for text, step, drawing in grid_steps(grid, cell):
        form.action(text, grid_change(grid.name, step), drawing)
