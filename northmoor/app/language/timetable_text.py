"""Timetables in words of the window's language, both ways.

The core writes and reads one English wording. Each of its phrases has a translation of its own; those of a language
follow one another in the same order and are all different, so that what is typed goes back to the English words.
"""

import re
from collections.abc import Mapping

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.core.delivery.orders.timetable import Timetable
from northmoor.core.delivery.orders.timetable_words import MONTHS, WEEKDAYS
from northmoor.core.delivery.orders.triggers import Trigger
from northmoor.core.delivery.orders.when_words import when_words

PHRASE_MARK = "timetable: "
"""What phrases begin with in catalogues: alone, words such as *to* mean other things elsewhere."""
PHRASES = (
    "every day", "each working day", "all days", "working days", "working day", "last day", "of the month", "but for",
    "every minute", "every hour", "every", "minutes", "hours", "the", "of", "in", "and", "at", "from", "to", "on",
    "first", "second", "third", "fourth", "fifth", "last",
    *(f"in {name}" for name in MONTHS), *MONTHS, *(f"{name}s" for name in WEEKDAYS), *WEEKDAYS,
)  # fmt: skip
_ORDINAL = re.compile(r"\b(\d{1,2})(?:st|nd|rd|th)\b")
_NUMBERED = re.compile(r"\b(\d{1,2})\.(?=[ ,]|$)")
_AFTER_NUMBER = "nth"
"""The phrase of a language for what follows the number of a day, as the point in the German 15."""


def shown_timetable(words: str) -> str:
    """The wording of a timetable in the language of the window."""
    translated = {phrase: _translation(phrase) for phrase in PHRASES}
    point = _translation(_AFTER_NUMBER)
    if point != _AFTER_NUMBER:
        words = _ORDINAL.sub(lambda found: found[1] + point, words)
    return _replaced(words, translated)


def when_text(when: Trigger) -> str:
    """When an order makes runs, in the language of the window."""
    words = when_words(when)
    return shown_timetable(words) if isinstance(when, Timetable) else core_text(words)


def typed_timetable(text: str) -> str:
    """The English wording of what was typed in the language of the window, as far as it is one."""
    if _translation(_AFTER_NUMBER) == ".":
        text = _NUMBERED.sub(r"\1th", text)
    return _replaced(text, {_translation(phrase): phrase for phrase in PHRASES})


def _translation(phrase: str) -> str:
    return str(tr(f"{PHRASE_MARK}{phrase}")).removeprefix(PHRASE_MARK)


def _replaced(text: str, phrases: Mapping[str, str]) -> str:
    """A text with each phrase replaced, longer ones before those that they begin with."""
    by_lower = {phrase.lower(): other for phrase, other in phrases.items()}
    listed = "|".join(re.escape(phrase) for phrase in sorted(by_lower, key=len, reverse=True))
    pattern = re.compile(rf"(?<![\w/])(?:{listed})(?![\w/])", re.IGNORECASE)
    return pattern.sub(lambda found: by_lower[found[0].lower()], text)
