"""The index of an archive: what its runs are and the words on their pages, in an SQLite database with full-text search.

It holds nothing that is not in the folders of the runs, and can be made of them again at any time.
"""

import re
import shutil
import sqlite3
import unicodedata
from collections.abc import Iterable, Iterator, Sequence
from contextlib import contextmanager
from datetime import UTC, datetime
from pathlib import Path

import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.kept_database import KeptDatabase
from northmoor.core.delivery.archive.run_record import RunRecord, RunState
from northmoor.core.errors import OutputError

INDEX_FILE = "index.sqlite"
_FORM = 1
_MOST_WORDS = 4_000_000
"""Characters of a run's pages that are searched."""
_TABLES = """
create table runs (
  at integer primary key, id text not null unique, folder text not null, key text not null, report text not null,
  title text not null, edition text not null, started real not null, ended real not null, state text not null,
  asked_by text not null, run_order text not null, because text not null, pages integer not null, rows integer not null,
  files integer not null, size integer not null, findings integer not null, reason text not null, given text not null
);
create index runs_by_report on runs (report, at);
create index runs_by_state on runs (state, at);
create index runs_by_order on runs (run_order, at);
create index runs_by_key on runs (key);
create virtual table words using fts5 (
  heading, chosen, body, content='', detail=column, tokenize='unicode61 remove_diacritics 2'
);
create table coming (id text primary key, folder text not null);
"""


class IndexedRun(Struct, frozen=True):
    """What the list of runs says of one."""

    id: str
    folder: str
    key: str
    report: str
    title: str
    edition: str
    started: datetime
    ended: datetime
    state: RunState
    asked_by: str
    order: str
    because: str
    pages: int
    rows: int
    files: int
    size: int
    findings: int
    reason: str
    given: str


class RunFilter(Struct, frozen=True):
    """Which runs are wanted: by words of their titles, values and pages, by report, states, order and time."""

    words: str = ""
    report: str | None = None
    states: tuple[str, ...] = ()
    order: str | None = None
    since: datetime | None = None
    until: datetime | None = None


_LEAST_ROOM = 256 * 1024
"""Bytes on the disk of an index below which it fails for want of room, whatever the database says."""
_COLUMNS = (
    "id, folder, key, report, title, edition, started, ended, state, asked_by, run_order, because, pages, rows, files, "
    "size, findings, reason, given"
)


def _no_room(folder: Path) -> str:
    return f"The disk of the archive {folder} is full. Make room on it, and try again."


class ArchiveIndex:
    """An open index. It can be used from any thread, and by several processes at once."""

    def __init__(self, path: Path) -> None:
        """Open the index, or make an empty one. Raises OutputError."""
        self._folder = path.parent
        try:
            self._kept = KeptDatabase(path, _TABLES, _FORM, is_durable=False)
        except (OSError, sqlite3.Error) as error:
            if path.parent.exists() and shutil.disk_usage(path.parent).free < _LEAST_ROOM:
                raise OutputError(_no_room(path.parent)) from error
            raise OutputError(
                f"The index of the archive, {path}, cannot be used ({error}); remove it, and have it made again."
            ) from error

    @contextmanager
    def _changing(self) -> Iterator[sqlite3.Connection]:
        """One step, done whole or not at all. Raises OutputError where the disk is full."""
        try:
            with self._kept.changing() as database:
                yield database
        except sqlite3.OperationalError as error:
            if getattr(error, "sqlite_errorcode", None) != sqlite3.SQLITE_FULL:
                raise
            raise OutputError(_no_room(self._folder)) from error

    def announce(self, run_id: str, folder: str) -> None:
        """Note that a run will be in a folder soon, so that it is found there even if its maker is ended."""
        with self._changing() as database:
            database.execute("insert or replace into coming values (?, ?)", (run_id, folder))

    def coming(self) -> list[tuple[str, str]]:
        """The runs that were announced and not added, with their folders."""
        return self._kept.rows("select id, folder from coming order by id")

    def add(self, record: RunRecord, folder: str, texts: pa.Table) -> None:
        """Add a run, unless it is there already."""
        self.add_all([(record, folder, texts)])

    def add_all(self, runs: Iterable[tuple[RunRecord, str, pa.Table]]) -> None:
        """Add runs in one step."""
        with self._changing() as database:
            for record, folder, texts in runs:
                database.execute("delete from coming where id = ?", (record.id,))
                if database.execute("select 1 from runs where id = ?", (record.id,)).fetchone():
                    continue
                at = int(record.started.timestamp() * 1_000_000)
                while database.execute("select 1 from runs where at = ?", (at,)).fetchone():
                    at += 1
                row = _row(record, folder)
                marks = ", ".join("?" * (1 + len(row)))
                database.execute(f"insert into runs (at, {_COLUMNS}) values ({marks})", (at, *row))
                database.execute(
                    "insert into words (rowid, heading, chosen, body) values (?, ?, ?, ?)",
                    (at, record.title, given_text(record), _body(texts)),
                )

    def remove(self, run_ids: Sequence[str]) -> None:
        """Let go of some runs; their words are never found without them."""
        with self._changing() as database:
            database.executemany("delete from runs where id = ?", [(run_id,) for run_id in run_ids])
            database.executemany("delete from coming where id = ?", [(run_id,) for run_id in run_ids])

    def clear(self) -> None:
        """Make it empty."""
        with self._changing() as database:
            database.execute("delete from runs")
            database.execute("delete from coming")
            database.execute("insert into words (words) values ('delete-all')")

    def find(self, wanted: RunFilter, most: int = 200, skip: int = 0) -> list[IndexedRun]:
        """The runs that are wanted, the newest first."""
        source, arguments = _where(wanted)
        order = "words.rowid" if match_text(wanted.words) else "runs.at"
        sql = f"select {_COLUMNS} from {source} order by {order} desc limit ? offset ?"
        rows = self._kept.rows(sql, *arguments, most, skip)
        return [_indexed(row) for row in rows]

    def count(self, wanted: RunFilter) -> int:
        """How many runs are wanted."""
        source, arguments = _where(wanted)
        return int(self._kept.rows(f"select count(*) from {source}", *arguments)[0][0])

    def run(self, run_id: str) -> IndexedRun | None:
        """A run by its name, or by what that begins with, if there is only one."""
        sql = f"select {_COLUMNS} from runs where id = ?1 or substr(id, 1, length(?1)) = ?1 or id like '%-' || ?1"
        rows = self._kept.rows(f"{sql} limit 2", run_id)
        return _indexed(rows[0]) if len(rows) == 1 else None

    def reports(self) -> dict[str, int]:
        """How many runs there are of each report."""
        return dict(self._kept.rows("select report, count(*) from runs group by report order by report"))

    def close(self) -> None:
        """Close it."""
        self._kept.close()


def _row(record: RunRecord, folder: str) -> tuple[object, ...]:
    return (
        record.id, folder, record.key, record.report, record.title, record.edition, record.started.timestamp(),
        record.ended.timestamp(), record.state, record.asked_by, record.order or "", record.because, record.pages,
        record.rows, len(record.files), sum(file.size for file in record.files), len(record.findings), record.reason,
        given_text(record),
    )  # fmt: skip


def _indexed(row: tuple[object, ...]) -> IndexedRun:
    values = list(row)
    for at in (6, 7):
        values[at] = datetime.fromtimestamp(values[at], UTC)  # type: ignore[arg-type]  # seconds
    return IndexedRun(*values)  # type: ignore[arg-type]  # in the order of the columns


def given_text(record: RunRecord) -> str:
    """A run's values as a reader sees them."""
    return " · ".join(f"{name} {text}" for name, text in record.shown_values.items())


def _body(texts: pa.Table) -> str:
    return "\n".join(texts["text"].to_pylist())[:_MOST_WORDS]


def _where(wanted: RunFilter) -> tuple[str, tuple[object, ...]]:
    """The part of a statement after `from`, and its arguments."""
    source, conditions, arguments = "runs", [], list[object]()
    words = match_text(wanted.words)
    if words:
        # in this order: the search gives its rows by their times, and each is looked up
        source = "words cross join runs on runs.at = words.rowid"
        conditions.append("words match ?")
        arguments.append(words)
    for column, value in (("report", wanted.report), ("run_order", wanted.order)):
        if value is not None:
            conditions.append(f"{column} = ?")
            arguments.append(value)
    if wanted.states:
        conditions.append(f"state in ({', '.join('?' * len(wanted.states))})")
        arguments += wanted.states
    for sign, moment in ((">=", wanted.since), ("<", wanted.until)):
        if moment is not None:
            conditions.append(f"runs.at {sign} ?")
            arguments.append(int(moment.timestamp() * 1_000_000))
    return f"{source} where {' and '.join(conditions)}" if conditions else source, tuple(arguments)


def match_text(words: str) -> str:
    """What a reader types as an expression of the full-text search: all of the words, the last one perhaps begun."""
    found = re.findall(r"[^\W_]+", unicodedata.normalize("NFC", words))
    if not found:
        return ""
    return " ".join([f'"{word}"' for word in found[:-1]] + [f'"{found[-1]}"*'])
