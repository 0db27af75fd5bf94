"""Names that are imported on first use, so that importing what mentions them costs nothing."""

from collections.abc import Callable, Mapping
from importlib import import_module
from typing import Any


def load_by_name(dotted: str) -> Any:
    """What a module defines, by the module and its name with dots between, as records of kinds give it."""
    module, _, name = dotted.rpartition(".")
    return getattr(import_module(module), name)


def lazy_exports(modules: Mapping[str, str]) -> Callable[[str], Any]:
    """A package's `__getattr__` (PEP 562): each name from the module that it is mapped to.

    Raises AttributeError for others.
    """

    def find(name: str) -> Any:
        if name not in modules:
            raise AttributeError(name)
        return getattr(import_module(modules[name]), name)

    return find
