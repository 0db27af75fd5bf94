"""The core's errors, findings and notes, in the language of the window.

The core writes sentences in English and knows of no language. The catalogue has their templates, as they are in the
core's source; a sentence is recognised by its template, and what was filled in is filled into the translation. What is
filled in may be such sentences itself. What is not recognised stays in English.
"""

import re
from decimal import Decimal
from functools import lru_cache
from string import Formatter

from msgspec import Struct

from northmoor.app.language.translation import number_text, tr

_PLACE = re.compile(r"((?:Connection|Query|Parameter|Block) [^:]+): (.+)", re.DOTALL)
"""Where something is, before what is wrong with it."""
_END = re.compile(r"[.?] ")
_ONE = re.compile(r"(?:(?![.?] [A-Z]).)*$", re.DOTALL)
"""What has no end of a sentence in it."""
_GROUPED = re.compile(r"-?\d{1,3}(,\d{3})+(\.\d+)?")
"""A number as the core writes it into its sentences."""
_DEEPEST, _LONGEST = 6, 1_000
"""Sentences within one another, and characters, beyond which a text is left as it is."""


class _Template(Struct, frozen=True):
    """A template's pattern, and its translation."""

    pattern: re.Pattern[str]
    translation: str
    letters: int

    @classmethod
    def of(cls, english: str, translation: str) -> "_Template":
        """The template of an English text in which numbers in braces are filled in."""
        pieces = [(literal, name is not None) for literal, name, _, _ in Formatter().parse(english)]
        pattern = "".join(re.escape(literal) + "(.*?)" * is_filled for literal, is_filled in pieces)
        letters = sum(len(literal) for literal, _ in pieces)
        return cls(re.compile(pattern, re.DOTALL), translation, letters)


class CoreSentences:
    """The templates of the core's sentences in a language."""

    def __init__(self, translations: dict[str, str]) -> None:
        made = (_Template.of(english, translation) for english, translation in translations.items())
        self._templates = sorted(made, key=lambda each: -each.letters)  # the one with most words of its own
        self.translated = lru_cache(4096)(self._translated)

    def _translated(self, text: str, depth: int = 0) -> str:
        """A text in the language, as far as it is known."""
        if _GROUPED.fullmatch(text):
            return number_text(Decimal(text.replace(",", "")), ",f")
        if depth > _DEEPEST or len(text) > _LONGEST or not re.search(r"[A-Za-z]{2}", text):
            return text
        place = _PLACE.fullmatch(text)
        if place is not None:
            return f"{core_place(place[1])}: {self.translated(place[2], depth + 1)}"
        whole = self._whole(text, depth)
        if whole is not None:
            return whole
        for end in _END.finditer(text):
            first = self._whole(text[: end.start() + 1], depth)
            if first is not None:
                return f"{first} {self.translated(text[end.end() :], depth + 1)}"
        # a sentence within another one has lost its full stop to it
        ended = self._whole(f"{text}.", depth) if text[-1:] not in ".?" else None
        return ended.removesuffix(".") if ended is not None else self._whole(text, depth, re.compile("")) or text

    def _whole(self, text: str, depth: int, kept: re.Pattern[str] = _ONE) -> str | None:
        """The translation of a text that is one sentence; what is filled into it has to be of a pattern."""
        for template in self._templates:
            found = template.pattern.fullmatch(text)
            if found is not None and all(map(kept.match, found.groups(""))):
                return template.translation.format(*(self.translated(each, depth + 1) for each in found.groups("")))
        return None


def core_place(place: object) -> str:
    """Where something is in a report, such as ``Query fares, column month``, in the language of the window."""
    words = {"Connection": tr("Connection"), "Query": tr("Query"), "Parameter": tr("Parameter"), "Block": tr("Block"),
             "column": tr("column")}  # fmt: skip
    parts = (part.partition(" ") for part in str(place).split(", "))
    return ", ".join(f"{words.get(kind, kind)}{space}{name}" for kind, space, name in parts)


_spoken: list[CoreSentences] = []


def use_sentences(translations: dict[str, str]) -> None:
    """Give the core's sentences in a language from here on; in English without translations."""
    _spoken[:] = [CoreSentences(translations)] if translations else []


def core_text(message: object) -> str:
    """An error, a finding or a text of the core in the language of the window."""
    return _spoken[0].translated(str(message)) if _spoken else str(message)
