"""Values as text that spreadsheets take from the clipboard: columns between tabs, under their titles."""

import csv
from io import StringIO

import pyarrow as pa
import pyarrow.compute as pc


def spreadsheet_text(values: pa.Table) -> str:
    """The text of columns of values; a value that is missing is empty, and one with tabs or lines is in quotes."""
    columns = [_texts(column) for column in values.columns]
    written = StringIO()
    writer = csv.writer(written, delimiter="\t", lineterminator="\n")
    writer.writerow(values.column_names)
    writer.writerows(zip(*columns, strict=True))  # None is written as nothing
    return written.getvalue()


def _texts(column: pa.ChunkedArray) -> list[str | None]:
    kind = column.type
    if pa.types.is_nested(kind) or pa.types.is_binary(kind):  # no cell of a spreadsheet holds such a value
        return [None if value is None else str(value) for value in column.to_pylist()]
    return pc.cast(column, pa.string()).to_pylist()  # type: ignore[no-any-return]  # texts
