"""A lock that a process holds as long as it lives, whatever ends it: whoever looks can tell whether it is there."""

import fcntl
import os
from pathlib import Path


class FileLock:
    """A file that is locked until it is released. Raises OSError where it cannot be made, and BlockingIOError where
    another process has it."""

    def __init__(self, path: Path) -> None:
        self._handle = os.open(path, os.O_RDWR | os.O_CREAT, 0o644)
        try:
            fcntl.flock(self._handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError:
            self.release()
            raise

    def release(self) -> None:
        """Let go of it; twice is once."""
        if self._handle >= 0:
            os.close(self._handle)
            self._handle = -1


def is_locked(path: Path) -> bool:
    """Whether a living process holds a lock."""
    try:
        handle = os.open(path, os.O_RDWR)
    except OSError:
        return False
    try:
        fcntl.flock(handle, fcntl.LOCK_EX | fcntl.LOCK_NB)
    except OSError:
        return True
    finally:
        os.close(handle)
    return False
