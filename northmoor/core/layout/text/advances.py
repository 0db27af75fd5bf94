"""Widths of texts by the column: the characters of a font that are one glyph each, and how pairs of them kern.

HarfBuzz is the reference. Where a text is made of such characters only, its width is the sum of their advances and of
the kerning of each pair; both are asked of HarfBuzz once, pair by pair as they are met, and then looked up for whole
columns of texts at a time.
"""

from functools import lru_cache
from typing import Any

import numpy as np
import numpy.typing as npt
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.base.arrays import Bools, Ints
from northmoor.core.expr.text_concat import concat_lists
from northmoor.core.layout.text.fonts import Font, open_font
from northmoor.core.layout.text.harfbuzz import shaped

_RANGES = ((0x20, 0x7E), (0xA0, 0xAC), (0xAE, 0x17F), (0x2010, 0x2027), (0x202F, 0x203A), (0x20AC, 0x20AC),
           (0x2122, 0x2122), (0x2190, 0x2193), (0x2212, 0x2212))  # fmt: skip
_LIMIT = 0x2213
_DIGITS = frozenset("0123456789")
_SPACES = "\u00a0\u202f"
_UNKNOWN, _COMPLEX = np.iinfo(np.int32).min, np.iinfo(np.int32).max
_CHUNK = 100_000
"""Texts measured at a time; a code point takes some twenty bytes while they are."""


class TextWidths(Struct, frozen=True, eq=False):
    """Texts' widths in font units; those that are `simple` are known. `alone` are simple ones in which no glyph is
    for two characters, so that they read as they are drawn."""

    widths: Ints
    simple: Bools
    is_whole: Bools


class GlyphSequence(Struct, frozen=True, eq=False):
    """Texts' characters one after another: code points, places in the alphabet (-1 for others), and how each kerns with
    the next of its text (`COMPLEX` where they are not drawn as one glyph each); `ends` and `lengths` are the texts'."""

    points: npt.NDArray[np.uint32]
    places: npt.NDArray[np.int32]
    kerning: npt.NDArray[np.int32]
    ends: Ints
    lengths: Ints


class AdvanceTable:
    """The simple characters of a font, with their glyphs, advances and kerning."""

    def __init__(self, font: Font) -> None:
        self._font = font
        self.glyphs: dict[str, int] = {}
        advances: list[int] = []
        self._places = np.full(_LIMIT + 1, -1, np.int32)
        for point in (p for first, last in _RANGES for p in range(first, last + 1)):
            char = chr(point)
            run = shaped(font, char) if point in font.characters else None
            if run is not None and len(run.ids) == 1 and run.ids[0] and run.advance == font.advance(run.ids[0]):
                self._places[point] = len(advances)
                self.glyphs[char] = run.ids[0]
                advances.append(run.advance)
        self._advances = np.array([*advances, 0], np.int64)
        self._shares = self._sharing()
        self._chars = list(self.glyphs)
        self._place_of = {char: place for place, char in enumerate(self._chars)}
        self._kerning = np.full(len(advances) ** 2 + 1, _UNKNOWN, np.int32)
        self._kerning[-1] = 0

    def _sharing(self) -> Bools:
        """For each place, whether an earlier character has its glyph: drawn alone, it would read as that one."""
        first: dict[int, str] = {}
        claimed = [first.setdefault(glyph, char) for char, glyph in self.glyphs.items()]
        shares = [a != b and b not in _SPACES for a, b in zip(claimed, self.glyphs, strict=True)]
        return np.array([*shares, False], bool)

    def is_even(self, chars: set[str]) -> bool:
        """Whether all digits are as wide, wherever they are among some characters."""
        if not (chars | _DIGITS) <= set(self.glyphs):
            return False
        around, digits = (
            np.array([self._place_of[char] for char in sorted(some)]) for some in (chars | _DIGITS, _DIGITS)
        )
        size = len(self._chars)
        pairs = np.concatenate([np.add.outer(around * size, digits), np.add.outer(around, digits * size)], axis=None)
        return len(np.unique(self._advances[digits])) == 1 and not self._kerns(pairs).any()

    def measure(self, texts: pa.StringArray) -> TextWidths:
        """The widths of texts."""
        parts = [self._measure(texts.slice(at, _CHUNK)) for at in range(0, len(texts), _CHUNK)]
        columns = zip(*((p.widths, p.simple, p.is_whole) for p in parts), strict=True)
        return TextWidths(*(np.concatenate(column) for column in columns))

    def _measure(self, texts: pa.StringArray) -> TextWidths:
        spelled = self.glyph_sequence(texts)
        places, kerning, ends, lengths = spelled.places, spelled.kerning, spelled.ends, spelled.lengths
        advances = self._advances[places]
        odd = (places < 0) | (kerning == _COMPLEX)
        shares = self._shares[places]
        kerning[odd] = 0
        sums = np.concatenate([[0], np.cumsum(advances + kerning)])
        simple = _no_texts(odd, ends, lengths)
        alone = simple & _no_texts(shares, ends, lengths)
        return TextWidths(sums[ends] - sums[ends - lengths], simple, alone)

    def glyph_sequence(self, texts: pa.StringArray) -> GlyphSequence:
        """The characters of texts."""
        lengths = pc.utf8_length(texts).to_numpy().astype(np.int64)
        joined = "".join(texts.to_pylist()) if len(texts) < 100 else concat_lists(_as_list(texts))[0].as_py()
        points = np.frombuffer(joined.encode("utf-32-le"), np.uint32)
        places = self._places[np.minimum(points, _LIMIT)]
        ends = np.cumsum(lengths)
        return GlyphSequence(points, places, self._pairs(places, ends, lengths), ends, lengths)

    def steps(self, text: str) -> tuple[Ints, Ints] | None:
        """For each character of a text how far the next one begins, and how much of that is kerning with it; none for
        texts that have to be shaped as a whole."""
        places = self._places[np.minimum(np.frombuffer(text.encode("utf-32-le"), np.uint32), _LIMIT)]
        length = np.array([len(text)], np.int64)
        kerning = self._pairs(places, length, length)
        if (places < 0).any() or (kerning == _COMPLEX).any():
            return None
        return self._advances[places].astype(np.int64) + kerning, kerning.astype(np.int64)

    def _pairs(self, places: npt.NDArray[np.int32], ends: Ints, lengths: Ints) -> npt.NDArray[np.int32]:
        """For each character, how it kerns with the next one of its text."""
        size = len(self._chars)
        if not len(places):
            return np.zeros(0, np.int32)
        pairs = np.empty(len(places), np.int32)
        np.multiply(places[:-1], size, out=pairs[:-1])
        pairs[:-1] += places[1:]
        pairs[:-1][(places[:-1] < 0) | (places[1:] < 0)] = size * size
        pairs[ends[lengths > 0] - 1] = size * size  # a text's last character has none
        return self._kerns(pairs)

    def _kerns(self, pairs: npt.NDArray[np.signedinteger[Any]]) -> npt.NDArray[np.int32]:
        """How pairs of characters kern, by their numbers: the first one's place times how many there are, and the
        second one's."""
        kerning: npt.NDArray[np.int32] = self._kerning[pairs]
        unknown = kerning == _UNKNOWN
        if unknown.any():
            size = len(self._chars)
            for pair in np.unique(pairs[unknown]).tolist():
                self._kerning[pair] = self._kern(self._chars[pair // size], self._chars[pair % size])
            kerning = self._kerning[pairs]
        return kerning

    def _kern(self, first: str, second: str) -> int:
        run = shaped(self._font, first + second)
        if run is None or run.ids != (self.glyphs[first], self.glyphs[second]):
            return int(_COMPLEX)
        alone = self._font.advance(run.ids[0]) + self._font.advance(run.ids[1])
        return run.advance - alone


def _as_list(texts: pa.StringArray) -> pa.ListArray:
    return pa.ListArray.from_arrays(pa.array([0, len(texts)], pa.int32()), texts)


def _no_texts(where: Bools, ends: Ints, lengths: Ints) -> Bools:
    """For each text, whether none of its characters is marked."""
    if not where.any():
        return np.ones(len(ends), bool)
    sums = np.concatenate([[0], np.cumsum(where)])
    found: Bools = sums[ends] == sums[ends - lengths]
    return found


@lru_cache(maxsize=64)
def advance_table(file: str) -> AdvanceTable:
    """The alphabet of a font file."""
    return AdvanceTable(open_font(file))
