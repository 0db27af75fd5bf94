"""The demo's standing orders, and the runs that they have made in the last two weeks.

Mail goes into a folder, and prints too. The runs are made from the demo's data, which end in 2025; the times that they
show are those of the two weeks before today, so that Delivery has something to show.
"""

import sqlite3
from collections.abc import Callable, Iterator
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Any

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.delivery.archive.archive_index import RunFilter
from northmoor.core.delivery.destinations.destination import (
    FolderDestination,
    MailDestination,
    PrinterDestination,
    PublishedFolder,
)
from northmoor.core.delivery.destinations.hand_over import hand_over
from northmoor.core.delivery.destinations.handing import UnitNotesInMemory
from northmoor.core.delivery.destinations.settings import SETTINGS_FILE, SETTINGS_VERSION, DeliverySettings, MailServer
from northmoor.core.delivery.orders.order_files import ORDERS_FOLDER, save_order
from northmoor.core.delivery.orders.order_request import order_request
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.orders.timetable_words import read_timetable
from northmoor.core.delivery.orders.triggers import Called, FileArrives, SpanEnds
from northmoor.core.delivery.runs.make_run import RunMaker
from northmoor.core.delivery.runs.run_request import BundleRequest, RunCondition, RunRequest
from northmoor.core.model.data.signal_queries import SpansQuery
from northmoor.core.model.serialization import part_text
from northmoor.core.sources.library import Library
from northmoor.demo.data.telemetry import ENDS

_ZONE = "Europe/Dublin"
_DAYS = 14
_DATED = "{report_title()} {data_time(); yyyy-MM-dd}"
_SENDER = "reports@tarrow.example"


def demo_orders() -> dict[str, StandingOrder]:
    """The standing orders by their names."""
    voyages = SpansQuery(log="log", by="voyage_id", condition="underway = 1")
    return {
        "board-sheet": StandingOrder(
            title="Board sheet", report="reports/board-sheet.moor", when=read_timetable("Mondays at 06:00", _ZONE),
            formats=("pdf", "xlsx", "html"), file_name=_DATED, only_if=RunCondition(no_errors=True),
            destinations=(
                PublishedFolder(path="published"),
                MailDestination(
                    to=("board@tarrow.example",), first_page=True, subject="{report_title()} {:year; 0}",
                    text="The figures of {:year; 0}, against the year before. The spreadsheet is attached.",
                ),
            ),
            failures_to=("desk@tarrow.example",),
        ),
        "voyage-report": StandingOrder(
            title="Voyage report", report="reports/voyage-report.moor",
            when=SpanEnds(connection="telemetry", spans=voyages),
            from_trigger={"vessel": "object", "voyage": "id"}, file_name="{:voyage}",
            destinations=(FolderDestination(path="harbour"),),
        ),
        "freight-statements": StandingOrder(
            title="Freight statements", report="reports/freight-statement.moor",
            when=read_timetable("the last working day of the month at 18:00", _ZONE),
            bundle=BundleRequest(for_each="shipper"), values={"month": "2025-11-01"},
            destinations=(
                MailDestination(
                    to_records=True, subject="Your freight statement, {:month; MMMM yyyy}",
                    text="Dear shipper,\n\nyour statement for {:month; MMMM yyyy} is attached.\n\nTarrow Sound Ferries",
                ),
            ),
            failures_to=("desk@tarrow.example",),
        ),
        "fleet-day": StandingOrder(
            title="Fleet day", report="reports/fleet-day.moor", when=read_timetable("every day at 00:15", _ZONE),
            values={"day": "today"}, file_name="Fleet day {:day; yyyy-MM-dd}",
            destinations=(PrinterDestination(printer="folder:quay-printer"),),
        ),
        "dues-changed": StandingOrder(
            title="Cost centres, when dues change", report="reports/cost-centres.moor",
            when=FileArrives(folder="data", pattern="dues.xml", on="changes"),
            destinations=(FolderDestination(path="harbour"),),
        ),
        "booking-desk": StandingOrder(
            title="Waybills for the booking desk", report="reports/selected-waybills.moor", when=Called(),
            destinations=(FolderDestination(path="harbour"),),
        ),
    }  # fmt: skip


def make_orders(root: Path) -> None:
    """Write the orders and how they deliver, unless there are some already."""
    if (root / ORDERS_FOLDER).exists() or (root / SETTINGS_FILE).exists():
        return
    settings = DeliverySettings(mail_servers=(MailServer(name="desk", sender=_SENDER, folder="mail"),))
    text = part_text(settings, "northmoor_delivery", SETTINGS_VERSION)
    write_atomically(root / SETTINGS_FILE, lambda part: part.write_text(text, encoding="utf-8"))
    for name, order in demo_orders().items():
        save_order(root, name, order)


def make_two_weeks(
    root: Path, now: datetime, report_progress: Callable[[int, int], None] = lambda _done, _of: None
) -> None:
    """Make the runs of the two weeks before a moment, unless the archive has some already."""
    maker = RunMaker(Library.around(root))
    if maker.archive.find(RunFilter(), 1):
        return
    orders = demo_orders()
    occasions = sorted(_occasions(root, now), key=lambda each: each[0])
    for number, (moment, name, given, changes) in enumerate(occasions, 1):
        report_progress(number, len(occasions))
        if name:
            request = order_request(
                root, name, orders[name], given, f"{name} {moment:%Y-%m-%dT%H:%M:%SZ}", changes["because"]
            )
            request = request.but(values=request.values | changes.get("values", {}))
        else:
            request = RunRequest(library=str(root), values=given, **changes)
        record = maker.make(request, started=moment)
        if record.is_whole and name:
            for destination in orders[name].destinations:
                at = record.ended + timedelta(seconds=2)
                hand_over(root, maker.archive.place(record), destination, UnitNotesInMemory(), at=at)


_Occasion = tuple[datetime, str, dict[str, Any], dict[str, Any]]


def _occasions(root: Path, now: datetime) -> Iterator[_Occasion]:
    """When a run was made, by which order, with which values from its trigger, and what is different."""
    today = now.astimezone(UTC).replace(hour=0, minute=0, second=0, microsecond=0)
    first = today - timedelta(days=_DAYS)
    for number in range(1, _DAYS + 1):
        day, data_day = first + timedelta(days=number), ENDS - timedelta(days=_DAYS - number)
        moment = day + timedelta(minutes=15)
        values: dict[str, Any] = {"day": f"{data_day:%Y-%m-%d}"}
        if number == _DAYS - 2:
            values = {"day": "the day after tomorrow"}  # somebody has typed it into the order
        if moment <= now:
            yield moment, "fleet-day", {}, {"because": f"due {moment:%Y-%m-%d %H:%M}", "values": values}
        if day.weekday() == 0 and day + timedelta(hours=6) <= now:
            moment = day + timedelta(hours=6)
            yield moment, "board-sheet", {}, {"because": f"due {moment:%Y-%m-%d %H:%M}"}
    for end, vessel, voyage in _voyages(root):
        moment = first + (end - (ENDS - timedelta(days=_DAYS)).replace(hour=0, minute=0))
        if first < moment <= now:
            because = f"{vessel} {voyage} ended {end:%Y-%m-%d %H:%M} UTC"
            yield moment, "voyage-report", {"object": vessel, "id": voyage}, {"because": because}
    month = today - timedelta(days=9)
    because = f"due {month:%Y-%m-%d} 18:00"
    for hours, charged in ((18, "2025-10-01"), (42, "2025-11-01")):
        changes = {"because": because, "values": {"month": charged}}
        yield month + timedelta(hours=hours), "freight-statements", {}, changes
    for days, season in ((6, "all"), (3, "summer"), (1, "winter")):
        moment = today - timedelta(days=days) + timedelta(hours=9, minutes=12)
        own = {"report": "reports/fares-by-route.moor", "formats": ("pdf", "xlsx"), "file_name": _DATED}
        yield moment, "", {"season": season}, own


def _voyages(root: Path) -> Iterator[tuple[datetime, str, str]]:
    """The last voyage of each day that has ended, from the log."""
    log = sqlite3.connect(root / "data" / "telemetry.sqlite")
    try:
        found: dict[str, tuple[datetime, str, str]] = {}
        ids: dict[str, str] = {}
        for tag, at, value in log.execute("select tag, at, value from log where tag like '%.voyage_id' or "
                                          "tag like '%.underway' order by at, tag desc"):  # fmt: skip
            vessel, _, signal = tag.partition(".")
            if signal == "voyage_id":
                ids[vessel] = str(value)
            elif str(value) == "0" and vessel in ids:
                found[at[:10]] = (datetime.fromisoformat(at), vessel, ids[vessel])
        yield from found.values()
    finally:
        log.close()
