"""Line breaking: a text to the lines that fit a width, greedily.

A number, a date, a code or a word is never broken. One that is wider than the width is not drawn as it is: of a word
the beginning is, with an ellipsis, and of what has digits nothing is, since a part of a number is another number; `#`
signs are in its place.
"""

import re
from collections.abc import Callable

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.layout.text.break_opportunities import (
    SOFT_HYPHEN,
    Breaking,
    grapheme_ends,
    opportunities,
)
from northmoor.core.layout.text.shaping import Shaper

_NUMBER = re.compile(r"[^\w]*\d[\d.,'’\u00a0\u202f\u2009]*[^\w]*")
_ODD = r"\t|[^\p{L}\p{N}.,:;%\-/)] | [^\p{L}\p{N}(+\-€$]|\) [^A-Za-z0-9]"
"""Texts in which a line may not end after some space, such as one before an exclamation mark."""
_ORDINARY = Breaking()


class WrappedText(Struct, frozen=True):
    """A text's lines; `unfit` of its words or numbers are wider than a line and not drawn as they are."""

    lines: tuple[str, ...]
    unfit: int = 0


def wrap(
    text: str,
    shaper: Shaper,
    size: int,
    width: int,
    breaking: Breaking = _ORDINARY,
    stop: CancelToken | None = None,
) -> WrappedText:
    """The lines of a text at a font size within a width (millipoints). Line breaks in the text are kept, but for those
    of a text that is a whole. Raises Cancelled when work is stopped."""
    breaker = _Breaker(shaper, size, width, breaking, stop or CancelToken())
    for paragraph in hard_lines(text):
        breaker.add(paragraph)
    return WrappedText(tuple(breaker.lines), breaker.unfit)


def hard_lines(text: str) -> list[str]:
    """A text's lines by its own line breaks."""
    return text.replace("\r\n", "\n").replace("\r", "\n").split("\n")


def truncate(text: str, shaper: Shaper, size: int, width: int) -> str:
    """The text's first line within a width, with an ellipsis for what is left out; empty where not even that fits."""
    first = hard_lines(text)[0]
    if first == text and shaper.width(text.rstrip(" "), size) <= width:
        return text
    room = width - shaper.width("…", size)
    if room < 0:
        return ""
    ends = grapheme_ends(first)
    count = _most(len(ends), lambda count: shaper.width(first[: ends[count - 1]], size) <= room)
    return (first[: ends[count - 1]].rstrip() if count else "") + "…"


def does_not_fit(count: int) -> str:
    """What is said of numbers and words that are wider than their line."""
    what = "1 number or word is" if count == 1 else f"{count:,} numbers or words are"
    return (
        f"{what} wider than the room there is, and # or … is in its place. Give it more room or smaller print, "
        "or turn the page."
    )


def hash_marks(shaper: Shaper, size: int, width: int) -> str:
    """What is drawn in place of a number that does not fit a width: as many # signs as do."""
    return "#" * max(width // max(shaper.width("#", size), 1), 0)


def is_number(text: str) -> bool:
    """Whether a piece of a text is a number, with what belongs to it."""
    return _NUMBER.fullmatch(text.rstrip(" ")) is not None


def replacement(text: str, shaper: Shaper, size: int, width: int, breaking: Breaking = _ORDINARY) -> str:
    """What is drawn of a piece that is wider than the width, in one line."""
    if breaking.is_whole or any(char.isdigit() for char in text):
        return hash_marks(shaper, size, width)
    return truncate(text, shaper, size, width)


def widest_piece(texts: pa.StringArray, shaper: Shaper, size: int, breaking: Breaking = _ORDINARY) -> int:
    """The width (millipoints) below which some texts cannot be broken into lines.

    All words are measured at once, and of these only the widest are looked at for the places where they can be broken.
    """
    odd = pc.match_substring_regex(texts, _ODD)
    regular, others = texts.filter(pc.invert(odd)), texts.filter(odd)
    parts = pc.unique(pa.concat_arrays([pc.list_flatten(pc.split_pattern_regex(regular, "[ \r\n]+")), others]))
    numbers, _ = shaper.add_column(parts)
    widths = shaper.widths(numbers, size)
    widest = 0
    for at in np.argsort(-widths, kind="stable").tolist():
        if widths[at] <= widest:
            break
        breaker = _Breaker(shaper, size, 0, breaking, CancelToken())
        widest = max([widest, *map(breaker.widest_piece, hard_lines(parts[at].as_py()))])
    return widest


class _Breaker:
    """Puts the lines of one text together."""

    def __init__(self, shaper: Shaper, size: int, width: int, breaking: Breaking, stop: CancelToken) -> None:
        self._stop = stop
        self._shaper, self._size, self._width, self._breaking = shaper, size, width, breaking
        self.lines: list[str] = []
        self.unfit = 0

    def add(self, text: str) -> None:
        """Break one paragraph."""
        if self._shaper.width(_drawn(text), self._size) <= self._width:
            self.lines.append(_drawn(text))
            return
        if self._breaking.is_whole:
            self._put_unfit(text)
            return
        wide = self._measure(text)
        start, best = 0, None
        for place in opportunities(text, self._breaking):
            if wide(start, place.end, place.mark) <= self._width:
                best = place
                continue
            self._stop.raise_if_cancelled()
            if best is not None:
                self.lines.append(_drawn(text[start : best.end], best.mark))
                start, best = best.end, None
            if wide(start, place.end, place.mark) <= self._width:
                best = place
            else:
                start = self._part(text, start, place.end, place.mark, wide)
                best = place if start < place.end else None
        if best is not None:
            self.lines.append(_drawn(text[start : best.end]))

    def widest_piece(self, text: str) -> int:
        """The widest of a text's pieces."""
        wide, start, widest = self._measure(text), 0, 0
        for place in opportunities(text, self._breaking):
            own = wide(start, place.end, place.mark)
            if self._breaking.words == "anywhere" and not is_number(text[start : place.end]):
                own = min(own, 2 * self._size)  # a character or two
            widest, start = max(widest, own), place.end
        return widest

    def _part(self, text: str, start: int, end: int, mark: str, wide: "_Measure") -> int:
        """Lines for a piece that is wider than the width; where what is left of it begins, or its end."""
        if self._breaking.words != "anywhere" or is_number(text[start:end]):
            self._put_unfit(text[start:end].rstrip(" ") + mark)
            return end
        ends = [start + at for at in grapheme_ends(text[start:end])]
        done = 0
        while done < len(ends):
            begin = ends[done - 1] if done else start
            last = len(ends) - 1

            def fits(count: int) -> bool:
                at = done + count - 1  # noqa: B023  # it is asked at once
                return wide(begin, ends[at], mark if at == last else "") <= self._width  # noqa: B023

            count = _most_from_the_start(len(ends) - done, fits)
            if done + count == len(ends):
                return begin
            if not count:
                self._put_unfit(text[begin:end])
                return end
            self.lines.append(_drawn(text[begin : ends[done + count - 1]]))
            done += count
        return end

    def _put_unfit(self, piece: str) -> None:
        self.unfit += 1
        self.lines.append(replacement(piece, self._shaper, self._size, self._width, self._breaking))

    def _measure(self, text: str) -> "_Measure":
        """Measures a piece of a text as a line of its own, with what is written at its end."""
        cuts = self._shaper.segments(text, self._size) if SOFT_HYPHEN not in text else None
        shaper, size = self._shaper, self._size

        def wide(start: int, end: int, mark: str) -> int:
            if cuts is None or mark:
                return shaper.width(_drawn(text[start:end], mark), size)
            return cuts.width(start, start + len(text[start:end].rstrip(" ")))

        return wide


_Measure = Callable[[int, int, str], int]


def _drawn(piece: str, mark: str = "") -> str:
    """A piece as it is drawn at the end of a line."""
    return piece.replace(SOFT_HYPHEN, "").rstrip(" ") + mark


def _most_from_the_start(count: int, fits: Callable[[int], bool]) -> int:
    """The same, where it is likely to be a small part of the count, and what is larger takes longer to ask."""
    reach = 16
    while reach < count and fits(reach):
        reach *= 2
    return _most(min(reach, count), fits)


def _most(count: int, fits: Callable[[int], bool]) -> int:
    """The largest number up to a count that fits; 0 where none does."""
    low, high = 0, count
    while low < high:
        middle = (low + high + 1) // 2
        if fits(middle):
            low = middle
        else:
            high = middle - 1
    return low
