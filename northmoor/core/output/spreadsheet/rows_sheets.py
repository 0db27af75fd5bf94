"""The rows of queries, typed, each query as a table on a sheet of its own; what a sheet cannot hold goes on in the
next."""

from collections.abc import Iterator
from typing import Any

import pyarrow as pa
from xlsxwriter.utility import xl_range
from xlsxwriter.worksheet import Worksheet

from northmoor.core.expr.formats import FormatLocale
from northmoor.core.output.output_document import OutputDocument, wanted_queries
from northmoor.core.output.spreadsheet.number_formats import number_format
from northmoor.core.output.spreadsheet.sheet import SHEET_ROWS, Book, SheetCursor, write_text
from northmoor.core.output.spreadsheet.table_rows_sheet import stored_number

_BATCH = 4096
_WIDTH = 72_000
_LONGEST_TITLE = 240
_STYLE = "Table Style Light 1"


def write_rows(document: OutputDocument, book: Book) -> None:
    """Write the rows of all queries. Raises Cancelled."""
    locale = document.composition.context.locale
    for name, table in wanted_queries(document).items():
        for start in range(0, max(table.num_rows, 1), SHEET_ROWS - 1):
            _sheet(document, book, name, table.slice(start, SHEET_ROWS - 1), locale)


def _sheet(document: OutputDocument, book: Book, name: str, table: pa.Table, locale: FormatLocale) -> None:
    cursor = SheetCursor(book.sheet(name), lambda: book.sheet(name))
    titles = _titles(table.column_names)
    if titles:
        _add_table(cursor.sheet, book.table_name(f"{name}_rows"), titles, max(table.num_rows, 1))
    head = book.formats.plain(bold=True, bottom=1)
    for column, title in enumerate(titles):
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
    cursor.finish()


def _titles(names: list[str]) -> list[str]:
    """Heads of columns as a table can have them: of one line, and none like another, in whatever case."""
    titles: dict[str, str] = {}
    for name in names:
        base = " ".join(name.split())[:_LONGEST_TITLE] or "column"
        title, number = base, 1
        while title.lower() in titles:
            number += 1
            title = f"{base} ({number})"
        titles[title.lower()] = title
    return list(titles.values())


def _add_table(sheet: Worksheet, name: str, titles: list[str], rows: int) -> None:
    """Make the rows below the first one of a sheet a table.

    XlsxWriter notes each cell of a table, and refuses tables where rows are written as they are made, since it writes
    their head. The head is the row being written here: so it is given a table of two rows, which then is longer.
    """
    is_streamed, sheet.constant_memory = sheet.constant_memory, False
    columns = [{"header": title} for title in titles]
    sheet.add_table(0, 0, 1, len(titles) - 1, {"name": name, "columns": columns, "style": _STYLE})
    sheet.constant_memory = is_streamed
    table = sheet.tables[-1]
    table["range"] = table["a_range"] = table["autofilter"] = xl_range(0, 0, rows, len(titles) - 1)


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
