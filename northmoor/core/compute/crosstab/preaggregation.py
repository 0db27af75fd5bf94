"""The rows that a matrix is over: as they were fetched, or added up beforehand to one row for each combination of keys.

Sums, counts, least and greatest values can be put together from those of parts, and are the same then; a million rows
become as few as the matrix has cells, and all that follows is work on those. Averages, medians and counts of different
values cannot, and are computed from the rows as they are.
"""

from collections.abc import Iterable, Mapping, Sequence

import pyarrow as pa
from msgspec import Struct, field
from sqlglot import exp, parse_one

from northmoor.core.compute.evaluate.compiler import AggregateCall, CompiledExpression, Compiler, EvaluationScope
from northmoor.core.compute.row_ordering import Order
from northmoor.core.engine.embedded import SORTING, Engine, EngineError, engine_message
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import function_name, parse
from northmoor.core.model.kinds.aggregates import AGGREGATE_BY_NAME

MANY = 50_000
"""Rows from which adding up beforehand is worth it."""
_EXACT = (
    exp.Column, exp.Identifier, exp.Literal, exp.Add, exp.Sub, exp.Mul, exp.Neg, exp.Case, exp.If, exp.Paren, exp.Star,
    exp.Filter, exp.Where, exp.And, exp.Or, exp.Not, exp.EQ, exp.NEQ, exp.GT, exp.GTE, exp.LT, exp.LTE, exp.Is,
    exp.Null, exp.Boolean, exp.In, exp.Between, exp.Parameter, exp.Placeholder, exp.Var,
)  # fmt: skip
"""What sums of integers and decimals may be made of, so that the order of adding up makes no difference."""


class PreaggregatedRows(Struct, frozen=True, eq=False):
    """Rows: `names` are the columns of the fetched ones; where they are added up, `keys` are the columns that hold the
    values of key expressions, and `parts` how aggregates, by their SQL, are put together."""

    names: tuple[str, ...]
    table: pa.Table
    keys: Mapping[str, str] = field(default_factory=dict)
    parts: Mapping[str, str] = field(default_factory=dict)

    def sql(self, aggregate: str) -> str:
        """The SQL of an aggregate over the table."""
        return self.parts.get(aggregate, aggregate)


class AggregationRequest(Struct, frozen=True):
    """What is asked of rows: the sides they are grouped by, which rows are kept, and all aggregates."""

    sides: tuple[Order, Order]
    keep_rows: str | None
    needs: tuple[AggregateCall, ...]
    bound: Mapping[str, object]

    @property
    def keys(self) -> tuple[str, ...]:
        """The expressions that group rows, each once."""
        groupings = [g for order in self.sides for g in order.groupings]
        return tuple(dict.fromkeys(t for g in groupings for t in (g.key, g.parent) if t is not None))

    def threads(self, schema: pa.Schema) -> int:
        """How many threads may work at it so that the result is the same."""
        is_over_groups = any(need.inner is not None for need in self.needs)
        if is_over_groups or any(isinstance(value, float) for value in self.bound.values()):
            return 1
        floating = {name for name in schema.names if pa.types.is_floating(schema.field(name).type)}
        trees = [parse_one(need.sql, dialect="duckdb") for need in self.needs]
        is_exact = all(
            (isinstance(node, _EXACT) or _merge_of(node) is not None)
            and not (isinstance(node, exp.Column) and node.name in floating)
            and not (isinstance(node, exp.Literal) and not node.is_string and "e" in node.name.lower())
            for tree in trees
            for node in tree.walk()
        )
        return SORTING if is_exact else 1

    @property
    def parts(self) -> dict[str, str] | None:
        """How each aggregate is put together from parts, by its SQL; None where one cannot be."""
        found = {}
        for need in self.needs:
            if need.inner is not None:
                return None
            tree = parse_one(need.sql, dialect="duckdb")
            inner = tree.this if isinstance(tree, exp.Filter) else tree
            merge = _merge_of(inner)
            if merge is None or inner.find(exp.Distinct) is not None or inner.expressions:
                return None
            found[need.sql] = merge
        return found


def aggregation_request(
    sides: tuple[Order, Order], keep_rows: str | None, compiled: Iterable[CompiledExpression | ExpressionError]
) -> AggregationRequest:
    """What expressions ask of the rows."""
    sound = [each for each in compiled if isinstance(each, CompiledExpression)]
    needs = {need for each in sound for need in each.needs} | {c.distinct for each in sound for c in each.constants}
    bound = {name: value for each in sound for name, value in each.bound.items()}
    of_rows = sorted((n for n in needs if isinstance(n.scope, int) and not is_key(n)), key=lambda n: (n.scope, n.sql))
    return AggregationRequest(sides, keep_rows, tuple(of_rows), bound)


KEY = "__nm_key:"


def _merge_of(node: exp.Expr) -> str | None:
    """The SQL that merges an aggregate's results of parts; None for other nodes, and where parts do not suffice."""
    known = AGGREGATE_BY_NAME.get(function_name(node)) if isinstance(node, exp.Func) else None
    return known.merged_by if known is not None else None


def is_key(need: AggregateCall) -> bool:
    """Whether a need is the key of a level, which is known without the rows."""
    return need.sql.startswith(KEY)


def preaggregate(
    demand: AggregationRequest, fetched: pa.Table, compiler: Compiler, engine: Engine
) -> PreaggregatedRows:
    """The rows to work on. Raises LayoutError where it cannot be decided which are kept."""
    names = tuple(fetched.column_names)
    is_given = any(g.order == "as_given" for order in demand.sides for g in order.groupings)
    parts = demand.parts if fetched.num_rows > MANY and not is_given else None
    if parts is None and demand.keep_rows is None:
        return PreaggregatedRows(names, fetched)
    where, bound = _where(demand, names, compiler)
    engine.register("__nm_fetched", fetched)
    place = Place(block=demand.sides[0].block)
    try:
        if parts is None:
            return PreaggregatedRows(names, engine.run(f"select * from __nm_fetched{where}", bound))
        keys = {text: f"key_{number}" for number, text in enumerate(demand.keys)}
        compiled = {text: compiler.compile(parse(text), EvaluationScope(names)) for text in keys}
        if not any(each.needs for each in compiled.values()):
            listed = [f"{each.sql} as {keys[text]}" for text, each in compiled.items()]
            columns = {sql: f"part_{number}" for number, sql in enumerate(parts)}
            listed += [f"{sql} as {column}" for sql, column in columns.items()]
            bound = {**bound, **demand.bound, **{n: v for each in compiled.values() for n, v in each.bound.items()}}
            table = _aggregate(engine, listed, list(keys.values()), where, bound)
            together = {sql: how.format(quoted(columns[sql])) for sql, how in parts.items()}
            return PreaggregatedRows(names, table, keys, together)
    except ExpressionError:
        pass  # a key that is faulty is reported by its side
    except EngineError as error:
        if demand.keep_rows is not None and parts is None:
            raise LayoutError(f"Which rows are kept cannot be decided: {engine_message(error)}.", place) from error
    return preaggregate(whole_demand(demand.sides, demand.keep_rows), fetched, compiler, engine)


def whole_demand(sides: tuple[Order, Order], keep_rows: str | None) -> AggregationRequest:
    """What asks for the rows as they are."""
    return AggregationRequest(sides, keep_rows, (AggregateCall(0, "median(0)"),), {})


def _aggregate(
    engine: Engine, listed: Sequence[str], keys: Sequence[str], where: str, bound: Mapping[str, object]
) -> pa.Table:
    """One row for each combination of keys, in their order."""
    by = f" group by {', '.join(keys)} order by {', '.join(keys)}" if keys else ""
    return engine.run(f"select {', '.join(listed) or '1 as one'} from __nm_fetched{where}{by}", bound)


def _where(demand: AggregationRequest, names: tuple[str, ...], compiler: Compiler) -> tuple[str, dict[str, object]]:
    """The condition on rows that are kept."""
    if demand.keep_rows is None:
        return "", {}
    place = Place(block=demand.sides[0].block, row="rows kept")
    try:
        compiled = compiler.compile(parse(demand.keep_rows), EvaluationScope(names))
    except ExpressionError as error:
        raise LayoutError(error.message, place) from error
    if compiled.needs:
        raise LayoutError(f"{demand.keep_rows!r} must follow from a single row; totals cannot keep rows.", place)
    return f" where {compiled.sql}", dict(compiled.bound)
