"""CSV and TSV files as views of the engine: strict about their form, exact about their numbers."""

import csv
import re
import tempfile
from pathlib import Path
from typing import Any

from northmoor.core.engine.embedded import EngineError, sql_literal
from northmoor.core.errors import QueryError
from northmoor.core.expr.identifiers import quoted
from northmoor.core.model.data.connections import FilesConnection
from northmoor.core.sources.drivers.protocol import unique_column_names
from northmoor.core.sources.files.file_table import FileTable, TableColumn
from northmoor.core.sources.files.type_detection import ColumnReading, detect_type, misread_sql, reading_sql

_SEPARATORS = (",", ";", "\t", "|")
_SAMPLE = 4_000
_LONGEST_HEAD = 1_000_000
_AT_LINE = re.compile(r"CSV Error on Line: (\d+)")
_COUNTS = re.compile(r"Expected Number of Columns: (\d+) Found: (\d+)")


def delimited_table(path: Path, name: str, settings: FilesConnection, engine: Any) -> FileTable:
    """The table of a CSV or TSV file; `engine` is a DuckDB connection that may read it. Raises QueryError."""
    readable, kept = _in_utf8(path, settings.encoding)
    names, separator = _head(path, readable, settings)
    source = _source(readable, names, separator)
    try:
        readings = _readings(engine, source, names, settings)
        count = engine.execute(f"select count(*) from {source}").fetchall()[0][0]
    except EngineError as error:
        raise QueryError(_parse_error(path, str(error), len(names))) from error
    columns = tuple(TableColumn(n, r.kind) for n, r in zip(names, readings, strict=True))
    listed = ", ".join(f"{_blank_is_null(n, r)} as {quoted(n)}" for n, r in zip(names, readings, strict=True))
    notes = tuple(f"{path.name}: {reading.note}" for reading in readings if reading.note)
    files = (path,) if readable == path else (path, readable)
    return FileTable(name, columns, count, files, view=f"select {listed} from {source}", notes=notes, rows_held=kept)


def _blank_is_null(name: str, reading: ColumnReading) -> str:
    return f"nullif({quoted(name)}, '')" if reading.kind.kind == "text" else reading_sql(name, reading)


def _in_utf8(path: Path, encoding: str) -> tuple[Path, Any]:
    """The file, or a copy in UTF-8 that lives as long as the second value. Raises QueryError."""
    if encoding.lower().replace("_", "-") in ("utf-8", "utf8", "ascii"):
        return path, None
    copy = tempfile.NamedTemporaryFile(prefix="northmoor-", suffix=".csv")  # noqa: SIM115  # lives with the table
    try:
        with path.open(encoding=encoding, newline="") as file:
            while text := file.read(1 << 20):
                copy.write(text.encode())
    except LookupError as error:
        raise QueryError(
            f"There is no character encoding {encoding}; set for example utf-8 or windows-1252."
        ) from error
    except UnicodeError as error:
        raise QueryError(f"{path.name} is not in {encoding}; set its encoding in the connection.") from error
    copy.flush()
    return Path(copy.name), copy


def _head(path: Path, readable: Path, settings: FilesConnection) -> tuple[list[str], str]:
    try:
        with readable.open("rb") as file:
            line = file.readline(_LONGEST_HEAD).decode("utf-8-sig")
        if not line.strip():
            raise QueryError(f"{path.name} is empty: its first line must name the columns.")
        separator = settings.separator or ("\t" if path.suffix.lower() == ".tsv" else _guess_separator(line))
        names = [name.strip() for name in next(csv.reader([line], delimiter=separator))]
    except UnicodeDecodeError as error:
        raise QueryError(_not_utf8(path, "its first line")) from error
    except csv.Error as error:
        raise QueryError(f"The first line of {path.name} cannot be read ({error}).") from error
    return list(unique_column_names(names)), separator


def _guess_separator(line: str) -> str:
    unquoted = re.sub(r'"[^"]*"', "", line)
    return max(_SEPARATORS, key=unquoted.count)


def _source(readable: Path, names: list[str], separator: str) -> str:
    columns = ", ".join(f"{sql_literal(name)}: 'VARCHAR'" for name in names)
    return (
        f"read_csv({sql_literal(str(readable))}, auto_detect=false, header=true, delim={sql_literal(separator)}, "
        f"quote='\"', escape='\"', strict_mode=true, columns={{{columns}}}, max_line_size=16777216)"
    )


def _readings(engine: Any, source: str, names: list[str], settings: FilesConnection) -> list[ColumnReading]:
    """A column's first values say what it may be; all its values are then held against that."""
    sample = engine.sql(f"select * from {source} limit {_SAMPLE}").to_arrow_table()
    readings = [
        detect_type(name, (v for v in sample[at].to_pylist() if v), settings.decimal_sign)
        for at, name in enumerate(names)
    ]
    wrong = engine.execute(f"select {', '.join(map(misread_sql, names, readings))} from {source}").fetchall()[0]
    return [
        reading if not misread else _reading_of_all(engine, source, name, settings)
        for name, reading, misread in zip(names, readings, wrong, strict=True)
    ]


def _reading_of_all(engine: Any, source: str, name: str, settings: FilesConnection) -> ColumnReading:
    column = quoted(name)
    values = engine.sql(f"select distinct {column} from {source} where {column} <> ''").to_arrow_table()
    return detect_type(name, values[0].to_pylist(), settings.decimal_sign)


def _parse_error(path: Path, message: str, width: int) -> str:
    """The sentence for an error of the CSV reader."""
    at = _AT_LINE.search(message)
    where = f"line {at[1]}" if at else "a line"
    counts = _COUNTS.search(message)
    if counts:
        return (
            f"{path.name} is ragged: {where} has {counts[2]} fields where its head has {width}. "
            "Correct the line; a field that contains the separator must be in double quotes."
        )
    if "unicode" in message.lower():
        return _not_utf8(path, where)
    if "quote" in message.lower():
        return f"{path.name}, {where}: a double quote is not closed. Correct the line."
    return f"{path.name} cannot be read ({message.splitlines()[0]})."


def _not_utf8(path: Path, where: str) -> str:
    return f"{path.name} is not in UTF-8 ({where}); set its encoding in the connection, for example windows-1252."
