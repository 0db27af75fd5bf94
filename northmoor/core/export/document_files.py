"""Outputs to files, by ending; whole or not at all."""

from functools import partial
from importlib import import_module
from pathlib import Path

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.errors import OutputError, ReportFileError
from northmoor.core.model.kinds.output_formats import FORMAT_OF_SUFFIX
from northmoor.core.output.paged_document import FileWriter, PagedDocument


def write_outputs(path: Path, document: PagedDocument) -> list[Path]:
    """Write a document in the format of the path's ending. The files written.

    Several files, such as pictures of pages, are numbered: ``x-001.png`` and on. Raises OutputError.
    """
    form = FORMAT_OF_SUFFIX.get(path.suffix.lower().removeprefix("."))
    if form is None:
        endings = ", ".join(f".{suffix}" for suffix in FORMAT_OF_SUFFIX)
        raise OutputError(f"{path.name} has no ending that can be written; end it with {endings}.")
    if not path.parent.is_dir():
        raise OutputError(f"There is no folder {path.parent}; make it first.")
    writers: list[FileWriter] = import_module(form.module).file_writers(document)
    paths = [path] if len(writers) == 1 else _numbered(path, len(writers))
    try:
        for target, write in zip(paths, writers, strict=True):
            write_atomically(target, partial(_to_file, write))
    except ReportFileError as error:
        raise OutputError(error.message) from error
    return paths


def _to_file(write: FileWriter, part: Path) -> None:
    with part.open("wb") as target:
        write(target)


def _numbered(path: Path, count: int) -> list[Path]:
    digits = max(3, len(str(count)))
    return [path.with_name(f"{path.stem}-{n:0{digits}}{path.suffix}") for n in range(1, count + 1)]
