"""The embedded engine: DuckDB in memory, closed to files, network and settings.

One thread: sums of floating-point numbers depend on their order, and the same input must give the same bytes.
"""

import atexit
import os
import re
from collections.abc import Mapping, Sequence
from functools import lru_cache
from pathlib import Path
from typing import Any

import pyarrow as pa
from duckdb import Error, InterruptException

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import LESS_MEMORY, Cancelled
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, KindName

EngineError = Error
FILE_ERRORS = (Error, RuntimeError)
"""What the engine raises of files: names in them that are no text are no error of its own."""
_EXHAUSTED = re.compile("bad.alloc|Out of Memory Error", re.I)
_REFUSAL = "refused: "
_REFUSED = re.compile(f"'{_REFUSAL}([^']*)'")
_BOUND = re.compile(r"\$(\w+)")
SETTINGS: dict[str, str | bool | int | float | list[str]] = {
    "threads": 1,
    "memory_limit": "4GB",
    "autoload_known_extensions": False,
    "autoinstall_known_extensions": False,
    "python_enable_replacements": False,
    "ieee_floating_point_ops": False,
    "error_on_division_by_zero": False,
}
"""No number is infinite: a division by zero has no value, as in most databases, so that totals over it stay numbers."""


_MOST_DATABASES = 16
SORTING = min(os.cpu_count() or 1, 8)
"""Threads that put rows in order."""


def sql_literal(text: str) -> str:
    """A text as an SQL string."""
    escaped = text.replace("'", "''")
    return f"'{escaped}'"


def isolate(connection: Any, files: Sequence[Path] = (), zone: str = "UTC") -> None:
    """Set an engine's time zone, and keep it from then on from everything but some files; no statement undoes it."""
    connection.execute(f"set global TimeZone = '{zone}'")
    if files:
        listed = ", ".join(sql_literal(str(file)) for file in files)
        connection.execute(f"set allowed_paths = [{listed}]")
    connection.execute("set enable_external_access = false")
    connection.execute("set lock_configuration = true")


def open_database(settings: Mapping[str, Any] | None = None) -> Any:
    """An empty database in memory, with settings beside those of every one."""
    import duckdb  # held by a module, it would outlive the interpreter, and print its leaks there

    return duckdb.connect(":memory:", config={**SETTINGS, **(settings or {})})


@lru_cache(_MOST_DATABASES)
def _database(zone: str, threads: int, process: int) -> Any:  # noqa: ARG001  # one that is forked has none of its threads
    """An empty database in memory of a process: to make one takes twenty milliseconds, another connection to it next
    to nothing."""
    made = open_database({"threads": threads})
    isolate(made, zone=zone)
    return made


atexit.register(_database.cache_clear)


class Engine:
    """A connection of its own over Arrow tables that are given names, which no other one sees; on several threads only
    where no result depends on the order of work."""

    def __init__(self, stop: CancelToken, zone: str = "UTC", threads: int = 1) -> None:
        self._stop = stop
        self.connection = _database(zone, threads, os.getpid()).cursor()

    def __enter__(self) -> "Engine":
        return self

    def __exit__(self, *_: object) -> None:
        self.connection.close()

    def register(self, name: str, table: pa.Table) -> None:
        """Make an Arrow table known to SQL by a name."""
        self.connection.register(name, table)

    def run(self, sql: str, parameters: Mapping[str, Any] | None = None) -> pa.Table:
        """The result of a statement, in which ``$name`` represents a bound value; values not named in it are ignored.

        Raises EngineError in the engine's words, or Stopped.
        """
        named = set(_BOUND.findall(sql))
        bound = {name: value for name, value in (parameters or {}).items() if name in named}
        with self._stop.on_cancel(self.connection.interrupt):
            try:
                return self.connection.sql(sql, params=bound).to_arrow_table()
            except InterruptException as error:
                raise Cancelled from error


def list_sql(name: str, kind: KindName, listed: tuple[Any, ...] | None) -> str:
    """What is in ``in (…)`` for a bound list (or a single value, where there is none).

    An empty list has no type that the engine could see, and binds nothing.
    """
    if listed is None:
        return f"${name}"
    return f"select unnest(${name})" if listed else f"select null::{KIND_OF_NAME[kind].sql} where false"


def refusing_sql(message: str, text: str) -> str:
    """SQL in place of a text that refuses to compute it, with a message; that of the engine's ``error()`` is not taken
    inside ``try()``, so that one row would take all others with it."""
    return f"cast(cast({sql_literal(_REFUSAL + message)} || left({text}, 0) as integer) as varchar)"


def engine_message(error: Exception | str) -> str:
    """The first line of an engine's message, without its class; what to do, where memory is exhausted."""
    if _EXHAUSTED.search(str(error)):
        return f"there is not enough memory for it; {LESS_MEMORY}"
    if "nanobind::str()" in str(error):
        return "a name in it is no text in UTF-8"
    if refusal := _REFUSED.search(str(error)):
        return refusal[1]
    first = str(error).strip().split("\n")[0]
    return first.split("Error: ", 1)[-1].rstrip(".!")
