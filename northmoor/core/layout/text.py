"""Shaping: texts to positioned glyphs, each distinct text of a font once, by HarfBuzz.

Most cells of a report are numbers. Their characters are known to have no kerning and no ligatures in a font (checked
pair by pair when the font is first used), so whole columns of them become glyphs by one table look-up.
"""

from collections.abc import Iterable, Sequence
from dataclasses import dataclass
from functools import lru_cache
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt
import uharfbuzz as hb

from northmoor.core.layout.fonts import Font, fallback_file, open_font

Width = TypeVar("Width", int, npt.NDArray[np.int64])
_PLAIN = "0123456789.,-−–+ \u00a0\u202f€$£%():/'’"
_FEATURES = {"tnum": True, "calt": False, "liga": False}
"""Tabular figures; no ligatures or contextual forms, which would turn business texts such as -> into other signs."""
_VARIATION = {0xFE0E, 0xFE0F, 0x200B, 0x200C, 0x200D, 0x2060, 0xFEFF, 0xAD}


@dataclass(frozen=True, slots=True)
class Glyphs:
    """A run of one font: glyph ids and, in font units, each one's advance and offsets. `in_place` when every glyph
    stands at its own advance, `says_itself` when the glyphs alone tell the text."""

    font: str
    ids: tuple[int, ...]
    advances: tuple[int, ...]
    offsets: tuple[tuple[int, int], ...]
    text: str
    in_place: bool
    says_itself: bool

    @property
    def width(self) -> int:
        """The sum of the advances, in font units."""
        return sum(self.advances)


@dataclass(frozen=True, slots=True)
class Line:
    """One shaped line: its text and its runs (more than one where a font lacks characters); `missing` ones have no
    glyph
    in any font."""

    text: str
    runs: tuple[Glyphs, ...]
    missing: str = ""


class Shaper:
    """All lines of one font that a document needs, each with a number.

    `widths` are in font units scaled to 1/1,000,000 em, so that lines of several fonts have one unit.
    """

    def __init__(self, file: str) -> None:
        self.font = open_font(file)
        self.texts: list[str] = []
        self._numbers: dict[str, int] = {}
        self._widths = np.zeros(1024, np.int64)
        self._lines: dict[int, Line] = {}
        self.empty = int(self.add([""])[0])

    def __len__(self) -> int:
        return len(self.texts)

    def add(self, texts: Sequence[str]) -> npt.NDArray[np.int32]:
        """The number of each text's line."""
        known = self._numbers
        new = [text for text in dict.fromkeys(texts) if text not in known]
        if new:
            first = len(self.texts)
            known.update(zip(new, range(first, first + len(new)), strict=True))
            self.texts.extend(new)
            self._measure(new, first)
        return np.fromiter((known[text] for text in texts), np.int32, len(texts))

    def widths(self, lines: npt.NDArray[np.integer[Any]], size: int) -> npt.NDArray[np.int64]:
        """Widths of lines at a font size, in millipoints."""
        found: npt.NDArray[np.int64] = (self._widths[lines] * size + 500_000) // 1_000_000
        return found

    def line(self, number: int) -> Line:
        """The shaped line of a number."""
        found = self._lines.get(number)
        if found is None:
            found = self._lines[number] = shape(self.texts[number], self.font.file)
        return found

    def missing(self, numbers: Iterable[int]) -> str:
        """Characters of some lines that no font has, each once."""
        lines = (self._lines[n] for n in numbers if n in self._lines)
        return "".join(dict.fromkeys(c for line in lines for c in line.missing))

    def is_plain(self, number: int) -> bool:
        """Whether a line consists of plain characters only."""
        return number not in self._lines

    def _measure(self, texts: list[str], first: int) -> None:
        while first + len(texts) > len(self._widths):
            self._widths = np.concatenate([self._widths, np.zeros_like(self._widths)])
        table = plain_advances(self.font.file)
        lengths = np.fromiter(map(len, texts), np.int64, len(texts))
        points = np.frombuffer("".join(texts).encode("utf-32-le"), np.uint32)
        advances = table[np.minimum(points, len(table) - 1)]
        sums = np.concatenate([[0], np.cumsum(advances)])
        ends = np.cumsum(lengths)
        is_plain = _all_plain(advances, ends, lengths)
        widths = sums[ends] - sums[ends - lengths]
        self._widths[first : first + len(texts)] = scaled_width(widths, self.font.upem)
        for at in np.flatnonzero(~is_plain):
            line = shape(texts[at], self.font.file)
            self._lines[first + int(at)] = line
            self._widths[first + int(at)] = line_width(line)


def _all_plain(
    advances: npt.NDArray[np.int64], ends: npt.NDArray[np.int64], lengths: npt.NDArray[np.int64]
) -> npt.NDArray[np.bool_]:
    bad = np.concatenate([[0], np.cumsum(advances < 0)])
    result: npt.NDArray[np.bool_] = bad[ends] == bad[ends - lengths]
    return result


def scaled_width(width: Width, upem: int) -> Width:
    """A width (or an array of them) in font units as 1/1,000,000 em, rounded to the nearest."""
    return (width * 1_000_000 + upem // 2) // upem


def line_width(line: Line) -> int:
    """Width of a line in 1/1,000,000 em."""
    return sum(scaled_width(run.width, open_font(run.font).upem) for run in line.runs)


@lru_cache(maxsize=64)
def plain_glyphs(file: str) -> dict[str, int]:
    """The plain characters of a font and their glyphs."""
    return {char: ids[0] for char, (ids, _) in _plain(file).items()}


@lru_cache(maxsize=64)
def plain_advances(file: str) -> npt.NDArray[np.int64]:
    """Advance by code point in font units; −1 for a character that is not plain."""
    table = np.full(max(map(ord, _PLAIN)) + 2, -1, np.int64)
    for char, (_, advance) in _plain(file).items():
        table[ord(char)] = advance
    return table


@lru_cache(maxsize=64)
def _plain(file: str) -> dict[str, tuple[list[int], int]]:
    """Characters of which every pair is shaped as the two stand alone."""
    font = open_font(file)
    alone = {c: shaped for c in _PLAIN if ord(c) in font.characters and (shaped := _alone(font, c))}
    kept: dict[str, tuple[list[int], int]] = {}
    for char, (ids, advance) in alone.items():
        if all(
            _raw(font, a + b) == (alone[a][0] + alone[b][0], alone[a][1] + alone[b][1])
            for other in [*kept, char]
            for a, b in ((char, other), (other, char))
        ):
            kept[char] = (ids, advance)
    return kept


def _alone(font: Font, char: str) -> tuple[list[int], int] | None:
    ids, advance = _raw(font, char)
    return (ids, advance) if len(ids) == 1 and ids[0] and font.advance(ids[0]) == advance else None


def _raw(font: Font, text: str) -> tuple[list[int], int]:
    infos, positions = _shape(font, text)
    offset = any(p.x_offset or p.y_offset for p in positions)
    return ([i.codepoint for i in infos], sum(p.x_advance for p in positions)) if not offset else ([], 0)


def _shape(font: Font, text: str) -> tuple[list[hb.GlyphInfo], list[hb.GlyphPosition]]:
    buffer = hb.Buffer()
    buffer.add_str(text)
    buffer.guess_segment_properties()
    hb.shape(font.hb, buffer, _FEATURES)
    return buffer.glyph_infos, buffer.glyph_positions


def shape(text: str, file: str) -> Line:
    """Shape one line; characters the font lacks come from the fallback font."""
    text = text.replace("\t", "    ")
    runs, missing = [], []
    for segment, segment_file in _segments(text, file):
        font = open_font(segment_file)
        runs.append(_run(segment, font))
        missing += [c for c in segment if ord(c) not in font.characters and ord(c) not in _VARIATION]
    return Line(text, tuple(runs), "".join(dict.fromkeys(missing)))


def _segments(text: str, file: str) -> list[tuple[str, str]]:
    own, other = open_font(file).characters, fallback_file(file)
    spare = open_font(other).characters
    segments: list[tuple[str, str]] = []
    for char in text:
        point = ord(char)
        wanted = file if point in own or point not in spare else other
        if segments and (segments[-1][1] == wanted or point in _VARIATION):
            segments[-1] = (segments[-1][0] + char, segments[-1][1])
        else:
            segments.append((char, wanted))
    return segments


def _run(text: str, font: Font) -> Glyphs:
    infos, positions = _shape(font, text)
    ids = tuple(info.codepoint for info in infos)
    advances = tuple(p.x_advance for p in positions)
    offsets = tuple((p.x_offset, p.y_offset) for p in positions)
    shown, own = shown_characters(font.file), font.advances
    says_itself = "".join([shown.get(g, "") for g in ids]) == text
    in_place = not any(map(any, offsets)) and advances == tuple([own[g] for g in ids])
    return Glyphs(font.file, ids, advances, offsets, text, in_place, says_itself)


@lru_cache(maxsize=64)
def shown_characters(file: str) -> dict[int, str]:
    """The character each glyph shows, tabular figures included."""
    font = open_font(file)
    shown = dict(font.unicode_of_glyph)
    for char in map(chr, range(0x20, 0x7F)):
        infos, _ = _shape(font, char)
        if len(infos) == 1 and infos[0].codepoint:
            shown.setdefault(infos[0].codepoint, char)
    return shown
