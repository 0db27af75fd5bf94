"""What is counted while a report is laid out: findings of several parts, and pages and columns before an odd page."""

from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.base.cache import GenerationalCache
from northmoor.core.errors import Place
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.layout.context import LayoutContext, Shapers
from northmoor.core.layout.table.pagination import Body
from tests.helpers import report_of


def setting_of() -> LayoutContext:
    report = report_of()
    format_locale = FormatLocale(report.locale, report.currency, report.time_zone)
    return LayoutContext(report, format_locale, Shapers(), GenerationalCache(), Path)


def said(count: int) -> str:
    return f"{count} cells are faulty."


def messages(setting: LayoutContext) -> list[tuple[str | None, str]]:
    return [(finding.place.column, finding.message) for finding in setting.findings]


def test_what_parts_find_is_one_finding_with_the_sum() -> None:
    setting = setting_of()
    first, second = setting.of_part(1), setting.of_part(2)
    place, other = Place(block="table", column="a"), Place(block="table", column="b")
    first.count("faulty cell", place, 3, said)
    second.count("faulty cell", other, 1, said)
    second.count("faulty cell", place, 4, said)
    assert messages(setting) == [("a", "7 cells are faulty."), ("b", "1 cells are faulty.")]
    first.count("faulty cell", place, 3, said)  # laid out again
    assert messages(setting) == [("a", "7 cells are faulty."), ("b", "1 cells are faulty.")]


def test_another_fault_at_the_same_place_is_a_finding_of_its_own() -> None:
    setting, place = setting_of(), Place(block="table")
    setting.count("faulty cell", place, 2, said)
    setting.count("faulty cell", place, 2, lambda count: f"{count} others.")
    setting.find("faulty cell", place, "2 others.")
    assert [message for _, message in messages(setting)] == ["2 cells are faulty.", "2 others."]


def test_a_part_has_lines_of_its_own() -> None:
    setting = setting_of()
    part = setting.of_part(1)
    before = setting.shapers.lines()
    part.shapers.of("IBMPlexSans-Regular").add(["a", "b"])
    assert setting.shapers.lines() == before
    assert part.findings is setting.findings


@given(st.integers(1, 9), st.integers(1, 6), st.data())
def test_an_odd_page_is_the_next_one_that_begins(number: int, areas: int, data: st.DataObject) -> None:
    area = data.draw(st.integers(0, areas - 1))
    page = data.draw(st.integers(0, 20))
    body = Body(1000, 0, number, area, areas)
    skipped = body.before_odd(page)
    at = area + page + skipped
    assert at % areas == 0
    assert (number + at // areas) % 2 == 1
    assert 0 <= skipped < 2 * areas
    passed = range(area + page, at)
    assert not any(each % areas == 0 and (number + each // areas) % 2 for each in passed)


@pytest.mark.parametrize(("number", "page", "skipped"), [(1, 0, 0), (1, 1, 1), (2, 0, 1), (2, 1, 0)])
def test_a_page_of_one_area_is_odd_by_its_number(number: int, page: int, skipped: int) -> None:
    assert Body(1000, 0, number).before_odd(page) == skipped
