"""Texts of several looks: lines, tab stops, lists and links, where they are to the millipoint."""

from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.base.cache import GenerationalCache
from northmoor.core.document import Document
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.layout.context import LayoutContext, Shapers
from northmoor.core.layout.graphics.display_list import SourceRef
from northmoor.core.layout.inline.rich_text import InlineRun, make_rich_text
from northmoor.core.layout.page.hit_testing import hit_map
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.text import TabStop, TextBlock, TextRun
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.styles import NamedStyle, ResolvedStyle, Style
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, dumped, examples, render, report_of

MakeLibrary = Callable[[str], Library]
LEFT = 56_693 + 2_000  # the margin and a text's inset
ROOM = 595_276 - 2 * LEFT


def bits(document: Document, block: str = "text") -> list[dict[str, Any]]:
    """The pieces of a text, in painting order, with places in millipoints."""
    found = [i for page in dumped(document)["pages"] for i in page["items"] if i["origin"]["block"] == block]
    return [i | {k: round(i[k] * 1000) for k in ("x", "y", "width", "height")} for i in found if i["kind"] == "text"]


def text(said: str = "", *runs: TextRun, **more: Any) -> TextBlock:
    return TextBlock(name="text", text=said, runs=runs, **more)


def test_runs_have_looks_of_their_own_on_one_baseline(library: MakeLibrary) -> None:
    loud = NamedStyle(name="loud", bold=True, color="#B3402E")
    block = text(
        "Due: ", TextRun(text="{sum(rows.charge)}", style="loud", look=Style(size=18_000)), TextRun(text=" net")
    )
    first, second, third = bits(render(report_of(block, styles=(loud,)), library(FREIGHT)))
    assert [first["text"], second["text"], third["text"]] == ["Due: ", "167.90", " net"]
    assert second["font"].endswith("Bold")
    assert (second["size"], second["color"]) == (18.0, "#b3402e")
    assert first["baseline"] == second["baseline"] == third["baseline"]
    assert (first["x"], second["x"]) == (LEFT, LEFT + first["width"])
    assert third["x"] == second["x"] + second["width"]


WORDS = st.lists(st.tuples(st.text("abc -/", min_size=0, max_size=30), st.booleans()), min_size=1, max_size=8)


@settings(max_examples=examples(60), deadline=None)
@given(runs=WORDS, width=st.integers(20_000, 200_000), align=st.sampled_from(["start", "center", "end"]))
def test_nothing_is_lost_or_drawn_outside(runs: list[tuple[str, bool]], width: int, align: Any) -> None:
    report = report_of()
    setting = LayoutContext(
        report,
        FormatLocale("en_IE", "EUR", "Europe/Dublin"),
        Shapers(),
        GenerationalCache(),
        lambda _: pytest.fail("read"),
    )
    looks = {
        on: ResolvedStyle(bold=on, size=11_000 if on else 9_000, align=align, break_words="anywhere")
        for on in (True, False)
    }
    made = make_rich_text([InlineRun(said, looks[on]) for said, on in runs], looks[False], "none", (), width, SourceRef("t", "text"),
                          setting)  # fmt: skip
    shown = "".join(bit.text for line in made.lines for bit in line.fragments)
    assert shown.replace(" ", "") == "".join(said for said, _ in runs).replace(" ", "")
    for line in made.lines:
        for before, bit in zip((None, *line.fragments), line.fragments, strict=False):
            assert bit.x >= 2_000
            assert bit.x + bit.width <= max(width - 2_000, 2_000 + bit.width)
            assert before is None or before.x + before.width <= bit.x
    assert made.height == sum(line.height for line in made.lines) + 2 * looks[False].padding


def test_runs_are_hyphenated_and_a_word_that_does_not_fit_is_cut_and_reported(library: MakeLibrary) -> None:
    runs = ("Winter", TextRun(text="fahrplan", look=Style(bold=True)))
    narrow = PageSetup(size="A6", columns=4, column_gap=12_000)
    report = report_of(text(*runs, look=Style(break_words="hyphenate")), page=narrow, locale="de_DE")
    assert [bit["text"] for bit in bits(render(report, library(FREIGHT)))] == ["Winter-", "fahr-", "plan"]
    document = render(report_of(text(*runs), page=narrow, locale="de_DE"), library(FREIGHT))
    (cut,) = bits(document)
    assert cut["text"].endswith("…")
    assert [finding.rule for finding in document.findings] == ["does not fit"]


def test_tabs_lead_to_their_stops(library: MakeLibrary) -> None:
    stops = (TabStop(at=200_000, align="end", leader="dots"), TabStop(at=300_000, align="center"))
    document = render(report_of(text("Freight\t12.50\tpaid\tx", tabs=stops)), library(FREIGHT))
    by_text = {bit["text"]: bit for bit in bits(document)}
    assert by_text["12.50"]["x"] + by_text["12.50"]["width"] == LEFT + 200_000
    assert by_text["paid"]["x"] + by_text["paid"]["width"] // 2 == pytest.approx(LEFT + 300_000, abs=1)
    assert (by_text["x"]["x"] - LEFT) % 36_000 == 0  # after the last stop, one every 36pt
    (dots,) = [bit for said, bit in by_text.items() if set(said) <= {".", " "}]
    assert by_text["Freight"]["x"] + by_text["Freight"]["width"] < dots["x"]
    assert dots["x"] + dots["width"] < by_text["12.50"]["x"]


def test_items_of_lists_are_marked_counted_and_hang(library: MakeLibrary) -> None:
    long = "word " * 40
    document = render(report_of(text(f"one\n\tinner\n\tinner two\n{long}\n\nagain", marker="number")), library(FREIGHT))
    found = bits(document)
    marks = [bit["text"] for bit in found if bit["text"].endswith(".")]
    assert marks == ["1.", "1.", "2.", "2.", "1."]  # an empty line ends the list
    lines = [bit for bit in found if bit["text"].startswith("word")]
    assert len(lines) > 1
    assert len({bit["x"] for bit in lines}) == 1  # the second line hangs below the first, not below the number
    assert next(bit for bit in found if bit["text"] == "inner")["x"] > lines[0]["x"]


def test_a_long_text_of_runs_goes_on_over_pages(library: MakeLibrary) -> None:
    block = text("", *(TextRun(text=f"line {n}\n", look=Style(bold=n % 2 == 0)) for n in range(300)))
    document = render(report_of(block), library(FREIGHT))
    assert len(document) > 3
    assert [bit["text"] for bit in bits(document)] == [f"line {n}" for n in range(300)]
    assert all(bit["y"] + bit["height"] <= 841_890 - 56_693 for bit in bits(document))


def test_texts_open_addresses_with_the_values_of_their_record(library: MakeLibrary) -> None:
    block = text(
        "{vessel} ", TextRun(text="bookings", link="other.moor?vessel={vessel}&day={max(day)}"),
        link="https://tarrow.example/{vessel}",
    )  # fmt: skip
    each = ForEachBlock(name="each", query="rows", by="vessel", page_break="none", blocks=(block,))
    sql = "select 'A & ' || vessel as vessel, day from lines"
    document = render(report_of(each, sql=sql), library(FREIGHT))
    found = [i for i in dumped(document)["pages"][0]["items"] if i["kind"] == "link"]
    assert [i["target"] for i in found] == [
        "https://tarrow.example/A%20%26%20Curlew", "other.moor?vessel=A%20%26%20Curlew&day=2025-01-05",
        "https://tarrow.example/A%20%26%20Dunlin", "other.moor?vessel=A%20%26%20Dunlin&day=2025-01-04",
    ]  # fmt: skip
    regions = [region.link for region in hit_map(document.composition, 0).regions if region.link]
    assert regions == [i["target"] for i in found]


def test_a_link_that_leads_nowhere_and_a_faulty_run_are_reported(library: MakeLibrary) -> None:
    block = text("ok ", TextRun(text="{no_such(1)}"), TextRun(text="there", link="#nowhere"))
    document = render(report_of(block), library(FREIGHT))
    shown = {bit["text"]: bit for bit in bits(document)}
    assert any("⚠" in said and bit["color"] == "#b3402e" for said, bit in shown.items())
    assert "ok" in {said.strip() for said in shown}
    assert any("no_such" in finding.message for finding in document.findings)
