"""Parts of arranged tables: each has what the whole has in its rows and groups, counted from its own first ones."""

from collections.abc import Callable

import numpy as np
import pytest
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from northmoor.core.compute.evaluate.scope_names import DETAIL
from northmoor.core.compute.groups.boundaries import ScopedExpression
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.compute.table.partitions import can_be_partitioned, partition, partition_bounds
from northmoor.core.model.blocks.chart import Chart, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.table import Cell, Row
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, examples, level_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
Lines = list[tuple[int, int, int]]
LINES = st.lists(st.tuples(st.integers(0, 4), st.integers(0, 2), st.integers(-3, 3)), min_size=1, max_size=40)


def arranged_of(library: MakeLibrary, lines: Lines) -> TableData:
    """Lines of two levels with a figure in each scope, some of them faulty, in an order of their own."""
    values = ", ".join(map(str, lines))
    script = f"create table lines (who integer, kind integer, n integer); insert into lines values {values};"
    levels = (
        level_of("who", order="descending", heading=(row_of(n="sum(n) + count(*) over report"),)),
        level_of("kind", total=(row_of(n="cast('no number' as integer) * n"),)),
    )
    table = table_of("n", "who", levels=levels, order=(), total=(row_of(n="count(*)"),))
    document = render(
        report_of(table.but(columns=(*table.columns, table.columns[0].but(name="x", value="8 // n")))), library(script)
    )
    found = document.composition.data["table"]
    assert isinstance(found, TableData)
    return found


@settings(max_examples=examples(25), suppress_health_check=[HealthCheck.function_scoped_fixture], deadline=None)
@given(lines=LINES, depth=st.integers(1, 2), ends=st.tuples(st.integers(0, 30), st.integers(0, 30)))
def test_a_part_has_what_the_whole_has_there(
    library: MakeLibrary, lines: Lines, depth: int, ends: tuple[int, int]
) -> None:
    whole = arranged_of(library, lines)
    level = whole.levels[depth - 1]
    first = min(ends) % len(level)
    end = first + 1 + max(ends) % (len(level) - first)
    part = partition(whole, depth, first, end)
    row, stop = int(level.starts[first]), int(level.starts[end])
    assert part.whole is whole
    assert part.rows == stop - row
    assert part.fetched().tolist() == whole.fetched(row, stop).tolist()
    assert part.first(DETAIL) == row
    assert part.first(depth) == first
    assert part.first(0) == 0
    for number in range(part.rows):
        assert part.keys(number, 2) == whole.keys(row + number, 2)
    for scope, (own, other) in enumerate(zip(part.levels, whole.levels, strict=True), 1):
        begin = part.first(scope)
        held = other.starts[begin : begin + len(own) + 1]
        assert own.starts.tolist() == [min(max(int(at), row), stop) - row for at in held]
        assert own.keys.to_pylist() == other.keys[begin : begin + len(own)].to_pylist()
        assert own.starts[0] == 0
        assert own.starts[-1] == part.rows
    for want, computed in part.cells.items():
        _has_the_same(part, whole, want)
        assert computed.fault is whole.cells[want].fault


def _has_the_same(part: TableData, whole: TableData, want: ScopedExpression) -> None:
    """Whether a part has a figure's values and faults where the whole has them."""
    own, all_of_them = part.cells[want], whole.cells[want]
    begin = part.first(want.scope)
    count = len(own.values)
    assert own.values.to_pylist() == all_of_them.values[begin : begin + count].to_pylist()
    faults = {at - begin: fault for at, fault in all_of_them.faults.items() if begin <= at < begin + count}
    assert dict(own.faults) == faults


@given(sizes=st.lists(st.integers(1, 9), max_size=30), rows=st.integers(1, 40))
def test_cuts_make_parts_of_whole_groups_of_about_so_many_rows(sizes: list[int], rows: int) -> None:
    starts = np.concatenate([[0], np.cumsum(sizes, dtype=np.int64)])
    found = partition_bounds(starts, rows)
    if not sizes:
        assert found == []
        return
    assert found[0] == 0
    assert found == sorted(set(found))
    assert found[-1] < len(sizes)
    held = np.diff([*starts[found], starts[-1]]).tolist()
    assert sum(held) == sum(sizes)
    largest = max(sizes)
    assert all(rows - largest < size < rows + largest for size in held[:-1])
    assert held[-1] < rows + largest


def test_trees_charts_and_matrices_are_not_cut(library: MakeLibrary) -> None:
    chart = Chart(category=ChartLevel(name="vessel", by="vessel"), measures=(ChartMeasure(name="n", value="count(*)"),))
    drawn = level_of("route", heading=(Row(cells=(Cell(column="charge", chart=chart),)),))
    made = library(FREIGHT)
    for level, is_cut in ((level_of("route"), True), (drawn, False), (level_of("route", parent="vessel"), False)):
        found = render(report_of(table_of("charge", levels=(level,))), made).composition.data["table"]
        assert isinstance(found, TableData)
        assert can_be_partitioned(found) is is_cut


@pytest.mark.parametrize(("order", "numbers"), [("n", [0, 1, 2, 3]), ("n desc", [3, 2, 1, 0])])
def test_rows_tell_which_of_the_fetched_they_are(library: MakeLibrary, order: str, numbers: list[int]) -> None:
    script = "create table lines (n integer); insert into lines values (0), (1), (2), (3);"
    table = table_of("n", levels=(level_of("n"),))
    document = render(report_of(table, sql=f"select n from lines order by {order}"), library(script))
    found = document.composition.data["table"]
    assert isinstance(found, TableData)
    assert (found.source is None) == (order == "n")  # as they were fetched, they need no numbers
    assert found.fetched().tolist() == numbers
    assert found.fetched(1, 3).tolist() == numbers[1:3]
