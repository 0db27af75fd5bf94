"""Shaping: texts to positioned glyphs, each distinct text of a font once, by HarfBuzz, and only when it is drawn.

Widths are looked up for whole columns before.
"""

from bisect import bisect_right
from collections.abc import Sequence
from functools import lru_cache
from typing import Any, TypeVar

import numpy as np
import numpy.typing as npt
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.expr.lazy_texts import LazyTexts
from northmoor.core.layout.text.advances import advance_table
from northmoor.core.layout.text.fonts import IGNORED, Font, fallback_file, open_font
from northmoor.core.layout.text.harfbuzz import shape_text

Width = TypeVar("Width", int, Ints)
_Known = TypeVar("_Known", Ints, npt.NDArray[np.uint8])
_SIMPLE, _ALONE, _BROKEN, _PENDING, _SINGLE = 1, 2, 4, 8, 16
"""What is known of a line: see `alphabet.Measured`; broken ones have line breaks of their own, pending ones are not
written yet, single ones are of a column, and likely to be in one place only."""
_WRITTEN = 4096
"""Texts of a column that are written at a time."""
_MOST_WRITTEN = 128
_FEW = 5000
"""Columns of at most so many distinct texts share their lines with others."""


class Glyphs(Struct, frozen=True):
    """A run of one font: glyph ids and, in font units, each one's advance and offsets. `in_place` when every glyph
    is at its own advance, `says_itself` when the glyphs alone tell the text."""

    font: str
    ids: tuple[int, ...]
    advances: tuple[int, ...]
    offsets: tuple[tuple[int, int], ...]
    text: str
    in_place: bool
    is_own_text: bool

    @property
    def width(self) -> int:
        """The sum of the advances, in font units."""
        return sum(self.advances)


class ShapedLine(Struct, frozen=True):
    """One shaped line: its text and its runs (more than one where a font lacks characters); `missing` ones have no
    glyph
    in any font."""

    text: str
    runs: tuple[Glyphs, ...]
    missing: str = ""


class Shaper:
    """All lines of one font that a document needs, each with a number.

    `widths` are in font units scaled to 1/1,000,000 em, so that lines of several fonts have one unit. Columns of many
    distinct texts are kept as they are, and their lines are shaped only when they are drawn.
    """

    def __init__(self, file: str) -> None:
        self.font = open_font(file)
        self._alphabet = advance_table(file)
        self._texts: dict[int, str] = {}
        self._firsts: list[int] = []
        self._columns: list[pa.StringArray | LazyTexts] = []
        self._has_later = False
        self._written: dict[tuple[int, int], pa.StringArray] = {}
        self._numbers: dict[str, int] = {}
        self._size = 0
        self._widths = np.zeros(1024, np.int64)
        self._flags = np.zeros(1024, np.uint8)
        self._lines: dict[int, ShapedLine] = {}
        self.empty = int(self.add([""])[0])

    def __len__(self) -> int:
        return self._size

    def text(self, number: int) -> str:
        """The text of a line."""
        found = self._texts.get(number)
        return found if found is not None else self._text_of_column(number)

    def _text_of_column(self, number: int) -> str:
        at = bisect_right(self._firsts, number) - 1
        place, within = divmod(number - self._firsts[at], _WRITTEN)
        return str(self._stretch(at, place)[within].as_py())

    def _stretch(self, column: int, place: int) -> pa.StringArray:
        """Some thousand texts of a column, written."""
        found = self._written.pop((column, place), None)
        if found is None:
            found = self._columns[column].slice(place * _WRITTEN, _WRITTEN)
            if len(self._written) >= _MOST_WRITTEN:
                del self._written[next(iter(self._written))]
        self._written[column, place] = found
        return found

    def texts(self, numbers: npt.NDArray[np.integer[Any]]) -> pa.StringArray:
        """The texts of lines that are single ones of columns."""
        columns = np.searchsorted(self._firsts, numbers, side="right") - 1
        places, within = np.divmod(numbers - np.array(self._firsts)[columns], _WRITTEN)
        stretches = columns * (len(self._widths) // _WRITTEN + 1) + places
        parts, order = [], []
        for stretch in np.unique(stretches).tolist():
            at = np.flatnonzero(stretches == stretch)
            parts.append(self._stretch(int(columns[at[0]]), int(places[at[0]])).take(pa.array(within[at])))
            order.append(at)
        whole = pa.concat_arrays(parts) if parts else pa.array([], pa.string())
        return whole.take(pa.array(np.argsort(np.concatenate(order)))) if len(parts) > 1 else whole

    def add(self, texts: Sequence[str]) -> npt.NDArray[np.int32]:
        """The number of each text's line."""
        known = self._numbers
        new = [text for text in dict.fromkeys(texts) if text not in known]
        if new:
            numbers = range(self._size, self._size + len(new))
            known.update(zip(new, numbers, strict=True))
            self._texts.update(zip(numbers, new, strict=True))
            self._measure(pa.array(new, pa.string()))
        return np.fromiter((known[text] for text in texts), np.int32, len(texts))

    def add_column(
        self, texts: pa.StringArray | pa.DictionaryArray
    ) -> tuple[npt.NDArray[np.int32], npt.NDArray[np.int32]]:
        """The number of each text's line, for texts of which many may be distinct; and the distinct numbers."""
        encoded = texts if isinstance(texts, pa.DictionaryArray) else texts.dictionary_encode()
        places: npt.NDArray[np.int32] = encoded.indices.to_numpy().astype(np.int32)
        if not len(texts):
            return places, places
        if len(encoded.dictionary) <= _FEW:
            numbers = self.add(encoded.dictionary.to_pylist())
            return numbers[places], np.unique(numbers)
        numbers = self._column(encoded.dictionary)
        self._measure(encoded.dictionary)
        return numbers[places], numbers

    def add_deferred(self, texts: LazyTexts) -> tuple[npt.NDArray[np.int32], npt.NDArray[np.int32]] | None:
        """The number of each text's line, for texts that are written when they are looked at, and the numbers of lines
        among which is the widest; None where the font's digits are not all as wide."""
        samples = texts.samples.to_pylist()
        if not self._alphabet.is_even(set("".join(samples))):
            return None
        self._has_later = True
        numbers = self._column(texts)
        self._flags[numbers] |= _PENDING
        self._size += len(numbers)
        if texts.values.null_count:
            numbers[texts.values.is_null().to_numpy(zero_copy_only=False)] = self.empty
        return numbers, self.add(samples)

    def _column(self, texts: pa.StringArray | LazyTexts) -> npt.NDArray[np.int32]:
        """Keep a column's distinct texts as they are; their lines' numbers."""
        self._firsts.append(self._size)
        self._columns.append(texts)
        end = self._size + len(texts)
        self._make_room(end)
        self._flags[self._size : end] = _SINGLE
        return np.arange(self._size, end, dtype=np.int32)

    def _measure_pending(self, lines: npt.NDArray[np.integer[Any]]) -> None:
        """Write and measure those of some lines that have not been, with others near them."""
        pending = lines[self._flags[lines] & _PENDING != 0]
        while len(pending):
            at = bisect_right(self._firsts, int(pending[0])) - 1
            place = (int(pending[0]) - self._firsts[at]) // _WRITTEN
            self._measured(self._stretch(at, place), self._firsts[at] + place * _WRITTEN)
            pending = pending[self._flags[pending] & _PENDING != 0]

    def widths(self, lines: npt.NDArray[np.integer[Any]], size: int) -> Ints:
        """Widths of lines at a font size, in millipoints."""
        if self._has_later:
            self._measure_pending(lines)
        found: Ints = (self._widths[lines] * size + 500_000) // 1_000_000
        return found

    def width(self, text: str, size: int) -> int:
        """Width of one text at a font size, in millipoints."""
        number = self._numbers.get(text)
        if number is None:
            number = int(self.add([text])[0])
        return (int(self._widths[number]) * size + 500_000) // 1_000_000

    def segments(self, text: str, size: int) -> "Segments | None":
        """The widths of all pieces of a text at a font size; none for a text that has to be shaped as a whole."""
        steps = self._alphabet.steps(text)
        if steps is None:
            return None
        sums = np.concatenate([[0], np.cumsum(steps[0])]).tolist()
        return Segments(sums, steps[1].tolist(), self.font.upem, size)

    def line(self, number: int) -> ShapedLine:
        """The shaped line of a number."""
        found = self._lines.get(number)
        if found is None:
            found = self._lines[number] = shape(self.text(number), self.font.file)
        return found

    def missing(self, numbers: npt.NDArray[np.int32]) -> str:
        """Characters of some lines that no font has, each once."""
        odd = numbers[self._flags[numbers] & _SIMPLE == 0]
        return "".join(dict.fromkeys(c for n in odd.tolist() for c in self.line(n).missing))

    def is_single_run(self, numbers: npt.NDArray[np.integer[Any]]) -> Bools:
        """Of lines, in which each character is one glyph, and only pairs of them kern."""
        found: Bools = self._flags[numbers] & _ALONE != 0
        return found

    def is_single(self, numbers: npt.NDArray[np.integer[Any]]) -> Bools:
        """Of lines, which are of a column and likely to be in one place only; of others it is worth to keep what is
        made of them."""
        found: Bools = self._flags[numbers] & _SINGLE != 0
        return found

    def broken(self, numbers: npt.NDArray[np.int32]) -> frozenset[int]:
        """Those of some lines that have line breaks of their own."""
        return frozenset(numbers[self._flags[numbers] & _BROKEN != 0].tolist())

    def _make_room(self, size: int) -> None:
        if size > len(self._widths):
            wanted = max(size, 2 * len(self._widths))
            self._widths, self._flags = _grown(self._widths, wanted), _grown(self._flags, wanted)

    def _measure(self, texts: pa.StringArray) -> None:
        first = self._size
        self._make_room(first + len(texts))
        self._measured(texts, first)
        self._size = first + len(texts)

    def _measured(self, texts: pa.StringArray, first: int) -> None:
        """Measure texts whose lines have the numbers from `first` on."""
        end = first + len(texts)
        measured = self._alphabet.measure(texts)
        self._widths[first:end] = scaled_width(measured.widths, self.font.upem)
        known = self._flags[first:end] & _SINGLE
        self._flags[first:end] = known | (measured.simple * _SIMPLE + measured.is_whole * _ALONE).astype(np.uint8)
        for at in np.flatnonzero(~measured.simple).tolist():
            text = texts[at].as_py()
            line = self._lines[first + at] = shape(text, self.font.file)
            self._widths[first + at] = line_width(line)
            self._flags[first + at] |= _BROKEN * ("\n" in text or "\r" in text)


def _grown(array: _Known, size: int) -> _Known:
    """An array with more room, which takes memory only where it is used."""
    grown = np.zeros(size, array.dtype)
    grown[: len(array)] = array
    return grown


class Segments(Struct, frozen=True):
    """A text's pieces, measured as each would be by itself."""

    sums: list[int]
    kerning: list[int]
    upem: int
    size: int

    def width(self, start: int, end: int) -> int:
        """The width of the piece from one character up to another."""
        if end <= start:
            return 0
        units = self.sums[end] - self.sums[start] - self.kerning[end - 1]
        return (scaled_width(units, self.upem) * self.size + 500_000) // 1_000_000


def scaled_width(width: Width, upem: int) -> Width:
    """A width (or an array of them) in font units as 1/1,000,000 em, rounded to the nearest."""
    return (width * 1_000_000 + upem // 2) // upem


def line_width(line: ShapedLine) -> int:
    """Width of a line in 1/1,000,000 em."""
    return sum(scaled_width(run.width, open_font(run.font).upem) for run in line.runs)


def shape(text: str, file: str) -> ShapedLine:
    """Shape one line; characters the font lacks come from the fallback font."""
    text = text.replace("\t", "    ")
    runs, missing = [], []
    for segment, segment_file in _segments(text, file):
        font = open_font(segment_file)
        runs.append(_run(segment, font))
        missing += [c for c in segment if ord(c) not in font.characters and ord(c) not in IGNORED]
    return ShapedLine(text, tuple(runs), "".join(dict.fromkeys(missing)))


def _segments(text: str, file: str) -> list[tuple[str, str]]:
    own, other = open_font(file).characters, fallback_file(file)
    spare = open_font(other).characters
    segments: list[tuple[str, str]] = []
    for char in text:
        point = ord(char)
        wanted = file if point in own or point not in spare else other
        if segments and (segments[-1][1] == wanted or point in IGNORED):
            segments[-1] = (segments[-1][0] + char, segments[-1][1])
        else:
            segments.append((char, wanted))
    return segments


def _run(text: str, font: Font) -> Glyphs:
    infos, positions = shape_text(font, text)
    ids = tuple(info.codepoint for info in infos)
    advances = tuple(p.x_advance for p in positions)
    offsets = tuple((p.x_offset, p.y_offset) for p in positions)
    shown, own = renderable_characters(font.file), font.advances
    says_itself = "".join([shown.get(g, "") for g in ids]) == text
    in_place = not any(map(any, offsets)) and advances == tuple([own[g] for g in ids])
    return Glyphs(font.file, ids, advances, offsets, text, in_place, says_itself)


@lru_cache(maxsize=64)
def renderable_characters(file: str) -> dict[int, str]:
    """The character each glyph shows, tabular figures included."""
    font = open_font(file)
    shown = dict(font.unicode_of_glyph)
    for char in map(chr, range(0x20, 0x7F)):
        infos, _ = shape_text(font, char)
        if len(infos) == 1 and infos[0].codepoint:
            shown.setdefault(infos[0].codepoint, char)
    return shown
