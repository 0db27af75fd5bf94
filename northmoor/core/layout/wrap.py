"""Line breaking: a text to the lines that fit a width, greedily, at spaces and after hyphens.

A word wider than the width is parted between characters; nothing is ever drawn outside its cell.
"""

import re

from northmoor.core.layout.text import Shaper

_WORD = re.compile(r"[^ \-–/\u200b]*(?:[\-–/]+| +|\u200b|$)")
_IDEOGRAPH = re.compile(r"[\u2e80-\u9fff\uac00-\ud7af\uf900-\ufaff\uff00-\uff60]")


def wrap(text: str, shaper: Shaper, size: int, width: int) -> tuple[str, ...]:
    """The lines of a text at a font size within a width (millipoints). Line breaks in the text are kept."""
    lines: list[str] = []
    for paragraph in text.replace("\r\n", "\n").replace("\r", "\n").split("\n"):
        lines += _paragraph(paragraph, shaper, size, width)
    return tuple(lines)


def cut(text: str, shaper: Shaper, size: int, width: int) -> str:
    """The text's first line within a width, with an ellipsis for what is left out."""
    first = text.replace("\r\n", "\n").replace("\r", "\n").split("\n")[0]
    if first == text and _fits(text, shaper, size, width):
        return text
    room = max(width - _width("…", shaper, size), 0)
    kept = first if _fits(first, shaper, size, room) else first[: _cut(first, shaper, size, room)] if first else ""
    return kept.rstrip() + "…"


def _paragraph(text: str, shaper: Shaper, size: int, width: int) -> list[str]:
    if _fits(text, shaper, size, width):
        return [text.rstrip(" ")]
    lines: list[str] = []
    line = ""
    for word in _words(text):
        if _fits(line + word, shaper, size, width):
            line += word
            continue
        if line:
            lines.append(line.rstrip(" "))
        line = word
        while not _fits(line, shaper, size, width):
            cut = _cut(line, shaper, size, width)
            lines.append(line[:cut])
            line = line[cut:]
    return [*lines, line.rstrip(" ")]


def _words(text: str) -> list[str]:
    words: list[str] = []
    for word in _WORD.findall(text):
        if _IDEOGRAPH.search(word):
            words += list(word)
        elif word:
            words.append(word)
    return words


def _fits(text: str, shaper: Shaper, size: int, width: int) -> bool:
    return _width(text.rstrip(" "), shaper, size) <= width


def _width(text: str, shaper: Shaper, size: int) -> int:
    return shaper.width(text, size)


def _cut(text: str, shaper: Shaper, size: int, width: int) -> int:
    """How many characters fit, at least one."""
    low, high = 1, len(text)
    while low < high:
        middle = (low + high + 1) // 2
        if _width(text[:middle], shaper, size) <= width:
            low = middle
        else:
            high = middle - 1
    return low
