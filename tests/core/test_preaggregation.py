"""Rows added up beforehand: what is put together from parts is what the rows themselves say, and what cannot be put
together is computed from them."""

from collections.abc import Sequence
from decimal import Decimal
from typing import Any

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.crosstab import preaggregation
from northmoor.core.compute.crosstab.preaggregation import (
    AggregationRequest,
    PreaggregatedRows,
    aggregation_request,
    preaggregate,
    whole_demand,
)
from northmoor.core.compute.evaluate.compiler import AggregateCall, Compiler, EvaluationScope, InnerGroups
from northmoor.core.compute.groups.boundaries import Grouping
from northmoor.core.compute.row_ordering import Order
from northmoor.core.engine.embedded import SORTING, Engine
from northmoor.core.errors import ExpressionError, LayoutError
from northmoor.core.expr.language import parse
from northmoor.core.values.parameter_values import Values

ROWS = pa.table({
    "k": ["a", "b", "a", None, "b", "a"],
    "m": [1, 1, 2, 2, None, 1],
    "n": pa.array([5, None, -3, 7, 2, 0], pa.int64()),
    "d": pa.array([Decimal("1.10"), Decimal("2.25"), None, Decimal("-4.00"), Decimal("0.05"), Decimal("9.99")]),
    "f": [0.1, 0.2, 0.3, None, 0.5, 0.6],
    "t": ["x", "y", None, "z", "x", "x"],
})  # fmt: skip
MERGEABLE = ("sum(n)", "sum(d)", "count(*)", "count(n)", "min(t)", "max(t)", "min(d)", "sum(n) filter (where n > 0)")
NEEDING_ROWS = ("avg(n)", "median(n)", "count(distinct t)", "sum(distinct n)", "string_agg(t, ',')")


def order(*keys: str, way: str = "ascending", parent: str | None = None) -> Order:
    """A side that groups by some expressions."""
    made = (Grouping(key, key, way, parent=parent) for key in keys)
    return Order("block", tuple(made), ())


def request(
    aggregates: Sequence[str], rows: Order, columns: Order | None = None, keep: str | None = None
) -> AggregationRequest:
    """What asks for aggregates over two sides."""
    sides = (rows, columns or order())
    return AggregationRequest(sides, keep, tuple(AggregateCall(0, sql) for sql in aggregates), {})


def made(demand: AggregationRequest, rows: pa.Table, many: int = -1, values: Values | None = None) -> PreaggregatedRows:
    """The rows to work on, where adding up is worth it from so many rows on."""
    with pytest.MonkeyPatch.context() as patched, Engine(CancelToken()) as engine:
        patched.setattr(preaggregation, "MANY", many)
        return preaggregate(demand, rows, Compiler(values or Values()), engine)


def totals(base: PreaggregatedRows, keys: Sequence[str], aggregates: Sequence[str]) -> list[dict[str, Any]]:
    """Aggregates of each group of the rows, in the groups' order."""
    columns = [base.keys.get(key, key) for key in keys]
    listed = ", ".join([f"{column} as g{at}" for at, column in enumerate(columns)]
                       + [f"{base.sql(sql)} as a{at}" for at, sql in enumerate(aggregates)])  # fmt: skip
    by = f" group by {', '.join(columns)} order by {', '.join(f'{c} nulls first' for c in columns)}" if columns else ""
    with Engine(CancelToken()) as engine:
        engine.register("__base", base.table)
        found: list[dict[str, Any]] = engine.run(f"select {listed} from __base{by}").to_pylist()
        return found


@pytest.mark.parametrize("keys", [("k",), ("k", "m"), ("m", "k", "t"), ()], ids=len)
def test_what_is_put_together_from_parts_is_what_the_rows_say(keys: tuple[str, ...]) -> None:
    rows, columns = order(*keys[:1]), order(*keys[1:])
    base = made(request(MERGEABLE, rows, columns), ROWS)
    whole = made(request(MERGEABLE, rows, columns), ROWS, many=ROWS.num_rows)
    assert set(base.parts) == set(MERGEABLE)
    assert (whole.table, dict(whole.parts), dict(whole.keys)) == (ROWS, {}, {})
    assert set(base.keys) == set(keys)
    assert base.table.num_rows == len({tuple(row[key] for key in keys) for row in ROWS.to_pylist()})
    assert totals(base, keys, MERGEABLE) == totals(whole, keys, MERGEABLE)
    assert totals(base, keys[:1], MERGEABLE) == totals(whole, keys[:1], MERGEABLE)  # and coarser groups of the parts
    assert totals(base, (), MERGEABLE) == totals(whole, (), MERGEABLE)


@given(st.lists(st.tuples(st.sampled_from("abc"), st.integers(0, 2), st.none() | st.integers(-99, 99)), max_size=40))
def test_parts_of_random_rows(rows: list[tuple[str, int, int | None]]) -> None:
    k, m, n = ([row[at] for row in rows] for at in range(3))
    table = pa.table({"k": pa.array(k, pa.string()), "m": pa.array(m, pa.int64()), "n": pa.array(n, pa.int64())})
    aggregates = ("sum(n)", "count(n)", "min(n)", "max(n)", "count(*)", "sum(n * m) filter (where m <> 1)")
    demand = request(aggregates, order("k"), order("m"))
    base, whole = made(demand, table), made(demand, table, many=1_000)
    for keys in (("k", "m"), ("k",), ("m",)):
        assert totals(base, keys, aggregates) == totals(whole, keys, aggregates)


@pytest.mark.parametrize("aggregate", NEEDING_ROWS)
def test_one_that_needs_the_rows_leaves_them_as_they_are(aggregate: str) -> None:
    demand = request(("sum(n)", aggregate), order("k"))
    assert demand.parts is None
    base = made(demand, ROWS)
    assert base.table.equals(ROWS)
    assert base.sql(aggregate) == aggregate


def test_groups_within_groups_and_an_order_as_given_need_the_rows() -> None:
    inner = AggregateCall(0, "sum(n)", InnerGroups(("k",), ()))  # type: ignore[call-arg]
    assert AggregationRequest((order("k"), order()), None, (inner,), {}).parts is None
    assert made(request(("sum(n)",), order("k", way="as_given")), ROWS).table.equals(ROWS)
    assert made(request(("sum(n)",), order("k"), order("m", way="as_given")), ROWS).table.equals(ROWS)


def test_it_begins_with_more_rows_than_the_limit() -> None:
    demand = request(("sum(n)",), order("k"))
    assert made(demand, ROWS, many=ROWS.num_rows).table.equals(ROWS)
    assert made(demand, ROWS, many=ROWS.num_rows - 1).table.num_rows == 3


def test_rows_are_kept_by_a_condition_before_and_without_adding_up() -> None:
    kept = ROWS.filter(pa.array([True, False, False, True, True, False]))
    for many, aggregates in ((-1, ("sum(n)",)), (99, ("sum(n)",)), (-1, ("median(n)",))):
        base = made(request(aggregates, order("k"), keep="n >= 1"), ROWS, many)
        whole = made(request(aggregates, order("k")), kept, 99)
        assert totals(base, ("k",), aggregates) == totals(whole, ("k",), aggregates)


def test_a_condition_has_the_values_of_parameters() -> None:
    values = Values({"least": 2}, {}, {"least": "integer"})
    base = made(request(("sum(n)",), order("k"), keep="n >= :least"), ROWS, values=values)
    assert totals(base, (), ("sum(n)",)) == [{"a0": 14}]


@pytest.mark.parametrize(
    ("keep", "message"),
    [
        ("sum(n) over report > 3", "must follow from a single row"),
        ("nosuch > 3", "nosuch"),
        ("t / 0 = 'x'", "Which rows are kept cannot be decided"),
    ],
)
def test_a_condition_that_cannot_be_decided_is_a_fault_of_the_block(keep: str, message: str) -> None:
    for aggregates in (("sum(n)",), ("median(n)",)):
        with pytest.raises(LayoutError, match=message) as caught:
            made(request(aggregates, order("k"), keep=keep), ROWS)
        assert caught.value.place.block == "block"


@pytest.mark.parametrize("key", ["nosuch", "t / 2", "sum(n)"])
def test_a_key_that_is_faulty_leaves_the_rows_for_its_side_to_report(key: str) -> None:
    base = made(request(("sum(n)",), order(key)), ROWS)
    assert base.table.equals(ROWS)
    kept = made(request(("sum(n)",), order(key), keep="n > 0"), ROWS)
    assert kept.table.num_rows == 3


def test_keys_of_both_sides_and_of_parents_are_kept_each_once() -> None:
    demand = request((), order("k", "m"), order("m", "t", parent="n"))
    assert demand.keys == ("k", "m", "n", "t")
    base = made(demand, ROWS)
    assert list(base.keys.values()) == base.table.column_names == ["key_0", "key_1", "key_2", "key_3"]
    assert made(request((), order()), ROWS).table.to_pylist() == [{"one": 1}] * ROWS.num_rows


@pytest.mark.parametrize(
    ("aggregate", "threads"),
    [
        ("sum(n)", SORTING), ("sum(d)", SORTING), ("sum(n * 2 - 1) filter (where t in ('x', 'y') and n > 0)", SORTING),
        ("count(*)", SORTING), ("min(t)", SORTING), ("sum(case when n between 1 and 3 then d end)", SORTING),
        ("sum(f)", 1), ("sum(n * f)", 1), ("sum(n * 1e2)", 1), ("sum(n / 2)", 1), ("avg(n)", 1), ("max(f)", 1),
        ("sum(round(n))", 1),
    ],
)  # fmt: skip
def test_only_what_has_no_order_of_adding_up_is_done_by_several_threads(aggregate: str, threads: int) -> None:
    demand = request((aggregate,), order("k"))
    assert demand.threads(ROWS.schema) == threads
    assert request((aggregate, "sum(f)"), order("k")).threads(ROWS.schema) == 1


def test_bound_numbers_and_inner_groups_are_done_by_one_thread() -> None:
    need = (AggregateCall(0, "sum(n)"),)
    sides = (order("k"), order())
    assert AggregationRequest(sides, None, need, {"p": 1}).threads(ROWS.schema) == SORTING
    assert AggregationRequest(sides, None, need, {"p": 0.5}).threads(ROWS.schema) == 1


def test_what_expressions_ask_is_gathered_in_an_order_of_its_own() -> None:
    compiler = Compiler(Values({"p": 3}, {}, {"p": "integer"}))
    scope = EvaluationScope(("k", "m", "n"), scope=0)
    compiled = [compiler.compile(parse(text), scope) for text in ("sum(n) + :p", "max(m)", "sum(n)")]
    found = aggregation_request((order("k"), order()), "n > 0", [*compiled, ExpressionError("no such thing")])
    assert [need.sql for need in found.needs] == sorted({need.sql for need in found.needs})
    assert len(found.needs) == 2
    assert (found.keep_rows, list(found.bound.values())) == ("n > 0", [3])


def test_what_asks_for_the_rows_never_adds_up() -> None:
    demand = whole_demand((order("k"), order()), None)
    assert demand.parts is None
    assert made(demand, ROWS).table.equals(ROWS)
