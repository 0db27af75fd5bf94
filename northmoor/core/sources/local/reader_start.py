"""Starts the process that reads files and runs queries over them; a module that loads next to nothing itself."""

from northmoor.core.base.apart.reader_process import warm_up

ENGINE_TASKS = "northmoor.core.sources.local.tasks"
"""The module of all tasks about data."""


def start_reader() -> None:
    """Let the process start, unless one is idle already. It takes most of a second, so whoever knows that there will be
    something to read begins it before other work."""
    warm_up(ENGINE_TASKS)
