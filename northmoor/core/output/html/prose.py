"""Headings, paragraphs and lists of a web page."""

from collections.abc import Sequence

from northmoor.core.layout.flow.fragments import TextFragment
from northmoor.core.layout.inline.paragraph import Paragraph
from northmoor.core.layout.inline.rich_text import InlineRun, RichText
from northmoor.core.model.styles import ResolvedStyle
from northmoor.core.output.content.block_roles import DEEPEST_HEADING
from northmoor.core.output.content.list_items import list_items
from northmoor.core.output.content.nodes import TextNode
from northmoor.core.output.html.looks import box_css, text_css
from northmoor.core.output.html.page_parts import PageParts, as_html


def text_html(node: TextNode, parts: PageParts) -> str:
    """A heading, a paragraph, a caption or a list."""
    fragment = node.fragment
    block = fragment.block
    place = parts.place(fragment.name)
    if isinstance(block, RichText) and block.marker != "none":
        return _list(block, fragment, place, parts)
    inner = parts.linked(fragment.link, _inner(block, fragment, parts))
    if not inner:
        return ""
    align = block.align if isinstance(block, Paragraph) else None
    css = f"{text_css(block.look, align)};{box_css(block.look)}"
    if node.role.kind in ("title", "heading"):
        return _heading(node, inner, css, parts)
    return f"<p{place}{parts.looks.of(css)}>{inner}</p>"


def _heading(node: TextNode, inner: str, css: str, parts: PageParts) -> str:
    level = 1 if node.role.kind == "title" else min(node.role.level + 1, DEEPEST_HEADING)
    name = f"heading-{len(parts.headings) + 1}"
    parts.headings.append((level, name, " ".join(node.text.split())))
    return f'<h{level} id="{name}"{parts.looks.of(css)}>{inner}</h{level}>'


def _inner(block: Paragraph | RichText, fragment: TextFragment, parts: PageParts) -> str:
    if isinstance(block, Paragraph):
        parts.use(block.look, block.text)
        return as_html(block.text)
    return "".join(_run(run, block.look, fragment, parts) for run in block.runs)


def _run(run: InlineRun, look: ResolvedStyle, fragment: TextFragment, parts: PageParts) -> str:
    """A stretch of a text; tabs are wide spaces."""
    parts.use(run.look, run.text)
    inner = as_html(run.text).replace("\t", "&emsp;")
    if run.link and run.link != fragment.link:
        inner = parts.linked(run.link, inner)
    return inner if run.look == look or not inner else f"<span{parts.looks.of(text_css(run.look))}>{inner}</span>"


def _list(block: RichText, fragment: TextFragment, place: str, parts: PageParts) -> str:
    """A list, with lists of its deeper items in it."""
    tag = "ol" if block.marker == "number" else "ul"
    items = [
        (depth, "".join(_run(run, block.look, fragment, parts) for run in runs))
        for depth, runs in list_items(block.runs)
    ]
    attributes = parts.looks.of(f"{text_css(block.look)};{box_css(block.look)}", "list")
    return f"<{tag}{place}{attributes}>{_items(items, tag)}</{tag}>"


def _items(items: Sequence[tuple[int, str]], tag: str) -> str:
    """The items of a list, each with the deeper ones after it as a list of its own."""
    found, at = [], 0
    while at < len(items):
        depth, inner = items[at]
        end = next((n for n in range(at + 1, len(items)) if items[n][0] <= depth), len(items))
        deeper = f"<{tag}>{_items(items[at + 1 : end], tag)}</{tag}>" if end > at + 1 else ""
        found.append(f"<li>{inner}{deeper}</li>")
        at = end
    return "".join(found)
