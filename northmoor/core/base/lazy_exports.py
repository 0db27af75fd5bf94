"""Names of a package that are imported on first use (PEP 562), so that importing the package costs nothing."""

from collections.abc import Callable, Mapping
from importlib import import_module
from typing import Any


def lazy_exports(modules: Mapping[str, str]) -> Callable[[str], Any]:
    """A package's `__getattr__`: each name from the module that it is mapped to. Raises AttributeError for others."""

    def find(name: str) -> Any:
        if name not in modules:
            raise AttributeError(name)
        return getattr(import_module(modules[name]), name)

    return find
