"""What the engine makes of an expression before any row is there: its type, or why it has none."""

from functools import lru_cache
from threading import Lock
from typing import Any

import duckdb

from northmoor.core.engine.embedded import SETTINGS, engine_message, isolate

_MOST = 20_000
_LOCK = Lock()


@lru_cache(_MOST)
def scalar_type(sql: str) -> tuple[str | None, str | None]:
    """The engine's type of an SQL scalar, or the message by which it refuses the types of its operands; neither where
    it has no type for another reason. Nothing is computed."""
    with _LOCK:
        try:
            return str(_connection().sql(f"select {sql}").types[0]), None
        except (duckdb.BinderException, duckdb.ConversionException) as error:
            return None, engine_message(error)
        except duckdb.Error:
            return None, None


@lru_cache(1)
def _connection() -> Any:
    made = duckdb.connect(":memory:", config=SETTINGS)
    isolate(made)
    return made
