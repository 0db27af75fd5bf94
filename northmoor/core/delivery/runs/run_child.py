"""The process that makes a run: it reads what is wanted on standard input, and says how far it is on standard output.

A line ``stop`` stops the run, which is noted as stopped, and ``late`` as one that took too long. Where the input ends,
whoever asked is gone: the process ends at once and leaves its folder as it is, so that the run can be made again, or a
bundle go on.
"""

import json
import logging
import os
import resource
import sys
import threading
import time
from pathlib import Path

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.memory_limit import limit_memory
from northmoor.core.delivery.archive.archive import ARCHIVE_FOLDER
from northmoor.core.delivery.archive.run_folder import MAKING, STOP_FILE
from northmoor.core.delivery.runs.make_run import RunMaker
from northmoor.core.delivery.runs.run_request import RunRequest
from northmoor.core.errors import NorthmoorError
from northmoor.core.sources.library import Library

_MEGABYTE = 1024 * 1024
_LOOK_EVERY = 0.3


def main() -> None:
    """Make one run."""
    logging.getLogger("sqlglot").setLevel(logging.ERROR)
    out, sys.stdout = sys.stdout, sys.stderr  # what a library prints is no message
    request = RunRequest.model_validate_json(sys.stdin.readline())
    _limit(request)
    stop, late = CancelToken(), threading.Event()
    threading.Thread(target=_listen, args=(stop, late), daemon=True).start()
    asked = Path(request.library) / ARCHIVE_FOLDER / MAKING / request.run_id / STOP_FILE
    threading.Thread(target=_look_for, args=(asked, stop), daemon=True).start()

    def say(**message: object) -> None:
        out.write(json.dumps(message, ensure_ascii=False) + "\n")
        out.flush()

    try:
        library = Library.around(Path(request.library))
        maker = RunMaker(library)
        record = maker.make(
            request, stop, lambda text, done, of: say(progress=text, done=done, of=of), is_late=late.is_set
        )
        say(run=record.id, state=record.state, reason=record.reason)
    except NorthmoorError as error:
        say(fault=str(error))
    except MemoryError:
        say(fault="It needs more memory than there is for it; narrow it, or raise its limit.")
    out.flush()
    os._exit(0)  # threads of the engine are not waited for


def _limit(request: RunRequest) -> None:
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    if request.memory_mb is None:
        limit_memory()
        return
    _, hard = resource.getrlimit(resource.RLIMIT_DATA)
    resource.setrlimit(resource.RLIMIT_DATA, (request.memory_mb * _MEGABYTE, hard))


def _listen(stop: CancelToken, late: threading.Event) -> None:
    for line in sys.stdin:
        if line.strip() == "late":
            late.set()
        stop.cancel()
    if not stop.is_cancelled():
        os._exit(1)


def _look_for(asked: Path, stop: CancelToken) -> None:
    """Stop when a file says so that anybody can make."""
    while not asked.exists():
        time.sleep(_LOOK_EVERY)
    stop.cancel()


if __name__ == "__main__":
    main()
