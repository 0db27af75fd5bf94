"""Queries of other queries, shared, detail and saved ones; what a query's rows are like; what running it means."""

from collections.abc import Callable
from datetime import date, datetime, timedelta
from decimal import Decimal
from pathlib import Path
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np
import pyarrow as pa
import pyarrow.csv as pcsv
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.explore.crosscheck import cross_totals
from northmoor.core.compute.explore.profile import ColumnProfile, ProfilePart, profile
from northmoor.core.compute.explore.quick_filter import QuickFilter, visible_rows
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import NorthmoorError, OutputError, QueryError, ReportFileError
from northmoor.core.export.row_files import write_table
from northmoor.core.model import edits
from northmoor.core.model.data.queries import Link, Query, QueryColumn, SharedQuery
from northmoor.core.model.report import Report
from northmoor.core.session import Session
from northmoor.core.sources.fetch.details import rows_of_record
from northmoor.core.sources.fetch.plan import plan
from northmoor.core.sources.fetch.snapshots import write_sample
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report, save_report
from tests.helpers import FREIGHT, bind, fetched, report_of

MakeLibrary = Callable[[str], Library]
LINES = Query(name="lines", connection="db", sql="select * from lines")


def rows_of(library: Library, report: Report, name: str = "rows", **values: object) -> Rows:
    return Session(library).rows(report, name, bind(report, values), CancelToken())


def test_a_combined_query_reads_the_others_exactly(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    total = Query(
        name="rows", sql="with t as (select sum(charge) as total from lines) select total, typeof(total) as kind from t"
    )
    assert rows_of(made, report_of(queries=[LINES, total])).table.to_pylist() == [
        {"total": Decimal("167.90"), "kind": "DECIMAL(38,2)"}
    ]


@pytest.mark.parametrize(
    ("queries", "message"),
    [
        ([Query(name="rows", sql="select * from other")], "The report has no query other"),
        ([Query(name="rows", sql="select * from lins"), LINES], "Did you mean lines?"),
        ([Query(name="rows", sql="select * from a"), Query(name="a", sql="select * from rows")], "circle: rows → a → rows"),
        ([Query(name="rows", connection="nowhere", sql="select 1 as a")], "no connection of that name"),
        ([Query(name="rows", shared="nowhere")], "no shared query nowhere"),
        ([Query(name="rows", sql="select * from read_csv('x')"), LINES], "read_csv() is not allowed"),
    ],
)  # fmt: skip
def test_a_query_that_cannot_be_resolved_says_why(library: MakeLibrary, queries: list[Query], message: str) -> None:
    with pytest.raises(NorthmoorError) as caught:
        rows_of(library(FREIGHT), report_of(queries=queries))
    assert message in str(caught.value)


def test_a_detail_keeps_what_belongs_to_its_records_fetched_once(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    owners = Query(
        name="owners",
        connection="db",
        sql="select distinct vessel as ship from lines where vessel = 'Dunlin' or route is null",
    )
    link = Link.model_validate({"query": "owners", "columns": [{"own": "vessel", "other": "ship"}]})
    report = report_of(queries=[owners, LINES.but(name="rows", detail_of=link)])
    rows = rows_of(made, report)
    assert rows.table["charge"].to_pylist() == [Decimal("12.10"), Decimal("9.90"), Decimal("7.00")]
    assert rows_of_record(rows.table, {"ship": "Curlew"}, link, CancelToken()).num_rows == 0
    wrong = Link.model_validate({"query": "owners", "columns": [{"own": "vesel", "other": "ship"}]})
    with pytest.raises(QueryError, match="no column 'vesel', by which the detail is linked"):
        rows_of(made, report_of(queries=[owners, LINES.but(name="rows", detail_of=wrong)]))
    back = Link.model_validate({"query": "rows", "columns": [{"own": "ship", "other": "vessel"}]})
    with pytest.raises(ValidationError, match="in a circle"):
        report_of(queries=[owners.but(detail_of=back), LINES.but(name="rows", detail_of=link)])


def test_a_shared_query_is_kept_in_the_library_and_knows_its_reports(library: MakeLibrary, tmp_path: Path) -> None:
    made = library(FREIGHT)
    columns = (QueryColumn(name="charge", label="Charge", total="sum"), QueryColumn(name="pieces", label="Pieces"))
    made.save_shared_query(
        "freight", SharedQuery(connection="db", sql="select charge, pieces from lines", columns=columns)
    )
    own = QueryColumn(name="charge", label="Paid")
    report = report_of(queries=[Query(name="rows", shared="freight", columns=(own,))])
    save_report(report, tmp_path / "uses.moor")
    save_report(report_of(sql="select 1 as a"), tmp_path / "not.moor")
    (tmp_path / "broken.moor").write_text("{")
    assert rows_of(made, load_report(tmp_path / "uses.moor")).table.num_rows == 6
    assert [p.name for p in made.reports_with("freight", CancelToken())] == ["uses.moor"]
    assert made.shared_queries() == ["freight"]
    from northmoor.core.sources.fetch.query_resolution import fill_shared

    filled = fill_shared(report.query("rows"), made)
    assert [(c.name, c.label, c.total) for c in filled.columns] == [
        ("charge", "Paid", "sum"),
        ("pieces", "Pieces", None),
    ]
    with pytest.raises((ReportFileError, ValidationError)):
        made.shared_query("../connections")


def test_saved_rows_replace_a_connection_that_is_gone(library: MakeLibrary, tmp_path: Path) -> None:
    made = library(FREIGHT)
    rows = fetched(made, "select route, day, charge from lines")
    write_sample(
        rows.table,
        rows.data_time.replace(tzinfo=ZoneInfo("Europe/Dublin")),
        tmp_path / "reports" / "x.samples" / "rows.parquet",
    )
    (tmp_path / "db.sqlite").unlink()
    sampled = Query(
        name="rows",
        connection="db",
        sql="select route, day, charge from lines",
        sample="reports/x.samples/rows.parquet",
        use_sample=True,
    )
    again = rows_of(made, report_of(queries=[sampled]))
    assert again.table.equals(rows.table)
    assert again.data_time == rows.data_time
    assert "saved rows" in again.notes[0]
    for wrong, message in (("../x.parquet", "outside the library"), ("reports/none.parquet", "are missing")):
        with pytest.raises(NorthmoorError, match=message):
            rows_of(made, report_of(queries=[sampled.but(sample=wrong)]))


def test_settings_of_columns_are_kept_when_the_sql_changes_and_missing_ones_reported(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    settings = (QueryColumn(name="charge", type="decimal(9,1)"), QueryColumn(name="pieces", label="Pieces"))
    report = report_of(queries=[LINES.but(name="rows", sql="select pieces, vessel from lines", columns=settings)])
    rows = rows_of(made, report)
    assert rows.names == ("pieces", "vessel")
    assert rows.notes == (
        "It returns no column 'charge' any more, for which it has settings. There is pieces, vessel.",
    )
    assert report.query("rows").columns == settings
    more = (*settings, QueryColumn(name="x", label="X"), QueryColumn(name="piece", label="P"))
    changed = report.but(queries=(report.query("rows").but(columns=more),))
    assert rows_of(made, changed).notes == (
        "It returns no columns 'charge', 'x' any more, for which it has settings. There is pieces, vessel.",
        "It returns no column 'piece' any more, for which it has settings. Did you mean pieces?",
    )


def test_queries_are_renamed_with_what_uses_them(library: MakeLibrary) -> None:
    link = Link.model_validate({"query": "rows", "columns": [{"own": "a", "other": "a"}]})
    report = report_of(
        {"kind": "table", "name": "t", "query": "rows", "columns": [{"name": "a", "value": "a"}]},
        queries=[LINES.but(name="rows"), LINES.but(name="more", detail_of=link)],
    )
    renamed = edits.rename_query_references(report, "rows", "freight")
    assert [q.name for q in renamed.queries] == ["freight", "more"]
    assert renamed.query("more").detail_of.query == "freight"
    assert renamed.editions[0].tables[0].query == "freight"
    with pytest.raises(ValidationError, match="which is not defined"):
        edits.remove_query(renamed, "freight")
    changed = edits.change_query_column(renamed, "freight", "a", label="A", hidden=True)
    assert changed.query("freight").columns == (QueryColumn(name="a", label="A", hidden=True),)
    assert edits.change_query_column(changed, "freight", "a", label=None, hidden=False) == renamed


def test_profiles_say_what_is_in_each_column(library: MakeLibrary) -> None:
    rows = fetched(library(FREIGHT), "select note, day, charge, null as empty from lines")
    note, day, charge, nothing = profile(rows, CancelToken())
    assert (note.count, note.blanks, note.distinct, note.low, note.high, note.bars) == (
        6,
        1,
        3,
        "feed",
        "timber",
        (2, 2, 1),
    )
    assert (day.low, day.high, sum(day.bars)) == (date(2025, 1, 1), date(2025, 1, 5), 6)
    assert (charge.low, charge.high, charge.distinct) == (Decimal("0.35"), Decimal("100.05"), 6)
    assert charge.bars[0] == 4
    assert (nothing.blanks, nothing.distinct, nothing.bars) == (6, 0, ())


NUMBERS = st.lists(st.one_of(st.none(), st.integers(-(10**9), 10**9)), min_size=1, max_size=40)


@given(NUMBERS, st.sampled_from(["int64", "decimal", "float64", "date32", "timestamp[us]"]))
def test_parts_of_a_column_hold_each_value_once(numbers: list[int | None], kind: str) -> None:
    made: dict[str, Callable[[int], Any]] = {
        "decimal": lambda n: Decimal(n).scaleb(-2), "float64": lambda n: n / 7, "int64": int,
        "date32": lambda n: date(2025, 1, 1) + timedelta(days=n % 9_000),
        "timestamp[us]": lambda n: datetime(2025, 1, 1) + timedelta(seconds=n % 10**8),
    }  # fmt: skip
    values = [None if n is None else made[kind](n) for n in numbers]
    arrow = pa.decimal128(18, 2) if kind == "decimal" else pa.type_for_alias(kind)
    rows = Rows("q", pa.table({"v": pa.array(values, arrow)}), (), datetime(2025, 1, 1))
    (found,) = profile(rows, CancelToken())
    if not found.ranges:
        return
    for part in found.parts:
        if part.low is None:
            inside = [v for v in values if v is None]
        else:
            inside = [v for v in values if v is not None and part.low <= v < part.high]
        assert len(inside) == part.count
    assert sum(part.count for part in found.parts) == len(values)
    assert len(found.ranges) <= 13


@pytest.mark.parametrize(
    "values",
    [
        [date(2025, 1, day) for day in range(1, 12)] + [date(9999, 12, 31)],
        [datetime(9999, 12, day, 6) for day in range(10, 32)],
        [Decimal(n) / 100 for n in (*range(9), 99_999)],
        [2**63 - n for n in range(1, 12)],
        [1.7e308 * n / 10 for n in range(-10, 11)],
        [1 + n * 2.3e-16 for n in range(12)],
    ],
    ids=["calendar", "moments", "digits", "whole", "huge", "near"],
)
def test_columns_at_the_end_of_their_kind_have_a_profile(values: list[Any]) -> None:
    arrow = pa.decimal128(5, 2) if isinstance(values[0], Decimal) else None
    (found,) = profile(Rows("q", pa.table({"v": pa.array(values, arrow)}), (), datetime(2025, 1, 1)), CancelToken())
    assert (found.low, found.high, found.count) == (min(values), max(values), len(values))
    assert sum(part.count for part in found.ranges) in (0, len(values))


def _profile_of(values: list[Any]) -> ColumnProfile:
    (found,) = profile(Rows("q", pa.table({"v": values}), (), datetime(2025, 1, 1)), CancelToken())
    return found


@given(st.lists(st.integers(0, 1_000), min_size=80, max_size=120, unique=True), st.integers(0, 2), st.integers(0, 2))
def test_what_lies_far_from_the_others_is_found_on_both_sides(near: list[int], low: int, high: int) -> None:
    values = [*near, *(-10_000 - n for n in range(low)), *(10_000 + n for n in range(high)), None]
    wanted = [(None, min(near), low)] if low else []
    wanted += [(10_000, None, high)] if high else []
    near_fences = np.quantile(near, (0.25, 0.75)) + 2.5 * np.ptp(np.quantile(near, (0.25, 0.75))) * np.array([-1, 1])
    if near_fences[0] < min(near) and max(near) < near_fences[1]:  # none of these is far from the others itself
        assert [(part.low, part.high, part.count) for part in _profile_of(values).far] == wanted


@pytest.mark.parametrize(
    "values",
    [
        [*range(18), 10_000],  # too few to say
        [*range(100)] + [10_000 + n for n in range(10)],  # too many to be slips
        [5] * 90 + [*range(10)],  # no middle half to measure by
        [float("nan"), float("inf"), *map(float, range(40))],
        [f"{n}" for n in range(40)] + ["10000"],
    ],
)
def test_nothing_is_far_away_where_distance_is_not_known(values: list[Any]) -> None:
    assert _profile_of(values).far == ()


def test_days_lie_far_away_too() -> None:
    days = [date(2025, 1, 1) + timedelta(days=n) for n in range(60)]
    assert _profile_of([*days, date(2205, 1, 1)]).far == (ProfilePart(date(2205, 1, 1), None, 1),)


def test_a_slip_among_codes_has_a_form_of_its_own() -> None:
    codes = [f"TQ-{n:04}" for n in range(500)] * 2
    found = _profile_of([*codes, "ÖX-0003", "tq-0001", "TQ-0002 ", None]).forms
    assert [(form.form, form.count, form.values) for form in found] == [
        ("AA-9999", 1_001, None), ("a…-9999", 1, ("tq-0001",)), ("AA-9999␣", 1, ("TQ-0002 ",)),
    ]  # fmt: skip
    assert found[0].example == "TQ-0000"


def test_forms_beyond_the_commonest_are_one() -> None:
    found = _profile_of([f"A{n}" for n in range(900)] + [f"{n}" + "-" * n for n in range(20)]).forms
    assert [form.form for form in found[:2]] == ["A9…", "A9"]
    assert (len(found), found[-1].rest, sum(form.count for form in found)) == (8, True, 920)
    assert found[-1].values is not None
    assert len(found[-1].values) == found[-1].count


def test_sentences_have_no_forms() -> None:
    texts = [f"{'ab ' * n}. {'AB.' * (n % 7)} {n}" for n in range(200)]
    assert _profile_of(texts).forms == ()
    assert _profile_of(["a", "b"]).forms == ()


def test_looking_sorts_and_narrows_without_touching_the_rows(library: MakeLibrary) -> None:
    rows = fetched(library(FREIGHT), "select route, vessel, charge from lines")
    assert visible_rows(rows, QuickFilter(), CancelToken()).tolist() == [0, 1, 2, 3, 4, 5]
    assert visible_rows(rows, QuickFilter("charge", True), CancelToken()).tolist() == [3, 0, 1, 2, 5, 4]
    assert visible_rows(rows, QuickFilter("route"), CancelToken()).tolist() == [1, 4, 0, 2, 3, 5]
    assert visible_rows(rows, QuickFilter("charge", False, "DUNLIN"), CancelToken()).tolist() == [5, 2, 1]
    assert visible_rows(rows, QuickFilter(text="100.05"), CancelToken()).tolist() == [3]
    assert visible_rows(rows, QuickFilter(text="%"), CancelToken()).tolist() == []


@given(st.lists(st.tuples(st.sampled_from("ab"), st.sampled_from(["x", "y", None]), st.integers(-99, 99)), max_size=20))
def test_cross_totals_add_up_to_those_of_straight_sql(given_rows: list[tuple[str, str | None, int]]) -> None:
    import pyarrow as pa

    from northmoor.core.model.kinds.value_types import ValueType

    columns = list(zip(*given_rows, strict=True)) or [(), (), ()]
    table = pa.table(
        {
            "r": pa.array(columns[0], pa.string()),
            "c": pa.array(columns[1], pa.string()),
            "n": pa.array(columns[2], pa.int64()),
        }
    )
    rows = Rows("q", table, (ValueType("text"), ValueType("text"), ValueType("integer")), datetime(2025, 1, 1))
    found = cross_totals(rows, ["r"], ["c"], "sum", "n", CancelToken())
    sums: dict[tuple[tuple, tuple], int] = {}
    for r, c, n in given_rows:
        for key in (((r,), (c,)), ((r,), ()), ((), (c,)), ((), ())):
            sums[key] = sums.get(key, 0) + n
    assert {key: int(v) for key, v in found.cells.items() if v is not None} == sums
    assert found.rows == tuple(sorted({(r,) for r, _, _ in given_rows}))


def test_too_many_combinations_are_refused_and_so_are_sums_of_texts(library: MakeLibrary) -> None:
    made = library(
        "create table t (n integer, x text); with recursive c(i) as (select 1 union all select i + 1 from c where i < 300) insert into t select i, 'a' from c;"
    )
    rows = fetched(made, "select * from t")
    with pytest.raises(QueryError, match="300 columns, too many"):
        cross_totals(rows, ["x"], ["n"], "count", "n", CancelToken())
    with pytest.raises(QueryError, match="sum of x cannot be made"):
        cross_totals(rows, ["n"], [], "sum", "x", CancelToken())


def test_rows_are_exported_as_open_data(library: MakeLibrary, tmp_path: Path) -> None:
    table = fetched(library(FREIGHT), "select route, day, charge, note from lines").table
    write_table(table, tmp_path / "x.parquet")
    assert pq.read_table(tmp_path / "x.parquet").equals(table)
    write_table(table, tmp_path / "x.csv")
    assert (tmp_path / "x.csv").read_text().splitlines()[:3] == [
        '"route","day","charge","note"',
        '"TQ-SK",2025-01-03,38.50,"timber"',
        '"TQ-IL",2025-01-02,12.10,',
    ]
    assert pcsv.read_csv(tmp_path / "x.csv").num_rows == 6
    for wrong in (tmp_path / "x.txt", tmp_path / "none" / "x.csv"):
        with pytest.raises(OutputError):
            write_table(table, wrong)


def test_the_plan_says_where_each_step_runs_and_as_whom(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    link = Link.model_validate({"query": "lines", "columns": [{"own": "vessel", "other": "vessel"}]})
    per = Query(
        name="rows", sql="select vessel, sum(charge) as c from lines group by vessel order by 1", detail_of=link
    )
    first, second, third = plan(report_of(queries=[LINES, per]), "rows", made)
    assert (first.query, first.where, first.sql) == ("lines", "db (SQLite)", "select * from lines")
    assert first.what == "Reads lines, and sends the rows."
    assert first.identity == "the file db.sqlite, read-only"
    assert (second.where, second.what) == ("here, in the engine", "The rows of lines are combined.")
    assert "vessel = vessel" in third.what


def test_rows_past_a_size_go_to_a_file_and_come_back_whole(
    library: MakeLibrary, monkeypatch: pytest.MonkeyPatch
) -> None:
    from northmoor.core.sources.fetch import spooling

    table = fetched(library(FREIGHT), "select pieces, vessel from lines").table
    monkeypatch.setattr(spooling, "IN_MEMORY", 100)
    collected = spooling.BatchSpool(table.schema)
    for _ in range(50):
        collected.add([column.combine_chunks() for column in table.columns])
    whole = collected.table()
    collected.close()
    assert whole.num_rows == 300
    assert np.array_equal(whole["pieces"].to_numpy().reshape(50, 6), np.tile(table["pieces"].to_numpy(), (50, 1)))


def test_a_combined_query_is_checked_against_the_columns_it_is_over(library: MakeLibrary) -> None:
    session = Session(library(FREIGHT))
    good, bad = "select sum(charge) as c from lines", "select vessel,\n  nix from lines"
    for sql, position in ((good, None), (bad, bad.index("nix"))):
        report = report_of(queries=[LINES, Query(name="rows", sql=sql)])
        try:
            assert session.check(report, "rows", bind(report, {}), CancelToken()) == "The engine"
            assert sql == good
        except QueryError as error:
            assert (sql, error.position) == (bad, position)


def test_a_plan_names_tables_and_not_the_querys_own_parts(library: MakeLibrary) -> None:
    sql = "with few as (select * from lines limit 3) select sum(charge) as c from few"
    (step,) = plan(report_of(sql=sql), "rows", library(FREIGHT))
    assert step.what == "Reads lines, and sends the rows. Rows are grouped and added up there."
