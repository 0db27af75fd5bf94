"""``northmoor-sim telemetry``: vessels that write their log as if they sailed now, at a chosen speed.

Voyages begin and end while it runs, so that a voyage's end can be waited for. The file's time follows the log's clock.
"""

import os
import sqlite3
import sys
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path
from typing import Annotated

import typer

from northmoor.demo.data.telemetry import LogEntry, entries_after

_DAYS = 30
_PAUSE = 0.5  # seconds between looks at the clock


def telemetry(
    log: Annotated[Path, typer.Argument(help="The log to write into, such as data/telemetry.sqlite of the demo.")],
    speed: Annotated[float, typer.Option(help="How many seconds of the log pass in one second.", min=0.1)] = 60.0,
    seconds: Annotated[float, typer.Option(help="How long it runs; by itself, until it is stopped (Ctrl+C).")] = 0.0,
) -> None:
    """Go on writing the vessels' telemetry, from the log's last reading on."""
    if not log.is_file():
        sys.stderr.write(f"There is no log {log}; give data/telemetry.sqlite of the demo library.\n")
        raise typer.Exit(2)
    connection = sqlite3.connect(log, timeout=10)
    try:
        (last,) = connection.execute("select max(at) from log").fetchone()
        begun = datetime.fromisoformat(last)
        written = _write(connection, log, begun, speed, seconds)
    except sqlite3.Error as error:
        sys.stderr.write(f"{log} cannot be written as a log ({error}); give data/telemetry.sqlite of the demo.\n")
        raise typer.Exit(2) from error
    except KeyboardInterrupt:
        return
    finally:
        connection.close()
    sys.stdout.write(f"{written:,} readings were written.\n")


def _write(connection: sqlite3.Connection, log: Path, begun: datetime, speed: float, seconds: float) -> int:
    """Write what the log's clock has reached, again and again; how many readings that were."""
    entries, started, written = entries_after(begun, _DAYS), time.monotonic(), 0
    waiting = next(entries, None)
    values = dict(connection.execute("select tag, value from (select tag, value, max(at) from log group by tag)"))
    while waiting is not None and (not seconds or time.monotonic() - started < seconds):
        now = begun + timedelta(seconds=(time.monotonic() - started) * speed)
        due: list[LogEntry] = []
        while waiting is not None and waiting[1] <= now:
            if values.get(waiting[0]) != waiting[2]:  # only what has changed is written
                values[waiting[0]] = waiting[2]
                due.append(waiting)
            waiting = next(entries, None)
        with connection:
            rows = ((tag, at.strftime("%Y-%m-%dT%H:%M:%SZ"), value) for tag, at, value in due)
            connection.executemany("insert into log values (?, ?, ?)", rows)
        written += len(due)
        moment = now.astimezone(UTC).timestamp()
        os.utime(log, (moment, moment))
        time.sleep(_PAUSE)
    return written
