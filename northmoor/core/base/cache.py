"""What has been made, kept for as long as it is likely to be used."""

from collections.abc import Callable, Hashable
from typing import Any, TypeVar

_T = TypeVar("_T")


_MOST_KEPT = 2000


class GenerationalCache:
    """Results kept from one edit to the next, by what they depend on. What the last `turns` renderings did not use, and
    beyond `most` results the longest unused, is let go: a result may be as large as the table it belongs to."""

    def __init__(self, most: int = _MOST_KEPT, turns: int = 4) -> None:
        self._most, self._turns = most, turns
        self._turn = 0
        self._results: dict[Hashable, tuple[int, Any]] = {}

    def next_generation(self) -> None:
        """Tell that another rendering begins."""
        self._turn += 1
        old = [key for key, (used, _) in self._results.items() if used < self._turn - self._turns]
        for key in old:
            del self._results[key]

    def get(self, key: Hashable, make: Callable[[], _T]) -> _T:
        """The result for a key, made now if it is not there."""
        result = self._results.pop(key)[1] if key in self._results else make()
        self._results[key] = (self._turn, result)
        while len(self._results) > self._most:
            self._results.pop(next(iter(self._results)))
        found: _T = result
        return found

    def clear(self) -> None:
        """Forget everything."""
        self._results.clear()
