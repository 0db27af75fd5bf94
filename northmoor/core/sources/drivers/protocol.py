"""What the road asks of a kind of connection: one protocol, implemented by a module for each kind."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from contextlib import AbstractContextManager
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, Protocol, TypeVar
from zoneinfo import ZoneInfo

import pyarrow as pa
from msgspec import Struct, field

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import ConnectionFault, QueryError
from northmoor.core.expr.placeholders import Placeholder
from northmoor.core.model.data.connections import PathConnection
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.credentials import Secrets
from northmoor.core.sources.drivers.read_only import CheckedQuery
from northmoor.core.values.parameter_values import Listed
from northmoor.core.values.scalars import Value

FIRST_ROWS = 200
"""Rows of the first batch: few, so that a slow query shows something soon."""
BATCH = 50_000
MOST_ROWS = 20_000_000
_BATCH_BYTES = 64 * 1024**2
_MOST_TEXT = 2**31 - 1
"""Bytes of a column's texts: more have no room in one array of Arrow's."""


class QueryRequest(Struct, frozen=True):
    """A query to run: its checked SQL, the values bound in it, the report's time zone, and the way to stop it.

    `kinds` are the kinds of the values, or of a list's entries: they are known of nulls and of empty lists too.
    """

    query: CheckedQuery
    values: Mapping[str, Value | Listed]
    zone: ZoneInfo
    stop: CancelToken
    kinds: Mapping[str, KindName] = field(default_factory=dict)
    compared: tuple[KindName | None, ...] = ()
    """What each placeholder of the text, in order, is compared with; empty where days and moments are types of their
    own."""
    exact_sql: str = ""
    """The query's text as SQLite computes it with decimals; empty for other databases."""
    parts: tuple[Mapping[str, Value], ...] = ()
    """Values that differ between parts of the query, whose rows come one part after another; for the engine here."""

    def listed(self, placeholder: Placeholder) -> Listed | None:
        """The list that a placeholder represents; None for a single value."""
        value = self.values.get(placeholder.name)
        return value if isinstance(value, tuple) else None


class ResultStream(Struct, frozen=True):
    """A running query.

    `names` are its columns' names, made unique; `kinds` the types that the source is sure of, None where only the
    values can tell; `batches` give the rows in order, each a list with one Arrow array a column; `data_time` is the
    moment the rows are as of; `notes` are sentences about the data that its reader should know; `preview` are first
    rows that may be shown before the first batch, in which they come again.
    """

    names: tuple[str, ...]
    kinds: tuple[ValueType | None, ...]
    batches: Iterator[list[pa.Array]]
    data_time: datetime
    notes: tuple[str, ...] = field(default=())
    preview: list[pa.Array] | None = None
    found: list[str] = field(default_factory=list)
    """More such notes, of what is found while the batches are read."""


_D = TypeVar("_D")


class DriverHost(Protocol):
    """What a driver needs of the library: each driver's module has an `open_driver` of it and a connection."""

    secrets: Secrets

    def path(self, connection: PathConnection) -> Path:
        """The full path of a connection's file or folder."""
        ...

    def kept_driver(self, connection: Any, make: Callable[[], _D]) -> _D:
        """The driver of a connection that is the same each time."""
        ...


class Driver(Protocol):
    """A way to ask one connection."""

    dialect: str
    """Its SQL dialect, by sqlglot's name."""

    @property
    def identity(self) -> str:
        """As whom or what its queries run, for the plan."""

    def data_time(self) -> datetime:
        """The moment its data are as of: when files were last written; now, of a server. Raises ConnectionFault."""

    def catalog(self, stop: CancelToken, counted: bool = True) -> Catalog:
        """What it holds; unless `counted`, without numbers of rows where counting takes time.

        Raises ConnectionFault or Cancelled.
        """

    def open_stream(self, request: QueryRequest) -> AbstractContextManager[ResultStream]:
        """Run a query with its values bound.

        Raises QueryError in the source's words, ConnectionFault, or Stopped, at the start or between batches.
        """

    def check(self, request: QueryRequest) -> None:
        """Ask the source whether it would run a query, without running it. Raises like `running`."""


def modified_at(*files: Path) -> datetime:
    """When the newest of files was last written, to the second. Raises ConnectionFault when one is gone."""
    try:
        return datetime.fromtimestamp(int(max(file.stat().st_mtime for file in files)), UTC)
    except OSError as error:
        raise ConnectionFault(f"{error.filename} cannot be read: {error.strerror}.") from error


def unique_column_names(names: list[str]) -> tuple[str, ...]:
    """The names with repeated ones (in any case) numbered: ``a, A`` becomes ``a, A_2``."""
    taken: set[str] = set()
    unique = []
    for name in names:
        candidate, count = name or "column", 2
        while candidate.lower() in taken:
            candidate, count = f"{name}_{count}", count + 1
        taken.add(candidate.lower())
        unique.append(candidate)
    return tuple(unique)


def next_batch_size(batch: Sequence[pa.Array]) -> int:
    """How many rows to ask for next, so that those as wide as the ones of this batch take no more than 64 MiB."""
    size = sum(int(array.nbytes) for array in batch)
    return max(min(BATCH, len(batch[0]) * _BATCH_BYTES // max(size, 1)), 1)


def enforce_limits(
    batches: Iterator[list[pa.Array]], names: Sequence[str], stop: CancelToken
) -> Iterator[list[pa.Array]]:
    """The batches, with an empty one when there is none. Raises QueryError past the most rows or texts, or Stopped."""
    count = 0
    sizes = [0] * len(names)
    for batch in batches:
        stop.raise_if_cancelled()
        for at, array in enumerate(batch):
            sizes[at] += array.nbytes if pa.types.is_string(array.type) or pa.types.is_binary(array.type) else 0
            if sizes[at] > _MOST_TEXT:
                raise QueryError(f"Its column {names[at]} holds more than 2 GB; take fewer rows, or shorten its texts.")
        count += len(batch[0]) if batch else 0
        if count > MOST_ROWS:
            raise QueryError(f"It returns more than {MOST_ROWS:,} rows; narrow it with a where clause.")
        yield batch
    if count == 0:
        yield [pa.nulls(0) for _ in names]
