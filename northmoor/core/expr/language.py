"""Expressions: standard SQL scalar expressions and aggregates, parsed by sqlglot and held to an allow-list.

Only what is listed here can reach the engine; everything else (subqueries, files, settings, environment) is
refused with the character at which it is.
"""

import re
from functools import lru_cache

import sqlglot
from msgspec import Struct
from sqlglot import exp
from sqlglot.errors import SqlglotError
from sqlglot.tokens import TokenType  # type: ignore[attr-defined]  # it is re-exported from a compiled module

from northmoor.core.errors import ExpressionError, did_you_mean
from northmoor.core.expr.identifiers import quoted
from northmoor.core.expr.placeholders import DriverSql, mark_placeholders, unmark_placeholders
from northmoor.core.model.kinds.aggregates import AGGREGATES

AGGREGATE_FUNCTIONS = frozenset(aggregate.name for aggregate in AGGREGATES if aggregate.is_function)
WINDOW_FUNCTIONS = frozenset(
    ["row_number", "rank", "dense_rank", "lag", "lead", "first_value", "last_value", "ntile", "percent_rank"]
)
SCALARS = frozenset(
    [
        "abs",
        "ceil",
        "ceiling",
        "floor",
        "round",
        "sign",
        "sqrt",
        "power",
        "pow",
        "exp",
        "ln",
        "log",
        "log10",
        "mod",
        "trunc",
        "greatest",
        "least",
        "coalesce",
        "nullif",
        "if",
        "lower",
        "upper",
        "trim",
        "ltrim",
        "rtrim",
        "length",
        "substring",
        "substr",
        "left",
        "right",
        "replace",
        "concat",
        "concat_ws",
        "strpos",
        "contains",
        "starts_with",
        "ends_with",
        "reverse",
        "split_part",
        "format_date",
        "initcap",
        "date_trunc",
        "time_bucket",
        "date_part",
        "extract",
        "year",
        "quarter",
        "month",
        "week",
        "day",
        "hour",
        "minute",
        "second",
        "dayofweek",
        "isodow",
        "dayofyear",
        "date_diff",
        "date_add",
        "date_sub",
        "datediff",
        "last_day",
        "make_date",
        "strftime",
        "dayname",
        "monthname",
        "epoch",
        "cast",
        "try_cast",
        "case",
        "between",
        "like",
        "ilike",
        "in",
        "is",
        "not",
        "and",
        "or",
        "xor",
    ]
)
OWN_FUNCTIONS = frozenset(["label", "page_number", "page_count", "report_title", "data_time", "depth", "row_block"])
"""Functions of the product itself, resolved before the engine sees the expression."""

_STRUCTURE: tuple[type[exp.Expr], ...] = (
    exp.Column, exp.Identifier, exp.Literal, exp.Boolean, exp.Null, exp.Placeholder, exp.Paren, exp.Binary, exp.Unary,
    exp.Case, exp.If, exp.Cast, exp.TryCast, exp.DataType, exp.DataTypeParam, exp.Between, exp.In, exp.Interval,
    exp.Var, exp.Window, exp.WindowSpec, exp.Order, exp.Ordered, exp.Distinct, exp.Filter, exp.Where, exp.Star,
    exp.Coalesce, exp.IntervalSpan,
)  # fmt: skip
_REFUSED: tuple[type[exp.Expr], ...] = (
    exp.Dot, exp.Lambda, exp.Subquery, exp.Bracket, exp.Alias, exp.Kwarg, exp.PropertyEQ,
    exp.JSONExtract, exp.JSONExtractScalar, exp.Collate, exp.Slice,
)  # fmt: skip
_CASTS = frozenset(
    [
        "BOOLEAN",
        "TINYINT",
        "SMALLINT",
        "INT",
        "BIGINT",
        "FLOAT",
        "DOUBLE",
        "DECIMAL",
        "VARCHAR",
        "TEXT",
        "DATE",
        "TIME",
        "TIMESTAMP",
        "TIMESTAMPNTZ",
    ]
)
_LONGEST = 10_000
_DEEPEST = 250
"""Nodes in one another; what walks through a tree needs a few steps of the stack for each."""
_MOST_REMEMBERED = 20_000
"""Texts whose trees, or faults, are remembered."""


class Expression(Struct, frozen=True):
    """A checked expression: its text and its syntax tree (never changed; copy before transforming)."""

    text: str
    tree: exp.Expr

    @property
    def parameters(self) -> frozenset[str]:
        """Names of the parameters it uses."""
        return frozenset(p.name for p in self.tree.find_all(exp.Placeholder))

    @property
    def queries(self) -> frozenset[str]:
        """Names of the queries it reaches, as in max(targets.revenue)."""
        return frozenset(c.table for c in self.tree.find_all(exp.Column) if c.table)

    @property
    def column(self) -> str | None:
        """The column's name when the whole expression is one bare column."""
        return self.tree.name if isinstance(self.tree, exp.Column) and not self.tree.table else None


def parse(text: str) -> Expression:
    """Parse and check an expression; a text is parsed once. Raises ExpressionError with the character's position."""
    found = _parsed(text)
    if isinstance(found, ExpressionError):
        raise ExpressionError(found.message, found.position)
    return found


@lru_cache(maxsize=_MOST_REMEMBERED)
def _parsed(text: str) -> Expression | ExpressionError:
    try:
        return _parse(text)
    except ExpressionError as error:
        return error.with_traceback(None)


def _parse(text: str) -> Expression:
    if len(text) > _LONGEST:
        raise ExpressionError(f"An expression is at most {_LONGEST:,} characters long; this one has {len(text):,}.")
    if not text.strip():
        raise ExpressionError("There is no expression here; write one, for example a column's name.", 0)
    known = mark_placeholders(text, "duckdb")
    try:
        trees = sqlglot.parse(known.sql, dialect="duckdb")
    except SqlglotError as error:
        raise _syntax_error(text, known, error) from error
    except RecursionError as error:
        raise ExpressionError("The expression is nested too deeply.", 0) from error
    if len(trees) != 1 or trees[0] is None or isinstance(trees[0], exp.Block):
        raise ExpressionError("One expression is wanted here; remove the semicolon.", max(text.find(";"), 0))
    _check_brackets(known)
    tree = trees[0].transform(_unwrapped)
    if _depth(tree) > _DEEPEST:
        raise ExpressionError("The expression is nested too deeply.", 0)
    unmark_placeholders(tree)
    for node in tree.walk():
        _check(node, text)
        for side in ("start", "end") if "start" in node.meta else ():
            node.meta[side] = known.original(node.meta[side])
    return Expression(text, tree)


def _check_brackets(known: DriverSql) -> None:
    """Raise ExpressionError for a bracket that is not closed: the parser lets some functions end without."""
    if known.sql.count("(") == known.sql.count(")"):
        return
    opened = []
    for token in sqlglot.tokenize(known.sql, dialect="duckdb"):
        if token.token_type is TokenType.L_PAREN:
            opened.append(known.original(token.start))
        elif token.token_type is TokenType.R_PAREN and opened:
            opened.pop()
    if opened:
        raise ExpressionError(
            f"The bracket at character {opened[-1] + 1} is not closed; write ) at its end.", opened[-1]
        )


def _unwrapped(node: exp.Expr) -> exp.Expr:
    """any_value without what says that it passes over missing values, which it does by itself."""
    return node.this if isinstance(node, exp.IgnoreNulls) and isinstance(node.this, exp.AnyValue) else node


def _depth(tree: exp.Expr) -> int:
    """How many nodes lie in one another."""
    deepest, waiting = 0, [(tree, 1)]
    while waiting:
        node, depth = waiting.pop()
        deepest = max(deepest, depth)
        waiting += [(child, depth + 1) for child in node.iter_expressions()]
    return deepest


def _syntax_error(text: str, known: DriverSql, error: SqlglotError) -> ExpressionError:
    details = getattr(error, "errors", None) or [{}]
    end = _offset(known.sql, details[0].get("line"), details[0].get("col"))
    position = min(known.original(max(end - len(details[0].get("highlight") or " ") + 1, 0)), len(text))
    near = f" at {text[position : position + 12]!r}" if position < len(text.rstrip()) else " at its end"
    return ExpressionError(
        f"The expression {_short(text)!r} cannot be understood{near} (character {position + 1}).", position
    )


def _offset(text: str, line: int | None, column: int | None) -> int:
    if not line or not column:
        return 0
    before = sum(len(part) + 1 for part in text.split("\n")[: line - 1])
    return min(before + max(column - 1, 0), len(text))


def _check(node: exp.Expr, text: str) -> None:
    if isinstance(node, exp.DataType):
        if node.this is not None and node.this.name not in _CASTS:
            raise _refused(f"cast to {node.sql('duckdb')}", node, text)
    elif isinstance(node, (*_REFUSED, exp.Query, exp.DDL, exp.DML, exp.Command)):
        raise _refused(_kind_of_node(node), node, text)
    elif isinstance(node, exp.Star) and not isinstance(node.parent, exp.Count):
        raise _refused("*", node, text)
    elif isinstance(node, exp.Func) and not isinstance(node, _STRUCTURE):
        name = function_name(node)
        if name not in SCALARS | AGGREGATE_FUNCTIONS | WINDOW_FUNCTIONS | OWN_FUNCTIONS:
            known = SCALARS | AGGREGATE_FUNCTIONS | OWN_FUNCTIONS
            position = _position(name, text)
            raise ExpressionError(
                f"The function {name}() (character {position + 1}) cannot be used in expressions. "
                f"{did_you_mean(name, known)}",
                position,
            )
    elif not isinstance(node, (*_STRUCTURE, exp.Func)):
        raise _refused(_kind_of_node(node), node, text)


def function_name(node: exp.Func) -> str:
    """The function's name as written, in lower case."""
    if isinstance(node, exp.Anonymous):
        return str(node.this).lower()
    written = node.meta.get("name")
    if written and re.fullmatch(r"\w+", str(written)) and str(written).lower() in SCALARS | AGGREGATE_FUNCTIONS:
        return str(written).lower()
    return _ENGINE_NAMES.get(type(node).__name__, node.sql_name().lower())


_ENGINE_NAMES = {node: aggregate.name for aggregate in AGGREGATES for node in aggregate.parsed_as} | {
    "TimeToStr": "strftime", "TimestampTrunc": "date_trunc", "DateTrunc": "date_trunc", "Pow": "power",
    "StrPosition": "strpos", "DateBin": "time_bucket",
    "DateDiff": "date_diff", "DateAdd": "date_add", "DateSub": "date_sub", "StartsWith": "starts_with",
    "SplitPart": "split_part", "DayOfWeek": "dayofweek", "DayOfYear": "dayofyear", "DateFromParts": "make_date",
    "DayOfWeekIso": "isodow", "TsOrDsToDate": "cast", "Ceil": "ceil", "Dayname": "dayname", "Monthname": "monthname",
    "TimeToUnix": "epoch",
}  # fmt: skip


def _kind_of_node(node: exp.Expr) -> str:
    return "A query inside an expression" if isinstance(node, exp.Query | exp.Subquery) else node.sql("duckdb")[:40]


def _refused(what: str, node: exp.Expr, text: str) -> ExpressionError:
    position = _position(node.sql("duckdb").split("(")[0].strip() or what, text)
    return ExpressionError(
        f"{what} (character {position + 1}) cannot be used in the expression {_short(text)!r}.", position
    )


def _position(word: str, text: str) -> int:
    return max(text.lower().find(word.lower()), 0)


def _short(text: str) -> str:
    return text if len(text) <= 60 else text[:59] + "…"


def is_aggregate(node: exp.Expr) -> bool:
    """Whether the node is an aggregate call, with or without a filter (not a window)."""
    if isinstance(node, exp.Filter):
        return is_aggregate(node.this)
    return (
        isinstance(node, exp.Func) and function_name(node) in AGGREGATE_FUNCTIONS and not isinstance(node, _STRUCTURE)
    )


def is_one_aggregate(text: str) -> bool:
    """Whether an expression is an aggregate and nothing around it, so that ``over`` after it is of all of it."""
    try:
        return is_aggregate(parse(text).tree)
    except ExpressionError:
        return False


def bracketed(text: str) -> str:
    """An expression as a part of another: in brackets, unless it is a column, a call or a filtered aggregate."""
    try:
        tree = parse(text).tree
        is_call = isinstance(tree, exp.Column | exp.Func) and not isinstance(tree, exp.Connector | exp.Case)
        is_whole = is_call or is_aggregate(tree)
    except ExpressionError:
        is_whole = False
    return text if is_whole else f"({text})"


def column_expression(name: str) -> str:
    """The expression text that means the column of that name: bare where that can be read back, else quoted."""
    if re.fullmatch(r"[A-Za-z_][A-Za-z0-9_]*", name):
        try:
            if parse(name).column == name:
                return name
        except ExpressionError:
            pass  # a reserved word: it needs the quotes
    return quoted(name)


def bare_column(text: str | None) -> str | None:
    """The column's name when an expression is one bare column; None for anything else, faulty texts included."""
    try:
        return parse(text).column if text else None
    except ExpressionError:
        return None


def columns_in(text: str) -> frozenset[str]:
    """Names of the columns in an expression, in lower case; empty for a faulty text."""
    try:
        return frozenset(c.name.lower() for c in parse(text).tree.find_all(exp.Column))
    except ExpressionError:
        return frozenset()
