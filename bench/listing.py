"""The benchmark's data and report: freight-like lines, 100,000 rows × 6 columns, two levels with totals."""

import sqlite3
from pathlib import Path
from random import Random

from northmoor.core.authoring.starters.new_report import new_report

ROWS = 100_000
SQL = "select route, vessel, shipped_on, goods, pieces, charge from lines"


def make(folder: Path, rows: int = ROWS) -> tuple[Path, Path]:
    """The database and the report in a folder."""
    database, report = folder / "lines.sqlite", folder / "lines.moor"
    chance = Random(7)
    connection = sqlite3.connect(database)
    connection.execute(
        "create table lines "
        "(route text, vessel text, shipped_on date, goods text, pieces integer, charge decimal(10,2))"
    )
    connection.executemany("insert into lines values (?, ?, ?, ?, ?, ?)", (_row(chance) for _ in range(rows)))
    connection.commit()
    connection.close()
    new_report(report, str(database), SQL, ["route", "vessel"], ["pieces", "charge"], "Freight lines")
    return database, report


def _row(chance: Random) -> tuple[str, str, str, str, int, float]:
    route = ("TQ-SK", "TQ-IL", "TQ-MP", "TQ-BN", "TQ-OX", "IL-SK", "MP-BN", "OX-SH", "TQ-SH")[int(chance.random() * 9)]
    vessel = ("Curlew", "Lapwing", "Dunlin", "Greenshank", "Whimbrel")[int(chance.random() * 5)]
    day = f"202{4 + int(chance.random() * 2)}-{1 + int(chance.random() * 12):02}-{1 + int(chance.random() * 28):02}"
    kind = ("Pallets", "Timber", "Feed", "Fish boxes", "Parcels")[int(chance.random() * 5)]
    goods = f"{kind} {int(chance.random() * 900)}"
    return route, vessel, day, goods, 1 + int(chance.random() * 400), round(chance.random() * 9000, 2)
