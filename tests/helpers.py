"""Speaks of reports, rows, cells and pages, so that tests need not."""

import json
import os
import resource
from collections.abc import Iterator, Mapping, Sequence
from contextlib import contextmanager
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

from msgspec import Struct

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.parameters.resolution import ParameterSources, ResolvedValues, resolve_parameters
from northmoor.core.document import Document
from northmoor.core.engine.rows import Rows
from northmoor.core.model.blocks.table import Cell, Column, Level, Row, TableBlock
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.output.page_dump import write_dump
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.values.parameter_values import Values

FREIGHT = """
create table lines (route text, vessel text, day date, pieces integer, charge decimal(10,2), note text);
insert into lines values
  ('TQ-SK', 'Curlew', '2025-01-03', 4, 38.50, 'timber'),
  ('TQ-IL', 'Dunlin', '2025-01-02', 2, 12.10, null),
  ('TQ-SK', 'Dunlin', '2025-01-02', 1, 9.90, 'feed'),
  ('TQ-SK', 'Curlew', '2025-01-01', 6, 100.05, 'timber'),
  ('TQ-IL', 'Curlew', '2025-01-05', 3, 0.35, 'fish'),
  (null, 'Dunlin', '2025-01-04', 5, 7.00, 'feed');
"""
"""Six freight lines, out of order, with a null key and a null text."""


def query(sql: str, columns: Sequence[QueryColumn] = (), name: str = "rows") -> Query:
    """A query on the connection ``db``."""
    return Query(name=name, connection="db", sql=sql, columns=tuple(columns))


def report_of(
    *blocks: Any,
    sql: str = "select * from lines",
    parameters: Sequence[Parameter] = (),
    page: PageSetup | None = None,
    queries: Sequence[Query] | None = None,
    **more: Any,
) -> Report:
    """A report of one edition with these blocks over the query ``rows``."""
    edition = Edition(name="main", blocks=tuple(blocks), page=page or PageSetup(), **more.pop("edition", {}))
    found = tuple(queries) if queries is not None else (query(sql),)
    return Report(queries=found, editions=(edition,), parameters=tuple(parameters), **more)


def table_of(*columns: Column | str, **more: Any) -> TableBlock:
    """A table ``table`` over the query ``rows``; texts are columns that show the field of that name."""
    made = tuple(c if isinstance(c, Column) else Column(name=c, value=c, title=c) for c in columns)
    return TableBlock(name="table", query="rows", columns=made, **more)


@contextmanager
def little_memory(more: int) -> Iterator[None]:
    """Let this process have so many bytes more than it has now, and no others."""
    (line,) = (line for line in Path("/proc/self/status").read_text().splitlines() if line.startswith("VmData:"))
    known = resource.getrlimit(resource.RLIMIT_DATA)
    resource.setrlimit(resource.RLIMIT_DATA, (int(line.split()[1]) * 1024 + more, known[1]))
    try:
        yield
    finally:
        resource.setrlimit(resource.RLIMIT_DATA, known)


def examples(all_of_them: int) -> int:
    """How many examples a property is tried with: all in CI, a fifth of them where one waits for the result."""
    return all_of_them if os.environ.get("CI") else max(all_of_them // 5, 5)


def row_of(**cells: str) -> Row:
    """A heading or total row: a value under each named column, or a template where the text has a brace."""
    made = (Cell(column=c, text=t) if "{" in t else Cell(column=c, value=t) for c, t in cells.items())
    return Row(cells=tuple(made))


def level_of(by: str, **more: Any) -> Level:
    """A level by a column, named like it."""
    return Level(name=by, by=by, **more)


def script_of(texts: Sequence[str]) -> str:
    """A database ``lines`` of some texts ``t``, numbered by ``n``."""
    values = ", ".join(f"({number}, '{text.replace(chr(39), 2 * chr(39))}')" for number, text in enumerate(texts))
    return f"create table lines (n integer, t text); insert into lines values {values};"


MOMENT = datetime(2025, 12, 31, 6, 30)


def resolved(
    report: Report, moment: datetime = MOMENT, forgiving: bool = False, designing: bool = False, **given: Any
) -> ResolvedValues:
    """The values of a report none of whose parameters need a query."""

    def rows(query: str, values: Values) -> Rows:
        raise AssertionError(f"{query} was asked for")

    asker = ParameterSources(rows, lambda _: frozenset(), lambda: moment)
    return resolve_parameters(report, given, asker, designing, forgiving)


def bind(report: Report, given: Mapping[str, Any]) -> Values:
    """The values of a report none of whose parameters need a query."""
    return resolved(report, **given).complete_values()


def render(report: Report, library: Library, **values: Any) -> Document:
    """The report's document."""
    return Session(library).render(report, values)


KINDS = {
    int: "integer", str: "text", float: "float", bool: "boolean", Decimal: "decimal", date: "date", datetime: "timestamp",
}  # fmt: skip


def fetched(library: Library, sql: str, columns: Sequence[QueryColumn] = (), **values: Any) -> Rows:
    """The rows of a query; its parameters are made to fit the values."""
    parameters = tuple(Parameter(name=n, kind=KINDS.get(type(v), "text")) for n, v in values.items())
    report = report_of(queries=[query(sql, columns)], parameters=parameters)
    return Session(library).rows(report, "rows", bind(report, values), CancelToken())


class Line(Struct, frozen=True):
    """A printed row of a table: its kind, level, keys, ordinal, top, and the texts of its cells by column."""

    page: int
    kind: str
    level: str | None
    keys: tuple[Any, ...]
    ordinal: int | None
    y: float
    cells: dict[str, str]
    number: int = 0


def dumped(document: Document) -> dict[str, Any]:
    """The page dump as it would be written."""
    pages = (document.page(i) for i in range(len(document)))
    dump: dict[str, Any] = json.loads(write_dump(pages, document.title))
    return dump


def lines_of(document: Document, block: str = "table") -> list[Line]:
    """The printed rows of a table, page by page from the top; the lines of a wrapped cell are joined by spaces."""
    found: list[Line] = []
    for page in dumped(document)["pages"]:
        rows: dict[tuple[Any, ...], dict[str, Any]] = {}
        for item in page["items"]:
            origin = item["origin"]
            if item["kind"] != "text" or origin["block"] != block:
                continue
            keys = tuple(origin["keys"])
            key = (origin["row"], origin["level"], keys, origin["ordinal"], origin["number"])
            row = rows.setdefault(key, {"y": item["y"], "cells": {}})
            row["y"] = min(row["y"], item["y"])
            cells = row["cells"]
            cells[origin["column"]] = " ".join([*cells.get(origin["column"], "").split(), item["text"]]).strip()
        found += [Line(page["number"], k[0], k[1], k[2], k[3], r["y"], r["cells"], k[4]) for k, r in rows.items()]
    return found


def column_of(document: Document, column: str, kind: str = "detail") -> list[str]:
    """The texts of one column in rows of a kind, in printed order; an empty cell is an empty text."""
    return [line.cells.get(column, "") for line in lines_of(document) if line.kind == kind]
