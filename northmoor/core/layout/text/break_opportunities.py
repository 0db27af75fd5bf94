"""Where a line may end: after the Unicode line breaking algorithm (UAX #14), by ICU, and within words by hyphenation.

One thing is otherwise than the algorithm has it: a word with a digit in it, such as 08:15–09:45 or TR/2026-114, is not
parted after its hyphens, dashes and slashes, since it is a time, a date or a code.
"""

import re
import threading
from collections.abc import Iterator, Sequence
from functools import lru_cache
from typing import Any, Literal

from msgspec import Struct

from northmoor.core.model.styles import WordBreaks

SOFT_HYPHEN = "\u00ad"
_LETTERS = "A-Za-zÀ-ÖØ-öø-ɏ"
_PLAIN = re.compile(rf"[{_LETTERS} ]*")
_PLAIN_WORD = re.compile(r"[^ ]* +|[^ ]+")
_WORDS = re.compile(r"\S+")
_DIGIT = re.compile(r"\d")
_LONGEST_CODE = 40
_STRETCH = 50_000
"""Characters that are looked at together."""
_UNSURE = 3
"""The last of these places, which depend on what comes after them."""
_WORD = re.compile(rf"(?<!\w)[{_LETTERS}]{{5,}}(?!\w)")
_JOINTS = "-‐–—/"
_iterators = threading.local()


class Opportunity(Struct, frozen=True):
    """A place where a line may end: how many characters are before it, and what is written there if it does."""

    end: int
    mark: str = ""


class Breaking(Struct, frozen=True):
    """How texts are broken: whether within words, in which language those are, or not at all where a text is `whole`,
    as numbers and dates are."""

    words: WordBreaks = "never"
    locale: str = "en"
    is_whole: bool = False


def opportunities(text: str, breaking: Breaking) -> Iterator[Opportunity]:
    """All places where a line of a text may end, in their order; the last is the text's end. A long text is looked at
    some pages at a time, so that who asks can stop."""
    start, size = 0, _STRETCH
    while len(text) - start > size:
        found = _opportunities(text[start : start + size], breaking)[:-_UNSURE]
        if not found:
            size *= 2
            continue
        for place in found:
            yield Opportunity(start + place.end, place.mark)
        start, size = start + found[-1].end, _STRETCH
    for place in _opportunities(text[start:], breaking):
        yield Opportunity(start + place.end, place.mark) if start else place


def _opportunities(text: str, breaking: Breaking) -> list[Opportunity]:
    ends = line_ends(text)
    hyphens = _hyphens(text, breaking.locale) if breaking.words == "hyphenate" else ()
    if not hyphens:
        return [Opportunity(end, "-" if text[end - 1] == SOFT_HYPHEN else "") for end in ends]
    marks = dict.fromkeys(hyphens, "-") | {end: "-" if text[end - 1] == SOFT_HYPHEN else "" for end in ends}
    return [Opportunity(end, marks[end]) for end in sorted(marks)]


def line_ends(text: str) -> list[int]:
    """Where a line of a text may end without hyphenation: counts of characters, the whole text's last."""
    if not text:
        return []
    if _PLAIN.fullmatch(text):  # so are most cells, and that is what the algorithm says of them
        return [match.end() for match in _PLAIN_WORD.finditer(text)]
    inside: set[int] = set()
    for word in _WORDS.finditer(text):
        start, end = word.span()
        if end - start <= _LONGEST_CODE and _DIGIT.search(word[0]) and "://" not in word[0]:
            inside.update(at for at in range(start + 1, end) if text[at - 1] in _JOINTS)
    return [at for at in _boundaries("line", text) if at not in inside]


def grapheme_ends(text: str) -> list[int]:
    """Where the characters end that a reader sees as one (UAX #29)."""
    return list(range(1, len(text) + 1)) if text.isascii() else _boundaries("character", text)


def graphemes(text: str) -> list[str]:
    """The characters that a reader sees as one."""
    ends = grapheme_ends(text)
    return [text[start:end] for start, end in zip([0, *ends], ends, strict=False)]


def _boundaries(kind: Literal["line", "character"], text: str) -> list[int]:
    """ICU's boundaries; it counts in UTF-16."""
    if not hasattr(_iterators, kind):
        import icu  # 35 ms, which most reports do without

        root = icu.Locale.getRoot()
        make = icu.BreakIterator.createLineInstance if kind == "line" else icu.BreakIterator.createCharacterInstance
        setattr(_iterators, kind, make(root))
    iterator: Any = getattr(_iterators, kind)
    text = text.encode("utf-16-le", "replace").decode("utf-16-le")  # half a pair is no text to ICU
    iterator.setText(text)
    found = list(iterator)
    if text and max(text) > "\uffff":
        counted, at = {}, 0
        for number, char in enumerate(text, 1):
            at += 2 if char > "\uffff" else 1
            counted[at] = number
        found = [counted[end] for end in found]
    return found


def _hyphens(text: str, locale: str) -> Sequence[int]:
    return [
        match.start() + at
        for match in _WORD.finditer(text)
        if not match[0].isupper()
        for at in _hyphens_of(match[0], locale)
    ]


@lru_cache(maxsize=20_000)
def _hyphens_of(word: str, locale: str) -> tuple[int, ...]:
    dictionary = _dictionary(locale)
    return tuple(dictionary.positions(word)) if dictionary is not None else ()


@lru_cache(maxsize=16)
def _dictionary(locale: str) -> Any:
    """The patterns of a language; None for one that has none."""
    import pyphen  # only for reports that hyphenate

    known = pyphen.language_fallback(locale)
    return pyphen.Pyphen(lang=known, left=2, right=3) if known is not None else None
