"""A document as a spreadsheet (ECMA-376), by XlsxWriter: rows are written as they are made, so that a million of them
take no more memory than a thousand."""

from datetime import datetime
from typing import Any, BinaryIO, cast

from northmoor.core.output.output_document import OutputDocument, OutputFile
from northmoor.core.output.spreadsheet.as_seen import SheetsAsSeen, new_book
from northmoor.core.output.spreadsheet.rows_sheets import write_rows

_NO_TIME = datetime(2000, 1, 1)
"""What a file says of when it was made: nothing of this machine's clock."""


class _Target:
    """The file of a workbook. Once it is given up, what its archive writes as that is cleared away goes nowhere."""

    def __init__(self, file: BinaryIO) -> None:
        self._file, self.is_given_up, self._place = file, False, 0

    def write(self, data: bytes) -> int:
        if not self.is_given_up:
            return self._file.write(data)
        self._place += len(data)
        return len(data)

    def seek(self, place: int, whence: int = 0) -> int:
        self._place = place
        return place if self.is_given_up else self._file.seek(place, whence)

    def tell(self) -> int:
        return self._place if self.is_given_up else self._file.tell()

    def flush(self) -> None:
        if not self.is_given_up:
            self._file.flush()


def output_files(document: OutputDocument) -> list[OutputFile]:
    """The one file that the workbook is."""
    return [OutputFile(lambda target: write_spreadsheet(document, target))]


def write_spreadsheet(document: OutputDocument, target: BinaryIO) -> None:
    """Write a document as a workbook. Raises Cancelled."""
    file = _Target(target)
    try:
        _write(document, file)
    except BaseException:
        file.is_given_up = True
        raise


def _write(document: OutputDocument, file: _Target) -> None:
    book = new_book(cast("BinaryIO", file), document)
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
