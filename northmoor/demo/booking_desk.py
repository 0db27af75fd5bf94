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
from typing import Annotated

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
    report: Annotated[Path, typer.Argument(help="The report to run, a .moor file of the demo library.")],
    out: Annotated[Path, typer.Option(help="File for the report to write.")],
    records: Annotated[str, typer.Option(help="What is selected: waybills or bookings.")] = "waybills",
    parameter: Annotated[str | None, typer.Option(help="The parameter that gets them; by itself, as they.")] = None,
    shipper: Annotated[str | None, typer.Option(help="Only waybills of shippers whose name begins so.")] = None,
    since: Annotated[datetime | None, typer.Option(help="Only records from this day on.")] = None,
    until: Annotated[datetime | None, typer.Option(help="Only records up to this day.")] = None,
    most: Annotated[int, typer.Option(help="How many are selected at most, the newest first.", min=0)] = 20,
) -> None:
    """Select records at the booking desk, and run a report for them."""
    if records not in _RECORDS:
        sys.stderr.write(f"The desk has no {records}; it has {' and '.join(_RECORDS)}.\n")
        raise typer.Exit(2)
    database = report.resolve().parent.parent / "data" / "tarrow.sqlite"
    days = (since or datetime(1970, 1, 1), until or datetime(9999, 12, 30))
    numbers = _selected(database, records, shipper, days, most)
    with tempfile.TemporaryDirectory() as folder:
        values = Path(folder) / "values.json"
        values.write_text(json.dumps({parameter or records: numbers}), encoding="utf-8")
        command = [sys.executable, "-m", "northmoor", "run", str(report), "--values", str(values), "--out", str(out)]
        done = subprocess.run(command, check=False)
    if done.returncode == 0:
        sys.stdout.write(f"The desk selected {len(numbers):,} {records}; the report is in {out}.\n")
    raise typer.Exit(done.returncode)


def _selected(
    database: Path, records: str, shipper: str | None, days: tuple[datetime, datetime], most: int
) -> list[object]:
    if not database.is_file():
        sys.stderr.write(f"There is no {database}; give a report of the demo library.\n")
        raise typer.Exit(2)
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
