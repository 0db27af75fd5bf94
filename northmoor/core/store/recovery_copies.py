"""Recovery copies: unsaved changes kept beside a report, so that a crash loses at most the last moments.

The copy is a hidden file beside the report; it is there only while the report has changes that are not saved.
"""

from contextlib import suppress
from pathlib import Path

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.errors import ReportFileError
from northmoor.core.model.report import Report
from northmoor.core.model.serialization import report_text
from northmoor.core.store.report_files import load_report


def recovery_path(path: Path) -> Path:
    """Where the recovery copy of a report lies."""
    return path.with_name(f".{path.name}.unsaved")


def keep_copy(report: Report, path: Path) -> None:
    """Keep the report's unsaved state beside its file. Raises ReportFileError when the folder cannot be written."""
    text = report_text(report)
    write_atomically(recovery_path(path), lambda part: part.write_text(text, encoding="utf-8"))


def found_copy(path: Path, saved: Report) -> Report | None:
    """The unsaved state a crash left behind, if there is one that can be read and differs from what is saved."""
    if not recovery_path(path).is_file():
        return None
    try:
        copy = load_report(recovery_path(path))
    except ReportFileError:
        return None
    return copy if copy != saved else None


def drop_copy(path: Path) -> None:
    """Remove the recovery copy: its changes are saved, or were let go on purpose."""
    with suppress(OSError):
        recovery_path(path).unlink(missing_ok=True)
