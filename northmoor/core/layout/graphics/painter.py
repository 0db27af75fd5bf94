"""A pen: what a chart draws, one thing after another, gathered into layers of the display list."""

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property
from itertools import groupby
from typing import Any

import numpy as np
from msgspec import Struct

from northmoor.core.layout.context import Shapers
from northmoor.core.layout.geometry import Rect
from northmoor.core.layout.graphics.display_list import (
    Boxes,
    Layer,
    Links,
    Paths,
    SourceRef,
    SourceRefList,
    TextFace,
    Texts,
    TurnedTexts,
    VectorPath,
)
from northmoor.core.layout.text.fonts import font_file
from northmoor.core.layout.text.line_breaking import truncate, wrap
from northmoor.core.layout.text.shaping import Shaper
from northmoor.core.model.styles import ResolvedStyle


@dataclass(frozen=True, eq=False)
class TextStyle:
    """How texts are written: their face, and how much room they take."""

    face: TextFace
    shaper: Shaper

    @cached_property
    def leading(self) -> int:
        """Distance between baselines."""
        return self.shaper.font.leading(self.face.size)

    @cached_property
    def ascent(self) -> int:
        """Distance from the top of a line to its baseline."""
        return self.shaper.font.ascent(self.face.size)

    def width(self, text: str) -> int:
        """Width of a line."""
        return self.shaper.width(text, self.face.size)

    def wrapped(self, text: str, width: int) -> tuple[str, ...]:
        """A text's lines within a width."""
        return wrap(text, self.shaper, self.face.size, max(width, 1000)).lines

    def cut(self, text: str, width: int) -> str:
        """A text in one line within a width, with an ellipsis for what is left out."""
        return truncate(text, self.shaper, self.face.size, width)

    def in_color(self, color: str) -> "TextStyle":
        """The same in another colour."""
        return TextStyle(TextFace(self.face.font, self.face.size, color), self.shaper)


def text_style(look: ResolvedStyle, shapers: Shapers) -> TextStyle:
    """How texts of a look are written."""
    file = font_file(look.font, look.bold, look.italic)
    return TextStyle(TextFace(file, look.size, look.color), shapers.of(file))


class _Box(Struct, frozen=True):
    area: Rect
    color: str
    kind: str
    origin: SourceRef


class _Path(Struct, frozen=True):
    path: VectorPath
    origin: SourceRef


class _Text(Struct, frozen=True):
    x: int
    y: int
    text: str
    style: TextStyle
    origin: SourceRef


class _Turned(Struct, frozen=True):
    x: int
    y: int
    text: str
    style: TextStyle
    origin: SourceRef


class DisplayListBuilder:
    """Draws on a page. Lengths are millipoints from the page's top left corner."""

    def __init__(self) -> None:
        self._drawn: list[_Box | _Path | _Text | _Turned] = []
        self._links: list[tuple[Rect, str, SourceRef]] = []

    def box(self, area: Rect, color: str, origin: SourceRef, kind: str = "fill", hatch: int = 0) -> None:
        """A filled rectangle; a thin one is a rule."""
        if area.width <= 0 or area.height <= 0:
            return
        if hatch:
            right, bottom = area.x + area.width, area.y + area.height
            corners = ((area.x, area.y), (right, area.y), (right, bottom), (area.x, bottom))
            self.path(VectorPath(corners, fill=color, hatch=hatch, closed=True), origin)
        else:
            self._drawn.append(_Box(area, color, kind, origin))

    def path(self, path: VectorPath, origin: SourceRef) -> None:
        """A line or a shape."""
        if len(path.steps) > 1:
            self._drawn.append(_Path(path, origin))

    def text(self, x: int, y: int, text: str, style: TextStyle, origin: SourceRef) -> None:
        """A line of text with its left edge and its top."""
        if text:
            self._drawn.append(_Text(x, y, text, style, origin))

    def turned(self, x: int, y: int, text: str, style: TextStyle, origin: SourceRef) -> None:
        """A line of text that reads upward: its left edge and its lower end."""
        if text:
            self._drawn.append(_Turned(x, y, text, style, origin))

    def link(self, area: Rect, target: str, origin: SourceRef) -> None:
        """A rectangle that opens an address."""
        self._links.append((area, target, origin))

    def layers(self) -> tuple[Layer, ...]:
        """What has been drawn, in that order."""
        layers: list[Layer] = []
        for kind, group in groupby(self._drawn, key=lambda each: (type(each), getattr(each, "kind", None))):
            layers.append(_LAYERS[kind[0]](list(group)))
        if self._links:
            x, y, width, height = np.array([(a.x, a.y, a.width, a.height) for a, _, _ in self._links], np.int64).T
            targets = tuple(target for _, target, _ in self._links)
            layers.append(
                Links(x, y, width, height, targets, SourceRefList(tuple(origin for _, _, origin in self._links)))
            )
        return tuple(layers)


def _boxes(drawn: Sequence[_Box]) -> Boxes:
    x, y, width, height = np.array([(d.area.x, d.area.y, d.area.width, d.area.height) for d in drawn], np.int64).T
    return Boxes(drawn[0].kind, x, y, width, height, tuple(d.color for d in drawn), _origins(drawn))


def _paths(drawn: Sequence[_Path]) -> Paths:
    x, y, width, height = np.array([d.path.box for d in drawn], np.int64).T
    return Paths(x, y, width, height, tuple(d.path for d in drawn), _origins(drawn))


def _texts(drawn: Sequence[_Text]) -> Texts:
    faces = {d.style.face: d.style for d in drawn}
    number = {face: at for at, face in enumerate(faces)}
    x, y, face = np.array([(d.x, d.y, number[d.style.face]) for d in drawn], np.int64).T
    baseline, width, lines = (np.empty_like(x) for _ in range(3))
    for at, style in enumerate(faces.values()):
        own = np.flatnonzero(face == at)
        numbers = style.shaper.add([drawn[each].text for each in own.tolist()])
        lines[own], width[own], baseline[own] = (
            numbers,
            style.shaper.widths(numbers, style.face.size),
            y[own] + style.ascent,
        )
    shapers = tuple(style.shaper for style in faces.values())
    return Texts(x, y, baseline, width, face, lines, tuple(faces), shapers, _origins(drawn))


def _turned(drawn: Sequence[_Turned]) -> TurnedTexts:
    lengths = [d.style.width(d.text) for d in drawn]
    boxes = [(d.x, d.y - length, d.style.leading, length) for d, length in zip(drawn, lengths, strict=True)]
    x, y, width, height = np.array(boxes, np.int64).T
    begins = tuple((d.x + d.style.ascent, d.y) for d in drawn)
    lines = tuple(int(d.style.shaper.add([d.text])[0]) for d in drawn)
    angles = (90,) * len(drawn)
    faces, shapers = tuple(d.style.face for d in drawn), tuple(d.style.shaper for d in drawn)
    return TurnedTexts(x, y, width, height, begins, angles, lines, faces, shapers, _origins(drawn))


def _origins(drawn: Sequence[_Box | _Path | _Text | _Turned]) -> SourceRefList:
    return SourceRefList(tuple(d.origin for d in drawn))


_LAYERS: Mapping[type, Callable[[list[Any]], Layer]] = {_Box: _boxes, _Path: _paths, _Text: _texts, _Turned: _turned}
