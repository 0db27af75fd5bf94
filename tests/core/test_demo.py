"""The demo data: the company's stories are in it, and its report says what the database says."""

import shutil
import sqlite3
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from pathlib import Path

import pyarrow.parquet as pq
import pytest
from typer.testing import CliRunner

import northmoor
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.delivery.destinations.settings import load_settings
from northmoor.core.delivery.library_delivery import LibraryDelivery
from northmoor.core.delivery.orders.order_files import load_orders
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from northmoor.core.values.parameter_values import Values
from northmoor.demo.booking_desk import desk_app
from northmoor.demo.data.history import make_history
from northmoor.demo.deliveries import demo_orders, make_two_weeks
from tests.helpers import lines_of


def test_the_sizes_are_those_of_the_scenario(tarrow: sqlite3.Connection) -> None:
    def count(table: str) -> int:
        return tarrow.execute(f"select count(*) from {table}").fetchone()[0]

    assert [count(t) for t in ("ports", "vessels", "routes", "fares")] == [7, 5, 9, 54]
    assert 19_000 <= count("sailings") <= 21_000
    assert 240_000 <= count("bookings") <= 260_000
    assert tarrow.execute("pragma foreign_key_check").fetchall() == []
    assert len(tarrow.execute("pragma foreign_key_list(bookings)").fetchall()) == 2


def test_two_routes_sail_in_summer_only(tarrow: sqlite3.Connection) -> None:
    months = tarrow.execute(
        "select r.code, min(strftime('%m', departs_at)), max(strftime('%m', departs_at)) from sailings join routes r "
        "using (route_id) where r.season = 'summer' group by 1"
    ).fetchall()
    assert months == [("OX-SH", "05", "09"), ("TQ-SH", "05", "09")]


def test_a_vessel_was_in_dry_dock_and_a_storm_cancelled_most(tarrow: sqlite3.Connection) -> None:
    dunlin = "select count(*) from sailings join vessels using (vessel_id) where name = 'Dunlin' and departs_at "
    assert tarrow.execute(dunlin + "between '2024-02-12' and '2024-03-18'").fetchone() == (0,)
    assert tarrow.execute(dunlin + "between '2024-03-18' and '2024-04-18'").fetchone()[0] > 50
    share = "select avg(status = 'cancelled') from sailings where departs_at "
    assert tarrow.execute(share + "between '2025-01-20' and '2025-01-27'").fetchone()[0] > 0.75
    assert tarrow.execute(share + "< '2025-01-20'").fetchone()[0] < 0.05


def test_the_figures_are_the_same_on_every_machine(tarrow: sqlite3.Connection) -> None:
    figures = "select count(*), sum(quantity), cast(round(sum(quantity * unit_price) * 100) as integer) from bookings"
    assert tarrow.execute(figures).fetchone() == FIGURES


FIGURES = (257_079, 409_925, 780_248_520)


@pytest.mark.parametrize(("year", "season"), [(2025, "all"), (2024, "all-year"), (2025, "summer")])
@pytest.mark.variants
def test_fares_by_route_says_what_the_database_says(
    demo: Path, tarrow: sqlite3.Connection, year: int, season: str
) -> None:
    document = northmoor.render(demo / "reports" / "fares-by-route.moor", {"year": year, "season": season})
    straight = tarrow.execute(
        """select r.code, cast(round(sum(b.quantity * b.unit_price * 100)) as integer), sum(b.quantity)
        from bookings b join sailings s using (sailing_id) join routes r using (route_id)
        where b.status = 'paid' and strftime('%Y', s.departs_at) = ? and ? in ('all', r.season) group by 1 order by 1""",
        (str(year), season),
    ).fetchall()
    lines = lines_of(document, "fares-table")
    totals = {line.keys[0]: line.cells for line in lines if line.kind == "total" and line.keys}
    assert [(k, _cents(t["fares"]), int(t["tickets"].replace(",", ""))) for k, t in totals.items()] == straight
    (everything,) = [line.cells for line in lines if line.kind == "total" and not line.keys]
    assert _cents(everything["fares"]) == sum(row[1] for row in straight)
    rows = [_cents(line.cells["fares"]) for line in lines if line.kind == "detail"]
    assert sum(rows) == _cents(everything["fares"])
    assert document.findings == ()


def _cents(text: str) -> int:
    return int(Decimal(text.replace(",", "")) * 100)


def test_freight_and_the_ledger_hold_together(tarrow: sqlite3.Connection) -> None:
    def one(sql: str) -> object:
        return tarrow.execute(sql).fetchone()[0]

    assert [one(f"select count(*) from {t}") for t in ("shippers", "waybills", "cost_centres", "ledger_entries")] == [
        300,
        6000,
        40,
        15_000,
    ]
    assert 22_000 < one("select count(*) from waybill_lines") < 28_000
    rates = tarrow.execute("select distinct tax_code, tax_rate from waybill_lines order by 1").fetchall()
    assert rates == [("exempt", 0), ("reduced", 13.5), ("standard", 23)]
    depth = "with recursive t(id, d) as (select centre_id, 1 from cost_centres where parent_id is null union all select centre_id, d + 1 from cost_centres join t on parent_id = id) "
    assert one(depth + "select max(d) from t") == 4
    assert one(depth + "select count(distinct d) from t where id in (select centre_id from ledger_entries)") >= 3


def test_the_office_files_are_read_with_their_types(demo: Path) -> None:
    library = Library.around(demo / "reports")
    catalog = library.catalog("office", CancelToken())
    assert {t.name: (t.rows, t.fault) for t in catalog.tables} == {
        "berths": (40, None), "berths_vessels": (119, None), "dues": (60, None), "survey": (2000, None), "targets": (216, None),
    }  # fmt: skip
    assert {c.name: c.type for c in catalog.table("targets").columns} == {
        "route": "text",
        "month": "date",
        "target": "decimal(18,2)",
    }
    assert [c.name for c in catalog.table("survey").columns][:3] == ["Day", "Route", "Mark Booking"]


def test_telemetry_is_written_on_change_and_under_way_begins_after_the_voyage_id(demo: Path) -> None:
    log = sqlite3.connect(demo / "data" / "telemetry.sqlite")
    try:
        assert log.execute("select count(distinct tag) from log").fetchone() == (60,)
        repeated = "select count(*) from (select value, lag(value) over (partition by tag order by at, rowid) as before from log) where value = before"
        assert log.execute(repeated).fetchone() == (0,)
        begins = log.execute(
            "select at from log where tag = 'Curlew.underway' and value = 1 order by at limit 1"
        ).fetchone()
        named = log.execute("select at from log where tag = 'Curlew.voyage_id' order by at limit 1").fetchone()
        assert named < begins
        assert named[0].endswith("Z")
    finally:
        log.close()


def test_history_is_the_same_on_every_machine(tmp_path: Path) -> None:
    make_history(tmp_path / "history.parquet", 1000)
    table = pq.read_table(tmp_path / "history.parquet")
    assert table.num_rows == 1000
    assert str(table.schema.field("takings").type) == "decimal128(18, 2)"
    assert table["departs_at"].to_pylist() == sorted(table["departs_at"].to_pylist())
    assert table["passengers"].to_pylist()[:3] == [360, 187, 367]


UNDER_WAY = """
select min(at), (select min(at) from log where tag = :vessel || '.underway' and value = 0 and at > min(l.at))
from log l where tag = :vessel || '.underway' and value = 1
  and at >= (select at from log where tag = :vessel || '.voyage_id' and value = :voyage)
"""


def test_the_voyage_report_shows_the_last_voyage_that_has_ended(demo: Path) -> None:
    document = northmoor.render(demo / "reports" / "voyage-report.moor", {"vessel": "Lapwing"})
    voyage = document.values.by_name["voyage"]
    log = sqlite3.connect(demo / "data" / "telemetry.sqlite")
    ids = log.execute("select value from log where tag = 'Lapwing.voyage_id' order by at desc limit 2").fetchall()
    assert (voyage,) == ids[1]  # the last one is still under way
    start, end = log.execute(UNDER_WAY, {"vessel": "Lapwing", "voyage": voyage}).fetchone()
    for signal, name in (("speed", "Speed"), ("fuel_level", "Fuel level")):
        wanted = log.execute(
            "select count(*), max(value), min(value) from log where tag = ? and at >= ? and at < ?",
            (f"Lapwing.{signal}", start, end),
        ).fetchone()
        (line,) = [ln for ln in lines_of(document, "figures") if ln.cells.get("signal") == name]
        assert (line.cells["readings"], line.cells["max"]) == (str(wanted[0]), f"{wanted[1]:,.1f}")
        assert wanted[0] > 5
    log.close()
    assert [ln.cells["times_on"] for ln in lines_of(document, "engines")][1:] == ["1", "1"]
    assert document.findings == ()


def test_the_fleet_of_a_day_and_the_last_hour_are_those_of_the_log(demo: Path) -> None:
    day = northmoor.render(demo / "reports" / "fleet-day.moor", {"day": "2025-06-10"})
    voyages = day.rows["voyages"].table
    log = sqlite3.connect(demo / "data" / "telemetry.sqlite")
    departed = "select count(*) from log where tag like '%.underway' and value = 1 and at >= '2025-06-09T23' and at < ?"
    assert log.execute(departed, ("2025-06-10T23",)).fetchone() == (voyages.num_rows,)
    assert voyages["open"].to_pylist() == [False] * voyages.num_rows
    hour = northmoor.render(demo / "reports" / "last-hour.moor", {})
    counted = (
        "select count(*) from log where tag like '%.speed' and at >= '2025-06-15T15:40' and at < '2025-06-15T16:40'"
    )
    rows = hour.rows["measured"].table.to_pylist()
    assert log.execute(counted).fetchone() == (sum(row["readings"] for row in rows if row["signal"] == "speed"),)
    log.close()


@pytest.mark.slow
def test_vessels_go_on_writing_their_log_and_voyages_end(demo: Path, tmp_path: Path) -> None:
    log = tmp_path / "data" / "telemetry.sqlite"
    log.parent.mkdir()
    shutil.copy2(demo / "data" / "telemetry.sqlite", log)
    shutil.copy(demo / "connections.json", tmp_path)
    report = load_report(demo / "reports" / "voyage-report.moor")
    ended = report.query("ended").but(signals=report.query("ended").signals.but(objects=(), start="2025-06-15 17:40"))
    report = report.but(queries=tuple(ended if q.name == "ended" else q for q in report.queries))

    def voyages() -> tuple[set[str], datetime]:
        rows = Session(Library.around(log)).rows(report, "ended", Values(), CancelToken())
        return {row["id"] for row in rows.table.to_pylist() if not row["open"]}, rows.data_time

    before, was = voyages()
    done = CliRunner().invoke(desk_app, ["telemetry", str(log), "--speed", "9000", "--seconds", "2.4"])
    assert done.exit_code == 0, done.output
    after, now = voyages()
    assert len(after - before) >= 3
    assert now > was + timedelta(hours=1)  # the file's time is the log's
    missing = CliRunner().invoke(desk_app, ["telemetry", str(tmp_path / "none.sqlite")])
    assert (missing.exit_code, "There is no log" in missing.output) == (2, True)


# deliveries


def test_each_order_of_the_demo_is_one_that_can_be_made(demo: Path) -> None:
    """Against its report: the edition, the for-each and the parameters that it names are there."""
    orders = {file.name: file.order for file in load_orders(demo)}
    assert set(orders) == set(demo_orders())
    for order in orders.values():
        assert order is not None
        report = load_report(demo / order.report)
        names = {parameter.name for parameter in report.parameters}
        assert {*order.values, *order.from_trigger} <= names
        edition = report.edition(order.edition)
        assert edition is not None
        if order.bundle is not None:
            assert order.bundle.for_each in {block.name for block in edition.blocks}
    assert load_settings(demo).mail_server("").folder == "mail"


@pytest.mark.slow  # it makes some thirty runs
def test_two_weeks_of_runs_have_gone_where_their_orders_say(
    demo: Path, tmp_path: Path, tarrow: sqlite3.Connection
) -> None:
    root = tmp_path / "demo"
    shutil.copytree(demo, root, ignore=shutil.ignore_patterns("archive", "*.parquet"))
    now = datetime(2025, 12, 16, 12, tzinfo=UTC)
    make_two_weeks(root, now)
    delivery = LibraryDelivery(root)
    runs = delivery.find()
    assert min(run.started for run in runs) > now - timedelta(days=15)
    assert {run.order for run in runs} == {"", "board-sheet", "fleet-day", "freight-statements", "voyage-report"}
    assert sorted(run.reason.partition(":")[0] for run in runs if run.state != "done") == [
        "Parameter day",
        "Parameter season",
    ]
    assert all((delivery.archive.folder(run) / "first-page.png").is_file() for run in runs if run.state == "done")
    (statements, earlier) = (run for run in runs if run.order == "freight-statements")
    for run, month in ((statements, "2025-11"), (earlier, "2025-10")):
        (shippers,) = tarrow.execute(
            "select count(distinct shipper_id) from waybills where status <> 'cancelled' and shipped_on like ?",
            (f"{month}%",),
        ).fetchone()
        assert delivery.archive.record(run).records.made == shippers
    mails = [path.read_text() for path in (root / "mail").glob("*.eml")]
    board = sum("board@tarrow.example" in mail for mail in mails)
    made = sum(delivery.archive.record(run).records.made for run in (statements, earlier))
    assert (board, len(mails)) == (2, made + 2)
    assert len(list((root / "quay-printer").iterdir())) == 13
    assert (root / "published" / "index.html").read_text().count("Spreadsheet") == 2
    make_two_weeks(root, now)  # there are some already
    assert delivery.find() == runs
