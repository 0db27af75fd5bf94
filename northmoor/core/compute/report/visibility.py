"""An edition as its values make it: what is not visible is gone, what they set is filled in."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from functools import partial
from typing import TypeVar

from msgspec import Struct, field

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.compute.evaluate.per_page import compute_page_expressions
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ExpressionError, LayoutError, Place, ended
from northmoor.core.expr.language import parse
from northmoor.core.model.base import GroupingLevel
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.blocks.text import literal_template
from northmoor.core.model.blocks.tree import Blocks, in_every_list, lists_in, walk, with_lists
from northmoor.core.model.edits import without_column
from northmoor.core.model.report import Edition
from northmoor.core.values.parameter_values import Values

_MOST = 100_000
GroupingLevelT = TypeVar("GroupingLevelT", bound=GroupingLevel)


class VisibleEdition(Struct):
    """An edition without what is not visible, and what of it could not be decided."""

    edition: Edition
    faults: list[LayoutError] = field(default_factory=list)


def apply_visibility(
    edition: Edition, rows: Mapping[str, Rows] | None, values: Values, stop: CancelToken
) -> VisibleEdition:
    """Decide what of an edition is visible and how many rows its tables have a page.

    Without `rows`, what depends on values only is decided, and the rest left as it is. What cannot be decided stays
    visible and is reported.
    """
    wanted = [text for text in _conditions(edition) if rows is not None or not _queries(text)]
    if not wanted:
        return VisibleEdition(edition)
    computed = compute_page_expressions(wanted, rows or {}, values, {}, (1,), (1,), stop)
    chosen = VisibleEdition(edition)
    chosen.edition = edition.but(blocks=_visible_blocks(edition.blocks, computed, chosen.faults, False))
    return chosen


def _visible_blocks(
    blocks: Blocks, computed: Mapping[str, Computed], faults: list[LayoutError], for_each: bool
) -> Blocks:
    """Those of some blocks that are visible. In a for-each that is decided record by record, once there are pages."""
    found = []
    for block in blocks:
        own = block.but(visible=None) if for_each else block
        kept = _block(own, computed, faults)
        if kept is not None:
            inside = for_each or isinstance(block, ForEachBlock)
            kept = kept.but(visible=block.visible) if for_each else kept
            found.append(with_lists(kept, partial(_visible_blocks, computed=computed, faults=faults, for_each=inside)))
    return tuple(found)


def with_empty_texts(edition: Edition, values_of: Callable[[str], Sequence[str]]) -> Edition:
    """The edition with what each table says when it has no rows.

    `values_of` are the values that a query's rows depend on, as ``Year = 2024``.
    """

    def with_empty_text(block: Block) -> Block:
        if not isinstance(block, TableBlock | MatrixBlock) or block.when_empty is not None:
            return block
        chosen = "; ".join(values_of(block.query))
        return block.but(when_empty=literal_template(f"There are no rows{f' for {chosen}' if chosen else ''}."))

    return edition.but(blocks=in_every_list(edition.blocks, lambda blocks: tuple(map(with_empty_text, blocks))))


def _conditions(edition: Edition) -> list[str]:
    found: list[str | None] = []
    decided = {id(block) for block in conditions_outside_records(edition.blocks)}
    for block in walk(edition.blocks):
        if id(block) in decided:
            found.append(block.visible)
        if isinstance(block, TableBlock):
            found += [column.visible for column in block.columns]
            numbers = (block.rows_per_page, *(level.first_groups for level in block.levels))
            found += [number for number in numbers if isinstance(number, str)]
        elif isinstance(block, MatrixBlock):
            levels = (*block.rows, *block.columns)
            found += [level.first_groups for level in levels if isinstance(level.first_groups, str)]
        elif isinstance(block, ForEachBlock):
            found += [block.first_groups] if isinstance(block.first_groups, str) else []
        elif isinstance(block, ChartBlock):
            found += [level.first_groups for level in block.levels if isinstance(level.first_groups, str)]
    return list(dict.fromkeys(text for text in found if text is not None))


def conditions_outside_records(blocks: Blocks) -> Iterator[Block]:
    """The blocks that are in no for-each, for which it is decided once whether they are visible."""
    for block in blocks:
        yield block
        if not isinstance(block, ForEachBlock):
            for own in lists_in(block):
                yield from conditions_outside_records(own)


def _queries(text: str) -> frozenset[str]:
    try:
        return parse(text).queries
    except ExpressionError:
        return frozenset()


def _block(block: Block, computed: Mapping[str, Computed], faults: list[LayoutError]) -> Block | None:
    place = Place(block=block.name)
    if not _visible(block.visible, computed, place, faults):
        return None
    if isinstance(block, MatrixBlock):
        return _matrix(block, computed, faults)
    if isinstance(block, ChartBlock):
        return _chart(block, computed, faults)
    if isinstance(block, ForEachBlock):
        block = _with_number(block, block.name, computed, faults)
    if not isinstance(block, TableBlock):
        return block.but(visible=None) if block.visible in computed else block
    hidden = [
        column.name
        for column in block.columns
        if not _visible(column.visible, computed, Place(block=block.name, column=column.name), faults)
    ]
    if len(hidden) == len(block.columns):
        return None
    for name in hidden:
        block = without_column(block, name)
    columns = tuple(c.but(visible=None) if c.visible in computed else c for c in block.columns)
    rows = _whole_number(block.rows_per_page, "Its rows a page", computed, place, faults)
    levels = tuple(_with_number(level, block.name, computed, faults) for level in block.levels)
    visible = None if block.visible in computed else block.visible
    return block.but(columns=columns, levels=levels, rows_per_page=rows, visible=visible)


def _matrix(block: MatrixBlock, computed: Mapping[str, Computed], faults: list[LayoutError]) -> MatrixBlock:
    rows, columns = (
        tuple(_with_number(level, block.name, computed, faults) for level in side)
        for side in (block.rows, block.columns)
    )
    return block.but(rows=rows, columns=columns, visible=None if block.visible in computed else block.visible)


def _chart(block: ChartBlock, computed: Mapping[str, Computed], faults: list[LayoutError]) -> ChartBlock:
    levels = {
        name: _with_number(level, block.name, computed, faults)
        for name in ("panels", "category", "series")
        if (level := getattr(block, name)) is not None
    }
    return block.but(visible=None if block.visible in computed else block.visible, **levels)


def _with_number(
    level: GroupingLevelT, block: str, computed: Mapping[str, Computed], faults: list[LayoutError]
) -> GroupingLevelT:
    place = Place(block=block, row=f"level {level.name}")
    first = _whole_number(level.first_groups, "How many groups it keeps", computed, place, faults)
    return level if first == level.first_groups else level.but(first_groups=first)


def _visible(text: str | None, computed: Mapping[str, Computed], place: Place, faults: list[LayoutError]) -> bool:
    if text is None or text not in computed:
        return True
    value, fault = _value(computed[text])
    if fault is None and not isinstance(value, bool | None):
        fault = f"{text!r} says neither yes nor no, but {value!r}; write a comparison"
    if fault is not None:
        faults.append(LayoutError(f"Whether it is visible cannot be decided: {ended(fault)}", place))
        return True
    return bool(value)


def _whole_number(
    text: int | str | None, what: str, computed: Mapping[str, Computed], place: Place, faults: list[LayoutError]
) -> int | str | None:
    """A number from 1 that an expression says; none where it says none, or nothing that can be one."""
    if not isinstance(text, str) or text not in computed:
        return text
    value, fault = _value(computed[text])
    if fault is None and (value is None or (isinstance(value, int) and 1 <= value <= _MOST)):
        return value
    message = fault or f"{text!r} is {value}, and a whole number from 1 is wanted"
    faults.append(LayoutError(phrase(f"{what} cannot be decided: {ended(message)}"), place))
    return None


def _value(computed: Computed) -> tuple[object, str | None]:
    """An expression's one value, or why it has none."""
    if computed.fault is not None:
        return None, computed.fault.message
    if computed.faults:
        return None, next(iter(computed.faults.values())).message
    return computed.values[0].as_py(), None
