"""The ferry company's database: two years of sailings and bookings from a fixed seed.

Only `Random.random` is used, whose sequence Python guarantees, so that every machine has the same figures.
"""

import math
import sqlite3
from collections.abc import Callable
from datetime import date, datetime, timedelta
from pathlib import Path
from random import Random

from msgspec import Struct

FIRST, LAST = date(2024, 1, 1), date(2025, 12, 31)
_SEED = 1887
DRY_DOCK = ("Dunlin", date(2024, 2, 12), date(2024, 3, 17))
STORM = (date(2025, 1, 20), date(2025, 1, 26))
DATA_AS_OF = datetime(2026, 1, 1, 6, 0)

PORTS = [
    ("TQ", "Tarrow Quay", "Mainland"), ("IL", "Inverlang", "Mainland"), ("SK", "Skarholm", "Skar"),
    ("MP", "Merrow Point", "Merrow"), ("BN", "Brae Ness", "Merrow"), ("OX", "Oxholm", "Ox"), ("SH", "Sule Haven",
    "Sule"),
]  # fmt: skip
VESSELS = [("Curlew", 1998, 420, 68), ("Lapwing", 2004, 360, 54), ("Dunlin", 2011, 280, 42),
           ("Greenshank", 2016, 240, 36), ("Whimbrel", 2019, 180, 24)]  # fmt: skip


class Route(Struct, frozen=True):
    """A route: its ports, months it sails, minutes under way, daily departures, adult fare in cents, and demand."""

    start: str
    end: str
    season: str
    minutes: int
    departures: tuple[str, ...]
    adult: int
    demand: float
    vessels: tuple[int, ...]


ROUTES = [
    Route("TQ", "SK", "all-year", 55, ("06:30", "09:15", "12:00", "15:30", "18:45"), 1450, 17.0, (1, 2)),
    Route("TQ", "IL", "all-year", 40, ("07:00", "10:30", "14:00", "17:30"), 980, 13.0, (2, 3)),
    Route("TQ", "MP", "all-year", 70, ("08:00", "13:00", "18:00"), 1680, 14.0, (1, 3)),
    Route("TQ", "BN", "all-year", 85, ("07:45", "12:30", "17:15"), 1890, 11.0, (3, 4)),
    Route("TQ", "OX", "all-year", 110, ("08:30", "14:30", "19:15"), 2240, 12.5, (2, 4)),
    Route("IL", "SK", "all-year", 45, ("08:15", "11:45", "16:15"), 1120, 7.5, (4, 5)),
    Route("MP", "BN", "all-year", 25, ("09:00", "12:15", "15:45"), 650, 6.0, (5,)),
    Route("OX", "SH", "summer", 50, ("09:30", "13:30", "17:00"), 1340, 10.0, (5, 4)),
    Route("TQ", "SH", "summer", 135, ("07:15", "11:00", "16:00"), 2890, 15.0, (1, 2)),
]
CATEGORIES = [("Adult", 1.0, 0.50, 4), ("Child", 0.5, 0.14, 3), ("Senior", 0.7, 0.12, 2), ("Car", 3.2, 0.17, 1),
              ("Van", 4.6, 0.04, 1), ("Bicycle", 0.25, 0.03, 2)]  # fmt: skip
SUMMER = range(5, 10)  # May to September

FERRIES_SCHEMA = """
create table ports (port_id integer primary key, code text not null unique, name text not null, island text not null);
create table vessels (vessel_id integer primary key, name text not null, built integer not null,
  passengers integer not null, cars integer not null);
create table routes (route_id integer primary key, code text not null unique, name text not null,
  from_port_id integer not null references ports, to_port_id integer not null references ports,
  season text not null, minutes integer not null);
create table sailings (sailing_id integer primary key, route_id integer not null references routes,
  vessel_id integer not null references vessels, departs_at timestamp not null, status text not null,
  delay_minutes integer);
create table fares (fare_id integer primary key, route_id integer not null references routes, category text not null,
  price decimal(8,2) not null, unique (route_id, category));
create table bookings (booking_id integer primary key, sailing_id integer not null references sailings,
  fare_id integer not null references fares, quantity integer not null, unit_price decimal(8,2) not null,
  booked_at timestamp not null, status text not null);
create index sailings_by_departure on sailings (departs_at);
create index bookings_by_sailing on bookings (sailing_id);
create view paid_bookings as
  select b.booking_id, b.sailing_id, f.category, b.quantity, b.unit_price, b.booked_at
  from bookings b join fares f using (fare_id) where b.status = 'paid';
create view route_sailings as
  select s.sailing_id, r.code as route, r.name as route_name, r.season, v.name as vessel, s.departs_at, s.status,
    s.delay_minutes
  from sailings s join routes r using (route_id) join vessels v using (vessel_id);
"""


def make_ferries(path: Path, add_more: Callable[[sqlite3.Connection], None]) -> None:
    """Write the database, with what else is to be added to it; an existing file is replaced."""
    path.unlink(missing_ok=True)
    chance = Random(_SEED)
    connection = sqlite3.connect(path)
    try:
        connection.executescript(FERRIES_SCHEMA)
        _masters(connection)
        sailings = _sailings(chance)
        connection.executemany("insert into sailings values (?, ?, ?, ?, ?, ?)", sailings)
        connection.executemany("insert into bookings values (?, ?, ?, ?, ?, ?, ?)", _bookings(chance, sailings))
        add_more(connection)
        connection.commit()
        connection.execute("analyze")
        connection.commit()
    finally:
        connection.close()


def _masters(connection: sqlite3.Connection) -> None:
    numbers = {code: n for n, (code, _, _) in enumerate(PORTS, 1)}
    names = {code: name for code, name, _ in PORTS}
    connection.executemany("insert into ports values (?, ?, ?, ?)", [(n, *p) for n, p in enumerate(PORTS, 1)])
    connection.executemany("insert into vessels values (?, ?, ?, ?, ?)", [(n, *v) for n, v in enumerate(VESSELS, 1)])
    routes = [
        (
            n,
            f"{r.start}-{r.end}",
            f"{names[r.start]} – {names[r.end]}",
            numbers[r.start],
            numbers[r.end],
            r.season,
            r.minutes,
        )
        for n, r in enumerate(ROUTES, 1)
    ]
    connection.executemany("insert into routes values (?, ?, ?, ?, ?, ?, ?)", routes)
    fares = [
        (_fare_id(n, c), n, name, round(route.adult * factor / 10) / 10)
        for n, route in enumerate(ROUTES, 1)
        for c, (name, factor, _, _) in enumerate(CATEGORIES)
    ]
    connection.executemany("insert into fares values (?, ?, ?, ?)", fares)


def _fare_id(route: int, category: int) -> int:
    return (route - 1) * len(CATEGORIES) + category + 1


def _sailings(chance: Random) -> list[tuple[int, int, int, str, str, int | None]]:
    rows: list[tuple[int, int, int, str, str, int | None]] = []
    day = FIRST
    while day <= LAST:
        for number, route in enumerate(ROUTES, 1):
            if route.season == "summer" and day.month not in SUMMER:
                continue
            for at, departure in enumerate(route.departures):
                vessel = _vessel(route, at, day)
                status = "cancelled" if chance.random() < _risk(day) else "sailed"
                delay = _delay(chance, day) if status == "sailed" else None
                rows.append((len(rows) + 1, number, vessel, f"{day} {departure}:00", status, delay))
        day += timedelta(days=1)
    return rows


def _vessel(route: Route, at: int, day: date) -> int:
    vessel = route.vessels[(at + day.toordinal()) % len(route.vessels)]
    name, start, end = DRY_DOCK
    if VESSELS[vessel - 1][0] == name and start <= day <= end:
        return next(v for v in (*route.vessels, 4, 5) if VESSELS[v - 1][0] != name)
    return vessel


def _risk(day: date) -> float:
    if STORM[0] <= day <= STORM[1]:
        return 0.86
    return 0.028 if day.month in (11, 12, 1, 2) else 0.006


def _delay(chance: Random, day: date) -> int:
    mean = 6.0 if day.month in (12, 1, 2) else 3.5
    return min(int(-mean * math.log(1 - chance.random())), 120)


def _bookings(
    chance: Random, sailings: list[tuple[int, int, int, str, str, int | None]]
) -> list[tuple[int, int, int, int, float, str, str]]:
    rows: list[tuple[int, int, int, int, float, str, str]] = []
    for sailing, route_number, _, departs, status, _ in sailings:
        route = ROUTES[route_number - 1]
        departure = datetime.fromisoformat(departs)
        expected = route.demand * _season_factor(departure)
        for _ in range(int(expected * (0.6 + 0.8 * chance.random()))):
            category = _category(chance.random())
            most = CATEGORIES[category][3]
            quantity = 1 + int(most * chance.random() ** 2)
            price = round(route.adult * CATEGORIES[category][1] / 10) / 10
            booked = departure - timedelta(minutes=30 + int(60 * 24 * 40 * chance.random() ** 3))
            paid = "refunded" if status == "cancelled" or chance.random() < 0.012 else "paid"
            fare = _fare_id(route_number, category)
            rows.append((len(rows) + 1, sailing, fare, quantity, price, f"{booked:%Y-%m-%d %H:%M:%S}", paid))
    return rows


def _season_factor(departure: datetime) -> float:
    wave = 1 + 0.45 * math.sin((departure.timetuple().tm_yday - 105) / 365 * 2 * math.pi)
    weekend = 1.18 if departure.weekday() >= 4 else 1.0
    growth = 1.04 if departure.year == 2025 else 1.0
    return wave * weekend * growth


def _category(chance: float) -> int:
    for number, (_, _, share, _) in enumerate(CATEGORIES):
        if chance < share:
            return number
        chance -= share
    return 0
