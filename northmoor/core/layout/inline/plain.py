"""Keys of groups as origins hold them."""

from typing import Any


def plain_key(key: Any) -> Any:
    """A key as an origin holds it."""
    return key if isinstance(key, str | int | float | bool) or key is None else str(key)
