"""Templates outside tables: paragraphs, headers and footers.

Their scope is the report, or, in headers and footers, a page; queries are reached in aggregates, as
``sum(fares.fare)``.
"""

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import pyarrow as pa

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.evaluate.by_group import scope_table
from northmoor.core.compute.evaluate.compiler import (
    AggregateCall,
    CompiledExpression,
    Compiler,
    EvaluationScope,
    PageColumn,
)
from northmoor.core.compute.evaluate.scope_cells import Computed, compute_cells, or_whole_fault, per_group
from northmoor.core.compute.evaluate.scope_names import BASE
from northmoor.core.engine.embedded import Engine, EngineError, engine_message
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import parse
from northmoor.core.values.parameter_values import Values

PAGES = "__nm_pages"
PER_PAGE = {name: PageColumn(name) for name in ("page_number", "page_count")}
"""The named values that differ from page to page."""


def compute_page_expressions(
    expressions: Sequence[str],
    rows: Mapping[str, Rows],
    values: Values,
    named: Mapping[str, Any],
    numbers: Sequence[int],
    counts: Sequence[int],
    stop: CancelToken,
) -> dict[str, Computed]:
    """Each expression's value on each page, given the pages' numbers and counts (one page for a paragraph)."""
    standing = EvaluationScope((), scope=0, others={name: r.names for name, r in rows.items()}, named=named)
    compiler = Compiler(values)
    compiled = {text: _compile(compiler, text, standing) for text in expressions}
    plain = [c for c in compiled.values() if isinstance(c, CompiledExpression)]
    with Engine(stop) as engine:
        pages = {
            "at": np.arange(len(numbers)),
            "page_number": np.asarray(numbers),
            "page_count": np.asarray(counts),
        }
        engine.register(PAGES, pa.table(pages))
        needed = sorted({n for c in plain for n in c.needs}, key=lambda n: compiler.names[n])
        bound = {name: value for c in plain for name, value in c.bound.items()}
        broken = register_query_aggregates(engine, compiler, needed, rows, bound)
        checked = [or_whole_fault(engine, c, broken) for c in compiled.values()]
        scopes = sorted({str(n.scope) for n in needed if n not in broken})
        source = f"{PAGES} as {BASE}" + "".join(f" cross join {quoted(scope_table(s))}" for s in scopes)
        computed = compute_cells(engine, compiler, checked, source, f"{BASE}.at", len(numbers))
    return dict(zip(compiled, computed, strict=True))


def _compile(compiler: Compiler, text: str, standing: EvaluationScope) -> CompiledExpression | ExpressionError:
    try:
        compiled = compiler.compile(parse(text), standing)
    except ExpressionError as error:
        return error
    if any(isinstance(need.scope, int) for need in compiled.needs):
        return ExpressionError(f"In {text!r}: outside a table, name the query of a column, as in sum(fares.fare).", 0)
    return compiled


def register_query_aggregates(
    engine: Engine, compiler: Compiler, needs: list[AggregateCall], rows: Mapping[str, Rows], bound: Mapping[str, Any]
) -> dict[AggregateCall, str]:
    """Compute aggregates over all rows of other queries, into one table a query; those that fail, with the reason."""
    broken: dict[AggregateCall, str] = {}
    for name in sorted({str(n.scope) for n in needs}):
        engine.register("__nm_query", rows[name].table)
        columns = {}
        for need in (n for n in needs if n.scope == name):
            try:
                found = engine.run(per_group("__nm_query", "", f"{need.sql} as a", need.inner), bound)
                columns[compiler.names[need]] = found.column(0)
            except EngineError as error:
                broken[need] = engine_message(error)
        if columns:
            engine.register(scope_table(name), pa.table(columns))
    return broken
