"""Report files on disk: read within a limit, written so that a crash loses nothing."""

import stat
from pathlib import Path

from msgspec import Struct

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.errors import NewerFileError, ReportFileError
from northmoor.core.model.report import REPORT_VERSION, Report
from northmoor.core.model.serialization import P, read_part, read_report, report_text

_LARGEST = 8 * 1024 * 1024


def load_report(path: Path) -> Report:
    """The report of a file.

    Raises ReportFileError naming the file and the entry, NewerFileError for a newer version's file.
    """
    return load_part(path, Report, "northmoor_report", REPORT_VERSION, "a report")


class ReportFile(Struct, frozen=True):
    """A report and the bytes of the file that it was read from."""

    path: Path
    data: bytes
    report: Report


def read_report_file(path: Path) -> ReportFile:
    """A file and its report; the same errors as `load_report`."""
    data = report_bytes(path)
    return ReportFile(path, data, read_report(data, path.name))


def report_bytes(path: Path, what: str = "a report") -> bytes:
    """What a file holds. Raises ReportFileError."""
    try:
        found = path.stat()
        if not stat.S_ISREG(found.st_mode):
            raise ReportFileError(f"{path.name} is a folder or device, and not {what}.")
        if found.st_size > _LARGEST:
            raise ReportFileError(f"{path.name} is larger than 8 MB; that is not {what}.")
        return path.read_bytes()
    except OSError as error:
        raise ReportFileError(f"{path} cannot be read: {error.strerror}.") from error


def load_part(path: Path, kind: type[P], version_entry: str, newest: int, what: str) -> P:
    """The part that a versioned JSON file holds; the same errors as `load_report`."""
    return read_part(report_bytes(path, what), path.name, kind, version_entry, newest, what)


def save_report(report: Report, path: Path) -> None:
    """Write the report; a crash at any moment leaves the old file or the new one, whole.

    Raises ReportFileError when it cannot be written, NewerFileError when the file there is from a newer version,
    and ReportFileError when the file there is no report that can be read: it is never overwritten.
    """
    if path.exists():
        try:
            load_report(path)
        except NewerFileError:
            raise
        except ReportFileError as error:
            raise ReportFileError(
                f"{path.name} is not overwritten, because it cannot be read as a report. "
                f"Save under another name. ({error})"
            ) from error
    write_atomically(path, lambda part: part.write_text(report_text(report), encoding="utf-8"))
