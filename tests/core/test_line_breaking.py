"""Line breaking: where lines may end, by the Unicode algorithm; nothing broken that must not be; hyphenation."""

import icu
import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.layout.text import break_opportunities
from northmoor.core.layout.text.break_opportunities import Breaking, graphemes, line_ends, opportunities
from northmoor.core.layout.text.line_breaking import truncate, widest_piece, wrap
from northmoor.core.layout.text.shaping import Shaper

SHAPER = Shaper("IBMPlexSans-Regular")
SIZE = 9000
TEXTS = st.text(alphabet="abcdé 12,.-–/€%()\n漢字。「」W\u00ad\u200b\u00a0😀", max_size=60)
WAYS = st.sampled_from([Breaking(), Breaking("hyphenate", "de_DE"), Breaking("anywhere")])


def width(text: str) -> int:
    return SHAPER.width(text, SIZE)


def pieces(text: str) -> list[str]:
    ends = line_ends(text)
    return [text[start:end] for start, end in zip([0, *ends], ends, strict=False)]


def icus_own(text: str) -> list[int]:
    """Line ends as ICU gives them, for texts whose characters are one unit of UTF-16 each."""
    iterator = icu.BreakIterator.createLineInstance(icu.Locale.getRoot())
    iterator.setText(text)
    return list(iterator)


@given(st.text(alphabet="abcXYZéØß  ", max_size=40))
def test_texts_of_letters_are_broken_as_icu_breaks_them(text: str) -> None:
    assert line_ends(text) == icus_own(text)


@given(st.text(alphabet="ab c(.)!?%€,;:-–/'“”漢字。「」", max_size=40))
def test_texts_without_digits_are_broken_as_icu_breaks_them(text: str) -> None:
    assert line_ends(text) == icus_own(text)


@given(
    st.lists(
        st.sampled_from(
            ["word", "08:15–09:45", "TR/2026-114", "漢字。", "!", "(a", "b)", "-5", "10", "%", "a-b", "“c”"]
        )
    )
)
def test_a_long_text_may_be_broken_where_a_short_one_may(words: list[str]) -> None:
    text = " ".join(words)
    with pytest.MonkeyPatch.context() as patched:
        patched.setattr(break_opportunities, "_STRETCH", 24)
        assert [place.end for place in opportunities(text, Breaking())] == line_ends(text)


@pytest.mark.parametrize(
    ("text", "wanted"),
    [
        ("-5 to +6,107.80 kr", ["-5 ", "to ", "+6,107.80 ", "kr"]),
        ("−5,5 % und 5\u00a0kg", ["−5,5 ", "% ", "und ", "5\u00a0kg"]),
        ("2026-11-05 08:15–09:45", ["2026-11-05 ", "08:15–09:45"]),
        ("TR/2026-114 well-kept", ["TR/2026-114 ", "well-", "kept"]),
        ("https://a.example/2026/11", ["https://", "a.example/", "2026/11"]),
        ("次の「行」です。", ["次", "の", "「行」", "で", "す。"]),
        ("a😀b c", ["a", "😀", "b ", "c"]),
    ],
)
def test_signs_figures_codes_and_brackets_stay_together(text: str, wanted: list[str]) -> None:
    assert pieces(text) == wanted


@given(TEXTS, st.integers(0, 80_000), WAYS)
def test_lines_fit_and_lose_nothing_but_what_is_reported(text: str, room: int, breaking: Breaking) -> None:
    found = wrap(text, SHAPER, SIZE, room, breaking)
    assert all(width(line) <= room for line in found.lines)
    if not found.unfit:
        plain = str.maketrans("", "", " \n\u00ad" + ("-" if breaking.words == "hyphenate" or "\u00ad" in text else ""))
        assert "".join(found.lines).translate(plain) == text.translate(plain)


@given(TEXTS, WAYS)
def test_above_its_least_width_nothing_of_a_text_is_unfit_and_below_it_something_is(text: str, way: Breaking) -> None:
    least = widest_piece(pa.array([text]), SHAPER, SIZE, way)
    assert not wrap(text, SHAPER, SIZE, least, way).unfit
    if way.words != "anywhere" and least:
        assert wrap(text, SHAPER, SIZE, least - 1, way).unfit


@given(st.decimals(-(10**9), 10**9, places=2), st.integers(0, 60_000), WAYS)
def test_a_number_is_whole_or_hash_marks(number: object, room: int, way: Breaking) -> None:
    text = f"{number:,}"
    (line,) = wrap(text, SHAPER, SIZE, room, way).lines
    assert line == text if width(text) <= room else set(line) <= {"#"}


def test_words_are_hyphenated_where_their_language_allows_and_only_where_asked() -> None:
    text, room = "Fahrgastzahlen Winterfahrplan", width("Fahrgastzah")
    assert wrap(text, SHAPER, SIZE, room, Breaking("hyphenate", "de_DE")).lines == (
        "Fahrgast-", "zahlen Win-", "terfahrplan",
    )  # fmt: skip
    assert wrap(text, SHAPER, SIZE, room).unfit == 2
    assert wrap("Fahr\u00adgast", SHAPER, SIZE, width("Fahrga"), Breaking()).lines == ("Fahr-", "gast")
    assert wrap("Fahr\u00adgast", SHAPER, SIZE, width("Fahrgast"), Breaking()).lines == ("Fahrgast",)
    assert not any(place.mark for place in opportunities("Nothing2026 ABCDEFGHIJ", Breaking("hyphenate", "en_IE")))


def test_a_long_word_is_parted_anywhere_only_where_asked_and_between_what_readers_see_as_characters() -> None:
    key, room = "9f86d081884c7d659a2feaa0c55ad015", width("9f86d081")
    lines = wrap(key, SHAPER, SIZE, room, Breaking("anywhere")).lines
    assert len(lines) > 3
    assert "".join(lines) == key
    assert set(wrap(key, SHAPER, SIZE, room).lines[0]) == {"#"}
    assert graphemes("e\u0301👩‍🚀x") == ["e\u0301", "👩‍🚀", "x"]


@given(TEXTS, st.integers(0, 40_000))
def test_what_is_cut_ends_with_an_ellipsis_within_its_room(text: str, room: int) -> None:
    cut = truncate(text, SHAPER, SIZE, room)
    assert cut == text or cut.endswith("…") or not cut
    assert width(cut.rstrip(" ")) <= room
