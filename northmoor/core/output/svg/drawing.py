"""Layers of the display list as elements of SVG (1.1): exact to the millipoint, texts as texts or as outlines."""

import base64
import io
import zlib
from collections.abc import Iterable, Iterator
from xml.sax.saxutils import escape, quoteattr

from msgspec import Struct, field
from PIL import Image

from northmoor.core.layout.graphics.display_list import (
    AnyPicture,
    Boxes,
    Layer,
    Links,
    Paths,
    Picture,
    Pictures,
    TextFace,
    Texts,
    TurnedTexts,
    VectorPath,
)
from northmoor.core.layout.graphics.hatching import hatch_lines
from northmoor.core.layout.graphics.svg_text import glyph_outline
from northmoor.core.layout.text.fonts import open_font
from northmoor.core.layout.text.shaping import Shaper
from northmoor.core.output.svg.web_fonts import family_of

_HATCH_THICKNESS = 0.7
_FEATURES = 'font-feature-settings:"tnum","liga" 0,"clig" 0,"calt" 0;white-space:pre'
_JOINS = ("miter", "round", "bevel")
_CAPS = ("butt", "round", "square")
_XML_CONTROLS = dict.fromkeys(n for n in range(32) if n not in (9, 10, 13))


class SvgDrawing(Struct):
    """Draws layers, and remembers the characters that it uses of each font. `prefix` begins the names of its parts,
    which must differ within one document."""

    as_outlines: bool = False
    prefix: str = "c"
    used: dict[str, set[str]] = field(default_factory=dict)
    _clips: int = 0

    def elements(self, layers: Iterable[Layer], with_links: bool = True) -> str:
        """What layers draw, in order."""
        return "".join(part for layer in layers for part in self._layer(layer, with_links))

    def _layer(self, layer: Layer, with_links: bool) -> Iterator[str]:
        if isinstance(layer, Texts):
            yield from self._texts(layer)
        elif isinstance(layer, TurnedTexts):
            yield from self._turned(layer)
        elif isinstance(layer, Boxes):
            yield from _boxes(layer)
        elif isinstance(layer, Paths):
            yield from (self.path(path) for path in layer.paths)
        elif isinstance(layer, Pictures):
            yield from self._pictures(layer)
        elif with_links:
            yield from _links(layer)

    def _texts(self, layer: Texts) -> Iterator[str]:
        columns = (each.tolist() for each in (layer.x, layer.baseline, layer.width, layer.face, layer.line))
        for x, y, width, face, line in zip(*columns, strict=True):
            yield self._text(layer.faces[face], layer.shapers[face], line, x, y, width, "")

    def _turned(self, layer: TurnedTexts) -> Iterator[str]:
        parts = zip(layer.begins, layer.angles, layer.line, layer.faces, layer.shapers, strict=True)
        for (x, y), angle, line, face, shaper in parts:
            turn = f' transform="rotate({-angle} {svg_points(x)} {svg_points(y)})"'
            yield self._text(face, shaper, line, x, y, None, turn)

    def _text(self, face: TextFace, shaper: Shaper, line: int, x: int, y: int, width: int | None, more: str) -> str:
        text = shaper.text(line)
        if not text.strip():
            return ""
        if self.as_outlines:
            return f'<path fill="{face.color}" d="{_outlines(shaper, line, face.size, x, y)}"{more}/>'
        self.used.setdefault(face.font, set()).update(text)
        length = f' textLength="{svg_points(width)}" lengthAdjust="spacingAndGlyphs"' if width else ""
        return (
            f'<text x="{svg_points(x)}" y="{svg_points(y)}" font-family={quoteattr(family_of(face.font))}'
            f' font-size="{svg_points(face.size)}" fill="{face.color}"{length}{more}>{as_xml(text)}</text>'
        )

    def path(self, path: VectorPath) -> str:
        """A line or shape, with its hatching."""
        steps = path_data(path.steps, path.starts, path.closed)
        own = [f'fill="{path.fill or "none"}"']
        if path.even_odd:
            own.append('fill-rule="evenodd"')
        if path.stroke is not None:
            cap = path.cap if path.cap is not None else 0 if path.dash else 1
            own.append(f'stroke="{path.stroke}" stroke-width="{svg_points(path.thickness)}"')
            own.append(f'stroke-linejoin="{_JOINS[path.join]}" stroke-linecap="{_CAPS[cap]}"')
            if path.dash:
                own.append(f'stroke-dasharray="{" ".join(map(svg_points, path.dash))}"')
        if path.opacity < 1:
            own.append(f'opacity="{path.opacity:.4g}"')
        drawn = f'<path d="{steps}" {" ".join(own)}/>'
        return drawn + self._hatching(path, steps) if path.hatch else drawn

    def _hatching(self, path: VectorPath, steps: str) -> str:
        lines = "".join(path_data(line) for line in hatch_lines(path.hatch, path.box))
        clip = self._clip(f'<path d="{steps}"/>')
        how = f'clip-path="url(#{clip[0]})" stroke="#FFFFFF" stroke-width="{_HATCH_THICKNESS}"'
        return f'{clip[1]}<path d="{lines}" {how}/>'

    def _clip(self, shape: str) -> tuple[str, str]:
        """The name of a new clip, and what defines it."""
        self._clips += 1
        name = f"{self.prefix}{self._clips}"
        return name, f'<clipPath id="{name}">{shape}</clipPath>'

    def _pictures(self, layer: Pictures) -> Iterator[str]:
        boxes = zip(layer.x.tolist(), layer.y.tolist(), layer.width.tolist(), layer.height.tolist(), strict=True)
        for seen, whole, picture in zip(boxes, layer.wholes or (None,) * len(layer), layer.pictures, strict=True):
            drawn = self.picture(picture, whole or seen)
            if whole is not None:
                name, defined = self._clip(f"<rect {_box_attributes(*seen)}/>")
                drawn = f'{defined}<g clip-path="url(#{name})">{drawn}</g>'
            yield drawn

    def picture(self, picture: AnyPicture, box: tuple[int, int, int, int]) -> str:
        """A picture in a rectangle (left, top, width, height)."""
        x, y, width, height = box
        if isinstance(picture, Picture):
            address = picture_address(picture)
            return (
                f'<image {_box_attributes(*box)} preserveAspectRatio="none" href="{address}" xlink:href="{address}"/>'
            )
        across, down = picture.pixels
        inner = "".join(self.path(path) for path in picture.paths)
        moved = f"translate({svg_points(x)} {svg_points(y)}) scale({width / across:.8g} {height / down:.8g})"
        return f'<g transform="{moved}">{inner}</g>'


def svg_document(inner: str, width: int, height: int, style: str = "", more: str = "") -> str:
    """A whole SVG of a size in millipoints."""
    styles = f"<style>{style}</style>" if style else ""
    across, down = svg_points(width), svg_points(height)
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="{across}pt"'
        f' height="{down}pt" viewBox="0 0 {across} {down}"{more}>{styles}'
        f"<g style='{_FEATURES}'>{inner}</g></svg>"
    )


def svg_points(length: float) -> str:
    """A length in millipoints as svg_points."""
    return f"{length / 1000:.3f}".rstrip("0").rstrip(".") if length % 1000 else str(int(length // 1000))


def as_xml(text: str) -> str:
    """A text as it is written in XML, without the controls that XML cannot hold."""
    return escape(text.translate(_XML_CONTROLS))


def path_data(steps: Iterable[tuple[float, ...]], starts: tuple[int, ...] = (), closed: bool = False) -> str:
    """A path's steps as SVG writes them; `starts` are those at which further parts begin."""
    found: list[str] = []
    for number, step in enumerate(steps):
        if number == 0 or number in starts:
            found.append(("Z" if number and closed else "") + "M" + " ".join(map(svg_points, step)))
        else:
            found.append(("L" if len(step) == 2 else "C") + " ".join(map(svg_points, step)))
    return "".join(found) + "Z" * closed


def picture_address(picture: Picture) -> str:
    """A picture as an address that holds all of it."""
    if picture.is_jpeg:
        return f"data:image/jpeg;base64,{base64.b64encode(picture.data).decode()}"
    return f"data:image/png;base64,{base64.b64encode(png_of(picture)).decode()}"


def png_of(picture: Picture) -> bytes:
    """A picture's pixels as a PNG file."""
    made = Image.frombytes("L" if picture.gray else "RGB", picture.pixels, zlib.decompress(picture.data))
    if picture.alpha is not None:
        made.putalpha(Image.frombytes("L", picture.pixels, zlib.decompress(picture.alpha)))
    target = io.BytesIO()
    made.save(target, "PNG")
    return target.getvalue()


def _box_attributes(x: int, y: int, width: int, height: int) -> str:
    return f'x="{svg_points(x)}" y="{svg_points(y)}" width="{svg_points(width)}" height="{svg_points(height)}"'


def _boxes(layer: Boxes) -> Iterator[str]:
    columns = (each.tolist() for each in (layer.x, layer.y, layer.width, layer.height))
    for *box, color in zip(*columns, layer.color, strict=True):
        yield f'<rect {_box_attributes(*box)} fill="{color}"/>'


def _links(layer: Links) -> Iterator[str]:
    columns = (each.tolist() for each in (layer.x, layer.y, layer.width, layer.height))
    for *box, target in zip(*columns, layer.targets, strict=True):
        if target.startswith(("http://", "https://", "mailto:")):
            yield f'<a href={quoteattr(target)}><rect {_box_attributes(*box)} fill="#000000" fill-opacity="0"/></a>'


def _outlines(shaper: Shaper, line: int, size: int, x: float, y: float) -> str:
    """The outlines of a line's glyphs as a path."""
    found = []
    for run in shaper.line(line).runs:
        scale = size / open_font(run.font).upem
        for glyph, advance, (right, up) in zip(run.ids, run.advances, run.offsets, strict=True):
            for begins, segment in glyph_outline(run.font, glyph):
                ends = zip(segment[::2], segment[1::2], strict=True)
                moved = [n for a, b in ends for n in (x + (right + a) * scale, y - (up + b) * scale)]
                letter = "M" if begins else "L" if len(segment) == 2 else "C"
                found.append(letter + " ".join(f"{n / 1000:.3f}" for n in moved))
            x += advance * scale
    return "".join(found)
