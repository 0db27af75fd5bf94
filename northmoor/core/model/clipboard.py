"""Blocks as text, so that the clipboard can carry them within and between reports, and any editor can hold them."""

from collections.abc import Sequence

from northmoor.core.errors import ReportFileError
from northmoor.core.model.base import Part
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.containers import DataBlock, ForEachBlock
from northmoor.core.model.blocks.table import Column
from northmoor.core.model.blocks.tree import Blocks, lists_in, walk
from northmoor.core.model.data.queries import Query
from northmoor.core.model.edits import Target, insert_blocks, insert_column, with_unused_names
from northmoor.core.model.report import Report
from northmoor.core.model.serialization import part_text, read_part
from northmoor.core.model.styles import NamedStyle

CLIPBOARD_VERSION = 1
"""Version of the text's form."""


class ClipboardBlocks(Part):
    """Blocks with the styles and queries that they use."""

    northmoor_blocks: int = CLIPBOARD_VERSION
    """Version of the text's form."""
    blocks: tuple[Block, ...] = ()
    """The blocks."""
    styles: tuple[NamedStyle, ...] = ()
    """The styles that they use, and those that these are based on."""
    queries: tuple[Query, ...] = ()
    """The queries whose rows they show."""


def blocks_text(report: Report, edition: str, names: Sequence[str]) -> str:
    """Some blocks as JSON, with all that another report needs to take them over."""
    found = report.edition(edition)
    assert found is not None
    chosen = _outermost(found.blocks, frozenset(names))
    queries = {block.query for block in walk(chosen) if isinstance(block, DataBlock | ForEachBlock)}
    carried = ClipboardBlocks(
        blocks=chosen,
        styles=styles_named_in(report, "".join(block.model_dump_json() for block in chosen)),
        queries=tuple(query for query in report.queries if query.name in queries),
    )
    return part_text(carried, "northmoor_blocks", CLIPBOARD_VERSION)


class ClipboardColumn(Part):
    """A column of a table, with the styles that it uses."""

    northmoor_column: int = CLIPBOARD_VERSION
    """Version of the text's form."""
    column: Column
    """The column."""
    styles: tuple[NamedStyle, ...] = ()
    """The styles that it uses, and those that these are based on."""


def column_text(report: Report, column: Column) -> str:
    """A table's column as JSON."""
    carried = ClipboardColumn(column=column, styles=styles_named_in(report, column.model_dump_json()))
    return part_text(carried, "northmoor_column", CLIPBOARD_VERSION)


def paste_column(report: Report, edition: str, text: str, table: str, at: int) -> Report:
    """The report with a column from a text before the column at a place. Raises ReportFileError."""
    carried = read_part(
        text, "The clipboard", ClipboardColumn, "northmoor_column", CLIPBOARD_VERSION, "a copy of a column"
    )
    return insert_column(_with_styles(report, carried.styles), edition, table, carried.column, at)


def _with_styles(report: Report, styles: Sequence[NamedStyle]) -> Report:
    known = {style.name for style in report.styles}
    return report.but(styles=(*report.styles, *(style for style in styles if style.name not in known)))


def styles_named_in(report: Report, text: str) -> tuple[NamedStyle, ...]:
    """The styles of a report whose names are in a JSON text, and those that these are based on."""
    used = {style.name for style in report.styles if f'"{style.name}"' in text}
    based_on = {style.name: style.based_on for style in report.styles}
    for name in tuple(used):
        while (base := based_on[name]) is not None:
            used.add(base)
            name = base
    return tuple(style for style in report.styles if style.name in used)


def _outermost(blocks: Blocks, names: frozenset[str]) -> Blocks:
    """The named blocks in their order, without those that are in one of them."""
    found: list[Block] = []
    for block in blocks:
        if block.name in names:
            found.append(block)
        else:
            for own in lists_in(block):
                found += _outermost(own, names)
    return tuple(found)


def read_blocks(text: str | bytes, where: str) -> ClipboardBlocks:
    """The blocks of a text; `where` begins the message of a fault. Raises ReportFileError."""
    return read_part(text, where, ClipboardBlocks, "northmoor_blocks", CLIPBOARD_VERSION, "a copy of blocks")


def paste_blocks(report: Report, edition: str, text: str, target: Target) -> tuple[Report, tuple[str, ...]]:
    """The report with blocks from a text, and their names there. Styles and queries that it does not have come with
    them; those that it has stay as they are. Raises ReportFileError for a text that holds no blocks."""
    if '"northmoor_blocks"' not in text:
        raise ReportFileError("The clipboard holds no blocks of a report; copy some first.")
    carried = read_blocks(text, "The clipboard")
    known = {query.name for query in report.queries}
    report = _with_styles(report, carried.styles)
    report = report.but(queries=(*report.queries, *(query for query in carried.queries if query.name not in known)))
    found = report.edition(edition)
    assert found is not None
    named = with_unused_names(carried.blocks, [block.name for block in walk(found.blocks)])
    return insert_blocks(report, edition, named, target), tuple(block.name for block in named)
