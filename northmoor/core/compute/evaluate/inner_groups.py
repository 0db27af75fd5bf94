"""Figures of figures: an aggregate over the figures of groups within its own groups.

In ``sum(round(sum(amount) * rate / 100, 2) over rate)`` what is before ``over`` is computed once for each group of the
level ``rate``, and the outer aggregate runs over those groups. ``over (partition by a, b)`` groups by any columns.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from sqlglot import exp

from northmoor.core.compute.evaluate.scope_names import COUNTED
from northmoor.core.compute.groups.boundaries import Grouping
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.language import is_aggregate, parse

if TYPE_CHECKING:
    from northmoor.core.compute.evaluate.compiler import ExpressionCompiler

_WINDOW, _FIRST = "__nm_inner", "__nm_first"


@dataclass(frozen=True)
class InnerGroups:
    """Groups within the groups of an aggregate: the SQL of what makes them, and of the value that each has."""

    keys: tuple[str, ...]
    values: tuple[str, ...]


def inner_value(number: int) -> str:
    """The name of a value of inner groups."""
    return f"__nm_v{number}"


def one_row_each(source: str, groups: str, inner: InnerGroups) -> str:
    """SQL of a source with one row left of each inner group, which has the group's values; `groups` are the columns of
    the groups around, empty for one group of all."""
    parts = ", ".join([*([groups] if groups else []), *inner.keys])
    values = ", ".join(f"{sql} as {inner_value(number)}" for number, sql in enumerate(inner.values))
    window = f"window {_WINDOW} as (partition by {parts})"
    return f"(select *, {values}, row_number() over {_WINDOW} = 1 as {_FIRST} from {source} {window}) where {_FIRST}"


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
    """Compiles an aggregate over the figures of groups.

    `over` is what follows an aggregate of the inner groups; `columns` are the columns of the rows.
    """

    def __init__(
        self, work: "ExpressionCompiler", node: exp.Expr, columns: tuple[str, ...], over: str = _WINDOW
    ) -> None:
        self._work, self._columns = work, columns
        self._over = f" over {over}" if over else ""
        self._values: list[str] = []
        self._window = next(w for w in node.find_all(exp.Window) if w is not node)
        self._keys = self._keys_of(self._window)
        self._names = {work.resolve_name(key, columns) for key in self._keys if isinstance(key, exp.Column)}
        self._inside = self._window.alias or ", ".join(key.sql("duckdb") for key in self._keys)
        self._top = node.this if isinstance(node, exp.Filter) else node
        self.call = work.other(node, self._outer)
        """The outer aggregate, over values by their names and what makes the groups."""

    def groups(self, is_counted: bool) -> InnerGroups:
        """The inner groups; rows that count apart from those that do not, where there are such."""
        keys = [self._key(key).sql("duckdb") for key in self._keys]
        return InnerGroups((*keys, *([quoted(COUNTED)] * is_counted)), tuple(self._values))

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
        return self._scalar(node, self._outer)

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
            call = self._work.other(node, lambda inner: self._work.value_of(inner, self._columns))
            return exp.Var(this=f"{call.sql('duckdb')}{self._over}")
        return self._scalar(node, self._inner)

    def _scalar(self, node: exp.Expr, inside: Callable[[exp.Expr], exp.Expr]) -> exp.Expr:
        if node in self._keys:
            return self._key(node)
        if isinstance(node, exp.Column):
            name = self._work.resolve_name(node, self._columns)
            if name not in self._names:
                message = f"{name} may have several values in a group of {self._inside}; total it, or group by it too"
                raise self._work.error_at(message, node)
            return exp.column(name, quoted=True)
        return self._work.other(node, inside)

    def _key(self, key: exp.Expr) -> exp.Expr:
        return self._work.value_of(key.copy(), self._columns)
