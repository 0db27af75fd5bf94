"""Lengths: read exactly, written so that they read back."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.model.lengths import format_length, in_unit, parse_length


@pytest.mark.parametrize(
    ("text", "millipoints"),
    [("1in", 72_000), ("9pt", 9_000), ("25.4mm", 72_000), ("2.54cm", 72_000), ("0.5 pt", 500), ("-3pt", -3_000)],
)
def test_reads_every_unit_exactly(text: str, millipoints: int) -> None:
    assert parse_length(text) == millipoints


@pytest.mark.parametrize("text", ["", "12", "mm", "1e3mm", "12 px", "99999mm", True, None, 1.5])
def test_refuses_what_is_no_length(text: object) -> None:
    with pytest.raises(ValueError, match=r"no length|longer than"):
        parse_length(text)  # type: ignore[arg-type]


@given(st.integers(-50_000_000, 50_000_000))
def test_what_is_written_reads_back(length: int) -> None:
    assert parse_length(format_length(length)) == length


@given(st.integers(0, 50_000).map(lambda tenths: f"{tenths // 10}.{tenths % 10}mm"))
def test_millimetres_stay_as_typed(text: str) -> None:
    shown = in_unit(parse_length(text), "mm", 1)
    assert f"{shown}mm" == text
