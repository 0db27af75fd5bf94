"""The garbage collector at rest while very many objects are made that form no cycles.

It would look through all that the program has loaded again and again, for a tenth of the time that thousands of pages
take, and find nothing. What is no longer used is let go all the same.
"""

import gc
from collections.abc import Iterator
from contextlib import contextmanager


@contextmanager
def gc_paused() -> Iterator[None]:
    """Let the collector rest, unless it does so already."""
    was_at_work = gc.isenabled()
    gc.disable()
    try:
        yield
    finally:
        if was_at_work:
            gc.enable()
