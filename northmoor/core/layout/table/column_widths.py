"""Column widths: given ones as they are, the others by their content, all within the body."""

from itertools import pairwise

from northmoor.core.errors import Place
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.table.cell_layout import RowLayout
from northmoor.core.model.blocks.table import TableBlock

_NARROWEST = 12_000
_WIDEST_NEED = 200_000


def column_widths(table: TableBlock, plans: tuple[RowLayout, ...], available: int, context: LayoutContext) -> list[int]:
    """Widths of a table's columns in millipoints, their sum at most what is available.

    Columns without a width share what the others leave, in proportion to what their content needs. When the given
    widths alone are too much, all are made narrower in proportion, and a finding says so.
    """
    given = [column.width for column in table.columns]
    fixed = sum(width for width in given if width is not None)
    free = [i for i, width in enumerate(given) if width is None]
    least = len(free) * _NARROWEST
    if fixed + least > available:
        message = "Its columns are wider than the page; they are drawn narrower. Make them narrower, or turn the page."
        context.find("too wide", Place(block=table.name), message, is_error=False)
    room = max(available - least, 0)
    scaled = [width if width is None or fixed <= room else max(width * room // fixed, 1) for width in given]
    left = available - sum(width for width in scaled if width is not None)
    needs = [_content_width(plans, i) for i in free]
    shares = iter(_share(left, needs))
    return [next(shares) if width is None else width for width in scaled]


def max_content_widths(table: TableBlock, plans: tuple[RowLayout, ...]) -> list[int]:
    """The widths of a table's columns where nothing limits them: given ones, or what their content needs."""
    return [column.width or _content_width(plans, i) for i, column in enumerate(table.columns)]


def _share(left: int, needs: list[int]) -> list[int]:
    """What is left, parted in proportion to needs; the parts sum up exactly."""
    total = sum(needs)
    ends = [0]
    for i in range(len(needs)):
        ends.append(left * sum(needs[: i + 1]) // total)
    return [b - a for a, b in pairwise(ends)]


def _content_width(plans: tuple[RowLayout, ...], column: int) -> int:
    cells = [cell for plan in plans for cell in plan.cells if cell.column == column and cell.span == 1]
    return max([_NARROWEST, *(min(cell.needed + 2 * cell.look.inset, _WIDEST_NEED) for cell in cells)])
