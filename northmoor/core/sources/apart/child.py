"""The child's side: it answers one task after another until nobody asks any more."""

import json
import os
import pickle
import resource
import sys
import threading
import time
from typing import BinaryIO

import duckdb
import pyarrow as pa

from northmoor.core.errors import NorthmoorError
from northmoor.core.sources.apart.tasks import TASKS, Result

_MEMORY = 8 * 1024**3
"""Bytes of addresses that it may use: twice what its engine takes at most."""


def main() -> None:
    """Answer tasks that come on standard input, on standard output."""
    resource.setrlimit(resource.RLIMIT_AS, (_MEMORY, _MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    threading.Thread(target=_end_with_parent, args=(os.getppid(),), daemon=True).start()
    asked, out = sys.stdin.buffer, sys.stdout.buffer
    sys.stdout = sys.stderr  # what a reader prints is no answer
    while True:
        try:
            task, arguments = pickle.load(asked)  # it comes from the process that started this one
        except EOFError:
            return
        _answer(task, arguments, out)


def _answer(task: str, arguments: tuple[object, ...], out: BinaryIO) -> None:
    try:
        for result in TASKS[task](*arguments):
            _write(out, result)
        _write(out, Result({"done": True}))
    except duckdb.Error as error:
        _write(out, Result({"error": "engine", "message": str(error)}))
    except NorthmoorError as error:
        _write(out, Result({"error": type(error).__name__, "message": error.message}))
    except MemoryError:
        _write(out, Result({"error": "QueryError", "message": "It needs more memory than there is for it; narrow it."}))
    except BrokenPipeError:
        sys.exit()
    except Exception as error:  # noqa: BLE001  # the one boundary of this process: the other one tells of it
        _write(out, Result({"error": "mistake", "message": f"{type(error).__name__}: {str(error)[:200]}"}))


def _write(out: BinaryIO, result: Result) -> None:
    header, arrow = json.dumps(result.header).encode(), b""
    if result.table is not None:
        sink = pa.BufferOutputStream()
        with pa.ipc.new_stream(sink, result.table.schema) as writer:
            writer.write_table(result.table)
        arrow = sink.getvalue()
    out.write(len(header).to_bytes(8, "big") + len(arrow).to_bytes(8, "big"))
    out.write(header)
    out.write(arrow)
    out.flush()


def _end_with_parent(parent: int) -> None:
    while os.getppid() == parent:
        time.sleep(1)
    os._exit(1)


if __name__ == "__main__":
    main()
