"""Totals of pages, of all pages before, and of all up to here: computed from row ranges once breaks are known.

An aggregate over the pages up to here is a running one, read where each page ends; that of the pages before is the one
read where the page before ended.
"""

from collections.abc import Iterable, Mapping
from functools import partial

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import Ints
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.compute.evaluate.by_group import scope_table
from northmoor.core.compute.evaluate.compiler import AggregateCall, CompiledExpression, Compiler, EvaluationScope
from northmoor.core.compute.evaluate.scope_cells import ROWS_TABLE, Computed, compute_cells, or_whole_fault, per_group
from northmoor.core.compute.evaluate.scope_names import BASE, COUNTED, PAGE, PAGES_TO_HERE, POSITION
from northmoor.core.compute.groups.boundaries import ScopedExpression
from northmoor.core.engine.embedded import Engine, EngineError, engine_message
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import parse
from northmoor.core.values.parameter_values import Values

_PAGES = "__nm_pages"
_PAGE = "__nm_page"
_RUN = "__nm_run"
_ALL = "__nm_all_rows"


class PageRanges(Struct, frozen=True, eq=False):
    """Which of a table's rows each of its pages shows: from `begin` up to `end`. Pages of one `run` follow one another:
    those of the table, or those of one record that it is printed for."""

    begin: Ints
    end: Ints
    run: Ints

    @property
    def key(self) -> tuple[bytes, bytes, bytes]:
        """What tells ranges apart."""
        return self.begin.tobytes(), self.end.tobytes(), self.run.tobytes()


def single_run(ends: Ints) -> PageRanges:
    """The pages of a table that is printed once, by where they end."""
    return PageRanges(np.concatenate([[0], ends[:-1]]).astype(np.int64), ends, np.zeros(len(ends), np.int64))


def compute_page_totals(
    wanted: Iterable[ScopedExpression],
    ordered: pa.Table,
    pages: PageRanges,
    others: Mapping[str, Rows],
    values: Values,
    stop: CancelToken,
) -> dict[ScopedExpression, Computed]:
    """Each expression's value on each page of a table.

    `ordered` are the table's rows as they are printed. `others` are the report's queries by name.
    """
    compiler = Compiler(values)
    names = tuple(name for name in ordered.column_names if name != COUNTED)
    standing = EvaluationScope(
        names,
        others={name: rows.names for name, rows in others.items()},
        has_uncounted=COUNTED in ordered.column_names,
    )
    compiled = {
        want: _compile(compiler, want, replace(standing, scope=want.scope))
        for want in sorted(wanted, key=lambda w: (w.scope, w.expression))
    }
    with Engine(stop) as engine:
        _give_rows(engine, ordered, pages)
        for name, rows in others.items():
            engine.register(f"__nm_query_{name}", rows.table)
        sound = [c for c in compiled.values() if isinstance(c, CompiledExpression)]
        needs = sorted({n for c in sound for n in c.needs}, key=lambda n: compiler.names[n])
        bound = {key: value for c in sound for key, value in c.bound.items()}
        broken = _give_scopes(engine, compiler, needs, bound)
        checked = [or_whole_fault(engine, c, broken) for c in compiled.values()]
        source = f"{_PAGES} as {BASE}"
        for need in (n for n in needs if n not in broken):
            alias = quoted(compiler.names[need])
            source += f" join {quoted(_table(compiler, need))} as {alias} on {alias}.page = {BASE}.page"
        computed = compute_cells(engine, compiler, checked, source, f"{BASE}.page", len(pages.end))
    return dict(zip(compiled, computed, strict=True))


def _compile(
    compiler: Compiler, want: ScopedExpression, standing: EvaluationScope
) -> CompiledExpression | ExpressionError:
    try:
        return compiler.compile(parse(want.expression), standing)
    except ExpressionError as error:
        return error


def _give_rows(engine: Engine, ordered: pa.Table, pages: PageRanges) -> None:
    """Put the rows into the engine page by page; those that several pages show, as often."""
    counts = pages.end - pages.begin
    done = np.cumsum(counts)
    shown = np.arange(counts.sum()) + np.repeat(pages.begin - (done - counts), counts)
    engine.register(_ALL, ordered)
    numbered = ordered.take(pa.array(shown)).append_column(POSITION, pa.array(np.arange(len(shown))))
    numbered = numbered.append_column(_PAGE, pa.array(np.repeat(np.arange(len(counts)), counts)))
    engine.register(ROWS_TABLE, numbered.append_column(_RUN, pa.array(np.repeat(pages.run, counts))))
    numbers = {"page": np.arange(len(counts)), "run": pages.run, "done": done, "before": done - counts}
    engine.register(_PAGES, pa.table(numbers))


def _table(compiler: Compiler, need: AggregateCall) -> str:
    return scope_table(compiler.names[need])


def _give_scopes(
    engine: Engine, compiler: Compiler, needs: list[AggregateCall], bound: Mapping[str, object]
) -> dict[AggregateCall, str]:
    """Put each aggregate's value on each page into the engine. Returns those that fail, with the reason."""
    broken: dict[AggregateCall, str] = {}
    for need in needs:
        run = partial(engine.run, parameters=bound)
        name = quoted(compiler.names[need])
        try:
            if need.scope == PAGE:
                table = run(_of_page(need, name))
            elif isinstance(need.scope, int) and need.scope != 0 and need.inner is not None:
                broken[need] = "figures of groups are not carried from page to page; total rows, or write over page"
                continue
            elif isinstance(need.scope, int) and need.scope != 0:
                table = run(_running(need, name, "done" if need.scope == PAGES_TO_HERE else "before"))
            else:
                source = _ALL if need.scope == 0 else quoted(f"__nm_query_{need.scope}")
                whole = per_group(source, "", f"{need.sql} as {name}", need.inner)
                table = run(f"select page, {name} from {_PAGES} cross join ({whole})")
        except EngineError as error:
            broken[need] = engine_message(error)
        else:
            engine.register(_table(compiler, need), table)
    return broken


def _of_page(need: AggregateCall, name: str) -> str:
    """An aggregate over the rows of each page; a page without rows has what the aggregate says of none."""
    some = per_group(ROWS_TABLE, _PAGE, f"{_PAGE} as page, {need.sql} as {name}", need.inner)
    return f"({some}) union all {_of_none(need, name, f'page not in (select {_PAGE} from {ROWS_TABLE})')}"


def _running(need: AggregateCall, name: str, edge: str) -> str:
    """An aggregate over all rows of a run before a page's edge."""
    frame = f"partition by {_RUN} order by {POSITION} rows between unbounded preceding and current row"
    running = f"select {_RUN} as run, {POSITION} + 1 as edge, {need.sql} over ({frame}) as {name} from {ROWS_TABLE}"
    of_run = f"{_PAGES} as pages join ({running}) as upto on upto.run = pages.run and upto.edge = {edge}"
    begun = f"select page from {_PAGES} as pages join {ROWS_TABLE} on {_RUN} = pages.run and {POSITION} + 1 = {edge}"
    return f"select page, {name} from {of_run} union all {_of_none(need, name, f'page not in ({begun})')}"


def _of_none(need: AggregateCall, name: str, where: str) -> str:
    none = per_group(f"(select * from {ROWS_TABLE} where false)", "", f"{need.sql} as {name}", need.inner)
    return f"select page, {name} from {_PAGES} cross join ({none}) where {where}"
