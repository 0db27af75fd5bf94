"""The display list: all that outputs know of a page.

A page is a sequence of layers in painting order. A layer holds many items of one kind as parallel arrays, since a page
of a table has hundreds and a report thousands of pages; `items` makes single objects where a person or a test looks.
Lengths are millipoints, y grows downward from the page's top.
"""

from collections.abc import Iterator
from itertools import chain
from typing import Any, Protocol

from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.layout.text.shaping import Shaper

PAGES_PER_BATCH = 192
"""Pages that are made, and written, at a time where all are wanted."""


class SourceRef(Struct, frozen=True):
    """Where an item comes from.

    `row` is head, heading, detail, total, or the block's own kind; `level` names a heading's or total's level; `keys`
    are the values of the open levels, outermost first; `ordinal` counts detail rows from 0; `number` tells rows of one
    kind apart, and the lines of a detail row.
    """

    block: str
    row: str
    level: str | None = None
    keys: tuple[Any, ...] = ()
    ordinal: int | None = None
    column: str | None = None
    number: int = 0
    across: tuple[Any, ...] = ()
    """In a matrix, the keys of the open column levels."""


class SourceRefs(Protocol):
    """Tells the origin of each item of a layer."""

    def origin(self, item: int) -> SourceRef:
        """The origin of an item."""


class SharedSourceRef(Struct, frozen=True):
    """All items of a layer have the same origin."""

    of_all: SourceRef

    def origin(self, item: int) -> SourceRef:  # noqa: ARG002  # the protocol's
        """The origin of an item."""
        return self.of_all


class SourceRefList(Struct, frozen=True):
    """Every item of a layer has an origin of its own."""

    of_each: tuple[SourceRef, ...]

    def origin(self, item: int) -> SourceRef:
        """The origin of an item."""
        return self.of_each[item]


class TextFace(Struct, frozen=True):
    """Font file, size in millipoints and colour of a text."""

    font: str
    size: int
    color: str


class Texts(Struct, frozen=True, eq=False):
    """Lines of text, in reading order: left edge, top, baseline and width of each; `face` indexes `faces`, `line`
    is the
    number of the line in its face's shaper."""

    x: Ints
    y: Ints
    baseline: Ints
    width: Ints
    face: Ints
    line: Ints
    faces: tuple[TextFace, ...]
    shapers: tuple[Shaper, ...]
    origins: SourceRefs

    def __len__(self) -> int:
        return len(self.x)


class Boxes(Struct, frozen=True, eq=False):
    """Filled rectangles: fills behind text, and rules (thin ones)."""

    kind: str
    x: Ints
    y: Ints
    width: Ints
    height: Ints
    color: tuple[str, ...]
    origins: SourceRefs

    def __len__(self) -> int:
        return len(self.x)


class Picture(Struct, frozen=True):
    """An encoded picture's pixels: `digest` identifies them; `data` is JPEG, or zlib-packed RGB with `alpha` if any."""

    digest: str
    pixels: tuple[int, int]
    is_jpeg: bool
    data: bytes
    alpha: bytes | None = None
    gray: bool = False


class VectorPicture(Struct, frozen=True):
    """A drawing: `pixels` are its width and height in units of its own, which its paths are in; `left_out` says what of
    it is not drawn, and `missing` are the characters of its texts that no font has."""

    digest: str
    pixels: tuple[int, int]
    paths: tuple["VectorPath", ...]
    left_out: tuple[str, ...] = ()
    missing: str = ""


AnyPicture = Picture | VectorPicture


class Pictures(Struct, frozen=True, eq=False):
    """Pictures with their places: what is seen of each, and where all of it would lie (left, top, width, height) if
    that is more."""

    x: Ints
    y: Ints
    width: Ints
    height: Ints
    pictures: tuple[AnyPicture, ...]
    origins: SourceRefs
    wholes: tuple[tuple[int, int, int, int] | None, ...] = ()

    def __len__(self) -> int:
        return len(self.x)


class VectorPath(Struct, frozen=True):
    """A line from point to point: a step is the next point (x, y), or a cubic curve to it by two control points (x1,
    y1, x2, y2, x, y). It is filled, drawn with a stroke, or both; `hatch` is the number of its hatching, if any."""

    steps: tuple[tuple[int, ...], ...]
    fill: str | None = None
    stroke: str | None = None
    thickness: int = 0
    dash: tuple[int, ...] = ()
    hatch: int = 0
    closed: bool = False
    starts: tuple[int, ...] = ()
    """The numbers of steps at which further parts of it begin."""
    even_odd: bool = False
    """Whether what lies in an even number of parts is outside of it."""
    opacity: float = 1.0
    """How opaque it is, from 0 to 1; in drawings only."""
    cap: int | None = None
    """How strokes end: 0 at the point, 1 round, 2 square (ISO 32000-1, 8.4.3.3); none for round, and dashes at the
    point."""
    join: int = 1
    """How strokes meet: 0 pointed, 1 round, 2 cut off."""

    @property
    def points(self) -> tuple[tuple[int, int], ...]:
        """The points it goes through, without those that only bend it."""
        return tuple((step[-2], step[-1]) for step in self.steps)

    @property
    def box(self) -> tuple[int, int, int, int]:
        """The rectangle around all its points: left, top, width, height."""
        numbers = list(chain.from_iterable(self.steps))
        xs, ys = numbers[::2], numbers[1::2]
        left, top = min(xs), min(ys)
        return left, top, max(xs) - left, max(ys) - top


class Paths(Struct, frozen=True, eq=False):
    """Lines and shapes: the rectangle around each, and its path."""

    x: Ints
    y: Ints
    width: Ints
    height: Ints
    paths: tuple[VectorPath, ...]
    origins: SourceRefs

    def __len__(self) -> int:
        return len(self.x)


class Links(Struct, frozen=True, eq=False):
    """Rectangles that open an address (see `model.links`) when they are clicked."""

    x: Ints
    y: Ints
    width: Ints
    height: Ints
    targets: tuple[str, ...]
    origins: SourceRefs

    def __len__(self) -> int:
        return len(self.x)


class TurnedTexts(Struct, frozen=True, eq=False):
    """Lines of text at an angle: the rectangle around each, where its baseline begins (x, y), its angle in degrees
    counterclockwise (90 reads upward, 270 downward), and the number of the line in its face's shaper."""

    x: Ints
    y: Ints
    width: Ints
    height: Ints
    begins: tuple[tuple[int, int], ...]
    angles: tuple[int, ...]
    line: tuple[int, ...]
    faces: tuple[TextFace, ...]
    shapers: tuple[Shaper, ...]
    origins: SourceRefs

    def __len__(self) -> int:
        return len(self.x)


Layer = Texts | Boxes | Pictures | Paths | Links | TurnedTexts


class Bookmark(Struct, frozen=True):
    """An entry of the document's outline: `depth` from 0, `y` the place on its page."""

    title: str
    depth: int
    y: int


class Anchor(Struct, frozen=True):
    """A name by which links lead to a place: `y` on its page."""

    name: str
    y: int


class PaintedFragment(Struct, frozen=True, eq=False):
    """What a part of a page draws, and its entries of the outline."""

    layers: tuple[Layer, ...] = ()
    bookmarks: tuple[Bookmark, ...] = ()


class PagePart(Struct, frozen=True, eq=False):
    """What a part of a page's body is (see `flow.fragments`), and the layers that it draws: from `first` up to `end`.
    Layers that are in none are furniture of the page."""

    fragment: Any
    first: int
    end: int


class Page(Struct, frozen=True, eq=False):
    """A finished page; `number` counts from 1 through the document."""

    number: int
    width: int
    height: int
    layers: tuple[Layer, ...]
    bookmarks: tuple[Bookmark, ...] = ()
    anchors: tuple[Anchor, ...] = ()
    parts: tuple[PagePart, ...] = ()


class Item(Struct, frozen=True):
    """One placed thing, for the dump, for hit-testing and for tests. `face` and `baseline` are set for texts only."""

    kind: str
    x: int
    y: int
    width: int
    height: int
    origin: SourceRef
    color: str | None = None
    text: str | None = None
    face: TextFace | None = None
    baseline: int | None = None
    path: VectorPath | None = None
    target: str | None = None
    turn: str | None = None


def items(page: Page) -> Iterator[Item]:
    """Every item of a page, in painting order."""
    for layer in page.layers:
        yield from layer_items(layer)


def layer_items(layer: Layer) -> Iterator[Item]:
    """Every item of a layer."""
    for i in range(len(layer)):
        yield layer_item(layer, i)


def layer_item(layer: Layer, number: int) -> Item:
    """One item of a layer."""
    x, y, width = int(layer.x[number]), int(layer.y[number]), int(layer.width[number])
    origin = layer.origins.origin(number)
    if isinstance(layer, Texts):
        face = layer.faces[layer.face[number]]
        shaper = layer.shapers[layer.face[number]]
        text = shaper.text(int(layer.line[number]))
        height = shaper.font.leading(face.size)
        return Item("text", x, y, width, height, origin, face.color, text, face, int(layer.baseline[number]))
    height = int(layer.height[number])
    if isinstance(layer, Boxes):
        return Item(layer.kind, x, y, width, height, origin, layer.color[number])
    if isinstance(layer, TurnedTexts):
        text = layer.shapers[number].text(layer.line[number])
        angle = layer.angles[number]
        turn = {90: "up", 270: "down"}.get(angle, str(angle))
        face = layer.faces[number]
        return Item("text", x, y, width, height, origin, face.color, text, face, turn=turn)
    if isinstance(layer, Paths):
        path = layer.paths[number]
        kind = "path" if path.fill is None else "shape"
        return Item(kind, x, y, width, height, origin, path.fill or path.stroke, path=path)
    if isinstance(layer, Links):
        return Item("link", x, y, width, height, origin, target=layer.targets[number])
    return Item("picture", x, y, width, height, origin)
