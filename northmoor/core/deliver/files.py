"""Outputs to files, by ending; whole or not at all."""

from collections.abc import Callable, Iterable
from pathlib import Path

from northmoor.core.errors import OutputError, ReportFileError
from northmoor.core.layout.display import Page
from northmoor.core.model.files import write_atomically
from northmoor.core.output.dump import write_dump
from northmoor.core.output.raster import write_pngs


def write_outputs(path: Path, title: str, pdf: Callable[[], bytes], pages: Iterable[Page]) -> list[Path]:
    """Write a document by the path's ending: .pdf, .json (the dump), .png (one file a page). The files written.

    Several pages' pictures are numbered: ``x-001.png`` and on. Raises OutputError.
    """
    makers: dict[str, Callable[[], list[bytes]]] = {
        ".pdf": lambda: [pdf()],
        ".json": lambda: [write_dump(pages, title)],
        ".png": lambda: write_pngs(pdf()),
    }
    make = makers.get(path.suffix.lower())
    if make is None:
        raise OutputError(f"{path.name} has no ending that can be written; end it with {', '.join(makers)}.")
    if not path.parent.is_dir():
        raise OutputError(f"There is no folder {path.parent}; make it first.")
    contents = make()
    paths = [path] if len(contents) == 1 else _numbered(path, len(contents))
    try:
        for target, content in zip(paths, contents, strict=True):
            write_atomically(target, lambda part, content=content: part.write_bytes(content))  # type: ignore[misc]
    except ReportFileError as error:
        raise OutputError(error.message) from error
    return paths


def _numbered(path: Path, count: int) -> list[Path]:
    digits = max(3, len(str(count)))
    return [path.with_name(f"{path.stem}-{n:0{digits}}{path.suffix}") for n in range(1, count + 1)]
