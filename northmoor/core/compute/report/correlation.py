"""Blocks inside for-each blocks, as they are arranged: all records at once, with a level for what ties rows to one.

A table in a for-each is arranged and laid out as one table whose outermost levels are the keys of the records; each
record then prints its own stretch of rows. Nothing is asked of the data, and nothing is computed, record by record.
"""

from collections.abc import Iterator, Mapping, Sequence

import numpy as np
from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.compute.evaluate.slots import slots_in
from northmoor.core.compute.groups.boundaries import Groups, outer_of
from northmoor.core.expr.language import column_expression
from northmoor.core.expr.window_names import rename_window, rename_window_in_template
from northmoor.core.model.base import GroupingLevel
from northmoor.core.model.blocks.block_types import BLOCK_TYPE_OF_KIND, Block
from northmoor.core.model.blocks.chart import Chart, ChartBlock
from northmoor.core.model.blocks.containers import DataBlock, ForEachBlock
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.table import Cell, Column, Content, Level, Row, TableBlock
from northmoor.core.model.blocks.tree import lists_in
from northmoor.core.model.data.queries import LinkedColumns
from northmoor.core.model.report import Edition, Report

_RECORD = Column(name="record")
_ALL = MatrixLevel(name="all", by="1")
"""The level down the side of a matrix that has none of its own: all rows of a record are in one group."""


class JoinKey(Struct, frozen=True):
    """What is equal in a row and in the record that it belongs to: an expression over the row, and one over the
    record."""

    of_row: str
    of_record: str


class CorrelatedBlock(Struct, frozen=True):
    """A block as it is arranged: over the rows of all records, with `ties` as its outermost levels. `host` is the
    for-each to whose records those are; none for a block that shows the same rows wherever it is."""

    block: TableBlock | MatrixBlock | ChartBlock
    join_keys: tuple[JoinKey, ...] = ()
    host: str | None = None
    hidden_levels: int = 0
    """How many of the outermost row levels of a matrix are not printed: those that tie its rows to records, and the one
    it is given where it has none."""

    @property
    def depth(self) -> int:
        """How many levels of it tie rows to records."""
        return len(self.join_keys)


def correlate_blocks(edition: Edition, report: Report) -> dict[str, CorrelatedBlock]:
    """How each block over a query's rows is arranged, for-each blocks among them, by its name."""
    return dict(_correlate(edition.blocks, (), report))


def _correlate(
    blocks: Sequence[Block], around: tuple[ForEachBlock, ...], report: Report
) -> Iterator[tuple[str, CorrelatedBlock]]:
    for block in blocks:
        if isinstance(block, ForEachBlock):
            ties, host = join_keys(block, around, report)
            keys = _key_expressions(block.blocks, (*around, block), block.name, report)
            yield block.name, CorrelatedBlock(_records(block, ties, host, keys), ties, host)
        elif isinstance(block, DataBlock):
            ties, host = join_keys(block, around, report)
            unprinted = len(ties) + (isinstance(block, MatrixBlock) and not block.rows) if ties else 0
            yield block.name, CorrelatedBlock(_with_record_levels(block, ties, host), ties, host, unprinted)
        inner = (*around, block) if isinstance(block, ForEachBlock) else around
        for own in lists_in(block):
            yield from _correlate(own, inner, report)


def join_keys(
    block: DataBlock | ForEachBlock, around: Sequence[ForEachBlock], report: Report
) -> tuple[tuple[JoinKey, ...], str | None]:
    """What ties the rows of a block to the innermost for-each around it that they belong to: the block says so itself,
    they are of the same query, or that is a detail of it."""
    if block.all_rows:
        return (), None
    link, own_columns = report.query(block.query).detail_of, block.of_record
    for at in range(len(around) - 1, -1, -1):
        host = around[at]
        if own_columns:
            return _of_columns(own_columns), host.name
        if host.query == block.query:
            keys = [each.by for each in around[: at + 1] if each.query == block.query]
            return tuple(JoinKey(key, key) for key in keys), host.name
        if link is not None and link.query == host.query:
            return _of_columns(link.columns), host.name
    return (), None


def _of_columns(pairs: Sequence[LinkedColumns]) -> tuple[JoinKey, ...]:
    return tuple(JoinKey(column_expression(pair.own), column_expression(pair.other)) for pair in pairs)


def _levels(
    ties: tuple[JoinKey, ...], host: str | None, taken: Sequence[str], innermost: Level | None = None
) -> list[Level]:
    """The levels that tie rows to records; the innermost has the for-each's name, unless the block has such a one."""
    names = [f"{host} {number}" for number in range(1, len(ties))] + [str(host)]
    levels = []
    for tie, name in zip(ties, names, strict=False):
        levels.append(Level(name=_unused(name, taken), by=tie.of_row))
    if levels and innermost is not None:
        levels[-1] = innermost.but(name=levels[-1].name, by=levels[-1].by)
    return levels


def _with_record_levels(block: DataBlock, ties: tuple[JoinKey, ...], host: str | None) -> DataBlock:
    if not ties:
        return block
    if isinstance(block, TableBlock):
        taken = [level.name for level in block.levels]
        innermost = Level(name="record", by="record", total=block.total)
        return block.but(levels=(*_levels(ties, host, taken, innermost), *block.levels), total=())
    if isinstance(block, ChartBlock):
        cell = Cell(column=_RECORD.name, chart=_plain_chart(block))
        innermost = Level(name="record", by="record", heading=(Row(cells=(cell,)),))
        taken = [level.name for level in block.levels]
        return TableBlock(
            name=block.name, query=block.query, columns=(_RECORD,), show_details=False,
            levels=tuple(_levels(ties, host, taken, innermost)),
        )  # fmt: skip
    return _with_record_columns(block, _levels(ties, host, _level_names(block)))


def _with_record_columns(matrix: MatrixBlock, levels: Sequence[Level]) -> MatrixBlock:
    """A matrix with the keys of records as its outermost row levels; a whole column is then that of a record."""
    ties = [MatrixLevel(name=level.name, by=level.by) for level in levels]
    if matrix.rows:
        subtotal, text = matrix.row_total, matrix.row_total_text
        ties[-1] = ties[-1].but(subtotal=subtotal, subtotal_text=text, style=matrix.total_style)
    rows = matrix.rows or (_ALL.but(name=_unused(_ALL.name, [*_level_names(matrix), *(tie.name for tie in ties)])),)
    measures = tuple(_in_column_of(measure, ties[-1].name) for measure in matrix.measures)
    return matrix.but(rows=(*ties, *rows), row_total="none", measures=measures)


def _in_column_of(measure: Measure, level: str) -> Measure:
    """A measure that compares with the column of a record where it says column."""
    expressions = {
        name: rename_window(text, "column", level)
        for name in ("value", "currency")
        if (text := getattr(measure, name)) is not None
    }
    texts = {
        name: rename_window_in_template(text, "column", level)
        for name in ("text", "link", "anchor")
        if (text := getattr(measure, name)) is not None
    }
    rules = tuple(rule.but(when=rename_window(rule.when, "column", level)) for rule in measure.rules)
    return measure.but(**expressions, **texts, rules=rules)


def _unused(name: str, taken: Sequence[str]) -> str:
    """The name, or one like it that is not taken."""
    while name in taken:
        name += "·"
    return name


def _level_names(matrix: MatrixBlock) -> list[str]:
    return [level.name for level in (*matrix.rows, *matrix.columns)]


def _plain_chart(chart: ChartBlock) -> Chart:
    return Chart.model_validate({name: getattr(chart, name) for name in Chart.model_fields})


def _key_expressions(
    blocks: Sequence[Block], around: tuple[ForEachBlock, ...], host: str, report: Report
) -> Iterator[str]:
    """The expressions over the records of a for-each by which rows of blocks in it are tied to them."""
    for block in blocks:
        if isinstance(block, DataBlock | ForEachBlock):
            ties, found = join_keys(block, around, report)
            yield from (tie.of_record for tie in ties if found == host)
        inner = (*around, block) if isinstance(block, ForEachBlock) else around
        for own in lists_in(block):
            yield from _key_expressions(own, inner, host, report)


def _records(block: ForEachBlock, ties: tuple[JoinKey, ...], host: str | None, keys: Iterator[str]) -> TableBlock:
    """A for-each as a table: a level for its records, whose headings hold all that is printed of a record."""
    inner = dict.fromkeys((*_texts_in(block), *(Content(value=key) for key in keys)))
    heading = tuple(Row(cells=(Cell(column=_RECORD.name, value=each.value, text=each.text),)) for each in inner)
    keyed = {name: getattr(block, name) for name in GroupingLevel.model_fields if name != "name"}
    own = Level(name=block.name, heading=heading, **keyed)
    levels = _levels(ties, host, [block.name])
    return TableBlock(
        name=block.name, query=block.query, columns=(_RECORD,), levels=(*levels, own), keep_rows=block.keep_rows,
        show_details=False, show_head=False,
    )  # fmt: skip


def record_templates(block: ForEachBlock) -> tuple[str | None, str | None, str | None]:
    """The templates of what a bundle knows of a record: the name of its file, its address, and its total."""
    return block.file_name, block.address, block.listed_total


def _texts_in(block: ForEachBlock) -> Iterator[Content]:
    """What is printed of a record: by its blocks, by its bookmark, in a bundle, and its key."""
    yield Content(value=block.by)
    for text in (block.bookmark, *record_templates(block)):
        if text is not None:
            yield Content(text=text)
    yield from _contents(block.blocks)


def _contents(blocks: Sequence[Block]) -> Iterator[Content]:
    for block in blocks:
        if block.visible is not None:  # in an edition, what could be decided at once has been
            yield Content(value=block.visible)
        yield from BLOCK_TYPE_OF_KIND[block.kind].contents(block)
        if not isinstance(block, ForEachBlock):
            for own in lists_in(block):
                yield from _contents(own)


def group_keys(levels: Sequence[Groups], depth: int) -> list[tuple[object, ...]]:
    """The keys of each group of the level at a depth (from 1), with those of the levels around it, outermost first."""
    innermost = levels[depth - 1]
    columns = []
    for level in levels[:depth]:
        own = np.arange(len(innermost)) if level is innermost else outer_of([level], innermost.starts)
        columns.append([level.keys[int(at)].as_py() for at in own])
    return list(zip(*columns, strict=True))


def match_groups(wanted: Sequence[tuple[object, ...]], groups: Sequence[tuple[object, ...]]) -> Ints:
    """For each record, the number of the group whose keys are its own; −1 where no rows belong to it."""
    known: Mapping[tuple[object, ...], int] = {keys: at for at, keys in enumerate(groups)}
    return np.array([known.get(keys, -1) for keys in wanted], np.int64)


def expressions_of(edition: Edition) -> list[str]:
    """The expressions of an edition's body that are in no record."""
    contents = [*_contents(edition.blocks)]
    contents += [Content(text=text) for block in edition.data_blocks if (text := getattr(block, "when_empty", None))]
    return list(dict.fromkeys(slot for content in contents for slot in slots_in(content)))
