"""Files of rows as a connection: each file, sheet or repeated element is a table, and the engine runs the SQL."""

import re
import threading
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from datetime import datetime
from pathlib import Path

import pyarrow as pa

from northmoor.core.base.apart.reader_process import ask_apart
from northmoor.core.base.apart.task import Result, Task
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.base.replace import replace
from northmoor.core.engine.embedded import open_database
from northmoor.core.errors import ConnectionFault, QueryError, did_you_mean
from northmoor.core.expr.placeholders import word_position
from northmoor.core.model.data.connections import FILE_SUFFIXES, FilesConnection
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable, ForeignKey
from northmoor.core.sources.drivers.protocol import DriverHost, QueryRequest, ResultStream, modified_at
from northmoor.core.sources.drivers.read_only import CheckedQuery
from northmoor.core.sources.files.csv_tsv import delimited_table
from northmoor.core.sources.files.file_table import FileTable, TableColumn
from northmoor.core.sources.files.json_schema import SCHEMA_ENDING
from northmoor.core.sources.local.engine_queries import check_apart, running_query
from northmoor.core.sources.local.reader_start import ENGINE_TASKS, start_reader
from northmoor.core.sources.local.tasks import Named, Opening

_MOST_FILES = 2_000
_LONGEST_READING = 300
"""Seconds that a file may take to be read."""
Stamp = tuple[int, int]


class FilesDriver:
    """Asks a file, or the files of a folder."""

    dialect = "duckdb"

    def __init__(self, path: Path, settings: FilesConnection) -> None:
        self._path, self._settings = path, settings
        self._known: dict[Path, tuple[Stamp, list[FileTable]]] = {}
        self._lock = threading.Lock()

    @property
    def identity(self) -> str:
        """The file or folder; there are no users."""
        if self._path.is_dir():
            return phrase(f"the folder {self._path.name}, read-only")
        return phrase(f"the file {self._path.name}, read-only")

    def data_time(self) -> datetime:
        """When the newest of the files was last written."""
        return modified_at(*self._files(), self._path)

    def catalog(self, stop: CancelToken, counted: bool = True) -> Catalog:  # noqa: ARG002  # its counts cost nothing
        """A table for each file, sheet and repeated element. A file that cannot be read is there with its fault."""
        tables = []
        for path, stem in self._files().items():
            stop.raise_if_cancelled()
            try:
                tables += [_entry(table) for table in self._tables(path, stem, stop)]
            except QueryError as error:
                tables.append(CatalogTable(stem, (), None, fault=error.message))
        return Catalog(tuple(tables))

    @contextmanager
    def open_stream(self, asked: QueryRequest) -> Iterator[ResultStream]:
        """Run a query over the files it names; a file that changes meanwhile is a fault."""
        before = {
            file: _stamp(file) for file in self._files()
        }  # types follow from the values: a change counts from here
        tables = self._named(asked.query, asked.stop)
        files = tuple(dict.fromkeys(file for table in tables for file in table.files))
        stamps = {file: before[file] for file in files if file in before}
        with running_query(_opening(tables), asked, modified_at(*files, self._path)) as made:
            notes = tuple(dict.fromkeys(note for table in tables for note in table.notes))
            yield replace(made, batches=_unchanged(made.batches, stamps), notes=notes)

    def check(self, asked: QueryRequest) -> None:
        """Let the engine bind the query."""
        check_apart(_opening(self._named(asked.query, asked.stop)), asked)

    def _files(self) -> dict[Path, str]:
        """The files, with a name for the table of each."""
        if not self._path.exists():
            raise ConnectionFault(f"There is no file or folder {self._path}; put it back or change the connection.")
        inside = sorted(self._path.iterdir())[:_MOST_FILES] if self._path.is_dir() else [self._path]
        paths = [path for path in inside if path.suffix.lower() in FILE_SUFFIXES and path.is_file()]
        paths = [path for path in paths if not path.name.lower().endswith(SCHEMA_ENDING)]
        stems = [_name(path.stem) for path in paths]
        return {
            path: stem if stems.count(stem) == 1 else f"{stem}_{path.suffix[1:].lower()}"
            for path, stem in zip(paths, stems, strict=True)
        }

    def _named(self, query: CheckedQuery, stop: CancelToken) -> list[FileTable]:
        """The tables that a query names. Raises QueryError for a name that is none."""
        files = self._files()
        names = dict.fromkeys(table.name.lower() for table in query.tables)
        return [self._table(name, files, query, stop) for name in names]

    def _table(self, name: str, files: dict[Path, str], query: CheckedQuery, stop: CancelToken) -> FileTable:
        for path, stem in files.items():
            if name == stem or name.startswith(f"{stem}_"):
                for table in self._tables(path, stem, stop):
                    if table.name == name:
                        return table
        message = f"There is no table {name} among the files. {did_you_mean(name, files.values())}"
        raise QueryError(message, position=word_position(name, query.sql))

    def _tables(self, path: Path, stem: str, stop: CancelToken) -> list[FileTable]:
        """The tables of a file, read again when it has changed."""
        stamp = _stamp(path)
        with self._lock:
            known = self._known.get(path)
        if known is not None and known[0] == stamp:
            return known[1]
        tables = self._read(path, stem, stop)
        tables = [replace(table, name=_name(table.name)) for table in tables]
        with self._lock:
            self._known[path] = (stamp, tables)
        return tables

    def _read(self, path: Path, stem: str, stop: CancelToken) -> list[FileTable]:
        if path.suffix.lower() not in (".csv", ".tsv", ".txt"):
            answers = ask_apart(
                Task(ENGINE_TASKS, "read_tables"), (path.resolve(), stem), stop, path.name, _LONGEST_READING
            )
            return [_table_of(answer, path) for answer in answers]
        with open_database() as engine, stop.on_cancel(engine.interrupt):
            return [delimited_table(path, stem, self._settings, engine)]


def _table_of(answer: Result, path: Path) -> FileTable:
    header = answer.header
    columns = tuple(TableColumn(name, ValueType.parse(kind)) for name, kind in header["columns"])
    links = tuple(
        ForeignKey(tuple(link["columns"]), link["table"], tuple(link["referred"])) for link in header["links"]
    )
    return FileTable(
        header["name"],
        columns,
        header["count"],
        (path,),
        header["view"],
        answer.table,
        tuple(header["notes"]),
        header["key"],
        links,
    )


def _opening(tables: Sequence[FileTable]) -> Opening:
    """What a query over tables of files opens."""
    files = tuple(dict.fromkeys(file for table in tables for file in table.files))
    return Opening(tables=tuple(Named(t.name, t.rows, t.view or "") for t in tables), files=files)


def open_driver(library: DriverHost, connection: FilesConnection) -> FilesDriver:
    """The driver of a connection of a library."""
    start_reader()
    return library.kept_driver(connection, lambda: FilesDriver(library.path(connection), connection))


def _entry(table: FileTable) -> CatalogTable:
    target = {link.columns[0]: f"{link.table}.{link.referred[0]}" for link in table.links}
    columns = tuple(CatalogColumn(c.name, str(c.kind), c.name == table.key, target.get(c.name)) for c in table.columns)
    return CatalogTable(table.name, columns, table.count, keys=table.links)


def _name(text: str) -> str:
    """A file's or sheet's name as a name in SQL."""
    name = re.sub(r"\W+", "_", text.lower()).strip("_") or "rows"
    return f"t_{name}" if name[0].isdigit() else name


def _stamp(path: Path) -> Stamp:
    try:
        found = path.stat()
    except OSError as error:
        raise ConnectionFault(f"{path.name} cannot be read: {error.strerror}.") from error
    return found.st_size, found.st_mtime_ns


def _unchanged(batches: Iterator[list[pa.Array]], stamps: dict[Path, Stamp]) -> Iterator[list[pa.Array]]:
    """The batches, and at their end a look at whether their files are still the same. Raises QueryError."""
    yield from batches
    for path, stamp in stamps.items():
        if _stamp(path) != stamp:
            raise QueryError(
                f"{path.name} changed while it was read, so its rows may not belong together. "
                "Run the query again when the file is complete."
            )
