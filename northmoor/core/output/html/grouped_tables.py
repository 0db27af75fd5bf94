"""Tables of a web page: tables with heads, whose outermost groups open and close."""

from collections.abc import Iterator
from itertools import pairwise

from northmoor.core.layout.table.row_sequence import HEADING, TOTAL
from northmoor.core.output.content.nodes import TableNode
from northmoor.core.output.content.table_grid import GridPlace, grid_rows
from northmoor.core.output.content.table_rows import TableCell, TableContent, TableRow, cell_text
from northmoor.core.output.html.drawn_parts import cell_drawing
from northmoor.core.output.html.looks import box_css, text_css
from northmoor.core.output.html.page_parts import PageParts, as_attribute, as_html
from northmoor.core.output.svg.drawing import svg_points


def table_html(node: TableNode, parts: PageParts) -> Iterator[str]:
    """A table, piece by piece."""
    layout = node.layout
    content = TableContent(layout)
    writer = _TableWriter(content, parts)
    names = ("table", "folding") if writer.folds else ("table",)
    around = ""
    if parts.is_interactive:
        around = f' role="region" tabindex="0" aria-label="{as_attribute(parts.region_name(node.name))}"'
    yield f"<div{parts.place(node.name)}{around}{parts.looks.of('', *names)}>"
    yield from writer.begin()
    for row, places in grid_rows(content.rows(node.start, node.end), content.columns):
        yield from writer.row(row, places)
    yield from writer.end()
    yield "</div>"


class _TableWriter:
    """Writes the rows of a table: the groups of its outermost level as parts that open and close, if they have
    headings, their totals after them, so that they are seen when a group is closed."""

    def __init__(self, content: TableContent, parts: PageParts) -> None:
        self.content, self.parts = content, parts
        self._state = "closed"
        """What is open: nothing, a table, a group's details with its table, or a table of totals."""
        self._has_head = False
        self._groups = 0
        self._head = list(grid_rows(content.head(), content.columns))
        levels = content.table.levels[content.layout.outer :]
        has_inner = content.table.show_details or len(levels) > 1
        has_headings = bool(levels) and any(row.position != "after" for row in levels[0].heading)
        self.folds = parts.is_interactive and has_inner and has_headings
        self._breaks = bool(levels) and levels[0].page_break in ("between", "before")
        self._row_heads = _row_heads(content)

    def begin(self) -> Iterator[str]:
        """The head above all groups, where these have tables of their own; those are read out with heads too."""
        if self.folds and self._head:
            self._has_head = True
            head = "".join(self._row_html(row, places) for row, places in self._head)
            yield f'<div aria-hidden="true">{self._table("first")}<thead>{head}</thead></table></div>'

    def row(self, row: TableRow, places: list[GridPlace[TableCell]]) -> Iterator[str]:
        """A row of the body."""
        kind = row.kind
        begins_group = self.folds and row.depth == 1 and kind is not None and kind.kind == HEADING and not kind.after
        if begins_group and kind is not None and not kind.number:
            yield from self._close()
            name = "group break" if self._breaks and self._groups else "group"
            self._groups += 1
            yield f'<details open class="{name}"><summary>{self._summary(row, places)}</summary>'
            self._state = "details"
            return
        is_total = kind is not None and kind.kind == TOTAL and kind.after and row.depth <= 1
        if self.folds and is_total and self._state != "totals":
            yield from self._close()
            yield from self._open()
            self._state = "totals"
        elif self._state in ("closed", "details"):
            yield from self._open()
            self._state = "table" if self._state == "closed" else "group"
        yield self._row_html(row, places)

    def end(self) -> Iterator[str]:
        """What is left to close; a table without rows shows its head."""
        if self._state == "closed" and not self._has_head:
            yield from self._open()
            self._state = "table"
        yield from self._close()

    def _open(self) -> Iterator[str]:
        yield self._table("later" if self._has_head else "first")
        if self._head and (self.parts.is_interactive or not self._has_head):
            yield "<thead>" + "".join(self._row_html(row, places) for row, places in self._head) + "</thead>"
        self._has_head = True
        yield "<tbody>"

    def _table(self, name: str) -> str:
        """The beginning of a table with its columns."""
        edges = self.content.layout.edges
        width = edges[-1] - edges[0]
        columns = "".join(f'<col style="width:{100 * (right - left) / width:.2f}%">' for left, right in pairwise(edges))
        return f"<table{self.parts.looks.of(f'width:{svg_points(width)}pt', name)}><colgroup>{columns}</colgroup>"

    def _close(self) -> Iterator[str]:
        if self._state in ("table", "group", "totals"):
            yield "</tbody></table>"
        if self._state in ("details", "group"):
            yield "</details>"
        self._state = "closed"

    def _summary(self, row: TableRow, places: list[GridPlace[TableCell]]) -> str:
        """A group's heading in the columns of its table."""
        edges = self.content.layout.edges
        width = edges[-1] - edges[0]
        shares = " ".join(f"{100 * (right - left) / width:.2f}%" for left, right in pairwise(edges))
        cells = "".join(
            f'<span{self._place(place.cell)} style="grid-column:{place.column + 1}/span {place.span}"'
            f"{self.parts.looks.of(self._css(place.cell))}>{self._inner(row, place.cell)}</span>"
            for place in places
            if place.cell is not None
        )
        return (
            f'<span class="heading" style="grid-template-columns:{shares};width:{svg_points(width)}pt">{cells}</span>'
        )

    def _row_html(self, row: TableRow, places: list[GridPlace[TableCell]]) -> str:
        named = next((place.column for place in places if place.cell is not None and place.cell.text), -1)
        is_named = row.kind is not None and row.kind.kind in (HEADING, TOTAL)
        is_head = row.kind is None
        cells = []
        for place in places:
            is_heading = is_head or place.column in self._row_heads or (is_named and place.column == named)
            cells.append(self._cell(row, place, is_heading, is_head))
        fill = self.parts.looks.of(f"background:{row.look.fill}" if row.look.fill else "")
        return f"<tr{fill}>{''.join(cells)}</tr>"

    def _cell(self, row: TableRow, place: GridPlace[TableCell], is_heading: bool, is_head: bool) -> str:
        spans = f' colspan="{place.span}"' if place.span > 1 else ""
        spans += f' rowspan="{place.rows}"' if place.rows > 1 else ""
        cell = place.cell
        if cell is None:
            css = _empty_css(row)
            return f"<td{spans}{self.parts.looks.of(css)}></td>"
        look = self.parts.looks.of(self._css(cell))
        spans += self._place(cell)
        inner = self._inner(row, cell)
        if not is_heading or not inner:
            return f"<td{spans}{look}>{inner}</td>"
        scope = ("colgroup" if place.span > 1 else "col") if is_head else "row"
        return f'<th scope="{scope}"{spans}{look}>{inner}</th>'

    def _place(self, cell: TableCell) -> str:
        """The attribute by which links reach a cell."""
        anchors = cell.kind.layout.anchors
        return self.parts.place(anchors.text(cell.instance)) if anchors is not None else ""

    def _css(self, cell: TableCell | None) -> str:
        if cell is None:
            return ""
        css = f"{text_css(cell.look, cell.kind.align)};{box_css(cell.look)}"
        if cell.shift:
            css += f";padding-left:{svg_points(cell.look.inset + cell.shift)}pt"
        return css + (f";color:{cell.kind.layout.fault_face.color}" if cell.is_faulty else "")

    def _inner(self, row: TableRow, cell: TableCell | None) -> str:
        if cell is None:
            return ""
        drawn = cell_drawing(cell, row.number, self.content.layout, self.parts)
        if drawn:
            return self.parts.linked(cell.link, drawn)
        text = cell_text(cell)
        self.parts.use(cell.look, text)
        return self.parts.linked(cell.link, as_html(text))


def _row_heads(content: TableContent) -> frozenset[int]:
    """The columns that name rows: in a matrix, those of the keys of its row levels."""
    crosstab = content.layout.data.crosstab
    if crosstab is None:
        return frozenset()
    return frozenset(
        at for at, column in enumerate(content.table.columns) if not crosstab.columns[column.name].is_measure
    )


def _empty_css(row: TableRow) -> str:
    """The rules of a row, which go on where it has no cells."""
    look = row.look
    found = []
    if look.rule_above:
        found.append(f"border-top:{svg_points(look.rule_above)}pt {look.rule_dash} {look.rule_color}")
    if look.rule_below:
        found.append(f"border-bottom:{svg_points(look.rule_below)}pt {look.rule_dash} {look.rule_color}")
    return ";".join(found)
