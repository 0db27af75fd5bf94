"""Queries over the embedded engine, run apart: their streams, their faults with a position in the SQL as written."""

import re
from collections.abc import Iterator
from contextlib import closing, contextmanager
from datetime import datetime
from typing import Any

import pyarrow as pa

from northmoor.core.base.apart.reader_process import ask_apart
from northmoor.core.base.apart.task import Result, Task
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.arrow_types import UNKNOWN_SCALE, type_of_arrow
from northmoor.core.engine.embedded import engine_message, list_sql
from northmoor.core.errors import EngineRefusal, QueryError
from northmoor.core.expr.placeholders import DriverSql, Placeholder, for_driver
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME
from northmoor.core.model.kinds.value_types import MAX_PRECISION, ValueType
from northmoor.core.sources.drivers.protocol import (
    BATCH,
    QueryRequest,
    ResultStream,
    enforce_limits,
    unique_column_names,
)
from northmoor.core.sources.local.reader_start import ENGINE_TASKS
from northmoor.core.sources.local.tasks import EXPLAIN, Opening, Statement

_LONG_NUMBER = ValueType("decimal", MAX_PRECISION, UNKNOWN_SCALE)
_LINE = re.compile(r"LINE (\d+): (.*)\n(\s*)\^")
_WHAT = "The query"


@contextmanager
def running_query(opening: Opening, request: QueryRequest, moment: datetime) -> Iterator[ResultStream]:
    """A query's stream over what is opened. Raises QueryError, ConnectionFault or Cancelled."""
    text, statement = _bound(request)
    with closing(ask_apart(Task(ENGINE_TASKS, "run_query"), (opening, statement), request.stop, _WHAT)) as answers:
        with _faults(text):
            first = next(answers)
        names = unique_column_names(first.header["names"])
        schema = first.table.schema if first.table is not None else pa.schema([])
        pairs = zip(first.header["wide"], schema, strict=True)
        kinds = tuple(_LONG_NUMBER if is_wide else type_of_arrow(field.type) for is_wide, field in pairs)
        batches = enforce_limits(_batches(answers, text), names, request.stop)
        yield ResultStream(names, kinds, batches, moment)


def check_apart(opening: Opening, request: QueryRequest) -> None:
    """Let the engine bind a query without running it. Raises QueryError, ConnectionFault or Cancelled."""
    text, statement = _bound(request)
    with _faults(text):
        list(ask_apart(Task(ENGINE_TASKS, "bind_query"), (opening, statement), request.stop, _WHAT))


def rows_apart(opening: Opening, statements: tuple[str, ...], stop: CancelToken) -> list[list[Any]]:
    """The rows of each of some statements of ours. Raises ConnectionFault or Cancelled."""
    answers = ask_apart(Task(ENGINE_TASKS, "ask_database"), (opening, statements), stop, "Its catalogue")
    return [answer.header["rows"] for answer in answers]


def _bound(request: QueryRequest) -> tuple[DriverSql, Statement]:
    """The text with ``$name`` for its parameters, and the statement with their values."""

    def form(placeholder: Placeholder) -> str:
        listed, kind = request.listed(placeholder), request.kinds.get(placeholder.name, "text")
        if placeholder.is_argument and listed is not None:
            return f"${placeholder.name}" if listed else f"[]::{KIND_OF_NAME[kind].sql}[]"
        return list_sql(placeholder.name, kind, listed)

    text = for_driver(request.query.sql, "duckdb", form)
    values = {name: request.values[name] for name in text.names}
    bound = {n: list(v) if isinstance(v, tuple) else v for n, v in values.items() if v != ()}
    return text, Statement(text.sql, bound, request.zone.key, BATCH, request.parts)


@contextmanager
def _faults(text: DriverSql) -> Iterator[None]:
    """Tell the engine's errors as a query's, with their position in the text as written."""
    try:
        yield
    except EngineRefusal as error:
        message = f"The engine refuses it: {engine_message(error.message)}."
        raise QueryError(message, position=_position(error.message, text)) from error


def _position(message: str, text: DriverSql) -> int | None:
    """Where the engine points to in what it was asked to explain; it shows a part of a long line."""
    mark = _LINE.search(message)
    if mark is None:
        return None
    number, shown, pointer = int(mark[1]) - EXPLAIN.count("\n"), mark[2], len(mark[3]) - len(f"LINE {mark[1]}: ")
    lines = text.sql.split("\n")
    if not 1 <= number <= len(lines):
        return None
    start = sum(len(line) + 1 for line in lines[: number - 1])
    cut = 3 if shown.startswith("...") else 0
    moved = lines[number - 1].find(shown.strip(".")[:20])
    return text.original(start + max(moved, 0) + max(pointer - cut, 0))


def _batches(answers: Iterator[Result], text: DriverSql) -> Iterator[list[pa.Array]]:
    while True:
        with _faults(text):
            answer = next(answers, None)
        if answer is None:
            return
        assert answer.table is not None  # rows come with each
        for batch in answer.table.to_batches():
            yield list(batch.columns)
