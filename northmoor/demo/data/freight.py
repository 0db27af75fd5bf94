"""Freight and the ledger: shippers, waybills with lines and taxes, a tree of cost centres and its entries."""

import sqlite3
from datetime import date, timedelta
from random import Random

from northmoor.demo.data.ferries import FIRST, LAST, ROUTES, SUMMER

SHIPPERS, WAYBILLS, ENTRIES = 300, 6_000, 15_000
_SEED = 2031
TAXES = (("standard", 2300, 0.62), ("reduced", 1350, 0.25), ("exempt", 0, 0.13))
"""Tax codes with their rates in hundredths of a percent, and how often they are met."""
GOODS = ("Timber", "Feed", "Fish boxes", "Parcels", "Machinery", "Groceries", "Fuel drums", "Furniture",
         "Building stone", "Wool", "Empties", "Seed")  # fmt: skip
_FIRST_NAMES = ("Aird", "Bruna", "Calder", "Dunmore", "Esker", "Fallow", "Garrow", "Hallin", "Inver", "Kestrel",
                "Larne", "Marram", "Norran", "Osprey", "Pennan", "Quoy", "Rona", "Strand", "Teal", "Ulva")  # fmt: skip
_TRADES = ("Stores", "Timber", "Fisheries", "Haulage", "Builders", "Farms", "Bakery", "Wool Mill", "Brewery", "Quarry",
           "Nursery", "Boatyard", "Grocers", "Joinery", "Dairy")  # fmt: skip
CENTRES: dict[str, dict[str, object]] = {
    "Sailing": {
        "Vessels": {"Curlew": {}, "Lapwing": {}, "Dunlin": {}, "Greenshank": {}, "Whimbrel": {}, "Reserve crew": {}},
        "Fuel": {"Bunkering": {"Mainland": {}, "Islands": {}}, "Testing": {}},
        "Maintenance": {"Dry dock": {}, "Engines": {"Overhaul": {}, "Parts": {}}, "Hull and paint": {}},
    },
    "Ports": {
        "Tarrow Quay": {"Terminal": {}, "Car park": {}, "Linkspan": {}},
        "Islands": {"Skarholm": {}, "Merrow": {}, "Ox": {}, "Sule": {}},
        "Harbour dues": {},
    },
    "Commercial": {"Tickets": {"Counter": {}, "Online": {}}, "Freight desk": {}, "Catering": {}},
    "Office": {"People": {}, "Insurance": {}, "Systems": {}},
}
FREIGHT_SCHEMA = """
create table shippers (shipper_id integer primary key, name text not null, port_id integer not null references ports,
  terms_days integer not null, since date not null);
create table waybills (waybill_id integer primary key, number text not null unique,
  shipper_id integer not null references shippers, route_id integer not null references routes,
  shipped_on date not null, status text not null);
create table waybill_lines (line_id integer primary key, waybill_id integer not null references waybills,
  line integer not null, goods text not null, pieces integer not null, weight_kg decimal(9,1) not null,
  charge decimal(10,2) not null, tax_code text not null, tax_rate decimal(5,2) not null);
create table cost_centres (centre_id integer primary key, parent_id integer references cost_centres,
  code text not null unique, name text not null);
create table ledger_entries (entry_id integer primary key, centre_id integer not null references cost_centres,
  booked_on date not null, text text not null, amount decimal(12,2) not null);
create index lines_by_waybill on waybill_lines (waybill_id);
create index entries_by_centre on ledger_entries (centre_id);
"""


def add_freight(connection: sqlite3.Connection) -> None:
    """Add the tables of freight and the ledger to the ferry company's database."""
    chance = Random(_SEED)
    connection.executescript(FREIGHT_SCHEMA)
    _shippers(connection, chance)
    _waybills(connection, chance)
    centres = _centres()
    connection.executemany("insert into cost_centres values (?, ?, ?, ?)", centres)
    _entries(connection, chance, centres)


def _shippers(connection: sqlite3.Connection, chance: Random) -> None:
    names = [f"{first} {trade}" for trade in _TRADES for first in _FIRST_NAMES][:SHIPPERS]
    rows = [
        (
            n,
            name,
            1 + int(chance.random() * 7),
            (14, 30, 30, 60)[int(chance.random() * 4)],
            _day(chance, date(2008, 1, 1), 5000),
        )
        for n, name in enumerate(names, 1)
    ]
    connection.executemany("insert into shippers values (?, ?, ?, ?, ?)", rows)


def _waybills(connection: sqlite3.Connection, chance: Random) -> None:
    days = (LAST - FIRST).days + 1
    waybills: list[tuple[object, ...]] = []
    lines: list[tuple[object, ...]] = []
    for number in range(1, WAYBILLS + 1):
        day = FIRST + timedelta(days=(number * days) // (WAYBILLS + 1))
        open_routes = [n for n, r in enumerate(ROUTES, 1) if r.season != "summer" or day.month in SUMMER]
        route = open_routes[int(chance.random() * len(open_routes))]
        shipper = 1 + int(SHIPPERS * chance.random() ** 2)
        status = "cancelled" if chance.random() < 0.02 else "open" if (LAST - day).days < 20 else "delivered"
        waybills.append((number, f"W{day:%y}-{number:05}", shipper, route, str(day), status))
        for line in range(1, 2 + int(7 * chance.random())):
            lines.append((len(lines) + 1, number, line, *_line(chance)))
    connection.executemany("insert into waybills values (?, ?, ?, ?, ?, ?)", waybills)
    connection.executemany("insert into waybill_lines values (?, ?, ?, ?, ?, ?, ?, ?, ?)", lines)


def _line(chance: Random) -> tuple[object, ...]:
    pieces = 1 + int(40 * chance.random() ** 2)
    weight = round(pieces * (4 + 60 * chance.random()) * 10) / 10
    cents = 450 + round(weight * (6 + 10 * chance.random()))
    goods = GOODS[int(chance.random() * len(GOODS))]
    left = chance.random()
    for code, rate, share in TAXES:
        if left < share:
            return goods, pieces, weight, cents / 100, code, rate / 100
        left -= share
    return goods, pieces, weight, cents / 100, "standard", 23.0


def _centres() -> list[tuple[int, int | None, str, str]]:
    rows: list[tuple[int, int | None, str, str]] = []

    def add(tree: dict[str, object], parent: int | None, prefix: str) -> None:
        for number, (name, below) in enumerate(tree.items(), 1):
            code = f"{prefix}{number:02}"
            rows.append((len(rows) + 1, parent, code, name))
            assert isinstance(below, dict)
            add(below, len(rows), code)

    add(CENTRES, None, "")  # type: ignore[arg-type]  # the tree is made of dicts of its own kind
    return rows


def _entries(connection: sqlite3.Connection, chance: Random, centres: list[tuple[int, int | None, str, str]]) -> None:
    parents = {parent for _, parent, _, _ in centres}
    leaves = [(number, name) for number, _, _, name in centres if number not in parents]
    texts = ("Invoice", "Wages", "Purchase", "Service", "Correction", "Hire")
    rows = []
    for number in range(1, ENTRIES + 1):
        centre, name = leaves[int(chance.random() * len(leaves))]
        kind = int(chance.random() * len(texts))
        cents = round(1500 + 240_000 * chance.random() ** 3) * (-1 if texts[kind] == "Correction" else 1)
        rows.append(
            (number, centre, _day(chance, FIRST, (LAST - FIRST).days + 1), f"{texts[kind]} {name}", cents / 100)
        )
    connection.executemany("insert into ledger_entries values (?, ?, ?, ?, ?)", rows)


def _day(chance: Random, first: date, days: int) -> str:
    return str(first + timedelta(days=int(chance.random() * days)))
