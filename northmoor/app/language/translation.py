"""What every text of the window goes through, on its way to the screen in the user's language."""

from collections.abc import Mapping
from datetime import date
from decimal import Decimal
from string import Formatter
from typing import Any

from PyQt6.QtCore import QCoreApplication, QLocale

CONTEXT = "Northmoor"
"""What the toolkit calls the program's own texts, apart from those of its own dialogs."""

CORE = "core sentences"
"""The context of the core's sentences in the files of catalogues."""


_marks: dict[int, str] = {}
"""What a language writes in numbers for the comma and the point of English; empty for English."""


_language = ["en"]
"""The language of the window."""


def use_spelling(language: str) -> None:
    """Write numbers in texts of the window, and nouns in sentences, as a language does from here on."""
    _language[:] = [language]
    locale = QLocale(language)
    _marks.clear()
    if (marks := (locale.groupSeparator(), locale.decimalPoint())) != (",", "."):
        _marks.update({ord(","): marks[0], ord("."): marks[1]})


def number_text(number: float | Decimal, form: str = ",") -> str:
    """A number as the language of the window writes it, of a form such as ``,`` or ``.2f``."""
    return f"{number:{form}}".translate(_marks)


def with_point(text: str) -> str:
    """A text with a number as the language of the window writes decimals, with a point in it."""
    return text.replace(_marks.get(ord("."), "."), ".")


class _WithNumbers(str):
    """A text into which numbers are filled as the language writes them."""

    __slots__ = ()

    def format(self, *values: object, **named: object) -> str:
        return _NumberFormatter().vformat(self, values, named)


class _NumberFormatter(Formatter):
    def format_field(self, value: Any, form: str) -> str:
        is_number = isinstance(value, int | float | Decimal) and bool(form)
        return number_text(value, form) if is_number else super().format_field(value, form)


def tr(text: str) -> str:
    """A text in the language of the window. What is filled in comes later: ``tr("{count} rows").format(count=3)``."""
    found = QCoreApplication.translate(CONTEXT, text)
    return _WithNumbers(found) if _marks else found


def window_language() -> str:
    """The language of the window, such as ``de``."""
    return _language[0]


def in_sentence(label: str) -> str:
    """A label of the window's language as it is written inside a sentence."""
    has_capitals = window_language().split("_")[0] in ("de", "lb")  # its nouns begin with one
    return label if has_capitals else label[:1].lower() + label[1:]


def tr_count(count: int, one: str, many: str) -> str:
    """A text about so many things, such as ``{count} row`` and ``{count} rows``, with the number filled in."""
    return tr(one if count == 1 else many).format(count=number_text(count))


def words_in_english(text: str, words: Mapping[str, str]) -> str:
    """A typed text in small letters, in which words of the window's language are English: `words` are those words, each
    with the English one."""
    english = {own.lower(): word for own, word in words.items()}
    return " ".join(english.get(word, word) for word in text.lower().split())


def size_text(size: int) -> str:
    """A number of bytes as people say it."""
    for unit, limit in ((tr("MB"), 1_000_000), ("kB", 1_000)):
        if size >= limit:
            return f"{number_text(size / limit, ',.1f')} {unit}"
    return tr("{size} bytes").format(size=size)


def moment_text(moment: date, pattern: str) -> str:
    """A day or moment by a pattern of `strftime`, with the names of days and months in the language."""
    for name in ("%a", "%b", "%B"):
        pattern = pattern.replace(name, tr(f"{moment:{name}}"))
    return f"{moment:{pattern}}"
