"""Parquet files to tables: the engine reads them by itself."""

from pathlib import Path

from northmoor.core.engine.arrow_types import type_of_arrow
from northmoor.core.engine.embedded import FILE_ERRORS, engine_message, open_database, sql_literal
from northmoor.core.errors import QueryError
from northmoor.core.model.kinds.value_types import ValueType
from northmoor.core.sources.files.file_table import FileTable, TableColumn


def parquet_table(path: Path, name: str) -> FileTable:
    """The table of a Parquet file. Raises QueryError."""
    view = f"select * from read_parquet({sql_literal(str(path))})"
    try:
        with open_database() as engine:
            schema = engine.sql(f"{view} limit 0").to_arrow_table().schema
            count = engine.execute(f"select count(*) from ({view})").fetchall()[0][0]
    except FILE_ERRORS as error:
        raise QueryError(f"{path.name} cannot be read as Parquet ({engine_message(error)}).") from error
    columns = tuple(TableColumn(entry.name, type_of_arrow(entry.type) or ValueType("text")) for entry in schema)
    return FileTable(name, columns, count, (path,), view=view)
