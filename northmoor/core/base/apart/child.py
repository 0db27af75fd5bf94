"""The child's side: it answers one task after another until nobody asks any more."""

import importlib
import json
import os
import pickle
import resource
import sys
import threading
import time
from typing import BinaryIO

from northmoor.core.base.apart.task import Result, Task
from northmoor.core.errors import NorthmoorError

_MEMORY = 8 * 1024**3
"""Bytes of addresses that it may use: twice what its engine takes at most."""


def main() -> None:
    """Load the modules that are named, then answer tasks that come on standard input, on standard output."""
    resource.setrlimit(resource.RLIMIT_AS, (_MEMORY, _MEMORY))
    resource.setrlimit(resource.RLIMIT_CORE, (0, 0))
    threading.Thread(target=_end_with_parent, args=(os.getppid(),), daemon=True).start()
    asked, out = sys.stdin.buffer, sys.stdout.buffer
    sys.stdout = sys.stderr  # what a reader prints is no answer
    for module in sys.argv[1:]:
        importlib.import_module(module)
    while True:
        try:
            module, name, arguments = pickle.load(asked)  # it comes from the process that started this one
        except EOFError:
            return
        _answer(Task(module, name), arguments, out)


def _answer(task: Task, arguments: tuple[object, ...], out: BinaryIO) -> None:
    try:
        for result in getattr(importlib.import_module(task.module), task.name)(*arguments):
            _write(out, result)
        _write(out, Result({"done": True}))
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
        import pyarrow as pa  # loaded where there are rows

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
