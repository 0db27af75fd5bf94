"""Outputs to files, by ending; whole or not at all."""

from collections.abc import Callable, Iterable
from functools import partial
from io import BytesIO
from pathlib import Path
from typing import BinaryIO

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.errors import OutputError, ReportFileError
from northmoor.core.layout.graphics.display_list import Page
from northmoor.core.output.page_dump import write_dump
from northmoor.core.output.raster import write_pngs

Writer = Callable[[BinaryIO], None]


def write_outputs(path: Path, title: str, write_pdf: Writer, pages: Iterable[Page]) -> list[Path]:
    """Write a document by the path's ending: .pdf, .json (the dump), .png (one file a page). The files written.

    Several pages' pictures are numbered: ``x-001.png`` and on. Raises OutputError.
    """
    makers: dict[str, Callable[[], list[Writer]]] = {
        ".pdf": lambda: [write_pdf],
        ".json": lambda: [_bytes_written(write_dump(pages, title))],
        ".png": lambda: [_bytes_written(picture) for picture in _pngs(write_pdf)],
    }
    make = makers.get(path.suffix.lower())
    if make is None:
        raise OutputError(f"{path.name} has no ending that can be written; end it with {', '.join(makers)}.")
    if not path.parent.is_dir():
        raise OutputError(f"There is no folder {path.parent}; make it first.")
    writers = make()
    paths = [path] if len(writers) == 1 else _numbered(path, len(writers))
    try:
        for target, write in zip(paths, writers, strict=True):
            write_atomically(target, partial(_to_file, write))
    except ReportFileError as error:
        raise OutputError(error.message) from error
    return paths


def _to_file(write: Writer, part: Path) -> None:
    with part.open("wb") as target:
        write(target)


def _bytes_written(content: bytes) -> Writer:
    def write(target: BinaryIO) -> None:
        target.write(content)

    return write


def _pngs(write_pdf: Writer) -> list[bytes]:
    whole = BytesIO()
    write_pdf(whole)
    return write_pngs(whole.getvalue())


def _numbered(path: Path, count: int) -> list[Path]:
    digits = max(3, len(str(count)))
    return [path.with_name(f"{path.stem}-{n:0{digits}}{path.suffix}") for n in range(1, count + 1)]
