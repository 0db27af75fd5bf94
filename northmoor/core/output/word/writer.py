"""A document to edit (ECMA-376, WordprocessingML): headings with levels, real tables, charts as pictures.

What is written is plain and meant to be changed: texts and tables as the report says them, not its pages.
"""

import io
import zipfile
from collections.abc import Iterable
from datetime import datetime
from itertools import pairwise
from typing import Any, BinaryIO

import docx
from docx.enum.section import WD_ORIENT
from docx.enum.table import WD_TABLE_ALIGNMENT
from docx.enum.text import WD_ALIGN_PARAGRAPH
from docx.oxml import OxmlElement
from docx.oxml.ns import qn
from docx.shared import Pt, RGBColor

from northmoor.core.errors import OutputError
from northmoor.core.layout.flow.fragments import BodyBox
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import Layer
from northmoor.core.layout.inline.paragraph import Paragraph
from northmoor.core.layout.inline.rich_text import RichText
from northmoor.core.model.styles import ResolvedStyle
from northmoor.core.output.content.chart_figures import chart_words
from northmoor.core.output.content.drawn_texts import drawn_lines, line_look
from northmoor.core.output.content.list_items import list_items
from northmoor.core.output.content.nodes import (
    ChartNode,
    DrawnNode,
    Leaf,
    PageStart,
    TableNode,
    TextNode,
    leaves,
)
from northmoor.core.output.content.table_grid import GridPlace, grid_rows
from northmoor.core.output.content.table_rows import TableCell, TableContent, cell_text
from northmoor.core.output.layer_pictures import layers_png
from northmoor.core.output.output_document import OutputDocument, OutputFile

_MOST_ROWS = 20_000
"""Rows of a table that a document to edit can hold; word processors come to a stop with more."""
_NO_TIME = datetime(2000, 1, 1)
_ZIP_TIME = (1980, 1, 1, 0, 0, 0)
_ALIGN = {"start": WD_ALIGN_PARAGRAPH.LEFT, "center": WD_ALIGN_PARAGRAPH.CENTER, "end": WD_ALIGN_PARAGRAPH.RIGHT}
_FAMILIES = {"Sans": "Arial", "Serif": "Times New Roman", "Mono": "Courier New"}
_CONTROLS = dict.fromkeys(n for n in range(32) if n not in (9, 10))


def output_files(document: OutputDocument) -> list[OutputFile]:
    """The one file that the document is."""
    return [OutputFile(lambda target: write_word(document, target))]


def write_word(document: OutputDocument, target: BinaryIO) -> None:
    """Write a document to edit. Raises OutputError for one that is too long for that, and Cancelled."""
    writer = _Writer(document)
    for node in document.nodes():
        document.check_stop()
        if isinstance(node, PageStart):
            writer.word.add_page_break()
        else:
            for leaf in leaves(node):
                writer.leaf(leaf)
    held = io.BytesIO()
    writer.word.save(held)
    _without_clock(held, target)


class _Writer:
    """Adds what a document says to a document of python-docx."""

    def __init__(self, document: OutputDocument) -> None:
        self._document = document
        self.word: Any = docx.Document()
        self._set_up()

    def _set_up(self) -> None:
        """The page, the properties and the style of all texts."""
        page = self._document.composition.sections[0].page
        section = self.word.sections[0]
        section.orientation = WD_ORIENT.LANDSCAPE if page.orientation == "landscape" else WD_ORIENT.PORTRAIT
        section.page_width, section.page_height = (Pt(side / 1000) for side in page.paper)
        for side in ("left", "right", "top", "bottom"):
            setattr(section, f"{side}_margin", Pt(getattr(page, f"margin_{side}") / 1000))
        entries = self._document.metadata.entries
        made = entries.get("NorthmoorDataTime")
        properties = self.word.core_properties
        metadata = self._document.metadata
        properties.title, properties.author = metadata.title, metadata.author or "Northmoor"
        properties.subject, properties.keywords = metadata.subject[:255], metadata.keywords[:255]
        properties.comments = entries.get("NorthmoorValues", "")[:255]
        properties.language = self._document.metadata.language
        properties.created = properties.modified = datetime.fromisoformat(made) if made else _NO_TIME
        properties.last_modified_by, properties.revision = "Northmoor", 1
        base = self._document.composition.context.base
        normal = self.word.styles["Normal"]
        normal.font.name, normal.font.size = _family(base), Pt(base.size / 1000)
        normal.paragraph_format.space_after = Pt(2)

    def leaf(self, node: Leaf) -> None:
        """Add a thing."""
        if isinstance(node, TextNode):
            self._text(node)
        elif isinstance(node, TableNode):
            self._table(node)
        elif isinstance(node, ChartNode):
            fragment = node.fragment
            layers = fragment.lay_out(BodyBox(-fragment.left, -fragment.y, 0, 0)).layers
            self._picture(layers, fragment.width, fragment.height, chart_words(fragment.view))
        else:
            self._drawn(node)

    def _text(self, node: TextNode) -> None:
        block = node.fragment.block
        if isinstance(block, RichText) and block.marker != "none":
            style = "List Number" if block.marker == "number" else "List Bullet"
            for depth, runs in list_items(block.runs):
                paragraph = self.word.add_paragraph(style=style if not depth else f"{style} {min(depth + 1, 3)}")
                for run in runs:
                    _add_run(paragraph, run.text, run.look)
            return
        if not node.text.strip():
            return
        if node.role.kind in ("title", "heading"):
            level = 1 if node.role.kind == "title" else min(node.role.level + 1, 9)
            paragraph = self.word.add_heading(level=level)
        else:
            paragraph = self.word.add_paragraph(style="Caption" if node.role.kind == "caption" else None)
        pieces = [(block.text, block.look)] if isinstance(block, Paragraph) else [(r.text, r.look) for r in block.runs]
        for text, look in pieces:
            _add_run(paragraph, text, look)
        align = block.align if isinstance(block, Paragraph) else block.look.side or "start"
        paragraph.alignment = _ALIGN[align]

    def _table(self, node: TableNode) -> None:
        content = TableContent(node.layout)
        if node.end - node.start > _MOST_ROWS:
            raise OutputError(
                f"The table {node.name} has {node.end - node.start:,} rows, and a document to edit takes at most"
                f" {_MOST_ROWS:,}; deliver it as a spreadsheet, or as PDF."
            )
        head = list(grid_rows(content.head(), content.columns))
        body = list(grid_rows(content.rows(node.start, node.end), content.columns))
        if not head and not body:
            return
        made = self.word.add_table(rows=len(head) + len(body), cols=content.columns)
        made.alignment, made.autofit = WD_TABLE_ALIGNMENT.LEFT, False
        _narrow_margins(made)
        for column, (left, right) in zip(made.columns, pairwise(node.layout.edges), strict=True):
            column.width = Pt((right - left) / 1000)
        for at, ((_, places), line) in enumerate(zip([*head, *body], made._tbl.tr_lst, strict=True)):
            if at < len(head):
                _repeat(line)
            _fill_row(places, line, made)
        self.word.add_paragraph()

    def _drawn(self, node: DrawnNode) -> None:
        fragment = node.fragment
        if node.role.kind == "decoration":
            return
        layers = fragment.draw(Rect(0, 0, fragment.width, fragment.height))
        texts = drawn_lines(layers)
        if fragment.kind == "readout" and texts:
            for item in texts:
                _add_run(self.word.add_paragraph(), item.text or "", line_look(item))
        elif layers:
            self._picture(layers, fragment.width, fragment.height, fragment.words or "")

    def _picture(self, layers: tuple[Layer, ...], width: int, height: int, words: str) -> None:
        shape = self.word.add_picture(io.BytesIO(layers_png(layers, width, height)), width=Pt(width / 1000))
        shape._inline.docPr.set("descr", words)


def _fill_row(places: list[GridPlace[TableCell]], line: Any, table: Any) -> None:
    cells = line.tc_lst
    by_column = dict(enumerate(cells))
    for place in places:
        tc = by_column[place.column]
        if place.span > 1:
            tc.grid_span = place.span
            for covered in range(place.column + 1, place.column + place.span):
                line.remove(by_column[covered])
        if place.cell is None:
            continue
        cell = docx.table._Cell(tc, table)
        look = place.cell.look
        paragraph = cell.paragraphs[0]
        _add_run(paragraph, cell_text(place.cell), look)
        paragraph.alignment = _ALIGN[look.side or place.cell.kind.align]
        if place.cell.shift:
            paragraph.paragraph_format.left_indent = Pt(place.cell.shift / 1000)
        _box(tc, look)


def _narrow_margins(table: Any) -> None:
    """Leave as little room beside texts as there is on the pages, so that they have the same lines."""
    margins = OxmlElement("w:tblCellMar")
    for side in ("left", "right"):
        margin = OxmlElement(f"w:{side}")
        margin.set(qn("w:w"), "40")
        margin.set(qn("w:type"), "dxa")
        margins.append(margin)
    table._tbl.tblPr.append(margins)


def _repeat(line: Any) -> None:
    """Let a row be the head of its table on every page."""
    header = OxmlElement("w:tblHeader")
    header.set(qn("w:val"), "true")
    line.get_or_add_trPr().append(header)


def _box(tc: Any, look: ResolvedStyle) -> None:
    """The fill and the rules of a cell."""
    properties = tc.get_or_add_tcPr()
    rules = [
        ("top", look.rule_above),
        ("left", look.rule_left),
        ("bottom", look.rule_below),
        ("right", look.rule_right),
    ]
    if any(thickness for _, thickness in rules):
        borders = OxmlElement("w:tcBorders")
        for side, thickness in rules:
            if thickness:
                edge = OxmlElement(f"w:{side}")
                values = {"val": "single", "sz": str(max(round(thickness / 125), 2)), "color": look.rule_color[1:]}
                for name, value in values.items():
                    edge.set(qn(f"w:{name}"), value)
                borders.append(edge)
        properties.append(borders)
    if look.fill:
        shade = OxmlElement("w:shd")
        for name, value in {"val": "clear", "color": "auto", "fill": look.fill[1:]}.items():
            shade.set(qn(f"w:{name}"), value)
        properties.append(shade)


def _add_run(paragraph: Any, text: str, look: ResolvedStyle) -> None:
    if not text:
        return
    run = paragraph.add_run(text.translate(_CONTROLS))
    run.font.name, run.font.size = _family(look), Pt(look.size / 1000)
    run.font.bold, run.font.italic = look.bold, look.italic
    run.font.color.rgb = RGBColor.from_string(look.color[1:].upper())


def _family(look: ResolvedStyle) -> str:
    return next(name for end, name in _FAMILIES.items() if look.font.endswith(end))


def _without_clock(held: io.BytesIO, target: BinaryIO) -> None:
    """The same file with the time of its parts left out, so that it has the same bytes each time."""
    with zipfile.ZipFile(held) as source, zipfile.ZipFile(target, "w", zipfile.ZIP_DEFLATED) as made:
        names: Iterable[str] = source.namelist()
        for name in names:
            info = zipfile.ZipInfo(name, _ZIP_TIME)
            info.compress_type = zipfile.ZIP_DEFLATED
            made.writestr(info, source.read(name))
