"""Line breaking: a text to the lines that fit a width, greedily, at spaces and after hyphens.

A word wider than the width is parted between characters; nothing is ever drawn outside its cell.
"""

import re
from collections.abc import Callable

from northmoor.core.layout.text.shaping import Shaper

_WORD = re.compile(r"[^ \-–/\u200b]*(?:[\-–/]+| +|\u200b|$)")
_IDEOGRAPH = re.compile(r"[\u2e80-\u9fff\uac00-\ud7af\uf900-\ufaff\uff00-\uff60]")


def wrap(text: str, shaper: Shaper, size: int, width: int) -> tuple[str, ...]:
    """The lines of a text at a font size within a width (millipoints). Line breaks in the text are kept."""
    lines: list[str] = []
    for paragraph in hard_lines(text):
        lines += _paragraph(paragraph, shaper, size, width)
    return tuple(lines)


def hard_lines(text: str) -> list[str]:
    """A text's lines by its own line breaks."""
    return text.replace("\r\n", "\n").replace("\r", "\n").split("\n")


def truncate(text: str, shaper: Shaper, size: int, width: int) -> str:
    """The text's first line within a width, with an ellipsis for what is left out."""
    first = hard_lines(text)[0]
    if first == text and _fits(text, shaper, size, width):
        return text
    room = max(width - _width("…", shaper, size), 0)
    kept = (
        first if _fits(first, shaper, size, room) else first[: _break_word(first, shaper, size, room)] if first else ""
    )
    return kept.rstrip() + "…"


def _paragraph(text: str, shaper: Shaper, size: int, width: int) -> list[str]:
    if _fits(text, shaper, size, width):
        return [text.rstrip(" ")]
    cuts = shaper.segments(text, size)

    def wide(start: int, end: int) -> int:
        return _width(text[start:end], shaper, size) if cuts is None else cuts.width(start, end)

    lines: list[str] = []
    start = end = 0
    for word in words(text):
        after = end + len(word)
        if wide(start, start + len(text[start:after].rstrip(" "))) <= width:
            end = after
            continue
        if end > start:
            lines.append(text[start:end].rstrip(" "))
        start, end = end, after
        while wide(start, start + len(text[start:end].rstrip(" "))) > width:
            cut = start + _longest_prefix(end - start, lambda count, start=start: wide(start, start + count) <= width)  # type: ignore[misc]
            lines.append(text[start:cut])
            start = cut
    return [*lines, text[start:end].rstrip(" ")]


def words(text: str) -> list[str]:
    """The pieces of a text between which a line may end, each with the spaces after it."""
    found: list[str] = []
    for word in _WORD.findall(text):
        if _IDEOGRAPH.search(word):
            found += list(word)
        elif word:
            found.append(word)
    return found


def _fits(text: str, shaper: Shaper, size: int, width: int) -> bool:
    return _width(text.rstrip(" "), shaper, size) <= width


def _width(text: str, shaper: Shaper, size: int) -> int:
    return shaper.width(text, size)


def _break_word(text: str, shaper: Shaper, size: int, width: int) -> int:
    """How many characters fit, at least one."""
    return _longest_prefix(len(text), lambda count: _width(text[:count], shaper, size) <= width)


def _longest_prefix(count: int, fits: Callable[[int], bool]) -> int:
    """The largest number up to a count that fits, at least one."""
    low, high = 1, count
    while low < high:
        middle = (low + high + 1) // 2
        if fits(middle):
            low = middle
        else:
            high = middle - 1
    return low
