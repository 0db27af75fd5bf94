"""Charts of a table's or matrix's own groups: what they draw is taken from that block."""

from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel
from northmoor.core.model.blocks.containers import DataBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.report import Edition


def with_borrowed_groups(edition: Edition, whole: Edition) -> Edition:
    """The edition whose charts of other blocks' groups have those groups' expressions, order and choice of their own.

    A block that the edition leaves out is found in the `whole` one.
    """
    known = {block.name: block for block in (*whole.data_blocks, *edition.data_blocks)}

    def resolved(block: Block) -> Block:
        if not isinstance(block, ChartBlock) or block.groups_of is None:
            return block
        return _from_groups(block, known[block.groups_of])

    return edition.but(blocks=tuple(map(resolved, edition.blocks)))


def _from_groups(chart: ChartBlock, source: DataBlock) -> ChartBlock:
    conditions = [text for text in (source.keep_rows, chart.keep_rows) if text is not None]
    kept = conditions[0] if len(conditions) == 1 else " and ".join(f"({text})" for text in conditions) or None
    levels = {
        name: _from_level(level, source) for name in ("category", "series", "panels")
        if isinstance(level := getattr(chart, name), ChartLevel) and level.level is not None
    }  # fmt: skip
    return chart.but(query=source.query, keep_rows=kept, groups_of=None, **levels)


def _from_level(level: ChartLevel, source: DataBlock) -> ChartLevel:
    assert isinstance(source, TableBlock | MatrixBlock)  # the edition has been checked
    found = source.level(level.level)
    taken = ("by", "order", "order_by", "keep_groups", "first_groups", "listed", "others", "fill", "members")
    more = {"format": level.format or getattr(found, "format", None), "title": level.title or _title(found)}
    return level.but(level=None, **{name: getattr(found, name) for name in taken if hasattr(found, name)}, **more)


def _title(level: object) -> str:
    return str(getattr(level, "title", ""))
