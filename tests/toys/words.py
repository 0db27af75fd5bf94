"""A toy output: the words of all pages, one line each."""

from typing import BinaryIO

from northmoor.core.layout.graphics.display_list import items
from northmoor.core.output.paged_document import FileWriter, PagedDocument


def file_writers(document: PagedDocument) -> list[FileWriter]:
    """One file."""

    def write(target: BinaryIO) -> None:
        for page in document.pages():
            target.write("\n".join(item.text for item in items(page) if item.text).encode() + b"\n")

    return [write]
