"""Writing a file so that a crash leaves the old one or the new one, whole."""

import errno
import fcntl
import os
import tempfile
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager, suppress
from glob import escape
from pathlib import Path

from northmoor.core.errors import ReportFileError

_LEFT_OVER = 3600
"""Seconds after which an unfinished file is none that is being written."""


def write_atomically(path: Path, write: Callable[[Path], object]) -> None:
    """Let `write` fill a new file beside `path`, then put it in its place in one step. A link stays one: what it leads
    to is replaced. Its other names, if it has any (hard links), keep what was there: only so can it be one step.

    Raises ReportFileError when that is not possible; nothing is left half-written.
    """
    part: Path | None = None
    try:
        path = path.resolve() if path.is_symlink() else path
        _clear_leftovers(path)
        handle, name = tempfile.mkstemp(prefix=f".{path.name}.", suffix=".part", dir=path.parent)
        os.close(handle)
        part = Path(name)
        part.chmod(path.stat().st_mode & 0o777 if path.exists() else 0o666 & ~_umask())
        write(part)
        with part.open("rb+") as written:
            os.fsync(written.fileno())
        part.replace(path)
    except OSError as error:
        raise ReportFileError(cannot_write(path, error)) from error
    finally:
        if part is not None:
            part.unlink(missing_ok=True)


def cannot_write(what: object, error: OSError) -> str:
    """Why a file or folder cannot be written, in a sentence, with the remedy where the disk is full."""
    if error.errno in (errno.ENOSPC, errno.EDQUOT):
        return f"{what} cannot be written: the disk is full. Make room on it, and try again."
    return f"{what} cannot be written: {error.strerror}."


def other_names(path: Path) -> int:
    """How many other names a file has, which keep what it holds when it is written."""
    return path.stat().st_nlink - 1 if path.exists() else 0


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


def _clear_leftovers(path: Path) -> None:
    """Remove what a program that was ended while it wrote this file has left."""
    for part in path.parent.glob(f".{escape(path.name)}.*.part"):
        with suppress(OSError):
            if time.time() - part.stat().st_mtime > _LEFT_OVER:
                part.unlink()


def _umask() -> int:
    mask = os.umask(0)
    os.umask(mask)
    return mask
