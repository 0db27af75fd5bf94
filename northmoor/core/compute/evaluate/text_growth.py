"""Texts that grow: ``replace`` can multiply a text, and nested ones do so again, until a single row takes all memory
and more time than anybody waits, in a step of the engine that cannot be stopped. Where that can be, each is held to a
length."""

from sqlglot import exp

from northmoor.core.engine.embedded import refusing_sql
from northmoor.core.expr.language import function_name

LONGEST_REPLACED = 1_000_000
"""Characters of what a replace makes where replaces together can multiply a text by more than `_USUAL_GROWTH`."""
_USUAL_GROWTH = 1000


def makes_longer(tree: exp.Expr) -> bool:
    """Whether the replaces of an expression can multiply a text so much that they must be held to a length."""
    return _growth(tree) > _USUAL_GROWTH


def _growth(node: exp.Expr) -> float:
    """By how much a text can be multiplied at most: several that are put together count as one that is as long."""
    inner = sum(_growth(child) for child in node.iter_expressions())
    if not _is_replace(node):
        return max(inner, 1)
    pattern, text = node.args.get("expression"), node.args.get("replacement")
    if not (isinstance(pattern, exp.Literal) and isinstance(text, exp.Literal)):
        return float("inf")
    return _growth(node.this) * max(len(text.name) / max(len(pattern.name), 1), 1)


def _is_replace(node: exp.Expr) -> bool:
    return isinstance(node, exp.Func) and function_name(node) == "replace"


def held_to_length(node: exp.Expr) -> exp.Expr:
    """A replace that refuses to make a text of more than so many characters; any other node as it is."""
    if not _is_replace(node):
        return node
    text, pattern, by = (node.args[part].sql("duckdb") for part in ("this", "expression", "replacement"))
    most = f"length(v) + length(v) // greatest(length({pattern}), 1) * length({by})"
    message = f"replace() makes a text of more than {LONGEST_REPLACED:,} characters"
    guarded = f"if({most} > {LONGEST_REPLACED}, {refusing_sql(message, 'v')}, replace(v, {pattern}, {by}))"
    return exp.Var(this=f"list_transform([{text}], lambda v: {guarded})[1]")
