"""Patterns of texts: which letters are capitals, how codes are grouped, and how much of a text is written.

The patterns are words of our own; CLDR has none for texts.
"""

import re
from collections.abc import Callable
from functools import lru_cache

_WORD = re.compile(r"\w[\w'’]*")
_COUNTED = re.compile(r"(first|last):([1-9]\d{0,2})|(groups):([1-9]\d?(?: [1-9]\d?){0,9})")
_DOTTED = ("tr", "az")
"""Languages in which i and ı are two letters, each with a capital of its own."""
_HIDDEN = "•"
_NO_BREAK = "\u00a0"
_ELLIPSIS = "…"


@lru_cache(maxsize=256)
def text_writer(pattern: str, locale: str) -> Callable[[str], str] | None:
    """A function that writes a text by a pattern, in the letters of a locale; None for a pattern of numbers or dates,
    which a total that is a text can have from its column.

    ``upper`` and ``lower`` write all letters so, ``words`` begins each word with a capital, ``sentence`` the first;
    ``groups:4`` puts a space that breaks no line after every four characters, ``groups:2 4`` after two, and then four;
    ``first:20`` writes the first twenty characters and says by an ellipsis that there are more; ``last:4`` writes the
    last four, and a dot for each before them.
    """
    counted = _COUNTED.fullmatch(pattern)
    if counted is not None:
        return _counted_writer(counted[1] or counted[3], [int(n) for n in (counted[2] or counted[4]).split()])
    upper, lower = _letters(locale)
    plain: dict[str, Callable[[str], str]] = {
        "upper": upper,
        "lower": lower,
        "words": lambda text: _WORD.sub(lambda word: upper(word[0][:1]) + lower(word[0][1:]), text),
        "sentence": lambda text: upper(text[:1]) + text[1:],
    }
    return plain.get(pattern)


def _letters(locale: str) -> tuple[Callable[[str], str], Callable[[str], str]]:
    """What makes capitals and small letters in a locale."""
    if locale.split("_")[0] not in _DOTTED:
        return str.upper, str.lower
    return (
        lambda text: text.replace("i", "İ").upper(),
        lambda text: text.replace("İ", "i").replace("I", "ı").lower(),
    )


def _counted_writer(word: str, counts: list[int]) -> Callable[[str], str]:
    count = counts[0]
    if word == "first":
        return lambda text: text if len(text) <= count else text[:count].rstrip() + _ELLIPSIS
    if word == "last":
        return lambda text: _HIDDEN * (len(text) - count) + text[-count:]
    return lambda text: _grouped(text, counts)


def _grouped(text: str, counts: list[int]) -> str:
    """The characters of a text, without their own spaces, in groups."""
    rest, groups = "".join(text.split()), []
    for number in counts[:-1]:
        groups.append(rest[:number])
        rest = rest[number:]
    groups += [rest[at : at + counts[-1]] for at in range(0, len(rest), counts[-1])]
    return _NO_BREAK.join(group for group in groups if group)
