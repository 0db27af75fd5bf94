"""A document as a spreadsheet (ECMA-376), by XlsxWriter: rows are written as they are made, so that a million of them
take no more memory than a thousand."""

from datetime import datetime
from typing import Any, BinaryIO

from northmoor.core.output.output_document import OutputDocument, OutputFile
from northmoor.core.output.spreadsheet.as_seen import SheetsAsSeen, new_book
from northmoor.core.output.spreadsheet.rows_sheets import write_rows

_NO_TIME = datetime(2000, 1, 1)
"""What a file says of when it was made: nothing of this machine's clock."""


def output_files(document: OutputDocument) -> list[OutputFile]:
    """The one file that the workbook is."""
    return [OutputFile(lambda target: write_spreadsheet(document, target))]


def write_spreadsheet(document: OutputDocument, target: BinaryIO) -> None:
    """Write a document as a workbook. Raises Cancelled."""
    book = new_book(target, document)
    entries = document.metadata.entries
    made = entries.get("NorthmoorDataTime")
    book.workbook.set_properties(
        {
            "title": document.metadata.title,
            "author": document.metadata.author,
            "subject": document.metadata.subject,
            "keywords": document.metadata.keywords,
            "comments": entries.get("NorthmoorValues", ""),
            "created": datetime.fromisoformat(made) if made else _NO_TIME,
        }
    )
    for name, value in entries.items():
        book.workbook.set_custom_property(name, value[:255], "text")
    if document.options.sheets == "rows":
        write_rows(document, book)
    else:
        SheetsAsSeen(document, book).write()
    if not book.workbook.worksheets():
        book.sheet(document.metadata.title)
    close: Any = book.workbook.close
    close()
