"""Outputs to files, by ending; whole or not at all."""

from functools import partial
from importlib import import_module
from pathlib import Path

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.errors import OutputError, ReportFileError
from northmoor.core.model.kinds.output_formats import FORMAT_OF_ENDING, OutputFormat
from northmoor.core.output.output_document import FileWriter, OutputDocument, OutputFile


def format_of(path: Path) -> OutputFormat:
    """The format of a path's ending. Raises OutputError."""
    form = FORMAT_OF_ENDING.get(path.suffix.lower().removeprefix("."))
    if form is None:
        endings = ", ".join(f".{suffix}" for suffix in FORMAT_OF_ENDING)
        raise OutputError(f"{path.name} has no ending that can be written; end it with {endings}.")
    return form


def write_outputs(path: Path, document: OutputDocument) -> list[Path]:
    """Write a document in the format of the path's ending. The files written.

    Several files, such as pictures of pages, are numbered: ``x-001.png`` and on. Raises OutputError.
    """
    form = format_of(path)
    if not path.parent.is_dir():
        raise OutputError(f"There is no folder {path.parent}; make it first.")
    files: list[OutputFile] = import_module(form.module).output_files(document)
    paths = _named(path, files)
    try:
        for target, file in zip(paths, files, strict=True):
            document.check_stop()
            write_atomically(target, partial(_to_file, file.write))
    except ReportFileError as error:
        raise OutputError(error.message) from error
    return paths


def _to_file(write: FileWriter, part: Path) -> None:
    with part.open("wb+") as target:
        write(target)


def _named(path: Path, files: list[OutputFile]) -> list[Path]:
    """The path of each file."""
    if len(files) == 1:
        return [path]
    digits = max(3, len(str(len(files))))
    names = [file.name or f"{number:0{digits}}" for number, file in enumerate(files, 1)]
    return [path.with_name(f"{path.stem}-{name}{path.suffix}") for name in names]
