"""``northmoor-sim``: what is outside, simulated. ``desk`` is a booking desk that hands selected records to a report;
``telemetry`` is in `live_telemetry`.

It knows nothing of Northmoor but its command line: it writes the record numbers into a file of values and runs the
report with it, the way a host application would.
"""

import json
import sqlite3
import subprocess
import sys
import tempfile
from datetime import datetime
from pathlib import Path
from typing import Annotated, NoReturn

import typer

from northmoor.demo.live_telemetry import telemetry

desk_app = typer.Typer(add_completion=False, no_args_is_help=True, help="Stand-ins for what is outside of Northmoor.")
_RECORDS = {
    "waybills": "select w.number from waybills w join shippers s using (shipper_id) "
    "where (:shipper is null or s.name like :shipper || '%') and w.shipped_on between :first and :last "
    "order by w.waybill_id desc limit :most",
    "bookings": "select b.booking_id from bookings b where :shipper is null and b.booked_at between :first and :last "
    "order by b.booking_id desc limit :most",
}


@desk_app.callback()
def stand_ins() -> None:
    """Stand-ins for what is outside of Northmoor."""


@desk_app.command()
def desk(
    report: Annotated[Path, typer.Argument(help="The report to run, a .moor file.")],
    out: Annotated[Path, typer.Option(help="File for the report to write.")],
    records: Annotated[str, typer.Option(help="What is selected: waybills or bookings.")] = "waybills",
    select: Annotated[
        str | None, typer.Option(help="With --database: SQL whose first column is what is selected, of any database.")
    ] = None,
    database: Annotated[
        str | None, typer.Option(help="With --select: a database file or address, as for northmoor new --connect.")
    ] = None,
    parameter: Annotated[str | None, typer.Option(help="The parameter that gets them; by itself, as they.")] = None,
    shipper: Annotated[str | None, typer.Option(help="Only waybills of shippers whose name begins so.")] = None,
    since: Annotated[datetime | None, typer.Option(help="Only records from this day on.")] = None,
    until: Annotated[datetime | None, typer.Option(help="Only records up to this day.")] = None,
    most: Annotated[int, typer.Option(help="How many are selected at most, the newest first.", min=0)] = 20,
) -> None:
    """Select records at the booking desk, or of any database, and run a report for them."""
    if (select is None) != (database is None) or (select is not None and parameter is None):
        _refuse("To select of another database, give --select, --database and --parameter.")
    if records not in _RECORDS:
        _refuse(f"The desk has no {records}; it has {' and '.join(_RECORDS)}.")
    days = (since or datetime(1970, 1, 1), until or datetime(9999, 12, 30))
    with tempfile.TemporaryDirectory() as folder:
        if select is not None and database is not None:
            numbers = _selected_of(database, select, Path(folder))[:most]
        else:
            desk_data = report.resolve().parent.parent / "data" / "tarrow.sqlite"
            numbers = _selected(desk_data, records, shipper, days, most)
        values = Path(folder) / "values.json"
        values.write_text(json.dumps({parameter or records: numbers}), encoding="utf-8")
        code = _northmoor("run", report, "--values", values, "--out", out)
    if code == 0:
        sys.stdout.write(f"The desk selected {len(numbers):,} {parameter or records}; the report is in {out}.\n")
    raise typer.Exit(code)


def _refuse(message: str) -> NoReturn:
    sys.stderr.write(f"{message}\n")
    raise typer.Exit(2)


def _northmoor(*arguments: object) -> int:
    """Run Northmoor's command line; how it ended."""
    return subprocess.run([sys.executable, "-m", "northmoor", *map(str, arguments)], check=False).returncode


def _selected_of(database: str, sql: str, folder: Path) -> list[object]:
    """The first column of a query of any database, as Northmoor gives its rows."""
    listing, rows = folder / "selected.moor", folder / "selected.jsonl"
    new = ("new", listing, "--connect", database, "--sql", sql)
    for command in (new, ("run", listing, "--option", "columns=rows", "--out", rows)):
        code = _northmoor(*command)
        if code:
            raise typer.Exit(code)
    lines = rows.read_text(encoding="utf-8").splitlines()
    return [next(iter(json.loads(line).values())) for line in lines]


def _selected(
    database: Path, records: str, shipper: str | None, days: tuple[datetime, datetime], most: int
) -> list[object]:
    if not database.is_file():
        _refuse(f"There is no {database}; give a report of the demo library, or --select and --database.")
    first, last = days
    values = {"shipper": shipper, "first": f"{first:%Y-%m-%d}", "last": f"{last:%Y-%m-%d} 23:59:59", "most": most}
    connection = sqlite3.connect(f"file:{database}?mode=ro", uri=True)
    try:
        return [row[0] for row in connection.execute(_RECORDS[records], values)]
    finally:
        connection.close()


desk_app.command(name="telemetry")(telemetry)


def main() -> None:
    """Run a substitute."""
    desk_app()
