"""A document as one web page: no script, no address outside of it, fonts and drawings in it.

It is read on a phone and by a screen reader as well as on a desk, and it prints with the report's own breaks. What is
written of it is kept in a file until its head is known: which looks, fonts and headings it has.
"""

import shutil
import tempfile
from collections.abc import Iterator
from html import escape
from typing import BinaryIO

from northmoor.core.output.content.nodes import ChartNode, ContentNode, DrawnNode, PageStart, SideBySide, TextNode
from northmoor.core.output.html.drawn_parts import chart_html, drawn_html
from northmoor.core.output.html.grouped_tables import table_html
from northmoor.core.output.html.looks import Looks
from northmoor.core.output.html.page_parts import PageParts, as_html
from northmoor.core.output.html.prose import text_html
from northmoor.core.output.output_document import OutputDocument, OutputFile
from northmoor.core.output.svg.drawing import svg_points
from northmoor.core.output.svg.web_fonts import font_faces

_FEWEST_HEADINGS = 3
"""A page with fewer has no contents."""
_STYLE = """
:root{color-scheme:light}body{margin:0;background:#FFF;color:#1F1B16;
font-feature-settings:"tnum","liga" 0,"clig" 0,"calt" 0;font-variant-numeric:tabular-nums}
main,header,nav,footer{max-width:%(width)s;margin:0 auto;padding:0 16px}header{padding-top:24px}
main{padding-top:16px;padding-bottom:32px}p,h1,h2,h3,h4,h5,h6,ul,ol,figure{margin:0}h1,h2,h3,h4,h5,h6{break-after:avoid}p{white-space:pre-line}
ul,ol{padding-left:1.4em!important}nav{margin:12px auto}nav ol{font:13px system-ui,sans-serif}nav a{color:inherit}
hr{border:0;border-top:.5pt solid #8B8378;margin:4px 0}a{color:#1D6A72}
.table{overflow-x:auto;margin:6px 0}.folding{margin-left:-14px;padding-left:14px}
.table:focus-visible{outline:2px solid #1D6A72;outline-offset:2px}
table{border-collapse:collapse;table-layout:fixed}td,th{vertical-align:top;font-weight:inherit;text-align:left}
table.later thead{position:absolute;width:1px;height:1px;overflow:hidden;clip-path:inset(50%%)}
details>summary{cursor:pointer;list-style:none;position:relative}details>summary::-webkit-details-marker{display:none}
details.group>summary{padding-left:0}details.group>summary::before{content:"";position:absolute;left:-11px;top:.5em;
border:4px solid transparent;border-left:5px solid #1D6A72}details.group[open]>summary::before{top:.65em;left:-13px;
border:4px solid transparent;border-top:5px solid #1D6A72}summary:focus-visible{outline:2px solid #1D6A72}
.heading{display:grid}.figures{font:12px system-ui,sans-serif;margin:4px 0}.figures summary{color:#1D6A72}
.figures td,.figures th{padding:2px 8px 2px 0}.figures td{text-align:right}
.columns{display:flex;flex-wrap:wrap;gap:16px;margin:8px 0}.columns>div{min-width:0}
.facts{font:12px system-ui,sans-serif;color:#6F675D;padding-bottom:24px}
.trend svg{display:block}
@media(max-width:640px){.columns>div{flex:1 1 100%%!important}}
@media print{@page{size:%(paper)s;margin:%(margins)s}main,header,nav,footer{max-width:none;padding:0}nav{display:none}
.break,.page{break-before:page}.table{overflow:visible}tr,figure{break-inside:avoid}thead{display:table-header-group}
.figures,.group>summary::before{display:none}}
"""


def output_files(document: OutputDocument) -> list[OutputFile]:
    """The one file that the page is."""
    return [OutputFile(lambda target: write_html(document, target))]


def write_html(document: OutputDocument, target: BinaryIO) -> None:
    """Write a document as a web page, or as the text of a mail. Raises Cancelled."""
    parts = PageParts(document, Looks(inline=not document.options.interactive))
    with tempfile.TemporaryFile() as body:
        for piece in _body(document.nodes(), parts):
            body.write(piece.encode())
        body.seek(0)
        target.write(_head(parts).encode())
        shutil.copyfileobj(body, target)
        target.write(_end(parts).encode())


def _head(parts: PageParts) -> str:
    document = parts.document
    metadata = document.metadata
    begin = (
        f'<!DOCTYPE html>\n<html lang="{escape(metadata.language)}">\n<head>\n<meta charset="utf-8">\n'
        '<meta name="viewport" content="width=device-width,initial-scale=1">\n'
        f"<title>{as_html(metadata.title) or 'Report'}</title>\n"
    )
    named = {"author": metadata.author, "description": metadata.subject, "keywords": metadata.keywords}
    begin += "".join(f'<meta name="{name}" content="{escape(text)}">\n' for name, text in named.items() if text)
    if parts.is_interactive:
        page = document.composition.sections[0].page
        width, height = page.paper
        margins = (page.margin_top, page.margin_right, page.margin_bottom, page.margin_left)
        style = _STYLE % {
            "width": f"{svg_points(document.composition.frame.width)}pt",
            "paper": f"{svg_points(width)}pt {svg_points(height)}pt",
            "margins": " ".join(f"{svg_points(margin)}pt" for margin in margins),
        }
        begin += f"<style>{font_faces(parts.used)}{style}{parts.looks.rules()}</style>\n"
    has_title = document.block is not None or any(level == 1 for level, _, _ in parts.headings)
    look = "font:bold 20px system-ui,sans-serif"
    title = "" if has_title else f'<header><h1 style="{look}">{as_html(metadata.title)}</h1></header>\n'
    return f"{begin}</head>\n<body>\n{title}{_contents(parts)}<main>\n"


def _contents(parts: PageParts) -> str:
    """The headings as links."""
    listed = [heading for heading in parts.headings if heading[0] > 1]
    if not parts.is_interactive or len(listed) < _FEWEST_HEADINGS:
        return ""
    top = min(level for level, _, _ in listed)
    items = "".join(
        f'<li style="margin-left:{(level - top) * 1.2:g}em"><a href="#{name}">{as_html(text)}</a></li>'
        for level, name, text in listed
    )
    return f'<nav aria-label="Contents"><details open><summary>Contents</summary><ol>{items}</ol></details></nav>\n'


def _end(parts: PageParts) -> str:
    """What the page was made with."""
    entries = parts.document.metadata.entries
    facts = [entries.get("NorthmoorValues", ""), entries.get("NorthmoorDataTime", "").replace("T", " ")]
    shown = " · ".join(as_html(fact) for fact in facts if fact)
    footer = f'<footer class="facts"><p>{shown}</p></footer>' if shown and parts.is_interactive else ""
    return f"\n</main>\n{footer}</body>\n</html>\n"


def _body(nodes: Iterator[ContentNode], parts: PageParts) -> Iterator[str]:
    for node in nodes:
        parts.document.check_stop()
        yield from _node(node, parts)


def _node(node: ContentNode, parts: PageParts) -> Iterator[str]:
    if isinstance(node, PageStart):
        yield '<div class="page"></div>' if parts.is_interactive else ""
    elif isinstance(node, SideBySide):
        yield from _columns(node, parts)
    elif isinstance(node, TextNode):
        yield text_html(node, parts) + "\n"
    elif isinstance(node, ChartNode):
        yield chart_html(node, parts) + "\n"
    elif isinstance(node, DrawnNode):
        yield drawn_html(node, parts) + "\n"
    else:
        yield from table_html(node, parts)
        yield "\n"


def _columns(node: SideBySide, parts: PageParts) -> Iterator[str]:
    """Columns beside one another, which go one below the other where there is little room; in a mail, a table."""
    whole = sum(node.widths)
    yield '<div class="columns">' if parts.is_interactive else '<table role="presentation"><tr>'
    for column, width in zip(node.columns, node.widths, strict=True):
        if parts.is_interactive:
            yield f'<div style="flex:{width / whole:.4f} 1 {svg_points(min(width, 180_000))}pt">'
        else:
            yield f'<td style="vertical-align:top;padding-right:12pt;width:{100 * width / whole:.1f}%">'
        for inner in column:
            yield from _node(inner, parts)
        yield "</div>" if parts.is_interactive else "</td>"
    yield "</div>" if parts.is_interactive else "</tr></table>"
