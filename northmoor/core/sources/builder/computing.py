"""Computed columns by choosing: cases, bins, parts of dates, texts and windows as the SQL of each database."""

import re
from collections.abc import Sequence
from decimal import Decimal, InvalidOperation
from typing import Literal

from msgspec import Struct

from northmoor.core.base.replace import replace
from northmoor.core.errors import QueryError
from northmoor.core.expr.identifiers import bare_or_quoted
from northmoor.core.sources.builder.edits import item_name, with_condition
from northmoor.core.sources.builder.select_model import Comparison, OrderItem, SelectItem
from northmoor.core.sources.builder.select_parser import parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select, wrap_select
from northmoor.core.sources.builder.source_text import keyword_of

DatePart = Literal[
    "day", "week", "month", "quarter_start", "year_start", "year", "quarter", "month_number", "weekday", "hour"
]
DATE_PARTS: dict[DatePart, str] = {
    "day": "the day",
    "week": "the Monday of the week",
    "month": "the first of the month",
    "quarter_start": "the first of the quarter",
    "year_start": "the first of the year",
    "year": "the year, as a number",
    "quarter": "the quarter, 1 to 4",
    "month_number": "the month, 1 to 12",
    "weekday": "the weekday, 1 for Monday to 7",
    "hour": "the hour, 0 to 23",
}
"""Parts of a day or moment, with their words."""
_SQLITE_PARTS = {
    "day": "date({0})",
    "week": "date({0}, '-6 days', 'weekday 1')",
    "month": "date({0}, 'start of month')",
    "quarter_start": "date({0}, 'start of month', '-' || ((strftime('%m', {0}) - 1) % 3) || ' months')",
    "year_start": "date({0}, 'start of year')",
    "year": "cast(strftime('%Y', {0}) as integer)",
    "quarter": "cast((strftime('%m', {0}) + 2) / 3 as integer)",
    "month_number": "cast(strftime('%m', {0}) as integer)",
    "weekday": "(cast(strftime('%w', {0}) as integer) + 6) % 7 + 1",
    "hour": "cast(strftime('%H', {0}) as integer)",
}
_TRUNCATED = {
    "week": "cast(date_trunc('week', {0}) as date)",
    "month": "cast(date_trunc('month', {0}) as date)",
    "quarter_start": "cast(date_trunc('quarter', {0}) as date)",
    "year_start": "cast(date_trunc('year', {0}) as date)",
}
_COMMON_PARTS = {
    "day": "cast({0} as date)",
    "year": "extract(year from {0})",
    "quarter": "extract(quarter from {0})",
    "month_number": "extract(month from {0})",
    "weekday": "extract(isodow from {0})",
    "hour": "extract(hour from {0})",
}
_MYSQL_PARTS = {
    "week": "cast(date_sub({0}, interval weekday({0}) day) as date)",
    "month": "cast(date_format({0}, '%Y-%m-01') as date)",
    "quarter_start": "cast(makedate(year({0}), 1) + interval quarter({0}) - 1 quarter as date)",
    "year_start": "makedate(year({0}), 1)",
    "weekday": "weekday({0}) + 1",
}
_PARTS = {
    "sqlite": _SQLITE_PARTS,
    "mysql": {**_COMMON_PARTS, **_MYSQL_PARTS},
    "postgres": {**_COMMON_PARTS, **_TRUNCATED},
    "duckdb": {**_COMMON_PARTS, **_TRUNCATED},
}


def date_part_sql(expression: str, part: DatePart, dialect: str) -> str:
    """A part of a day or moment."""
    return _PARTS[dialect][part].format(expression)


class WhenThen(Struct, frozen=True):
    """A case: a condition and the value when it holds, as SQL."""

    when: str
    then: str


def case_sql(cases: Sequence[WhenThen], otherwise: str = "") -> str:
    """The value of the first case whose condition holds. Raises QueryError without a case."""
    if not cases:
        raise QueryError("Write at least one case: when what holds, and what is there then.")
    written = " ".join(f"when {case.when} then {case.then}" for case in cases)
    return f"case {written}{f' else {otherwise}' if otherwise else ''} end"


_NAME = r"""(?:\w+|"(?:[^"]|"")*"|`[^`]*`|\[[^\]]*\])"""
_PRIMARY = re.compile(rf"(?:{_NAME}(?:\.{_NAME})*|:\w+|'(?:[^']|'')*'|\d+\.\d+)")
_QUOTED = re.compile(r"""'(?:[^']|'')*'|"(?:[^"]|"")*"|`[^`]*`""")


def _operand(expression: str) -> str:
    """An expression as a part of another: in brackets, unless it is a name, a value, or a call."""
    text = expression.strip()
    found = _PRIMARY.match(text)
    rest = text[found.end() :] if found is not None else text
    return text if not rest or _is_one_bracket(rest) else f"({text})"


def _is_one_bracket(text: str) -> bool:
    """Whether a text is one bracket with all that is in it."""
    depth = 0
    plain = _QUOTED.sub(lambda found: " " * len(found[0]), text)
    for at, sign in enumerate(plain):
        depth += (sign == "(") - (sign == ")")
        if depth == 0:
            return sign == ")" and at == len(plain) - 1
    return False


def bins_sql(expression: str, width: str, dialect: str) -> str:
    """The lower end of the bin of a width in which a number is; bins begin at zero. Raises QueryError for no width."""
    try:
        is_width = Decimal(width.strip()) > 0
    except InvalidOperation:
        is_width = False
    if not is_width:
        raise QueryError(f"{width or 'Nothing'} is no width of bins; write a number above zero, such as 10.")
    number = _operand(expression)
    if dialect == "sqlite":  # it may have been built without floor()
        steps = f"cast({number} / ({width} * 1.0) as integer)"
        return f"({steps} - ({number} < {steps} * {width})) * {width}"
    return f"floor({number} / {width}) * {width}"


TextForm = Literal["upper", "lower", "trim", "length", "first", "joined"]
TEXT_FORMS: dict[TextForm, str] = {
    "joined": "columns joined",
    "first": "the first letters",
    "upper": "in capitals",
    "lower": "in small letters",
    "trim": "without spaces around it",
    "length": "the number of letters",
}


def text_sql(form: TextForm, expressions: Sequence[str], detail: str, dialect: str) -> str:
    """A text made of others; `detail` is what joins them, or how many letters."""
    first = expressions[0]
    if form == "joined":
        between = "'" + detail.replace("'", "''") + "'"
        texts = expressions if dialect == "mysql" else [_operand(each) for each in expressions]
        pieces = [piece for each in texts for piece in (between, each)][1:] if detail else list(texts)
        return f"concat({', '.join(pieces)})" if dialect == "mysql" else " || ".join(pieces)
    if form == "first":
        if not detail.strip().isdigit():
            raise QueryError(f"{detail or 'Nothing'} is no number of letters; write one such as 3.")
        return f"substr({first}, 1, {detail.strip()})"
    name = "char_length" if form == "length" and dialect == "mysql" else form
    return f"{name}({first})"


WindowForm = Literal["running", "share", "rank", "difference", "moving", "first", "last", "number"]
WINDOW_FORMS: dict[WindowForm, str] = {
    "running": "a running total of",
    "share": "the share of all, of",
    "rank": "the rank by, the largest first,",
    "difference": "the difference to the row before, of",
    "moving": "the mean over the last rows, of",
    "first": "the first value of",
    "last": "the last value of",
    "number": "the number of the row, ordered by",
}


def window_sql(form: WindowForm, value: str, within: str, order: str, rows: int = 3) -> str:
    """A figure of a row among other rows: all, or those with the same value `within`; `order` says which come before.

    Raises QueryError where an order is needed and none is given.
    """
    partition = f"partition by {within} " if within else ""
    if form == "share":
        return f"{_operand(value)} * 1.0 / sum({value}) over ({partition.strip()})"
    if form == "rank":
        return f"rank() over ({partition}order by {value} desc)"
    if form == "number":
        return f"row_number() over ({partition}order by {value})"
    if not order:
        raise QueryError("Choose the column that says which row comes before which.")
    ordered = f"{partition}order by {order}"
    if form == "running":
        return f"sum({value}) over ({ordered} rows between unbounded preceding and current row)"
    if form == "moving":
        return f"avg({value}) over ({ordered} rows between {rows - 1} preceding and current row)"
    if form == "difference":
        return f"{_operand(value)} - lag({value}) over ({ordered})"
    frame = " rows between unbounded preceding and unbounded following"
    return f"{form}_value({value}) over ({ordered}{frame})"


_PLACE = "place_in_each"


def first_of_each(sql: str, dialect: str, within: str, order: OrderItem, count: str, name: str) -> str:
    """Only the first rows of each value of a column: the query as a named step with numbered rows, and a condition.

    Raises QueryError for a query whose rows are added to others, or that a sentence cannot say.
    """
    sentence = parse_select(sql, dialect)
    if sentence is None or sentence.stacked:
        raise QueryError("Use the result as a table first; then take the first rows of each.")
    keyword = keyword_of(sql)
    words = f"{order.expression}{keyword(' desc') * order.descending}"
    groups = f"{keyword('partition by')} {within} {keyword('order by')} {words}"
    numbered = SelectItem(f"row_number() {keyword('over')} ({groups})", _PLACE)
    with_places = rewrite_select(sql, replace(sentence, select_items=(*sentence.select_items, numbered)), dialect)
    wrapped = wrap_select(with_places, name, dialect)
    outer = parse_select(wrapped, dialect)
    assert outer is not None
    names = [item_name(item) for item in sentence.select_items]
    if "*" not in names:
        outer = replace(outer, select_items=tuple(SelectItem(bare_or_quoted(each, dialect)) for each in names))
    return rewrite_select(wrapped, with_condition(outer, Comparison(_PLACE, "<=", (count,))), dialect)
