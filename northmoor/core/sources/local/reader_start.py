"""Starts the process that reads files and runs queries over them; a module that loads next to nothing itself."""

from northmoor.core.base.apart.reader_process import warm_up

ENGINE_TASKS = "northmoor.core.sources.local.tasks"
"""The module of all tasks about data."""
_OF_PICTURES = ("northmoor.core.layout.graphics.picture_tasks", "PIL.PngImagePlugin")
"""What nearly every report with a header needs: its picture would be waited for while they are loaded."""


def start_reader() -> None:
    """Let the process start, unless one is idle already. It takes most of a second, so whoever knows that there will be
    something to read begins it before other work."""
    warm_up(ENGINE_TASKS, *_OF_PICTURES)
