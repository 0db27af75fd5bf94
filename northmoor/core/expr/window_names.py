"""Expressions and templates whose windows are named otherwise, as in ``sum(fare) over shipper``; all else stays as
written."""

import re

import sqlglot
from sqlglot.errors import SqlglotError

from northmoor.core.expr.language import column_expression

SLOT = re.compile(r"\{\{|\}\}|\{[^{}]*\}")
"""Braces of a template, and what is in them."""


def rename_window(text: str, old: str, new: str) -> str:
    """An expression with another window in place of one."""
    try:
        tokens = sqlglot.tokenize(text, dialect="duckdb")
    except SqlglotError:
        return text
    named = column_expression(new)
    for at in range(len(tokens) - 1, 0, -1):
        before = [token.text.lower() for token in tokens[max(at - 2, 0) : at]]
        if tokens[at].text == old and (before[-1] == "over" or before == ["over", "("]):
            text = text[: tokens[at].start] + named + text[tokens[at].end + 1 :]
    return text


def rename_window_in_template(text: str, old: str, new: str) -> str:
    """The same in the slots of a template."""
    return SLOT.sub(lambda s: s[0] if s[0] in ("{{", "}}") else rename_window(s[0], old, new), text)
