"""Column widths: given ones as they are, the others by their content, all within the body.

A column is never narrower than its numbers and words are (`min_content`), as far as the body has room for that: columns
whose texts can go on in another line give way first.
"""

from itertools import pairwise

from msgspec import Struct

from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.table.cell_layout import RowLayout
from northmoor.core.layout.table.min_content import cells_of_column, least_column_width, widened_for_spans
from northmoor.core.model.blocks.table import TableBlock

_NARROWEST = 12_000
"""The least width of a column without a given one."""
_WIDEST_NEED = 200_000


class ColumnWidths(Struct, frozen=True):
    """Widths of columns in millipoints. They `fit` where no number or word is wider than its column, for which all
    together are `needed`; given ones are scaled where they are together wider than the body."""

    widths: list[int]
    fit: bool = True
    are_scaled: bool = False
    needed: int = 0


def column_widths(
    table: TableBlock, plans: tuple[RowLayout, ...], available: int, context: LayoutContext
) -> ColumnWidths:
    """Widths of a table's columns, their sum at most what is available.

    Columns without a width share what the others leave: all have what their content needs where there is room for that,
    else what each has above its least width gives way.
    """
    given = [column.width for column in table.columns]
    content = [_content_width(plans, i) for i in range(len(given))]
    wanted = [max(min(need, _WIDEST_NEED), _NARROWEST) for need in content]
    free = [i for i, width in enumerate(given) if width is None]
    left = available - sum(width for width in given if width is not None)
    if left >= sum(wanted[i] for i in free) and all(
        content[i] <= (_WIDEST_NEED if width is None else width) for i, width in enumerate(given)
    ):
        widths = _with_given(given, _in_proportion(left, [wanted[i] for i in free]))
        if _spans_fit(plans, widths):
            return ColumnWidths(widths)
    least = _least_widths(given, content, plans, context)
    base = [least[i] if width is None else max(width, least[i]) for i, width in enumerate(given)]
    wanted = [max(wanted[i], least[i]) if width is None else base[i] for i, width in enumerate(given)]
    if sum(base) <= available:
        left = available - sum(base[i] for i in range(len(given)) if i not in free)
        if left >= sum(wanted[i] for i in free):
            shares = _in_proportion(left, [wanted[i] for i in free])
        else:
            shares = _between([base[i] for i in free], [wanted[i] for i in free], left)
        return ColumnWidths(
            _with_given([None if i in free else w for i, w in enumerate(base)], shares), needed=sum(least)
        )
    if sum(least) <= available:
        return ColumnWidths(_between(least, base, available), are_scaled=True, needed=sum(least))
    return ColumnWidths(_in_proportion(available, least), fit=False, needed=sum(least))


def max_content_widths(
    table: TableBlock, plans: tuple[RowLayout, ...], context: LayoutContext, most: int = _WIDEST_NEED
) -> list[int]:
    """The widths of a table's columns where the body does not limit them: given ones, or what their content needs, at
    most so much where it can go on in another line."""
    given = [column.width for column in table.columns]
    content = [_content_width(plans, i) for i in range(len(given))]
    least = _least_widths(given, content, plans, context)
    return [
        max(least[i], max(min(content[i], most), _NARROWEST) if width is None else width)
        for i, width in enumerate(given)
    ]


def _least_widths(
    given: list[int | None], content: list[int], plans: tuple[RowLayout, ...], context: LayoutContext
) -> list[int]:
    """The least width of each column; words are only looked at where a column can become narrower than its content."""
    least = [
        content[i]
        if content[i] <= (_NARROWEST if width is None else min(width, _NARROWEST))
        else least_column_width(plans, i, context)
        for i, width in enumerate(given)
    ]
    least = [max(need, _NARROWEST) if given[i] is None else need for i, need in enumerate(least)]
    return widened_for_spans(plans, least, context)


def _spans_fit(plans: tuple[RowLayout, ...], widths: list[int]) -> bool:
    spanning = (cell for plan in plans for cell in plan.cells if cell.span > 1)
    return all(
        cell.needed + 2 * cell.look.inset <= sum(widths[cell.column : cell.column + cell.span]) for cell in spanning
    )


def _with_given(given: list[int | None], shares: list[int]) -> list[int]:
    rest = iter(shares)
    return [next(rest) if width is None else width for width in given]


def _in_proportion(left: int, needs: list[int]) -> list[int]:
    """What is left, parted in proportion to needs; the parts sum up exactly."""
    total = sum(needs)
    ends = [0]
    for i in range(len(needs)):
        ends.append(left * sum(needs[: i + 1]) // total)
    return [b - a for a, b in pairwise(ends)]


def _between(least: list[int], most: list[int], available: int) -> list[int]:
    """Widths that sum up to what is available, each as far between its least and its most as all are."""
    spare = [b - a for a, b in zip(least, most, strict=True)]
    if not sum(spare):
        return least
    return [a + more for a, more in zip(least, _in_proportion(available - sum(least), spare), strict=True)]


def _content_width(plans: tuple[RowLayout, ...], column: int) -> int:
    return max((cell.needed + 2 * cell.look.inset for cell in cells_of_column(plans, column)), default=0)
