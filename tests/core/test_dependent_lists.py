"""Lists of parameters that depend on other parameters."""

from collections.abc import Callable

import pytest

from northmoor.core.authoring.queries.dependent_lists import narrow_list, narrowing_columns
from northmoor.core.authoring.table_commands import filter_by_parameter
from northmoor.core.model.report import Report
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, report_of, table_of


def offered(report: Report, name: str, library: Library) -> set[str]:
    (parameter,) = (each for each in report.parameters if each.name == name)
    return set(narrowing_columns(report, parameter, library, lambda _: ["route", "vessel", "pieces_count"]))


@pytest.mark.parametrize("other", ["vessel", "pieces_count"])  # the second ends like the number of a list's values
def test_a_list_is_narrowed_once_and_not_in_a_circle(library: Callable[[str], Library], other: str) -> None:
    report, own = report_of(table_of("route", "vessel")), library(FREIGHT)
    for field in ("route", other):
        report = filter_by_parameter(report, "main", "table", field, "text", None)
    assert offered(report, "route", own) == {other}
    assert offered(report, other, own) == {"route"}
    report = narrow_list(report, "route", other, other, own)
    assert offered(report, "route", own) == offered(report, other, own) == set()
