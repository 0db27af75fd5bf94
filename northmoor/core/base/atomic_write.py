"""Writing a file so that a crash leaves the old one or the new one, whole."""

import fcntl
import os
import tempfile
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path

from northmoor.core.errors import ReportFileError


def write_atomically(path: Path, write: Callable[[Path], object]) -> None:
    """Let `write` fill a new file beside `path`, then put it in its place in one step. A link stays one: what it leads
    to is replaced.

    Raises ReportFileError when that is not possible; nothing is left half-written.
    """
    part: Path | None = None
    try:
        path = path.resolve() if path.is_symlink() else path
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
        os.close(handle)
        part = Path(name)
        part.chmod(path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask())
        write(part)
        with part.open("rb+") as written:
            os.fsync(written.fileno())
        part.replace(path)
    except OSError as error:
        raise ReportFileError(f"{path} cannot be written: {error.strerror}.") from error
    finally:
        if part is not None:
            part.unlink(missing_ok=True)


@contextmanager
def locked_folder(folder: Path) -> Iterator[None]:
    """Let no other program that asks for the same lock change a folder's files meanwhile. Raises ReportFileError."""
    try:
        handle = os.open(folder, os.O_RDONLY)
    except OSError as error:
        raise ReportFileError(f"{folder} cannot be opened: {error.strerror}.") from error
    try:
        fcntl.flock(handle, fcntl.LOCK_EX)
        yield
    finally:
        os.close(handle)


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
