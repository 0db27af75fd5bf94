"""Drawings in SVG, as paths that every output can place.

A file may come from a stranger: it is read without entities and without anything it refers to, what it repeats is
counted before it is drawn, and what cannot be drawn is left out and reported.
"""

import io
import math
import re
from collections.abc import Callable, Iterable, Iterator, Mapping
from typing import Any

import svgelements as svg
from lxml import etree

from northmoor.core.errors import LayoutError
from northmoor.core.layout.graphics.display_list import VectorPath, VectorPicture
from northmoor.core.layout.graphics.picture_exchange import digest_of
from northmoor.core.layout.graphics.svg_text import Outline, outline_spans, span_of, split_spans

MOST_SVG_BYTES = 5_000_000
MOST_SHAPES = 20_000
MOST_STEPS = 400_000
_MOST_SIGNS = 2 * MOST_SVG_BYTES
"""How long the description of all that is drawn may be, with what is repeated."""
_SIGNS_OF_LETTER = 200
_TOO_MANY_LINES = f"It draws more than {MOST_STEPS:,} lines; use a simpler one."
_MOST_TRANSFORMS = 50_000
"""How many transforms are read, each again for every shape in it: 20 µs each."""
_TOO_MANY_TRANSFORMS = f"It has more than {_MOST_TRANSFORMS:,} transforms around its shapes; use a simpler one."
_UNIT = 1000
"""Steps of a drawing's own unit."""
_FARTHEST = 1e6
_SPACE = "{http://www.w3.org/2000/svg}"
_HREFS = ("href", "{http://www.w3.org/1999/xlink}href")
_LEFT_OUT = {
    "image": "pictures in it", "textPath": "texts along a path", "foreignObject": "foreign objects",
    "filter": "filters", "mask": "masks", "clipPath": "clipping", "script": None, "animate": None,
    "animateTransform": None, "set": None,
}  # fmt: skip
_URL = re.compile(r"url\(\s*['\"]?#([^)'\"]+)['\"]?\s*\)")
_IMPORT = re.compile(r"@import[^;]*;?")
_TRANSFORM = re.compile(r"(?<![\w-])transform\s*:[^;}]*;?")
_CAPS = {"butt": 0, "round": 1, "square": 2}
_JOINS = {"miter": 0, "round": 1, "bevel": 2}


def read_svg(data: bytes) -> VectorPicture:
    """The drawing of an SVG file. Raises LayoutError."""
    if len(data) > MOST_SVG_BYTES:
        raise LayoutError(f"It is larger than {MOST_SVG_BYTES // 1_000_000} MB; use a smaller one.")
    root = _root(data)
    left_out = _cleaned(root)
    stretches = split_spans(root)
    by_id = {node.get("id", ""): node for node in root.iter()}
    if _total(root, lambda _: 1, by_id, {}) > MOST_SHAPES:
        raise LayoutError(f"It draws more than {MOST_SHAPES:,} shapes; use a simpler one.")
    _with_single_transforms(root, by_id)
    if _total(root, _signs, by_id, {}) > _MOST_SIGNS:
        raise LayoutError(_TOO_MANY_LINES)
    width, height = _sized(root)
    try:
        drawing = svg.SVG.parse(io.BytesIO(etree.tostring(root)), reify=True, ppi=72)
        texts = _texts(drawing.elements())
        outlines, missing = outline_spans(stretches, texts, left_out)
        paths = tuple(_paths(drawing.elements(), outlines))
    except (ValueError, TypeError, ArithmeticError, IndexError, AttributeError, KeyError, RecursionError) as error:
        raise LayoutError("It cannot be drawn; open it in a drawing program and save it again.") from error
    if sum(len(path.steps) for path in paths) > MOST_STEPS:
        raise LayoutError(_TOO_MANY_LINES)
    size = round(width * _UNIT), round(height * _UNIT)
    return VectorPicture(digest_of(data), size, paths, tuple(left_out), missing)


def _texts(elements: Iterable[Any]) -> dict[int, svg.Text]:
    """The elements of stretches of text, by their numbers."""
    return {number: e for e in elements if isinstance(e, svg.Text) and (number := span_of(e)) is not None}


def _paths(elements: Iterable[Any], outlines: Mapping[int, Outline]) -> Iterator[VectorPath]:
    """What shapes and texts draw, in their order."""
    for element in elements:
        path = None
        if isinstance(element, svg.Shape):
            path = _path(element)
        elif isinstance(element, svg.Text) and (number := span_of(element)) is not None:
            path = _text_path(element, outlines[number])
        if path is not None:
            yield path


def _text_path(text: svg.Text, outline: Outline) -> VectorPath | None:
    """A stretch of a text as a path; none where there is nothing to see."""
    fill, opacity = _color(text.fill)
    values = text.values
    if fill is None or not outline.steps or values.get("visibility") == "hidden" or values.get("display") == "none":
        return None
    place = text.transform.point_in_matrix_space
    steps = tuple(_points(*map(place, zip(step[::2], step[1::2], strict=True))) for step in outline.steps)
    shown = max(min(float(values.get("opacity") or 1) * opacity, 1.0), 0.0)
    return VectorPath(steps, fill, None, 0, (), 0, True, outline.starts, False, shown)


def _root(data: bytes) -> etree._Element:
    parser = etree.XMLParser(resolve_entities=False, no_network=True, load_dtd=False, huge_tree=False)
    try:
        tree = etree.parse(io.BytesIO(data), parser)
    except etree.XMLSyntaxError as error:
        raise LayoutError("It is no SVG that can be read; save it again.") from error
    root = tree.getroot()
    declared: Any = tree.docinfo.internalDTD
    if declared is not None and any(declared.iterentities()):
        raise LayoutError("It declares entities, which are not read; save it without them.")
    if etree.QName(root).localname != "svg":
        raise LayoutError("It is no SVG that can be read; save it again.")
    return root


def _cleaned(root: etree._Element) -> dict[str, None]:
    """Take out what is not drawn; what of that matters, in words."""
    left_out: dict[str, None] = {}
    colors = {node.get("id", ""): _mean_color(node) for node in root.iter() if _is_gradient(node)}
    for node in list(root.iter()):
        if not isinstance(node.tag, str):
            _remove(node)  # a comment, a processing instruction or an entity
            continue
        name = etree.QName(node).localname
        outside = name == "use" and not any((node.get(href) or "").startswith("#") for href in _HREFS)
        if name in _LEFT_OUT or outside:
            if (thing := _LEFT_OUT.get(name, "things from other files")) is not None:
                left_out[thing] = None
            _remove(node)
            continue
        for key, value in node.attrib.items():
            plain = _plain(str(value), colors, left_out)
            node.set(key, _unmoved(plain, left_out) if key == "style" else plain)
        if name == "style":
            node.text = _unmoved(_plain(_IMPORT.sub("", node.text or ""), colors, left_out), left_out)
    return left_out


def _unmoved(style: str, left_out: dict[str, None]) -> str:
    """Style properties without transforms, whose units are not those of attributes."""
    changed = _TRANSFORM.sub("", style)
    if changed != style:
        left_out["transforms in styles"] = None
    return changed


def _plain(text: str, colors: Mapping[str, str], left_out: dict[str, None]) -> str:
    """A property with a colour in place of each gradient."""
    changed = _URL.sub(lambda found: colors.get(found[1], "#808080"), text)
    if changed != text:
        left_out["gradients (one colour stands for each)"] = None
    return changed.replace("currentColor", "#000000")


def _remove(node: etree._Element) -> None:
    parent = node.getparent()
    if parent is not None:
        parent.remove(node)


def _is_gradient(node: etree._Element) -> bool:
    return isinstance(node.tag, str) and etree.QName(node).localname in ("linearGradient", "radialGradient")


def _mean_color(gradient: etree._Element) -> str:
    """The mean of a gradient's colours."""
    found = []
    for stop in gradient.iter(f"{_SPACE}stop"):
        style = dict(part.split(":", 1) for part in (stop.get("style") or "").split(";") if ":" in part)
        shown = svg.Color((stop.get("stop-color") or style.get("stop-color", "#808080")).strip())
        if shown.value is not None:
            found.append((shown.red, shown.green, shown.blue))
    if not found:
        return "#808080"
    return "#" + "".join(f"{sum(part) // len(found):02x}" for part in zip(*found, strict=True))


def _signs(node: etree._Element) -> int:
    """How long the description is of what a node draws itself; a letter is described by its outline."""
    letters = len(node.text or "") if node.tag == f"{_SPACE}text" else 0  # a style or a title is not drawn
    return len(node.get("d") or "") + len(node.get("points") or "") + _SIGNS_OF_LETTER * letters


def _total(
    node: etree._Element,
    own: Callable[[etree._Element], int],
    by_id: Mapping[str, etree._Element],
    known: dict[etree._Element, int | None],
) -> int:
    """A number added up for all elements drawn below a node, what it repeats included. Raises LayoutError for a
    circle."""
    if node in known:
        found = known[node]
        if found is None:
            raise LayoutError("It repeats itself without end; correct it in a drawing program.")
        return found
    known[node] = None
    total = own(node) + sum(_total(child, own, by_id, known) for child in node)
    for href in _HREFS:
        target = by_id.get((node.get(href) or "").removeprefix("#")) if node.tag == f"{_SPACE}use" else None
        if target is not None:
            total += _total(target, own, by_id, known)
            break
    known[node] = total = min(total, 10 * _MOST_SIGNS)
    return total


def _with_single_transforms(root: etree._Element, by_id: Mapping[str, etree._Element]) -> None:
    """Let each element have one matrix for its transforms: its parser reads those of all elements around a shape again
    for each shape. Raises LayoutError where even that would take long."""
    moved = [node for node in root.iter() if node.get("transform")]
    if sum(str(node.get("transform")).count("(") for node in moved) > _MOST_TRANSFORMS:
        raise LayoutError(_TOO_MANY_TRANSFORMS)
    for node in moved:
        try:
            m = svg.Matrix(node.get("transform"))
        except (ValueError, TypeError, ArithmeticError, IndexError, KeyError, AttributeError) as error:
            raise LayoutError("It has a transform that cannot be read; correct it in a drawing program.") from error
        node.set("transform", f"matrix({m.a!r},{m.b!r},{m.c!r},{m.d!r},{m.e!r},{m.f!r})")
    known: dict[etree._Element, int | None] = {}
    if sum(_total(node, lambda _: 1, by_id, known) for node in moved) > _MOST_TRANSFORMS:
        raise LayoutError(_TOO_MANY_TRANSFORMS)


def _sized(root: etree._Element) -> tuple[float, float]:
    """Width and height in the drawing's own units; the root is made to say just these."""
    box = [float(part) for part in re.findall(r"[-+]?\d*\.?\d+(?:[eE][-+]?\d+)?", root.get("viewBox") or "")]
    if len(box) == 4:
        width, height = box[2], box[3]
    else:
        width, height = (_length(root.get(name)) for name in ("width", "height"))
    if not (0 < width <= _FARTHEST and 0 < height <= _FARTHEST):
        raise LayoutError("It says no size; give it a width and a height.")
    root.set("width", str(width))
    root.set("height", str(height))
    root.attrib.pop("preserveAspectRatio", "")
    return width, height


def _length(text: str | None) -> float:
    try:
        return float(svg.Length(text or "0").value(ppi=72))
    except (ValueError, TypeError):
        return 0.0


def _path(shape: svg.Shape) -> VectorPath | None:
    """A shape as a path; none where there is nothing to see."""
    fill, fill_opacity = _color(shape.fill)
    stroke, stroke_opacity = _color(shape.stroke)
    values = shape.values
    drawn = svg.Path(shape)
    drawn.reify()  # rectangles and ellipses keep their transforms until they are paths
    thickness = round((drawn.stroke_width or 0) * _UNIT)
    if values.get("visibility") == "hidden" or values.get("display") == "none":
        return None
    steps, starts, closed = _steps(drawn)
    if len(steps) < 2 or (fill is None and (stroke is None or thickness <= 0)):
        return None
    dash = tuple(round(float(part) * _UNIT) for part in re.findall(r"[\d.]+", values.get("stroke-dasharray") or ""))
    opacity = float(values.get("opacity") or 1) * (fill_opacity if fill is not None else stroke_opacity)
    return VectorPath(
        steps, fill, stroke if thickness > 0 else None, max(thickness, 0), dash if any(dash) else (), 0, closed, starts,
        (values.get("fill-rule") or values.get("fill_rule")) == "evenodd", max(min(opacity, 1.0), 0.0),
        _CAPS.get(values.get("stroke-linecap") or "", 0), _JOINS.get(values.get("stroke-linejoin") or "", 0),
    )  # fmt: skip


def _color(shown: svg.Color | None) -> tuple[str | None, float]:
    if shown is None or shown.value is None:
        return None, 1.0
    return f"#{shown.red:02X}{shown.green:02X}{shown.blue:02X}", float(shown.opacity)


def _steps(path: svg.Path) -> tuple[tuple[tuple[int, ...], ...], tuple[int, ...], bool]:
    """A path's steps, where its parts begin, and whether it closes."""
    path.approximate_arcs_with_cubics()
    steps: list[tuple[int, ...]] = []
    starts: list[int] = []
    closed = False
    for piece in path:
        if isinstance(piece, svg.Move):
            starts.append(len(steps))
            steps.append(_points(piece.end))
        elif isinstance(piece, svg.Close):
            closed = True
            if piece.end is not None and steps[-1][-2:] != _points(piece.end):
                steps.append(_points(piece.end))
        elif isinstance(piece, svg.CubicBezier):
            steps.append(_points(piece.control1, piece.control2, piece.end))
        elif isinstance(piece, svg.QuadraticBezier):
            begin, control, end = piece.start, piece.control, piece.end
            steps.append(_points(begin + (control - begin) * (2 / 3), end + (control - end) * (2 / 3), end))
        elif piece.end is not None:
            steps.append(_points(piece.end))
    return tuple(steps), tuple(starts[1:]), closed


def _points(*points: svg.Point) -> tuple[int, ...]:
    return tuple(_whole(length) for point in points for length in _both(point))


def _both(point: svg.Point) -> Iterator[float]:
    yield point.x
    yield point.y


def _whole(length: float) -> int:
    if not math.isfinite(length) or abs(length) > 100 * _FARTHEST:
        raise ValueError(length)
    return round(length * _UNIT)
