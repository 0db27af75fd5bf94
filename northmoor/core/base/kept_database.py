"""A small SQLite database of our own on disk, that threads and processes share and change in whole steps."""

import sqlite3
import threading
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

_PATIENCE = 30
"""Seconds that one step may wait for another."""


class KeptDatabase:
    """A database whose tables are made when it is new. Raises OSError and sqlite3.Error where it cannot be used."""

    def __init__(self, path: Path, tables: str, form: int, is_durable: bool) -> None:
        """Open it; a durable one has each step on the disk before the next."""
        self._lock = threading.RLock()
        path.parent.mkdir(parents=True, exist_ok=True)
        self._connection = sqlite3.connect(path, timeout=_PATIENCE, isolation_level=None, check_same_thread=False)
        try:
            self._connection.execute("pragma journal_mode = wal")
            self._connection.execute(f"pragma synchronous = {'full' if is_durable else 'normal'}")
            with self.changing() as database:
                (known,) = database.execute("pragma user_version").fetchone()
                if known == 0:
                    for statement in filter(str.strip, tables.split(";")):
                        database.execute(statement)
                    database.execute(f"pragma user_version = {form}")
        except BaseException:
            self._connection.close()
            raise

    @contextmanager
    def changing(self) -> Iterator[sqlite3.Connection]:
        """One step, done whole or not at all."""
        with self._lock:
            self._connection.execute("begin immediate")
            try:
                yield self._connection
                self._connection.execute("commit")
            except BaseException:
                if self._connection.in_transaction:  # a full disk ends it
                    self._connection.execute("rollback")
                raise

    def rows(self, sql: str, *arguments: object) -> list[tuple[Any, ...]]:
        """The rows of a query."""
        with self._lock:
            return self._connection.execute(sql, arguments).fetchall()

    def close(self) -> None:
        """Close it."""
        with self._lock:
            self._connection.close()
