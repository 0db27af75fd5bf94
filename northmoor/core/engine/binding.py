"""What the engine makes of an expression before any row is there: its type, or why it has none."""

from functools import lru_cache

from duckdb import BinderException, ConversionException, Error

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.embedded import Engine, engine_message

_MOST = 20_000


@lru_cache(_MOST)
def scalar_type(sql: str) -> tuple[str | None, str | None]:
    """The engine's type of an SQL scalar, or the message by which it refuses the types of its operands; neither where
    it has no type for another reason. Nothing is computed."""
    with Engine(CancelToken()) as engine:
        try:
            return str(engine.connection.sql(f"select {sql}").types[0]), None
        except (BinderException, ConversionException) as error:
            return None, engine_message(error)
        except Error:
            return None, None
