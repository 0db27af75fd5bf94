"""The demo library: data, connections, pictures and the example reports."""

import os
from collections.abc import Callable
from datetime import datetime
from pathlib import Path
from zoneinfo import ZoneInfo

from PIL import Image, ImageDraw

from northmoor.core.model.data.connections import Connections, FilesConnection, SqliteConnection
from northmoor.core.sources.library import CONNECTIONS_FILE, Library
from northmoor.core.store.report_files import save_report
from northmoor.demo.data.ferries import DATA_AS_OF, make_ferries
from northmoor.demo.data.freight import add_freight
from northmoor.demo.data.history import make_history
from northmoor.demo.data.office_files import make_papers
from northmoor.demo.data.telemetry import ENDS, make_telemetry, telemetry_log
from northmoor.demo.deliveries import make_orders
from northmoor.demo.reports.board_sheet import board_sheet
from northmoor.demo.reports.cost_centres import cost_centres
from northmoor.demo.reports.fares_by_route import fares_by_route
from northmoor.demo.reports.fleet_day import fleet_day
from northmoor.demo.reports.freight_statement import freight_statement
from northmoor.demo.reports.last_hour import last_hour
from northmoor.demo.reports.punctuality import punctuality
from northmoor.demo.reports.route_month_matrix import route_month_matrix
from northmoor.demo.reports.sailings_log import sailings_log
from northmoor.demo.reports.selected_waybills import selected_waybills
from northmoor.demo.reports.voyage_report import voyage_report
from northmoor.demo.reports.winter_letter import EMBLEM, winter_letter

DEMO_REPORTS = {
    "fares-by-route": fares_by_route,
    "selected-waybills": selected_waybills,
    "voyage-report": voyage_report,
}
"""The example reports, the first that anyone opens first."""


def make_library(root: Path, history: bool = False) -> Path:
    """Make the demo library in a folder and return its first report. What is there already is left as it is.

    With `history`, a million sailings of earlier years are made too.

    Raises ReportFileError when the folder cannot be written.
    """
    for folder in ("data", "reports", "pictures"):
        (root / folder).mkdir(parents=True, exist_ok=True)
    data = root / "data"
    _make(data / "tarrow.sqlite", lambda path: make_ferries(path, add_freight))
    _make(data / "telemetry.sqlite", make_telemetry)
    if history:
        _make(data / "history.parquet", make_history)
    make_papers(data)
    as_of = DATA_AS_OF.replace(tzinfo=ZoneInfo("Europe/Dublin"))
    for paper in data.iterdir():
        _stamp(paper, ENDS if paper.name == "telemetry.sqlite" else as_of)
    if not (root / CONNECTIONS_FILE).exists():
        tarrow = SqliteConnection(name="tarrow", database="data/tarrow.sqlite")
        office = FilesConnection(name="office", path="data")
        telemetry = SqliteConnection(name="telemetry", database="data/telemetry.sqlite", logs=(telemetry_log(),))
        Library(root, Connections(connections=(tarrow, office, telemetry))).save()
    picture = root / "pictures" / "tarrow.png"
    if not picture.exists():
        draw_emblem(picture)
    drawing = root / "pictures" / "emblem.svg"
    if not drawing.exists():
        drawing.write_text(EMBLEM, encoding="utf-8")
    reports = root / "reports"
    made = (
        ("fares-by-route", fares_by_route),
        ("selected-waybills", selected_waybills),
        ("voyage-report", voyage_report),
        ("fleet-day", fleet_day),
        ("last-hour", last_hour),
        ("sailings-log", sailings_log),
        ("cost-centres", cost_centres),
        ("route-month-matrix", route_month_matrix),
        ("punctuality", punctuality),
        ("freight-statement", freight_statement),
        ("board-sheet", board_sheet),
        ("winter-letter", winter_letter),
    )
    for name, make in made:
        if not (reports / f"{name}.moor").exists():
            save_report(make(), reports / f"{name}.moor")
    make_orders(root)
    return reports / "fares-by-route.moor"


def _make(path: Path, make: Callable[[Path], None]) -> None:
    """Make a file whole, unless it is there already."""
    if not path.exists():
        part = path.with_suffix(".part")
        make(part)
        part.replace(path)


def _stamp(path: Path, moment: datetime) -> None:
    """Say of a file when it was written: the same on every machine."""
    os.utime(path, (moment.timestamp(), moment.timestamp()))


def draw_emblem(path: Path) -> None:
    """Draw the company's emblem: a hull over three waves."""
    side, fine = 240, 4
    image = Image.new("RGBA", (side * fine, side * fine), (0, 0, 0, 0))
    draw = ImageDraw.Draw(image)

    def scaled(points: list[tuple[float, float]]) -> list[tuple[float, float]]:
        return [(x * fine, y * fine) for x, y in points]

    teal = (47, 127, 134, 255)
    draw.ellipse(scaled([(4, 4), (236, 236)]), outline=teal, width=9 * fine)
    draw.polygon(scaled([(52, 112), (188, 112), (166, 146), (74, 146)]), fill=teal)
    draw.rectangle(scaled([(92, 84), (150, 106)]), fill=teal)
    draw.rectangle(scaled([(120, 58), (134, 80)]), fill=teal)
    for row in range(3):
        y = 164 + row * 17
        for wave in range(4 - row):
            left = 56 + row * 16 + wave * 33
            draw.arc(scaled([(left, y - 8), (left + 33, y + 12)]), 200, 340, fill=teal, width=5 * fine)
    image.resize((side, side), Image.Resampling.LANCZOS).save(path)
