"""Conditions over the rows of a table as formulas over the cells of a sheet that hold their values.

Where a value is missing, a condition does not hold, as on the page: an empty cell is no 0, and a text is not greater
than all numbers.
"""

from collections.abc import Mapping, Sequence

import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct
from sqlglot import exp
from xlsxwriter.utility import xl_col_to_name

from northmoor.core.expr.formats import FormatLocale, is_text_type
from northmoor.core.expr.language import parse
from northmoor.core.layout.inline.formatting import is_numeric
from northmoor.core.output.content.table_rows import CellContent
from northmoor.core.output.spreadsheet.number_formats import SECONDS_OF, number_format

_COMPARED: Mapping[type[exp.Expr], str] = {
    exp.EQ: "=", exp.NEQ: "<>", exp.LT: "<", exp.LTE: "<=", exp.GT: ">", exp.GTE: ">=",
}  # fmt: skip
_COMPUTED: Mapping[type[exp.Expr], str] = {exp.Add: "+", exp.Sub: "-", exp.Mul: "*"}


class NotInCells(Exception):
    """A condition needs more than the cells of its row hold."""


class RowConditions(Struct, frozen=True, eq=False):
    """Writes the conditions of a kind of row, of which `cells` are, for the row of a sheet with a number from 0."""

    cells: Sequence[CellContent]
    row: int
    locale: FormatLocale

    def formula(self, condition: str) -> str:
        """A condition as a formula. Raises NotInCells, and ExpressionError for one that is none."""
        return self._condition(parse(condition).tree)

    def _condition(self, node: exp.Expr) -> str:
        if isinstance(node, exp.Paren):
            return self._condition(node.this)
        if isinstance(node, exp.And | exp.Or):
            name = "AND" if isinstance(node, exp.And) else "OR"
            return f"{name}({self._condition(node.left)},{self._condition(node.right)})"
        if isinstance(node, exp.Between):
            ends = (
                exp.GTE(this=node.this, expression=node.args["low"]),
                exp.LTE(this=node.this, expression=node.args["high"]),
            )
            return f"AND({','.join(map(self._comparison, ends))})"
        if _is_null_test(node):
            return f"NOT(ISNUMBER({self._place(node.this, is_text=False)}))"
        if isinstance(node, exp.Not) and _is_null_test(node.this):
            return f"ISNUMBER({self._place(node.this.this, is_text=False)})"
        if type(node) in _COMPARED:
            return self._comparison(node)
        raise NotInCells

    def _comparison(self, node: exp.Expr) -> str:
        """A comparison of numbers, or whether a text is one."""
        sign, sides = _COMPARED[type(node)], (node.this, node.expression)
        for one, other in (sides, sides[::-1]):
            if isinstance(other, exp.Literal) and other.is_string and sign in ("=", "<>"):
                place, text = self._place(one, is_text=True), str(other.this).replace('"', '""')
                same = f'EXACT({place},"{text}")'
                return same if sign == "=" else f"AND(ISTEXT({place}),NOT({same}))"
        used: list[str] = []
        left, right = (self._number(side, used) for side in sides)
        if not used:
            raise NotInCells
        tests = ",".join(f"ISNUMBER({place})" for place in dict.fromkeys(used))
        return f"IF(AND({tests}),{left}{sign}{right},FALSE)"

    def _number(self, node: exp.Expr, used: list[str]) -> str:
        """A number as a formula; the cells that it needs are noted in `used`."""
        if isinstance(node, exp.Literal) and not node.is_string:
            return str(node.this)
        found = self._place_or_none(node, is_text=False)
        if found is not None:
            used.append(found)
            return found
        if isinstance(node, exp.Paren):
            return self._number(node.this, used)
        if isinstance(node, exp.Neg):
            return f"(-{self._number(node.this, used)})"
        if type(node) in _COMPUTED and self._is_computed_alike(node):
            return f"({self._number(node.this, used)}{_COMPUTED[type(node)]}{self._number(node.expression, used)})"
        raise NotInCells

    def _is_computed_alike(self, node: exp.Expr) -> bool:
        """Whether spreadsheets, which compute with doubles, find what pages do: of whole numbers, or of doubles."""
        literals = [each.this for each in node.find_all(exp.Literal)]
        columns = [cell for each in node.find_all(exp.Column) if (cell := self._cell(each, is_text=False)) is not None]
        kinds = [cell.computed.values.type for cell in columns if cell.computed is not None]
        is_whole = all(map(pa.types.is_integer, kinds)) and all(str(each).isdigit() for each in literals)
        return bool(kinds) and (is_whole or all(map(pa.types.is_floating, kinds)))

    def _place(self, node: exp.Expr, is_text: bool) -> str:
        found = self._place_or_none(node, is_text)
        if found is None:
            raise NotInCells
        return found

    def _place_or_none(self, node: exp.Expr, is_text: bool) -> str | None:
        found = self._cell(node, is_text)
        return f"${xl_col_to_name(found.column)}{self.row + 1}" if found is not None else None

    def _cell(self, node: exp.Expr, is_text: bool) -> CellContent | None:
        """The cell that holds what an expression is."""
        for cell in self.cells:
            if cell.expression is not None and self._holds(cell, is_text) and parse(cell.expression).tree == node:
                return cell
        return None

    def _holds(self, cell: CellContent, is_text: bool) -> bool:
        """Whether each cell of a kind holds its value, as a number or as a text, but where there is none. A sheet can
        not tell an empty text from none."""
        content, computed = cell.content, cell.computed
        if computed is None or computed.labels or cell.layout.repeats is not None or content.rows > 1:
            return False
        kind = computed.values.type
        if is_text:
            is_drawn = content.draw is not None or cell.pattern is not None or content.when_null is not None
            is_text_kind = is_text_type(kind)
            return is_text_kind and not is_drawn and not pc.any(pc.equal(computed.values, "")).as_py()
        if not is_numeric(kind) or content.when_zero is not None or content.currency is not None:
            return False
        sample = computed.values.drop_null().slice(0, 1).to_pylist()
        has_format = bool(sample) and number_format(sample[0], cell.pattern, self.locale) is not None
        return has_format and cell.pattern not in SECONDS_OF


def _is_null_test(node: exp.Expr) -> bool:
    return isinstance(node, exp.Is) and isinstance(node.expression, exp.Null)
