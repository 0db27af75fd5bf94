"""A limit to the memory of a process, so that what asks for too much is refused it and says so, where otherwise the
system would end the process with all that is unsaved in it."""

import os
import resource
from contextlib import suppress
from pathlib import Path

_SHARE = 0.75
_GROUPS = ("/sys/fs/cgroup/memory.max", "/sys/fs/cgroup/memory/memory.limit_in_bytes")


def limit_memory() -> None:
    """Let this process have three quarters of the memory of this machine, or of the group of processes it is in."""
    soft, hard = resource.getrlimit(resource.RLIMIT_DATA)
    known = [limit for limit in (soft, hard) if limit != resource.RLIM_INFINITY]
    resource.setrlimit(resource.RLIMIT_DATA, (min([*known, int(_memory() * _SHARE)]), hard))


def _memory() -> int:
    """Bytes of memory that there are."""
    found = [os.sysconf("SC_PAGE_SIZE") * os.sysconf("SC_PHYS_PAGES")]
    for file in _GROUPS:
        with suppress(OSError, ValueError):  # it is not there, or says that there is no limit
            found.append(int(Path(file).read_text(encoding="ascii")))
    return min(found)
