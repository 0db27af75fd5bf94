"""What fields are for: keys, years and places are never added up, rates are averaged, and groups have several rows."""

import sqlite3
from itertools import permutations
from pathlib import Path

import pyarrow as pa
import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.authoring.starters.block_starters import BLOCK_STARTERS
from northmoor.core.authoring.starters.field_nesting import nested_fields
from northmoor.core.authoring.starters.field_roles import (
    AMOUNT,
    COORDINATE,
    KEY_FIELD,
    LABEL,
    MOMENT,
    ORDINAL,
    RATE,
    FieldRole,
    field_role,
)
from northmoor.core.authoring.starters.new_report import fields_of, keys_read, table_query
from northmoor.core.authoring.starters.report_layouts import proposed_reports
from northmoor.core.authoring.starters.starter_layouts import Field
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.model.report import Edition, Report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from northmoor.core.values.parameter_values import Values

_COLUMNS = (("letter", pa.string()), ("sign", pa.string()), ("number", pa.int64()))

INTEGER, DECIMAL = ValueType("integer"), ValueType("decimal", 18, 2)


@pytest.mark.parametrize(
    ("name", "kind", "role"),
    [
        ("month", INTEGER, ORDINAL), ("birth_year", INTEGER, ORDINAL), ("Weekday", INTEGER, ORDINAL),
        ("booking_id", INTEGER, KEY_FIELD), ("customerNumber", INTEGER, KEY_FIELD), ("HS code", INTEGER, KEY_FIELD),
        ("latitude", DECIMAL, COORDINATE), ("port lng", ValueType("float"), COORDINATE),
        ("unit_price", DECIMAL, RATE), ("avg_delay", DECIMAL, RATE), ("share", DECIMAL, RATE),
        ("fares", DECIMAL, AMOUNT), ("monthly_cost", DECIMAL, AMOUNT), ("days", INTEGER, AMOUNT),
        ("total_price", DECIMAL, AMOUNT), ("year", ValueType("text"), LABEL), ("day", ValueType("date"), MOMENT),
        ("12", INTEGER, AMOUNT),
    ],
)  # fmt: skip
def test_names_tell_what_a_field_is(name: str, kind: ValueType, role: FieldRole) -> None:
    assert field_role(name, kind) == role


def column(values: list, kind: pa.DataType | None = None) -> pa.ChunkedArray:
    return pa.chunked_array([pa.array(values, kind)])


def test_values_tell_where_names_do_not() -> None:
    assert field_role("tide", INTEGER, column([1990 + n % 30 for n in range(90)])) == ORDINAL
    assert field_role("tide", INTEGER, column([n + 7 for n in range(90)])) == KEY_FIELD
    assert field_role("tide", ValueType("float"), column([n / 100 for n in range(90)])) == RATE
    assert field_role("tide", INTEGER, column([n * 3 % 50 for n in range(90)])) == AMOUNT
    assert field_role("tide", INTEGER, column([None] * 90, pa.int64())) == AMOUNT
    assert field_role("tide", INTEGER, is_key=True) == KEY_FIELD


@given(st.lists(st.integers(-(10**6), 10**6), min_size=20, max_size=60))
def test_what_is_not_a_whole_run_of_numbers_nor_years_is_added_up(values: list) -> None:
    is_run = sorted(values) == list(range(min(values), min(values) + len(values)))
    if not is_run and not all(1900 <= value <= 2100 for value in values):
        assert field_role("tide", INTEGER, column(values)) == AMOUNT


@pytest.fixture
def bookings(demo: Path, tarrow: sqlite3.Connection) -> tuple[dict[str, Field], Report]:
    """The fields of the demo's bookings, and a report over them."""
    library = Library.around(demo)
    connection = library.connections.connections[0].name
    table = library.catalog(connection, CancelToken()).table("bookings")
    assert table is not None
    query = table_query(connection, table, library)
    report = Report(title="t", queries=(query,), editions=(Edition(name="main"),))
    rows = Session(library).rows(report, query.name, Values(), CancelToken())
    fields = fields_of(rows, query, keys_read(report, query, library, CancelToken()))
    return {field.name: field for field in fields}, report


def test_the_catalogue_knows_keys_and_a_new_report_adds_none_up(bookings: tuple[dict[str, Field], Report]) -> None:
    fields, report = bookings
    assert {name for name, field in fields.items() if field.total == "sum"} == {"quantity"}
    assert {name for name, field in fields.items() if field.total == "avg"} == {"unit_price"}
    assert {name for name, field in fields.items() if field.format == "0"} >= {"booking_id", "sailing_id", "fare_id"}
    made = proposed_reports(report, report.queries[0], list(fields.values()), "Bookings")
    sums = [cell.value for block in made["Listing"].editions[0].data_blocks for cell in block.cells() if cell.value]
    assert [value for value in sums if value.startswith(("sum", "avg"))] == ["sum(quantity)", "avg(unit_price)"]


def test_rows_are_grouped_only_by_what_repeats(bookings: tuple[dict[str, Field], Report]) -> None:
    fields, report = bookings
    query = report.queries[0]
    by_key = proposed_reports(report, query, [fields["booking_id"], fields["quantity"]], "Bookings")
    assert list(by_key) == ["Listing"]
    by_status = proposed_reports(
        report, query, [fields["booking_id"], fields["status"], fields["quantity"]], "Bookings"
    )
    assert list(by_status) == ["Listing", "Grouped", "Matrix", "Chart", "Page per record"]
    (table,) = by_status["Grouped"].editions[0].data_blocks
    assert [level.by for level in table.levels] == ["status"]


def test_a_crossing_is_proposed_of_fields_that_cross(demo: Path) -> None:
    """Of a route its name and its season follow; its months do not."""
    report, session = load_report(demo / "reports" / "fares-by-route.moor"), Session(Library.around(demo))
    values = session.resolve_parameters(report).complete_values()
    rows = session.rows(report, "fares", values, CancelToken())
    fields = fields_of(rows, report.query("fares"))
    assert {field.name: set(field.nested) for field in fields if field.nested} == {
        "route": {"route_name", "season"},
        "route_name": {"route", "season"},
        "season": {"route", "route_name"},
    }
    proposed = BLOCK_STARTERS["matrix"].propose(fields)
    assert [(each.field.name, each.role) for each in proposed] == [
        ("route", "rows"),
        ("month", "columns"),
        ("sailings", "value"),
    ]
    only = [field for field in fields if field.name in ("route", "season")]
    assert [each.role for each in BLOCK_STARTERS["matrix"].propose(only)] == ["rows", "columns"]


@given(st.lists(st.tuples(st.sampled_from("ab"), st.sampled_from("xyz"), st.sampled_from([1, None])), max_size=8))
def test_fields_are_nested_where_a_value_of_one_has_one_of_the_other(rows: list) -> None:
    table = pa.table({name: pa.array([row[at] for row in rows], kind) for at, (name, kind) in enumerate(_COLUMNS)})
    nested = nested_fields(table, table.column_names)
    for (i, one), (j, other) in permutations(enumerate(table.column_names), 2):
        ways = [
            {row[at]: {each[to] for each in rows if each[at] == row[at]} for row in rows} for at, to in ((i, j), (j, i))
        ]
        assert (other in nested[one]) == any(all(len(found) == 1 for found in way.values()) for way in ways)
