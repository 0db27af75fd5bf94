"""The rows of queries, typed, each query on a sheet of its own with a filter; what a sheet cannot hold goes on in the
next."""

from collections.abc import Iterator
from typing import Any

import pyarrow as pa

from northmoor.core.expr.formats import FormatLocale
from northmoor.core.output.output_document import OutputDocument, wanted_queries
from northmoor.core.output.spreadsheet.number_formats import number_format
from northmoor.core.output.spreadsheet.sheet import SHEET_ROWS, Book, SheetCursor, write_text
from northmoor.core.output.spreadsheet.table_rows_sheet import stored_number

_BATCH = 4096
_WIDTH = 72_000


def write_rows(document: OutputDocument, book: Book) -> None:
    """Write the rows of all queries. Raises Cancelled."""
    locale = document.composition.context.locale
    for name, table in wanted_queries(document).items():
        for start in range(0, max(table.num_rows, 1), SHEET_ROWS - 1):
            _sheet(document, book, name, table.slice(start, SHEET_ROWS - 1), locale)


def _sheet(document: OutputDocument, book: Book, name: str, table: pa.Table, locale: FormatLocale) -> None:
    cursor = SheetCursor(book.sheet(name), lambda: book.sheet(name))
    head = book.formats.plain(bold=True, bottom=1)
    for column, title in enumerate(table.column_names):
        write_text(cursor.sheet, 0, column, title, head)
        cursor.widen(column, _WIDTH)
    forms = [_format(column, book, locale) for column in table.columns]
    for number, row in enumerate(_rows(table), 1):
        if number % _BATCH == 0:
            document.check_stop()
        for column, value in enumerate(row):
            if value is None:
                continue
            form = forms[column]
            if isinstance(value, bool):
                cursor.sheet.write_boolean(number, column, value)
            elif form is not None:
                cursor.sheet.write_number(number, column, stored_number(value, None), form)
            else:
                write_text(cursor.sheet, number, column, str(value), book.formats.plain())
    cursor.sheet.freeze_panes(1, 0)
    cursor.sheet.repeat_rows(0)
    if table.num_columns:
        cursor.sheet.autofilter(0, 0, table.num_rows, table.num_columns - 1)
    cursor.finish()


def _rows(table: pa.Table) -> Iterator[tuple[Any, ...]]:
    for batch in table.to_batches(_BATCH):
        yield from zip(*(column.to_pylist() for column in batch.columns), strict=True)


def _format(column: pa.ChunkedArray, book: Book, locale: FormatLocale) -> Any | None:
    """The format of a column's numbers and moments; None for texts."""
    sample = column.drop_null().slice(0, 1).to_pylist()
    if not sample:
        return None
    is_whole = isinstance(sample[0], int)
    found = number_format(sample[0], "0" if is_whole else None, locale)
    return book.formats.plain(num_format=found) if found is not None else None
