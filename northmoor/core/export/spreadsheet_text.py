"""Values as text that spreadsheets take from the clipboard: columns between tabs, under their titles."""

import csv
from io import StringIO

import pyarrow as pa
import pyarrow.compute as pc


def spreadsheet_text(values: pa.Table) -> str:
    """The text of columns of values; a value that is missing is empty, and one with tabs or lines is in quotes."""
    columns = [column if pa.types.is_string(column.type) else pc.cast(column, pa.string()) for column in values.columns]
    written = StringIO()
    writer = csv.writer(written, delimiter="\t", lineterminator="\n")
    writer.writerow(values.column_names)
    writer.writerows(zip(*(column.to_pylist() for column in columns), strict=True))  # None is written as nothing
    return written.getvalue()
