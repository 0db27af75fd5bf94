"""Vessel telemetry: a log of tag, time and value, written only when a value changes. Times are in UTC and say so.

A voyage's id is set some minutes before the vessel is under way, and stays set after it has stopped. The log ends while
some vessels are under way.
"""

import math
import sqlite3
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from heapq import merge
from pathlib import Path
from random import Random

from msgspec import Struct

from northmoor.core.model.data.signal_logs import Signal, SignalLog
from northmoor.demo.data.ferries import ROUTES, VESSELS

START, DAYS = datetime(2025, 6, 2, tzinfo=UTC), 14
ENDS = datetime(2025, 6, 15, 16, 40, tzinfo=UTC)
_SEED = 512
_STEP = timedelta(minutes=2)
LogEntry = tuple[str, datetime, object]


def make_telemetry(path: Path) -> None:
    """Write the log; an existing file is replaced."""
    path.unlink(missing_ok=True)
    connection = sqlite3.connect(path)
    try:
        connection.execute("create table log (tag text not null, at timestamp not null, value not null)")
        for number, (vessel, *_) in enumerate(VESSELS):
            rows = _only_changes(_vessel(number, vessel))
            connection.executemany("insert into log values (?, ?, ?)", rows)
        connection.execute("create index log_by_tag on log (tag, at)")
        connection.commit()
    finally:
        connection.close()


def telemetry_log() -> SignalLog:
    """What the log's columns mean, and what is known of its signals."""
    return SignalLog(
        name="log", table="log", time="at", time_form="text with T", time_zone="UTC", signal="tag", separator=".",
        values=("value",), shift_starts=("06:00", "14:00", "22:00"),
        signals=(
            Signal(name="voyage_id", label="Voyage", nature="state", type="text"),
            Signal(name="underway", label="Under way", nature="state"),
            Signal(name="doors", label="Doors open", nature="state"),
            Signal(name="engine1.running", label="Engine 1", nature="state"),
            Signal(name="engine2.running", label="Engine 2", nature="state"),
            Signal(name="engine1.rpm", label="Engine 1, speed", unit="rpm"),
            Signal(name="engine2.rpm", label="Engine 2, speed", unit="rpm"),
            Signal(name="speed", label="Speed", unit="kn"),
            Signal(name="speed_order", label="Speed ordered", unit="kn"),
            Signal(name="heading", label="Heading", unit="°"),
            Signal(name="fuel_flow", label="Fuel flow", unit="l/h", nature="rate"),
            Signal(name="fuel_level", label="Fuel level", unit="l", nature="linear"),
        ),
    )  # fmt: skip


def _only_changes(changes: Iterator[LogEntry]) -> Iterator[tuple[str, str, object]]:
    last: dict[str, object] = {}
    for tag, at, value in changes:
        if last.get(tag) != value and at <= ENDS:
            last[tag] = value
            yield tag, at.strftime("%Y-%m-%dT%H:%M:%SZ"), value


def _vessel(number: int, vessel: str) -> Iterator[LogEntry]:
    chance = Random(_SEED + number)
    return _voyages(chance, number, vessel, FuelAndCount(9000.0 - 800 * number), START, DAYS)


class FuelAndCount(Struct):
    """What goes on from voyage to voyage: the fuel in the tank, and how many voyages there were."""

    level: float
    voyages: int = 0


def _voyages(
    chance: Random, number: int, vessel: str, state: FuelAndCount, start: datetime, days: int
) -> Iterator[LogEntry]:
    """The entries of a vessel's voyages, day after day; it is refuelled at night when there is little left."""
    routes = [r for r in ROUTES if number + 1 in r.vessels]
    for day in range(days):
        at = start + timedelta(days=day, hours=5, minutes=10 + 7 * number)
        last = start + timedelta(days=day, hours=20)
        while at < last:
            route = routes[int(chance.random() * len(routes))]
            state.voyages += 1
            name = f"{vessel[:2].upper()}{start.year}-{state.voyages:04}"
            for change in _voyage(chance, route.minutes, name, at, state.level):
                if change[0] == "fuel_level":
                    state.level = float(str(change[2]))
                yield (f"{vessel}.{change[0]}", change[1], change[2])
            at += timedelta(minutes=route.minutes + 40 + int(30 * chance.random()))
        if state.level < 3000:
            state.level = 9000.0
            yield f"{vessel}.fuel_level", last + timedelta(hours=1), state.level


def entries_after(moment: datetime, days: int) -> Iterator[LogEntry]:
    """What all vessels write from a moment on, in order of time: further voyages of the days from that day on."""
    start = moment.astimezone(UTC).replace(hour=0, minute=0, second=0, microsecond=0)
    vessels = [
        sorted(
            _voyages(Random(_SEED + 100 * start.day + n), n, vessel, FuelAndCount(7000.0, 1000), start, days), key=_at
        )
        for n, (vessel, *_) in enumerate(VESSELS)
    ]
    return (entry for entry in merge(*vessels, key=_at) if entry[1] > moment)


def _at(entry: LogEntry) -> datetime:
    return entry[1]


def _voyage(chance: Random, minutes: int, name: str, at: datetime, level: float) -> Iterator[LogEntry]:
    leaves = at + timedelta(minutes=4 + int(6 * chance.random()))
    arrives = leaves + timedelta(minutes=minutes + int(8 * chance.random()) - 2)
    course = round(360 * chance.random())
    yield "voyage_id", at, name
    yield "doors", at + timedelta(minutes=1), 0
    for engine in ("engine1", "engine2"):
        yield f"{engine}.running", at + timedelta(seconds=int(90 * chance.random())), 1
    yield "speed_order", leaves, 14.0
    yield "underway", leaves, 1
    moment = leaves
    while moment < arrives:
        share = (moment - leaves) / (arrives - leaves)
        speed = round(14.5 * min(1.0, math.sin(math.pi * share) * 2.2 + 0.15) + 0.6 * (chance.random() - 0.5), 1)
        flow = round(60 + 19 * speed + 12 * chance.random())
        level = round(level - flow * _STEP.total_seconds() / 3600, 1)
        yield "speed", moment, max(speed, 0.0)
        yield "engine1.rpm", moment, round(300 + 42 * speed, -1)
        yield "engine2.rpm", moment, round(300 + 41 * speed, -1)
        yield "fuel_flow", moment, flow
        yield "fuel_level", moment, level
        yield "heading", moment, (course + round(14 * math.sin(5 * share))) % 360
        moment += _STEP
    yield "underway", arrives, 0
    yield "speed", arrives, 0.0
    yield "speed_order", arrives, 0.0
    yield "fuel_flow", arrives, 24
    yield "doors", arrives + timedelta(minutes=2), 1
    for engine in ("engine1", "engine2"):
        yield f"{engine}.rpm", arrives + timedelta(minutes=5), 0
        yield f"{engine}.running", arrives + timedelta(minutes=5), 0
    yield "fuel_flow", arrives + timedelta(minutes=5), 0
