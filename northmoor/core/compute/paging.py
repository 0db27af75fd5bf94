"""Totals of pages, of all pages before, and of all up to here: computed from row ranges once breaks are known.

An aggregate over the pages up to here is a running one, read where each page ends; that of the pages before is the one
read where the page before ended.
"""

from collections.abc import Iterable, Mapping
from functools import partial

import numpy as np
import pyarrow as pa

from northmoor.core.compute.cells import ROWS, Computed, compute_cells, unless_broken
from northmoor.core.compute.groups import Ints, Wanted
from northmoor.core.compute.scoped import scope_table
from northmoor.core.compute.scopes import (
    BASE,
    PAGE,
    PAGES_TO_HERE,
    POSITION,
    Aggregated,
    Compiled,
    Compiler,
    Standing,
)
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import parse, quoted
from northmoor.core.sources.engine import Engine, EngineError, told
from northmoor.core.sources.fetch import Rows
from northmoor.core.stopping import Stop
from northmoor.core.values.values import Values

_PAGES = "__nm_pages"
_PAGE = "__nm_page"


def compute_paged(
    wanted: Iterable[Wanted],
    ordered: pa.Table,
    ends: Ints,
    others: Mapping[str, Rows],
    values: Values,
    stop: Stop,
) -> dict[Wanted, Computed]:
    """Each expression's value on each page of a table.

    `ordered` are the table's rows as they are printed; page p ends after ``ends[p]`` of them. `others` are the report's
    queries by name.
    """
    compiler = Compiler(values)
    names = tuple(ordered.column_names)
    reached = {name: rows.names for name, rows in others.items()}
    compiled = {
        want: _compile(compiler, want, Standing(names, scope=want.scope, others=reached))
        for want in sorted(wanted, key=lambda w: (w.scope, w.expression))
    }
    with Engine(stop) as engine:
        _give_rows(engine, ordered, ends)
        for name, rows in others.items():
            engine.give(f"__nm_query_{name}", rows.table)
        sound = [c for c in compiled.values() if isinstance(c, Compiled)]
        needs = sorted({n for c in sound for n in c.needs}, key=lambda n: compiler.names[n])
        bound = {key: value for c in sound for key, value in c.bound.items()}
        broken = _give_scopes(engine, compiler, needs, bound)
        checked = [unless_broken(c, broken) for c in compiled.values()]
        source = f"{_PAGES} as {BASE}"
        for need in (n for n in needs if n not in broken):
            alias = quoted(compiler.names[need])
            source += f" join {quoted(_table(compiler, need))} as {alias} on {alias}.page = {BASE}.page"
        computed = compute_cells(engine, compiler, checked, source, f"{BASE}.page", len(ends))
    return dict(zip(compiled, computed, strict=True))


def _compile(compiler: Compiler, want: Wanted, standing: Standing) -> Compiled | ExpressionError:
    try:
        return compiler.compile(parse(want.expression), standing)
    except ExpressionError as error:
        return error


def _give_rows(engine: Engine, ordered: pa.Table, ends: Ints) -> None:
    pages = np.arange(len(ends))
    counts = np.diff(ends, prepend=0)
    numbered = ordered.append_column(POSITION, pa.array(np.arange(len(ordered))))
    engine.give(ROWS, numbered.append_column(_PAGE, pa.array(np.repeat(pages, counts))))
    engine.give(_PAGES, pa.table({"page": pages, "done": ends, "before": np.concatenate([[0], ends[:-1]])}))


def _table(compiler: Compiler, need: Aggregated) -> str:
    return scope_table(compiler.names[need])


def _give_scopes(
    engine: Engine, compiler: Compiler, needs: list[Aggregated], bound: Mapping[str, object]
) -> dict[Aggregated, str]:
    """Put each aggregate's value on each page into the engine. Returns those that fail, with the reason."""
    broken: dict[Aggregated, str] = {}
    for need in needs:
        run = partial(engine.run, parameters=bound)
        name = quoted(compiler.names[need])
        try:
            if need.scope == PAGE:
                table = run(_of_page(need.sql, name))
            elif isinstance(need.scope, int) and need.scope != 0:
                table = run(_running(need.sql, name, "done" if need.scope == PAGES_TO_HERE else "before"))
            else:
                source = ROWS if need.scope == 0 else quoted(f"__nm_query_{need.scope}")
                table = run(f"select page, {name} from {_PAGES} cross join (select {need.sql} as {name} from {source})")
        except EngineError as error:
            broken[need] = told(error)
        else:
            engine.give(_table(compiler, need), table)
    return broken


def _of_page(sql: str, name: str) -> str:
    """An aggregate over the rows of each page; a page without rows has what the aggregate says of none."""
    some = f"select {_PAGE} as page, {sql} as {name} from {ROWS} group by {_PAGE}"
    return f"{some} union all {_of_none(sql, name, f'page not in (select {_PAGE} from {ROWS})')}"


def _running(sql: str, name: str, edge: str) -> str:
    """An aggregate over all rows before a page's edge."""
    frame = f"order by {POSITION} rows between unbounded preceding and current row"
    running = f"select {POSITION} + 1 as upto, {sql} over ({frame}) as {name} from {ROWS}"
    some = f"select page, {name} from {_PAGES} join ({running}) on upto = {edge}"
    return f"{some} union all {_of_none(sql, name, f'{edge} = 0')}"


def _of_none(sql: str, name: str, where: str) -> str:
    return (
        f"select page, {name} from {_PAGES} cross join (select {sql} as {name} from {ROWS} where false) where {where}"
    )
