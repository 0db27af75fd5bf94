"""Charts, pictures, codes and readouts of a web page: drawings with their words, charts with their figures."""

import base64

from northmoor.core.layout.flow.fragments import BodyBox
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import Item, Layer, Links, Texts
from northmoor.core.layout.table.layout import TableLayout
from northmoor.core.output.content.chart_figures import ChartFigures, chart_figures, chart_words
from northmoor.core.output.content.drawn_texts import cell_layers, drawn_lines, line_look
from northmoor.core.output.content.nodes import ChartNode, DrawnNode
from northmoor.core.output.content.table_rows import TableCell, cell_text
from northmoor.core.output.html.looks import text_css
from northmoor.core.output.html.page_parts import PageParts, as_attribute, as_html
from northmoor.core.output.layer_pictures import layers_png
from northmoor.core.output.svg.drawing import SvgDrawing, svg_document, svg_points


def chart_html(node: ChartNode, parts: PageParts) -> str:
    """A chart with what it shows in words, and its figures."""
    fragment = node.fragment
    layers = fragment.lay_out(BodyBox(-fragment.left, -fragment.y, 0, 0)).layers
    words = chart_words(fragment.view)
    drawn = _drawing(layers, fragment.width, fragment.height, words, parts)
    figures = chart_figures(fragment.view)
    table = _figures(figures) if figures is not None and parts.is_interactive else ""
    return f"<figure{parts.place(fragment.name)}>{drawn}{table}</figure>"


def drawn_html(node: DrawnNode, parts: PageParts) -> str:
    """A picture, code, readout, rule or shape."""
    fragment = node.fragment
    if fragment.kind == "rule":
        return "<hr>"
    layers = fragment.draw(Rect(0, 0, fragment.width, fragment.height))
    texts = drawn_lines(layers)
    if fragment.kind == "readout" and texts:
        rest = tuple(layer for layer in layers if not isinstance(layer, Texts | Links))
        below = _drawing(rest, fragment.width, fragment.height, "", parts) if rest else ""
        lines = "".join(_line(item, parts) for item in texts)
        trend = f'<span class="trend">{below}</span>' if below and parts.is_interactive else ""
        return f"<div{parts.looks.of('', 'readout')}>{lines}{trend}</div>"
    if not layers:
        return ""
    words = fragment.words or " ".join(item.text or "" for item in texts)
    drawn = _drawing(layers, fragment.width, fragment.height, words, parts)
    return f"<div{parts.place(fragment.name)}{parts.looks.of('', 'drawn')}>{parts.linked(fragment.link, drawn)}</div>"


def cell_drawing(cell: TableCell, row: int, table: TableLayout, parts: PageParts) -> str:
    """What a cell of a printed row draws in place of a text; nothing where it draws nothing."""
    if not parts.is_interactive:
        return ""
    layers, area = cell_layers(cell, row, table)
    return _drawing(layers, area.width, area.height, cell_text(cell), parts) if layers else ""


def _drawing(layers: tuple[Layer, ...], width: int, height: int, words: str, parts: PageParts) -> str:
    """Layers as a drawing with words in its place, or one that is not spoken of where there are none."""
    if not parts.is_interactive:
        return _mail_picture(layers, width, height, words)
    drawing = SvgDrawing(prefix=parts.drawing_prefix())
    inner = drawing.elements(layers)
    parts.use_all(drawing.used)
    spoken = f' role="img" aria-label="{as_attribute(words)}"' if words else ' aria-hidden="true"'
    return svg_document(inner, width, height, "", f'{spoken} style="max-width:100%;height:auto"')


def _mail_picture(layers: tuple[Layer, ...], width: int, height: int, words: str) -> str:
    """The same as pixels, since mails show no drawings."""
    address = f"data:image/png;base64,{base64.b64encode(layers_png(layers, width, height)).decode()}"
    return f'<img src="{address}" alt="{as_attribute(words)}" style="width:{svg_points(width)}pt;max-width:100%">'


def _line(item: Item, parts: PageParts) -> str:
    """A line that is drawn, as a paragraph in its face."""
    look = line_look(item)
    parts.use(look, item.text or "")
    return f"<p{parts.looks.of(text_css(look))}>{as_html(item.text or '')}</p>"


def _figures(figures: ChartFigures) -> str:
    """The figures of a chart as a table that opens."""
    head = "".join(f'<th scope="col">{as_html(title)}</th>' if title else "<td></td>" for title in figures.titles)
    rows = "".join(
        f'<tr><th scope="row">{as_html(row[0] or "–")}</th>'
        + "".join(f"<td>{as_html(text)}</td>" for text in row[1:])
        + "</tr>"
        for row in figures.rows
    )
    table = f"<table><thead><tr>{head}</tr></thead><tbody>{rows}</tbody></table>"
    return f'<details class="figures"><summary>Figures</summary>{table}</details>'
