"""The ledger: which runs are wanted, under way and done, and what has gone where; durable at each step.

A run has a key, made of its order and the time or trigger that asks for it, and is entered once. What a timetable or
trigger has seen is kept in the same database, so that a run is entered before its time counts as seen.
"""

import json
import logging
import sqlite3
import time
from collections.abc import Sequence
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Literal

from msgspec import Struct

from northmoor.core.base.kept_database import KeptDatabase
from northmoor.core.delivery.archive.run_folder import new_run_id
from northmoor.core.delivery.destinations.handing import UnitNote, UnitState
from northmoor.core.delivery.runs.run_request import RunRequest
from northmoor.core.errors import OutputError

LEDGER_FILE = "ledger.sqlite"
_log = logging.getLogger(__name__)
WantedState = Literal["waiting", "running", "handing", "done", "left_out", "failed", "stopped"]
_FORM = 1
_TABLES = """
create table wanted (
  key text primary key, run_order text not null, run_id text not null, request text not null, state text not null,
  tries integer not null, next_try real not null, entered real not null, changed real not null, reason text not null
);
create index wanted_by_state on wanted (state, next_try);
create index wanted_by_order on wanted (run_order, entered);
create table units (
  run_id text not null, destination integer not null, unit text not null, state text not null, text text not null,
  primary key (run_id, destination, unit)
);
create table seen (run_order text not null, what text not null, value text not null, primary key (run_order, what));
create table jobs (id text primary key, next_time real, schedule text not null);
"""


class Wanted(Struct, frozen=True):
    """A run that an order has asked for."""

    key: str
    order: str
    run_id: str
    request: RunRequest
    state: WantedState
    tries: int
    next_try: datetime
    entered: datetime
    reason: str


class Ledger:
    """An open ledger. It can be used from any thread, and by several processes at once."""

    def __init__(self, archive_root: Path) -> None:
        """Open it, or make an empty one. Raises OutputError."""
        path = archive_root / LEDGER_FILE
        try:
            self._kept = KeptDatabase(path, _TABLES, _FORM, is_durable=True)  # a machine may be switched off any moment
        except (OSError, sqlite3.Error) as error:
            why = f"The ledger {path} cannot be used ({error}); see that the folder can be written."
            raise OutputError(why) from error

    # wanted runs

    def enter(self, request: RunRequest, database: sqlite3.Connection | None = None) -> bool:
        """Enter a run that is wanted, once for its key; whether it was new."""
        if database is None:
            with self._kept.changing() as own:
                return self.enter(request, own)
        now = time.time()
        run_id = new_run_id(datetime.now(UTC))
        entered = database.execute(
            "insert or ignore into wanted values (?, ?, ?, ?, 'waiting', 0, ?, ?, ?, '')",
            (request.key, request.order or "", run_id, request.model_dump_json(exclude_defaults=True), now, now, now),
        )
        return entered.rowcount > 0

    def wanted(self, states: tuple[WantedState, ...] = (), order: str | None = None, most: int = 1_000) -> list[Wanted]:
        """Runs that were asked for, the newest first."""
        conditions, arguments = ["1"], list[object]()
        if states:
            conditions.append(f"state in ({', '.join('?' * len(states))})")
            arguments += states
        if order is not None:
            conditions.append("run_order = ?")
            arguments.append(order)
        sql = f"select * from wanted where {' and '.join(conditions)} order by entered desc, rowid desc limit ?"
        return [_wanted(row) for row in self._kept.rows(sql, *arguments, most)]

    def take(self) -> Wanted | None:
        """The next run that is waiting and due, which is under way from now on; None if there is none."""
        with self._kept.changing() as database:
            row = database.execute(
                "select * from wanted where state = 'waiting' and next_try <= ? order by next_try, rowid limit 1",
                (time.time(),),
            ).fetchone()
            if row is None:
                return None
            found = _wanted(row)
            database.execute("update wanted set state = 'running', changed = ? where key = ?", (time.time(), found.key))
            return found

    def change(self, key: str, state: WantedState, reason: str = "", following: Sequence[RunRequest] = ()) -> None:
        """Note how far a run is, and enter those that follow it, in one step."""
        _log.info("%s: %s %s", key, state, reason)
        with self._kept.changing() as database:
            database.execute(
                "update wanted set state = ?, reason = ?, changed = ? where key = ?", (state, reason, time.time(), key)
            )
            for request in following:
                self.enter(request, database)

    def try_again(self, key: str, at: float, reason: str, is_new_run: bool) -> None:
        """Let a run wait for another try; one that is in the archive as failed is a new one then."""
        with self._kept.changing() as database:
            if is_new_run:
                database.execute("update wanted set run_id = ? where key = ?", (new_run_id(datetime.now(UTC)), key))
            database.execute(
                "update wanted set state = 'waiting', tries = tries + 1, next_try = ?, reason = ?, changed = ? "
                "where key = ?",
                (at, reason, time.time(), key),
            )

    def resume(self) -> int:
        """Let all runs that were under way wait again, as their maker is gone; how many."""
        with self._kept.changing() as database:
            return database.execute(
                "update wanted set state = 'waiting', next_try = ? where state in ('running', 'handing')",
                (time.time(),),
            ).rowcount

    # what has gone where

    def units(self, run_id: str, destination: int) -> "LedgerUnits":
        """The notes of a run and its destination of a number."""
        return LedgerUnits(self, run_id, destination)

    def unit(self, run_id: str, destination: int, unit: str) -> UnitNote | None:
        """What is noted of a unit."""
        rows = self._kept.rows(
            "select state, text from units where run_id = ? and destination = ? and unit = ?", run_id, destination, unit
        )
        return UnitNote(*rows[0]) if rows else None

    def note_unit(self, run_id: str, destination: int, unit: str, state: UnitState, text: str) -> None:
        """Note something of a unit."""
        with self._kept.changing() as database:
            database.execute(
                "insert or replace into units values (?, ?, ?, ?, ?)", (run_id, destination, unit, state, text)
            )

    # what was seen

    def seen(self, order: str, what: str) -> Any:
        """What an order's trigger has seen; None for nothing."""
        rows = self._kept.rows("select value from seen where run_order = ? and what = ?", order, what)
        return json.loads(rows[0][0]) if rows else None

    def see(self, order: str, what: str, value: Any, requests: Sequence[RunRequest] = ()) -> list[RunRequest]:
        """Enter runs, and note what an order's trigger has seen, in one step; the runs that were new."""
        with self._kept.changing() as database:
            new = [request for request in requests if self.enter(request, database)]
            database.execute(
                "insert or replace into seen values (?, ?, ?)", (order, what, json.dumps(value, ensure_ascii=False))
            )
        return new

    # jobs of the schedule

    def jobs(self) -> dict[str, tuple[float | None, str]]:
        """The next time of each order with a timetable, and the timetable it is of."""
        return {row[0]: (row[1], row[2]) for row in self._kept.rows("select id, next_time, schedule from jobs")}

    def put_job(self, order: str, next_time: float | None, schedule: str) -> None:
        """Note when an order is due next."""
        with self._kept.changing() as database:
            database.execute("insert or replace into jobs values (?, ?, ?)", (order, next_time, schedule))

    def remove_job(self, order: str) -> None:
        """Let go of an order's times."""
        with self._kept.changing() as database:
            database.execute("delete from jobs where id = ?", (order,))

    def close(self) -> None:
        """Close it."""
        self._kept.close()


class LedgerUnits(Struct, frozen=True):
    """The notes of one run and destination."""

    ledger: Ledger
    run_id: str
    destination: int

    def of(self, unit: str) -> UnitNote | None:
        """What is noted of a unit."""
        return self.ledger.unit(self.run_id, self.destination, unit)

    def note(self, unit: str, state: UnitState, text: str = "") -> None:
        """Note something, durably, in one step."""
        self.ledger.note_unit(self.run_id, self.destination, unit, state, text)


def _wanted(row: tuple[Any, ...]) -> Wanted:
    key, order, run_id, request, state, tries, next_try, entered, _, reason = row
    return Wanted(
        key, order, run_id, RunRequest.model_validate_json(request), state, tries,
        datetime.fromtimestamp(next_try, UTC), datetime.fromtimestamp(entered, UTC), reason,
    )  # fmt: skip
