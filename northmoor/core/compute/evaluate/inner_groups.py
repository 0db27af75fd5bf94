"""Figures of figures: an aggregate over the figures of groups within its own groups.

In ``sum(round(sum(amount) * rate / 100, 2) over rate)`` what is before ``over`` is computed once for each group of the
level ``rate``, and the outer aggregate runs over those groups. ``over (partition by a, b)`` groups by any columns.
"""

from collections.abc import Sequence
from typing import TYPE_CHECKING

from msgspec import Struct
from sqlglot import exp

from northmoor.core.compute.evaluate.scope_names import COUNTED
from northmoor.core.compute.groups.boundaries import Grouping
from northmoor.core.expr.language import is_aggregate, parse

if TYPE_CHECKING:
    from northmoor.core.compute.evaluate.compiler import ExpressionCompiler


class InnerGroups(Struct, frozen=True):
    """Groups within the groups of an aggregate: the SQL of what makes them, with its name, and of their values."""

    keys: tuple[tuple[str, str], ...]
    values: tuple[str, ...]


def inner_value(number: int) -> str:
    """The name of a value of inner groups."""
    return f"__nm_v{number}"


def inner_key(number: int) -> str:
    """The name of what makes inner groups."""
    return f"__nm_k{number}"


def inner_groups_sql(source: str, groups: str, inner: InnerGroups, order: str = "") -> str:
    """A query with a row for each inner group of a source; `groups` are the columns of the groups around, empty for one
    group of all. They come in the order of a column of the source, if one is given."""
    listed = [f"{key} as {name}" for name, key in inner.keys]
    listed += [f"{sql} as {inner_value(number)}" for number, sql in enumerate(inner.values)]
    by = [*([groups] if groups else []), *(key for _, key in inner.keys)]
    around = f"{groups}, " if groups else ""
    ordered = f" order by min({order})" if order else ""
    return f"select {around}{', '.join(listed)} from {source} group by {', '.join(by)}{ordered}"


def has_inner_groups(node: exp.Expr) -> bool:
    """Whether an aggregate runs over the figures of groups."""
    return any(is_inner_window(window) for window in node.find_all(exp.Window) if window is not node)


def is_inner_window(window: exp.Window) -> bool:
    """Whether a window names groups only, without an order or a frame."""
    is_framed = window.args.get("order") is not None or window.args.get("spec") is not None
    return not is_framed and bool(window.alias or window.args.get("partition_by"))


def keys_inside(groupings: Sequence[Grouping], scope: int) -> dict[str, tuple[exp.Expr, ...] | None]:
    """The keys of the levels inside a scope and of all around each, by the level's name; None where keys do not say
    what its groups are: in a tree, among gathered groups and in blocks of rows."""
    found: dict[str, tuple[exp.Expr, ...] | None] = {}
    for depth, level in enumerate(groupings, 1):
        inside = groupings[max(scope, 0) : depth]
        is_plain = all(g.parent is None and g.others is None and "row_block" not in g.key for g in inside)
        if inside:
            found[level.name] = tuple(parse(g.key).tree for g in groupings[:depth]) if is_plain else None
    return found


class InnerGroupsCompiler:
    """Compiles an aggregate over the figures of groups; `columns` are the columns of the rows."""

    def __init__(self, work: "ExpressionCompiler", node: exp.Expr, columns: tuple[str, ...]) -> None:
        self._work, self._columns = work, columns
        self._values: list[str] = []
        self._window = next(w for w in node.find_all(exp.Window) if w is not node)
        self._keys = self._keys_of(self._window)
        named = enumerate(work.resolve_name(k, columns) if isinstance(k, exp.Column) else None for k in self._keys)
        self._numbers = {name: number for number, name in named if name is not None}
        self._inside = self._window.alias or ", ".join(key.sql("duckdb") for key in self._keys)
        self._top = node.this if isinstance(node, exp.Filter) else node
        self.call = work.other(node, self._outer)
        """The outer aggregate, over values by their names and what makes the groups."""

    def groups(self, is_counted: bool) -> InnerGroups:
        """The inner groups; rows that count apart from those that do not, where there are such."""
        keys = [(inner_key(number), self._key(key).sql("duckdb")) for number, key in enumerate(self._keys)]
        return InnerGroups((*keys, *([(COUNTED, COUNTED)] * is_counted)), tuple(self._values))

    def _keys_of(self, window: exp.Window) -> Sequence[exp.Expr]:
        listed: Sequence[exp.Expr] = window.args.get("partition_by") or ()
        if listed:
            return listed
        name, standing = window.alias, self._work.standing
        if name not in standing.level_keys:
            known = "a level inside this group, or columns, as in over (partition by kind)"
            raise self._work.error_at(
                f"over {name} makes no groups inside another aggregate; name {known}", window, name
            )
        keys = standing.level_keys[name]
        if keys is None:
            message = f"the groups of {name} are gathered from several, or form a tree; write over (partition by …)"
            raise self._work.error_at(message, window, name)
        return keys

    def _outer(self, node: exp.Expr) -> exp.Expr:
        """What the outer aggregate runs over, for each inner group."""
        if isinstance(node, exp.Window):
            return self._value(node)
        if is_aggregate(node) and node is not self._top:
            message = "say over which groups the inner aggregate runs, as in sum(max(x) over level)"
            raise self._work.error_at(message, node)
        number = self._number(node)
        if number is not None:
            return exp.column(inner_key(number), quoted=True)
        return self._work.other(node, self._outer)

    def _value(self, window: exp.Window) -> exp.Expr:
        if not is_inner_window(window) or list(self._keys_of(window)) != list(self._keys):
            raise self._work.error_at(
                f"all figures inside one aggregate run over the same groups, {self._inside}", window
            )
        self._values.append(self._inner(window.this).sql("duckdb"))
        return exp.column(inner_value(len(self._values) - 1), quoted=True)

    def _inner(self, node: exp.Expr) -> exp.Expr:
        """What is computed in each inner group."""
        if isinstance(node, exp.Window) or (is_aggregate(node) and node.find(exp.Window) is not None):
            raise self._work.error_at("figures are computed of figures once, not of those again", node)
        if is_aggregate(node):
            return self._work.value_of(node, self._columns)
        if self._number(node) is not None:
            return self._key(node)
        return self._work.other(node, self._inner)

    def _number(self, node: exp.Expr) -> int | None:
        """Which of what makes the groups a node is; None for none. Raises ExpressionError for any other column."""
        if node in self._keys:
            return list(self._keys).index(node)
        if not isinstance(node, exp.Column):
            return None
        name = self._work.resolve_name(node, self._columns)
        if name not in self._numbers:
            message = f"{name} may have several values in a group of {self._inside}; total it, or group by it too"
            raise self._work.error_at(message, node)
        return self._numbers[name]

    def _key(self, key: exp.Expr) -> exp.Expr:
        return self._work.value_of(key.copy(), self._columns)
