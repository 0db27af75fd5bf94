"""A toy output: the words of all pages, one line each."""

from typing import BinaryIO

from northmoor.core.layout.graphics.display_list import items
from northmoor.core.output.output_document import OutputDocument, OutputFile


def output_files(document: OutputDocument) -> list[OutputFile]:
    """One file."""

    def write(target: BinaryIO) -> None:
        for page in document.pages():
            target.write("\n".join(item.text for item in items(page) if item.text).encode() + b"\n")

    return [OutputFile(write)]
