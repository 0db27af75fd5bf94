"""The sides of a matrix by themselves: each row of the data is in the groups of its keys, in order, and none is lost."""

from collections.abc import Sequence
from datetime import date, datetime
from itertools import pairwise
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.crosstab.evaluation import crosstab_plan, sides_of
from northmoor.core.compute.crosstab.group_axes import Axis
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import LayoutError
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.values.parameter_values import Values
from tests.core.test_matrix import level, matrix_of
from tests.helpers import examples

KEYS = st.lists(st.tuples(st.sampled_from(["a", "b", "c", None]), st.sampled_from([3, 1, 2, None]), st.integers(-5, 5)),
                min_size=1, max_size=40)  # fmt: skip


def rows_of(**columns: Sequence[Any]) -> dict[str, Rows]:
    table = pa.table({name: pa.array(values) for name, values in columns.items()})
    return {"rows": Rows("rows", table, (), datetime(2025, 1, 1))}


def sides(matrix: MatrixBlock, rows: dict[str, Rows]) -> tuple[Axis, Axis]:
    found = sides_of(crosstab_plan(matrix), rows, Values(), CancelToken(), "number")
    order = found.rows_in.table.column("number").to_pylist()
    assert order == list(range(len(rows["rows"].table)))  # each row as it came
    return found.rows, found.columns


def in_order(keys: set[tuple[Any, ...]]) -> list[tuple[Any, ...]]:
    """Combinations of keys as groups are ordered: what is missing last."""
    return sorted(keys, key=lambda each: [(part is None, part if part is not None else "") for part in each])


@settings(max_examples=examples(60), deadline=None)
@given(KEYS)
def test_each_row_is_in_the_groups_of_its_keys(given_rows: list[tuple[Any, ...]]) -> None:
    route, month, fares = (list(part) for part in zip(*given_rows, strict=True))
    data = rows_of(route=pa.array(route, pa.string()), month=pa.array(month, pa.int64()), fares=fares)
    matrix = matrix_of("sum(fares)", rows=(level("route"), level("month")), columns=(level("month", name="across"),))
    rows, columns = sides(matrix, data)
    wanted = in_order(set(zip(route, month, strict=True)))
    assert [rows.keys(2, group) for group in range(rows.size(2))] == wanted
    assert [rows.keys(1, group)[0] for group in range(rows.size(1))] == list(dict.fromkeys(key for key, _ in wanted))
    for depth in (1, 2):
        numbers = rows.of_rows(depth).tolist()
        assert [rows.keys(depth, n) for n in numbers] == [pair[:depth] for pair in zip(route, month, strict=True)]
    assert rows.of_rows(0).tolist() == [0] * len(route)
    assert [columns.keys(1, n)[0] for n in columns.leaf_of_row.tolist()] == month


def test_groups_lie_in_those_around_them() -> None:
    data = rows_of(route=["b", "a", "b", "a"], month=[1, 1, 2, 1])
    rows, columns = sides(matrix_of("count(*)", rows=(level("route"), level("month")), columns=()), data)
    assert (rows.depth, [rows.size(depth) for depth in (0, 1, 2)]) == (2, [1, 2, 3])
    assert (rows.around(2, 1).tolist(), rows.around(2, 0).tolist()) == ([0, 1, 1], [0, 0, 0])
    assert (columns.depth, columns.size(0), columns.leaf_of_row.tolist()) == (0, 1, [0] * 4)


@pytest.mark.parametrize("by", ["month", "quarter", "year", "week", "day"])
def test_periods_are_filled_from_the_first_to_the_last(by: str) -> None:
    days = [date(2024, 11, 30), date(2025, 2, 3), None, date(2024, 11, 4)]
    text = f"date_trunc('{by}', day)"
    rows, _ = sides(matrix_of("count(*)", rows=(level(text, name="period", fill="period"),)), rows_of(day=days))
    found = [key.date() for (key,) in (rows.keys(1, group) for group in range(rows.size(1))) if key is not None]
    longest = {"day": 1, "week": 7, "month": 31, "quarter": 92, "year": 366}[by]
    assert all(0 < (later - earlier).days <= longest for earlier, later in pairwise(found))
    assert found[0] <= date(2024, 11, 4)
    assert found[-1] <= date(2025, 2, 3)
    assert (date(2025, 2, 3) - found[-1]).days < longest
    assert rows.keys(1, int(rows.leaf_of_row[2])) == (None,)


def test_keys_are_added_in_every_group_around_them() -> None:
    data = rows_of(route=["a", "a", "b"], season=["summer", "winter", "summer"])
    rows, _ = sides(matrix_of("count(*)", rows=(level("route"), level("season", fill="data"))), data)
    assert [rows.keys(2, group) for group in range(rows.size(2))] == [
        ("a", "summer"), ("a", "winter"), ("b", "summer"), ("b", "winter"),
    ]  # fmt: skip
    assert rows.leaf_of_row.tolist() == [0, 1, 2]


def test_groups_that_are_not_kept_leave_their_rows_out() -> None:
    data = rows_of(route=["a", "b", "b", "c"], fares=[1, 2, 3, 1])
    rows, _ = sides(matrix_of("sum(fares)", rows=(level("route", keep_groups="sum(fares) >= 2"),)), data)
    assert [rows.keys(1, group) for group in range(rows.size(1))] == [("b",)]
    assert rows.leaf_of_row.tolist() == [-1, 0, 0, -1]


def test_what_cannot_group_rows_is_reported() -> None:
    with pytest.raises(LayoutError, match="needs a scope in a row"):
        sides(matrix_of("count(*)", rows=(level("sum(fares)", name="total"),)), rows_of(fares=[1, 2]))
