"""The window in another language: every text has a translation, is shown in it, and has room."""

import json
import os
import re
import subprocess
import sys
from pathlib import Path
from string import Formatter
from typing import Any

import pytest

from northmoor.app.language.catalogue import catalogue_texts
from northmoor.app.widgets.preferences import OFFERED
from tests.interface_texts import Text, interface_texts

REPORT = "reports/fares-by-route.moor"
TRANSLATED = [language for language in OFFERED["language"] if language != "en"]


def each(text: Text) -> tuple[str, ...]:
    """A text, or its forms for one thing and for many."""
    return text if isinstance(text, tuple) else (text,)


def filled_in(text: str) -> list[str]:
    """The names of what is filled into a text; a template of a report is one as it is."""
    try:
        return sorted(name for _, name, _, _ in Formatter().parse(text) if name is not None)
    except ValueError:
        return sorted(re.findall(r"\{[^}]*\}", text))


@pytest.mark.parametrize("language", TRANSLATED)
def test_every_text_has_a_translation_that_takes_what_is_filled_in(language: str) -> None:
    known, wanted = catalogue_texts(language), {form for text in interface_texts() for form in each(text)}
    assert wanted - known.keys() == set(), "scripts/texts adds them to the catalogue"
    assert known.keys() - wanted == set(), "scripts/texts drops them from the catalogue"
    for text, translated in known.items():
        assert filled_in(text) == filled_in(translated)
        assert ("&" in text) == ("&" in translated), f"a letter of {text!r} is its key"
        assert (text[:1] == " ", text[-1] == " ") == (translated[:1] == " ", translated[-1] == " "), text


def seen_in(language: str, demo: Path, pictures: Path) -> dict[str, Any]:
    """What is seen in the window of a process of its own."""
    command = [sys.executable, "-m", "tests.app.language_window", str(demo / REPORT), str(pictures), language]
    done = subprocess.run(command, capture_output=True, text=True, timeout=120, env={**os.environ, "LANG": "C.UTF-8"})
    assert done.returncode == 0, done.stderr
    found: dict[str, Any] = json.loads(done.stdout)
    return found


@pytest.mark.parametrize("language", TRANSLATED)
def test_the_window_shows_no_text_in_english_and_cuts_none(language: str, demo: Path, tmp_path: Path) -> None:
    known = catalogue_texts(language)
    own = {"Year", "Season", "Ports", "Route", "Month", "Sailings", "Tickets", "Fares"}  # those of the report
    seen = seen_in(language, demo, tmp_path)
    assert {text for text in seen["texts"] if known.get(text, text) != text} - own == set()
    assert len({text for text in seen["texts"] if text in known.values()}) > 150
    assert seen["cut"] == []


def test_texts_that_are_four_tenths_longer_have_room(demo: Path, tmp_path: Path) -> None:
    seen = seen_in("longer", demo, tmp_path)
    assert sum("ẽ" in text for text in seen["texts"]) > 250
    assert (seen["cut"], seen["width"]) == ([], 1280)
