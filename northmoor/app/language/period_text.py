"""Periods and days in words of the window's language, both ways.

Reports, orders and the core have one English wording, such as ``last full month``. Each of its phrases has a
translation of its own; those of a language are all different, so that what is typed goes back to the English words.
"""

import re

from northmoor.app.language.translation import tr
from northmoor.core.values.relative_periods import PERIOD_UNITS

PERIOD_MARK = "period: "
"""What phrases begin with in catalogues: alone, words such as *now* mean other things elsewhere."""
PERIOD_PHRASES = (
    "now", "today", "yesterday", "tomorrow", "last hour",
    *(f"{which} {unit}" for which in ("this", "last full", "next full") for unit in (*PERIOD_UNITS, "shift")),
    *(f"{unit} to date" for unit in PERIOD_UNITS),
    *(f"last {{}} {unit}{ending}" for unit in PERIOD_UNITS for ending in ("s", "")),
    "start of {}", "end of {}",
)  # fmt: skip
"""Those with a place for a number, or for another phrase, have braces there."""


def shown_period(words: str) -> str:
    """A period, day or range in words, in the language of the window; any other text as it is."""
    return "/".join(_translated(part, to_window=True) for part in words.split("/"))


def typed_period(text: str) -> str:
    """The English words of what was typed in the language of the window; any other text as it is."""
    return "/".join(_translated(part, to_window=False) for part in text.split("/"))


def _translated(text: str, to_window: bool) -> str:
    plain = " ".join(text.split())
    for english in PERIOD_PHRASES:
        own = str(tr(f"{PERIOD_MARK}{english}")).removeprefix(PERIOD_MARK)
        given, wanted = (english, own) if to_window else (own, english)
        filling = r"(\d+)" if english.startswith("last") else "(.+)"
        found = re.fullmatch(re.escape(given).replace(r"\{\}", filling), plain, re.IGNORECASE)
        if found is not None:
            return wanted.format(*(_translated(part, to_window) for part in found.groups()))
    return text
