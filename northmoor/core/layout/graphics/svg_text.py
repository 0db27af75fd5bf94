"""Texts of drawings, as the outlines of their glyphs in the shipped fonts.

The stretches of a text between the tags in it become elements of their own, so that styles and transforms are resolved
for each; where they are follows from those before them, as SVG 1.1 (10.5 and 10.9) has it.
"""

import re
from collections.abc import Iterator, Mapping, Sequence
from functools import lru_cache
from typing import Any

import svgelements as svg
import uharfbuzz as hb
from lxml import etree
from msgspec import Struct

from northmoor.core.errors import LayoutError
from northmoor.core.layout.text.fonts import font_file, open_font
from northmoor.core.layout.text.shaping import ShapedLine, shape

MOST_LETTERS = 20_000
_MARK = "data-stretch"
_PLACES = ("x", "y", "dx", "dy", "rotate", "textLength", "lengthAdjust")
_LENGTH = re.compile(r"([-+]?\d*\.?\d+(?:[eE][-+]?\d+)?)\s*(em|ex|[a-z%]*)")
_FAMILIES = {
    "ibmplexsans": "Plex Sans", "ibmplexserif": "Plex Serif", "ibmplexmono": "Plex Mono",
    "liberationsans": "Office Sans", "liberationserif": "Office Serif", "liberationmono": "Office Mono",
    "arial": "Office Sans",
    "helvetica": "Office Sans", "timesnewroman": "Office Serif", "times": "Office Serif", "couriernew": "Office Mono",
    "courier": "Office Mono", "sansserif": "Plex Sans", "serif": "Plex Serif", "monospace": "Plex Mono",
}  # fmt: skip
"""The shipped family for a family's name without spaces: itself, one of the same widths, or one of its sort."""
Segment = tuple[float, ...]
"""A place to go to (`begins` a part, or in a straight line), or two control points and a place."""


class TextSpan(Struct, frozen=True):
    """A stretch of the text of a number: where it is, where that is given, and how far it is moved on."""

    text: int
    source: str
    x: str | None
    y: str | None
    dx: str | None
    dy: str | None


class Outline(Struct, frozen=True):
    """The outline of a stretch, where it is before any transform: its steps, and at which its parts begin."""

    steps: tuple[Segment, ...]
    starts: tuple[int, ...]


def split_spans(root: etree._Element) -> list[TextSpan]:
    """Put each stretch of a drawing's texts into an element of its own. Raises LayoutError where they are too long."""
    found: list[TextSpan] = []
    texts = [node for node in root.iter() if _name(node) == "text"]
    for number, node in enumerate(texts):
        parent = node.getparent()
        if parent is None or any(_name(above) == "text" for above in node.iterancestors()):
            continue  # a text within a text is none
        first = len(found)
        group = _grouped(node, number, found, {"x": "0", "y": "0"})
        parent.replace(node, group)
        if len(found) > first:
            found[-1] = TextSpan(number, found[-1].source.rstrip(), *_places(found[-1]))
    if sum(len(stretch.source) for stretch in found) > MOST_LETTERS:
        raise LayoutError(f"Its texts have more than {MOST_LETTERS:,} letters; use a simpler one.")
    return found


def _name(node: etree._Element) -> str:
    return str(etree.QName(node).localname) if isinstance(node.tag, str) else ""


def _places(stretch: TextSpan) -> tuple[str | None, ...]:
    return stretch.x, stretch.y, stretch.dx, stretch.dy


def _grouped(node: etree._Element, number: int, found: list[TextSpan], waiting: dict[str, str]) -> etree._Element:
    """A group with the looks of a text, or of a stretch of one, and an element for each stretch in it. `waiting` is
    where the next stretch is."""
    space = node.tag.removesuffix(_name(node))
    group = etree.Element(f"{space}g")
    for key, value in node.attrib.items():
        if key not in _PLACES:
            group.set(key, value)
    waiting |= {key: str(node.get(key)) for key in _PLACES[:4] if node.get(key)}

    def add(said: str | None) -> None:
        text = re.sub(r"\s+", " ", said or "")
        if not found or found[-1].text != number or found[-1].source.endswith(" "):
            text = text.lstrip(" ")
        if text:
            leaf = etree.SubElement(group, f"{space}text", {_MARK: str(len(found))})
            leaf.text = text
            found.append(TextSpan(number, text, *(waiting.pop(key, None) for key in _PLACES[:4])))

    add(node.text)
    for child in node:
        if _name(child) in ("tspan", "a"):
            group.append(_grouped(child, number, found, waiting))
        add(child.tail)
    return group


def span_of(element: svg.Text) -> int | None:
    """The number of the stretch that an element is."""
    mark = element.values.get(_MARK)
    return int(mark) if mark is not None and mark.isdigit() else None


def outline_spans(
    stretches: Sequence[TextSpan], elements: Mapping[int, svg.Text], left_out: dict[str, None]
) -> tuple[dict[int, Outline], str]:
    """The outlines of stretches, by their numbers, and the characters that no font has; `left_out` gets what cannot be
    drawn as it is asked for."""
    found: dict[int, Outline] = {}
    missing: dict[str, None] = {}
    for anchored in _anchored(stretches, elements, left_out):
        wide = sum(_width(line, element) for _, element, line, _, _ in anchored)
        shift = {"middle": -wide / 2, "end": -wide}.get(anchored[0][1].anchor, 0.0)
        for number, element, line, x, y in anchored:
            found[number] = _outline(line, element, x + shift, y)
            missing |= dict.fromkeys(line.missing)
    return found, "".join(missing)


PlacedSpan = tuple[int, svg.Text, ShapedLine, float, float]
"""A stretch's number, its element, its glyphs, and where it begins but for its anchor."""


def _anchored(
    stretches: Sequence[TextSpan], elements: Mapping[int, svg.Text], left_out: dict[str, None]
) -> Iterator[list[PlacedSpan]]:
    """The stretches that are moved by their anchor together: those up to the next one that says where it is."""
    own: list[PlacedSpan] = []
    x = y = 0.0
    for number, stretch in enumerate(stretches):
        element = elements.get(number)
        if element is None:
            continue  # it is hidden
        if own and (stretch.x is not None or stretch.y is not None):
            yield own
            own = []
        size = float(element.font_size)
        x = (x if stretch.x is None else _length(stretch.x, size)) + _length(stretch.dx, size)
        y = (y if stretch.y is None else _length(stretch.y, size)) + _length(stretch.dy, size)
        line = shape(stretch.source, _file(element, left_out))
        own.append((number, element, line, x, y))
        x += _width(line, element)
    if own:
        yield own


def _length(text: str | None, size: float) -> float:
    """The first length of a list, in the drawing's own units."""
    found = _LENGTH.match((text or "").strip())
    if found is None:
        return 0.0
    unit = {"em": size, "ex": size / 2}.get(found[2])
    return float(found[1]) * unit if unit is not None else float(svg.Length("".join(found.groups())).value(ppi=72))


def _file(element: svg.Text, left_out: dict[str, None]) -> str:
    """The shipped font nearest to the one that is asked for."""
    asked = [name.strip(" '\"") for name in (element.font_family or "sans-serif").split(",")]
    known = [_FAMILIES.get(re.sub(r"[^a-z]", "", name.lower())) for name in asked]
    if known[0] is None:
        left_out[f"the font {asked[0][:40]} (another one stands for it)"] = None
    values = element.values
    weight, style = str(values.get("font-weight") or ""), str(values.get("font-style") or "")
    is_bold = weight.startswith("bold") or (weight.isdigit() and int(weight) >= 600)
    return font_file(next((name for name in known if name), "Plex Sans"), is_bold, style in ("italic", "oblique"))


def _width(line: ShapedLine, element: svg.Text) -> float:
    return sum(float(run.width * element.font_size / open_font(run.font).upem) for run in line.runs)


def _outline(line: ShapedLine, element: svg.Text, x: float, y: float) -> Outline:
    """The outlines of a line's glyphs from a place on."""
    steps: list[Segment] = []
    starts: list[int] = []
    for run in line.runs:
        scale = float(element.font_size) / open_font(run.font).upem
        for glyph, advance, (right, up) in zip(run.ids, run.advances, run.offsets, strict=True):
            for begins, segment in glyph_outline(run.font, glyph):
                if begins:
                    starts.append(len(steps))
                pairs = zip(segment[::2], segment[1::2], strict=True)
                points = [(x + (right + a) * scale, y - (up + b) * scale) for a, b in pairs]
                steps.append(tuple(length for point in points for length in point))
            x += advance * scale
    return Outline(tuple(steps), tuple(starts[1:]))


@lru_cache(maxsize=4096)
def glyph_outline(file: str, glyph: int) -> tuple[tuple[bool, Segment], ...]:
    """A glyph's outline in font units: for each segment, whether it begins a part, and its points."""
    found: list[tuple[bool, Segment]] = []
    draw: Any = hb.DrawFuncs()
    draw.set_move_to_func(lambda x, y, _: found.append((True, (x, y))))
    draw.set_line_to_func(lambda x, y, _: found.append((False, (x, y))))
    draw.set_cubic_to_func(lambda a, b, c, d, x, y, _: found.append((False, (a, b, c, d, x, y))))

    def quadratic(a: float, b: float, x: float, y: float, _: object) -> None:
        begin_x, begin_y = found[-1][1][-2:]
        first = (begin_x + (a - begin_x) * 2 / 3, begin_y + (b - begin_y) * 2 / 3)
        found.append((False, (*first, x + (a - x) * 2 / 3, y + (b - y) * 2 / 3, x, y)))

    draw.set_quadratic_to_func(quadratic)
    open_font(file).hb.draw_glyph(glyph, draw, None)
    return tuple(found)
