"""The demo data: the company's stories are in it, and its report says what the database says."""

import sqlite3
from decimal import Decimal
from pathlib import Path

import pytest

import northmoor
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
