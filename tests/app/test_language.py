"""The window in another language: every text has a translation, is shown in it, and has room; the core's sentences too."""

import json
import os
import re
import subprocess
import sys
from collections.abc import Iterator
from pathlib import Path
from string import Formatter
from typing import Any

import pytest
from hypothesis import given
from hypothesis import strategies as st
from PyQt6.QtCore import QUrl
from PyQt6.QtWidgets import QApplication, QLabel, QPushButton
from pytestqt.qtbot import QtBot

from northmoor.app.delivery.preflight_panel import PreflightPanel
from northmoor.app.help.help_actions import Help
from northmoor.app.help.topics import GUIDES, topics
from northmoor.app.language.catalogue import Catalogue, catalogue_texts
from northmoor.app.language.core_sentences import core_text, use_sentences
from northmoor.app.language.period_text import PERIOD_PHRASES, shown_period, typed_period
from northmoor.app.language.timetable_text import shown_timetable, typed_timetable
from northmoor.app.language.translation import CORE, tr, tr_count, use_spelling, words_in_english
from northmoor.app.pages.part_menu import page_entries, style_entries
from northmoor.app.widgets.preferences import OFFERED
from northmoor.core.delivery.orders.timetable import Timetable
from northmoor.core.delivery.orders.timetable_words import EXAMPLES, read_timetable, timetable_words
from northmoor.core.errors import Place, QueryError
from northmoor.core.model.findings import Finding, Remedy
from tests.core_sentences import core_sentences
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


def test_numbers_are_written_as_the_language_does() -> None:
    use_sentences({"It would read {0} signals.": "Es läse {0} Signale."})
    use_spelling("de")
    try:
        assert tr("{count:,} rows of {share:.1%} in {name}").format(count=1_234_567, share=0.125, name="a,b.c") == (
            "1.234.567 rows of 12,5% in a,b.c"
        )
        assert tr_count(1000, "{count} row", "{count} rows") == "1.000 rows"
        assert core_text("It would read 12,345.5 signals.") == "Es läse 12.345,5 Signale."
    finally:
        use_spelling("en")
        use_sentences({})
    assert tr("{count:,} rows").format(count=1_234_567) == "1,234,567 rows"


@pytest.mark.parametrize("language", TRANSLATED)
def test_settings_are_typed_in_the_language(language: str) -> None:
    """As the labels of what they do say it, and in English."""
    texts = catalogue_texts(language)
    margins = {texts[word]: word for word in page_entries.WORDS_OF_MARGINS.values()}
    styles = {texts[word]: word for word in style_entries.WORDS_OF_STYLES.values()}
    for label, side in (("{side} margin {length}", "left"), ("Margins {length}", None)):
        for typed in (
            texts[label].format(side=texts["left"], length="12,5 mm"),
            label.format(side="Left", length="1 in"),
        ):
            found = page_entries.TYPED_MARGIN.fullmatch(words_in_english(typed, margins))
            assert found is not None, typed
            assert (found["before"] or found["behind"]) == side
    for typed in (f"{texts['style']} total {texts['bold']}", "style total bold"):
        assert style_entries.TYPED_STYLE.fullmatch(words_in_english(typed, styles)), typed


DAYS = st.sampled_from(["every_day", "working_days", "weekdays", "days_of_month", "working_day_of_month",
                        "weekday_of_month"])  # fmt: skip


@st.composite
def timetables(draw: st.DrawFn) -> Timetable:
    """Timetables of every kind."""
    days = draw(DAYS)
    numbers = st.integers(-3, 28).filter(bool)
    entries: dict[str, Any] = {"days": days, "time_zone": draw(st.sampled_from(["UTC", "Europe/Dublin"]))}
    entries["months"] = tuple(draw(st.lists(st.integers(1, 12), max_size=3, unique=True)))
    if days in ("weekdays", "weekday_of_month"):
        most = 3 if days == "weekdays" else 1
        entries["weekdays"] = tuple(draw(st.lists(st.integers(0, 6), min_size=1, max_size=most, unique=True)))
    if days == "days_of_month":
        entries["days_of_month"] = tuple(draw(st.lists(numbers, min_size=1, max_size=3, unique=True)))
    if days.endswith("_of_month") and days != "days_of_month":
        entries["nth"] = draw(st.sampled_from([1, 2, 3, 4, -1]))
    if days in ("every_day", "working_days", "weekdays") and draw(st.booleans()):
        return Timetable(**entries, every_minutes=draw(st.sampled_from([1, 15, 60, 120])), since="08:00", until="18:00")
    return Timetable(
        **entries, times=tuple(draw(st.lists(st.sampled_from(["06:00", "14:30"]), min_size=1, unique=True)))
    )


@pytest.mark.parametrize("language", TRANSLATED)
def test_timetables_are_written_and_read_in_the_language(qapp: QApplication, language: str) -> None:
    catalogue = Catalogue(catalogue_texts(language), qapp)
    qapp.installTranslator(catalogue)
    try:
        assert shown_timetable("the 1st and last day of the month at 18:00 in Europe/Dublin") != (
            "the 1st and last day of the month at 18:00 in Europe/Dublin"
        )

        @given(timetables())
        def check(table: Timetable) -> None:
            words = timetable_words(table)
            shown = shown_timetable(words)
            assert read_timetable(typed_timetable(shown)) == read_timetable(words), shown
            assert read_timetable(typed_timetable(words)) == read_timetable(words)  # what is typed in English

        check()
        for example in EXAMPLES:
            assert not {"every", "the", "day", "at", "and", "of"} & set(shown_timetable(example).split()), example
    finally:
        qapp.removeTranslator(catalogue)
    assert shown_timetable("every day at 06:00") == "every day at 06:00"


@pytest.mark.parametrize("language", TRANSLATED)
def test_periods_are_shown_and_typed_in_the_language_of_the_window(language: str, qapp: QApplication) -> None:
    phrases = [phrase.format("30") if "last {}" in phrase else phrase.format("this week") for phrase in PERIOD_PHRASES]
    catalogue = Catalogue(catalogue_texts(language), qapp)
    qapp.installTranslator(catalogue)
    try:
        shown = [shown_period(phrase) for phrase in phrases]
        assert [typed_period(text) for text in shown] == phrases
        assert not set(shown) & set(phrases), "each is translated"
        assert typed_period("Last FULL month/ tomorrow ") == "Last FULL month/ tomorrow ", "English stays"
        assert typed_period(f"{shown_period('today')}/2026-02-01") == "today/2026-02-01"
    finally:
        qapp.removeTranslator(catalogue)
    assert shown_period("last full month") == "last full month"


@pytest.mark.parametrize("language", TRANSLATED)
def test_every_text_has_a_translation_that_takes_what_is_filled_in(language: str) -> None:
    known, wanted = catalogue_texts(language), {form for text in interface_texts() for form in each(text)}
    assert wanted - known.keys() == set(), "scripts/texts adds them to the catalogue"
    assert known.keys() - wanted == set(), "scripts/texts drops them from the catalogue"
    for text, translated in known.items():
        assert filled_in(text) == filled_in(translated)
        assert ("&" in text) == ("&" in translated), f"a letter of {text!r} is its key"
        assert (text[:1] == " ", text[-1] == " ") == (translated[:1] == " ", translated[-1] == " "), text


def shape_of(guide: str) -> tuple[list[str], set[str], list[str], list[str]]:
    """What is the same of a guide in all languages: what its lines are, code in texts, code of its own, and links."""
    prose = re.sub(r"(?m)^( {4,}|```).*$", "", guide)
    kinds = [line[0] for line in guide.splitlines() if re.match(r"#|\|(?!---)|\d\. |- |    ", line)]
    code = [re.split(r"\s{3,}|\s+#", line.strip())[0] for line in guide.splitlines() if line.startswith("    ")]
    links = [re.sub(r"^\.\./|#.*", "", link) for link in re.findall(r"\]\(([^)]+)\)", prose)]
    return kinds, {" ".join(each.split()) for each in re.findall(r"`([^`]+)`", prose)}, code, links


@pytest.mark.parametrize("language", TRANSLATED)
@pytest.mark.parametrize("guide", GUIDES)
def test_a_guide_says_the_same_in_every_language(language: str, guide: str) -> None:
    english, translated = (
        shape_of("\n".join(topic.text for topic in topics(each) if topic.guide == guide)) for each in ("en", language)
    )
    assert translated[0] == english[0], "as many headings, rows of tables, items and lines of code, in the same order"
    assert english[1] - translated[1] == set(), "all code in its texts"
    assert translated[2:] == english[2:], "the same code and links"
    titles = [topic.title for topic in topics(language) if topic.guide == guide]
    assert not set(titles) & {topic.title for topic in topics("en")} - {"Parameter", "PDF"}


def test_the_help_is_in_the_language_of_the_window(qtbot: QtBot) -> None:
    use_spelling("de")
    try:
        explained = QLabel()
        qtbot.addWidget(explained)
        guides = Help(explained, lambda: [("Drucken", "Ctrl+P")], lambda: "level")
        guides.explain()
        shown = guides.opened
        assert shown is not None
        qtbot.addWidget(shown)
        assert shown.list.currentItem().text() == "Tabellen › Ebenen"
        shown.text.anchorClicked.emit(QUrl("tables.md#herkunft"))
        assert shown.text.toPlainText().startswith("Herkunft\nF8, dann ein Klick auf eine Zahl")
        document = shown.text.document()
        assert document.begin().next().blockFormat().bottomMargin() > 0, "paragraphs have room between them"
    finally:
        use_spelling("en")


def seen_in(language: str, report: Path, pictures: Path) -> dict[str, Any]:
    """What is seen in the window of a process of its own."""
    command = [sys.executable, "-m", "tests.app.language_window", str(report), str(pictures), language]
    done = subprocess.run(command, capture_output=True, text=True, timeout=120, env={**os.environ, "LANG": "C.UTF-8"})
    assert done.returncode == 0, done.stderr
    found: dict[str, Any] = json.loads(done.stdout)
    return found


@pytest.mark.slow
@pytest.mark.parametrize("language", TRANSLATED)
def test_the_window_shows_no_text_in_english_and_cuts_none(language: str, demo: Path, tmp_path: Path) -> None:
    known = catalogue_texts(language)
    own = {"Year", "Season", "Ports", "Route", "Month", "Sailings", "Tickets", "Fares"}  # those of the report
    seen = seen_in(language, demo / REPORT, tmp_path)
    assert {text for text in seen["texts"] if known.get(text, text) != text} - own == set()
    assert len({text for text in seen["texts"] if text in known.values()}) > 150
    assert seen["cut"] == []


@pytest.mark.slow
@pytest.mark.parametrize("language", TRANSLATED)
def test_what_the_core_says_in_the_window_is_in_its_language(language: str, demo: Path, tmp_path: Path) -> None:
    report = demo / "reports" / "last-hour.moor"
    own, english = report.read_text(encoding="utf-8"), re.compile(r"\b(the|are|is|which|each|its|has|runs)\b")
    shown = {re.sub(r" \(:\w+\)$", "", text) for text in seen_in(language, report, tmp_path)["texts"]}
    assert {text for text in shown if english.search(text) and json.dumps(text)[1:-1] not in own} == set()


@pytest.mark.slow
def test_texts_that_are_four_tenths_longer_have_room(demo: Path, tmp_path: Path) -> None:
    seen = seen_in("longer", demo / REPORT, tmp_path)
    assert sum("ẽ" in text for text in seen["texts"]) > 250
    assert (seen["cut"], seen["width"]) == ([], 1280)


@pytest.fixture(params=TRANSLATED)
def sentences(request: pytest.FixtureRequest) -> Iterator[dict[str, str]]:
    """The core's sentences in a language, which it is until the test is over."""
    known = catalogue_texts(request.param, CORE)
    use_sentences(known)
    yield known
    use_sentences({})


@pytest.mark.slow
def test_every_sentence_of_the_core_is_recognised_and_given_in_the_language(sentences: dict[str, str]) -> None:
    wanted = core_sentences()
    assert set(wanted) == sentences.keys(), "scripts/texts brings the catalogue up to date"
    for template in wanted:
        places = [name for _, name, _, _ in Formatter().parse(template) if name is not None]
        endings = {name for name in places if re.search(rf"[a-z]\{{{name}\}}", template)}  # the s of many
        translated = sentences[template]
        assert set(places) - set(filled_in(translated)) <= endings, template
        values = ["" if name in endings else f"«{name}»" for name in places]
        assert core_text(template.format(*values)) == translated.format(*values), template


def test_what_the_core_finds_is_shown_in_the_language(sentences: dict[str, str], qtbot: QtBot) -> None:
    panel = PreflightPanel()
    qtbot.addWidget(panel)
    hint = sentences["Did you mean {0}?"].format("fare")
    message = sentences["The query {0} has no column {1}."].format("fares", "fair")
    remedies = (Remedy("Use fare", values={"x": 1}),)
    said = "The query fares has no column fair. Did you mean fare?"
    panel.show_findings([Finding("r", Place(query="fares"), said, True, remedies)])
    assert f"{message} {hint}" in {label.text() for label in panel.findChildren(QLabel)}
    assert sentences["Use {0}"].format("fare") in {button.text() for button in panel.findChildren(QPushButton)}
    error = QueryError("There is no table fars. Did you mean fares?", Place(query="fares"))
    words = (sentences["There is no table {0}."].format("fars"), sentences["Did you mean {0}?"].format("fares"))
    assert core_text(error).endswith(": " + " ".join(words))
    assert core_text("what nobody knows stays") == "what nobody knows stays"
