"""What a child is asked for about data: tables of files, and queries over them, over a database file, or over rows."""

from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager
from pathlib import Path
from typing import Any

import pyarrow as pa
from msgspec import Struct, field
from msgspec.structs import asdict

from northmoor.core.base.apart.task import Result
from northmoor.core.base.replace import replace
from northmoor.core.engine.embedded import FILE_ERRORS, EngineError, engine_message, isolate, open_database, sql_literal
from northmoor.core.errors import ConnectionFault, EngineRefusal
from northmoor.core.expr.identifiers import quoted
from northmoor.core.sources.files.file_table import FileTable

_OWN_NAMES = ("memory", "temp", "system", "main")
"""Names that the engine's own databases and schema have."""
_WIDER_THAN_ARROW = ("UHUGEINT", "BIGNUM")
"""Types of whole numbers that the engine gives to Arrow wrongly; they come as text."""


class Named(Struct, frozen=True):
    """A table that a query can name: rows, or a view that reads files."""

    name: str
    rows: pa.Table | None = None
    view: str = ""


class Opening(Struct, frozen=True):
    """What a query runs over: a database file, or tables and the files that their views read."""

    database: Path | None = None
    tables: Sequence[Named] = ()
    files: tuple[Path, ...] = ()


class Statement(Struct, frozen=True):
    """A statement with bound values, the time zone it runs in, and how many rows are given at a time. Parts of it, if
    there are any, differ in some of the values and run at once."""

    sql: str
    values: Mapping[str, Any] = field(default_factory=dict)
    zone: str = "UTC"
    batch: int = 50_000
    parts: tuple[Mapping[str, Any], ...] = ()


@contextmanager
def opened(opening: Opening, zone: str) -> Iterator[Any]:
    """An engine of its own over what is opened; it reaches nothing else. Raises ConnectionFault, and EngineRefusal for
    what its use raises."""
    # those that open one file share settings, and no second one could set its time zone
    with open_database() as connection:
        if opening.database is not None:
            name = quoted(opening.database.stem if opening.database.stem not in _OWN_NAMES else "file")
            try:
                connection.execute(f"attach {sql_literal(str(opening.database))} as {name} (read_only)")
                connection.execute(f"use {name}")
            except FILE_ERRORS as error:
                raise ConnectionFault(_cannot_open(opening.database.name, error)) from error
        for table in opening.tables:
            if table.view:
                connection.execute(f"create view {quoted(table.name)} as {table.view}")
            else:
                connection.register(table.name, table.rows)
        isolate(connection, opening.files, zone)
        try:
            yield connection
        except FILE_ERRORS as error:
            raise EngineRefusal(str(error)) from error


def _cannot_open(name: str, error: Exception) -> str:
    if "could not set lock" in str(error).lower():
        return f"Another program has {name} open for writing; close it there, then try again."
    return f"{name} cannot be opened as a DuckDB database ({engine_message(error)})."


EXPLAIN = "explain\n"
"""What is before a query where its faults are looked for: a line, which places in it are later by."""


def run_query(opening: Opening, statement: Statement) -> Iterator[Result]:
    """The names of a query's columns and whether each is wider than Arrow's numbers, then its rows in batches."""
    if not statement.parts:
        yield from _run_one(opening, statement)
        return
    own = [replace(statement, values={**statement.values, **part}, parts=()) for part in statement.parts]
    with ThreadPoolExecutor(len(own)) as threads:  # an engine on one thread for each, so that ties are no chance
        for number, results in enumerate(threads.map(lambda each: list(_run_one(opening, each)), own)):
            yield from results[1:] if number else results


def _run_one(opening: Opening, statement: Statement) -> Iterator[Result]:
    with opened(opening, statement.zone) as connection:
        found = _relation(connection, statement)
        names = list(found.columns)
        wide = [str(kind) in _WIDER_THAN_ARROW for kind in found.types]
        if any(wide):
            listed = (f"cast(#{at} as varchar)" if w else f"#{at}" for at, w in enumerate(wide, 1))
            found = found.project(", ".join(listed))
        reader = found.to_arrow_reader(statement.batch)
        numbered = pa.schema([entry.with_name(str(at)) for at, entry in enumerate(reader.schema)])
        yield Result({"names": names, "wide": wide}, numbered.empty_table())
        for batch in reader:
            yield Result({}, pa.Table.from_arrays(batch.columns, schema=numbered))


def _relation(connection: Any, statement: Statement) -> Any:
    """The query as the engine bound it; the engine gives the place of a fault only when asked to explain it."""
    try:
        return connection.sql(statement.sql, params=dict(statement.values))
    except EngineError:
        _explain(connection, statement)
        raise


def _explain(connection: Any, statement: Statement) -> None:
    connection.execute(EXPLAIN + statement.sql, dict(statement.values))


def bind_query(opening: Opening, statement: Statement) -> Iterator[Result]:
    """Let the engine bind a query without running it."""
    with opened(opening, statement.zone) as connection:
        _explain(connection, statement)
    yield Result({})


def ask_database(opening: Opening, statements: Sequence[str]) -> Iterator[Result]:
    """The rows of statements of ours, as lists."""
    with opened(opening, "UTC") as connection:
        for sql in statements:
            yield Result({"rows": connection.execute(sql).fetchall()})


def read_tables(path: Path, stem: str) -> Iterator[Result]:
    """The tables of a workbook, or of a JSON, XML or Parquet file."""
    for table in _READERS[path.suffix.lower()](path, stem):
        header = {
            "name": table.name, "count": table.count, "view": table.view, "notes": table.notes, "key": table.key,
            "columns": [(column.name, str(column.kind)) for column in table.columns],
            "links": [asdict(link) for link in table.links],
        }  # fmt: skip
        yield Result(header, table.rows)


def _sheets(path: Path, stem: str) -> list[FileTable]:
    from northmoor.core.sources.files.workbooks import sheet_tables  # readers are loaded on first use

    return sheet_tables(path, stem)


def _json(path: Path, stem: str) -> list[FileTable]:
    from northmoor.core.sources.files.json_xml import json_tables  # as above

    return json_tables(path, stem)


def _xml(path: Path, stem: str) -> list[FileTable]:
    from northmoor.core.sources.files.json_xml import xml_tables  # as above

    return xml_tables(path, stem)


def _parquet(path: Path, stem: str) -> list[FileTable]:
    from northmoor.core.sources.files.parquet import parquet_table  # as above

    return [parquet_table(path, stem)]


_READERS: Mapping[str, Callable[[Path, str], list[FileTable]]] = {
    ".xlsx": _sheets, ".ods": _sheets, ".json": _json, ".jsonl": _json, ".xml": _xml, ".parquet": _parquet,
}  # fmt: skip
