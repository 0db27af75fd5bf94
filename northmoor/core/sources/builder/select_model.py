"""A query as a sentence: what is taken, joined, kept, compared, grouped and sorted, and its SQL when it is a new one.

Every text in it is SQL as it was written. A piece that was read from SQL knows where it is (`at`), which takes no part
in comparing; `select_writer` uses it to leave everything else as it is.
"""

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from typing import Literal

from northmoor.core.expr.identifiers import written_parts

SourceSpan = tuple[int, int]
"""From which character to which (not included) a piece of a text goes."""
Connective = Literal["and", "or"]
OPERATORS = ("=", "<>", "<", "<=", ">", ">=", "between", "not between", "in", "not in", "like", "not like", "is null",
             "is not null")  # fmt: skip
AS_OPERATOR = {"!=": "<>", "==": "="}
"""Other ways to write an operator."""


"""The names of a table and of what it is in; one in quotes may have a dot."""


@dataclass(frozen=True)
class NamedStep:
    """A query that comes before and is used by its name (with name as (…)); the name may list its columns."""

    name: str
    sql: str
    at: SourceSpan | None = field(default=None, compare=False, repr=False)
    sql_at: SourceSpan | None = field(default=None, compare=False, repr=False)


@dataclass(frozen=True)
class FromItem:
    """A table, or a query in brackets: as written, with its alias, and how it is joined to those before it.

    `join` is the words of the join, a comma for a list of tables (empty for the first table); `using` are columns that
    both sides have, `on` any other condition. `parts_at` are the places of words, table, alias and condition.
    """

    table: str
    alias: str = ""
    join: str = ""
    using: tuple[str, ...] = ()
    on: str = ""
    at: SourceSpan | None = field(default=None, compare=False, repr=False)
    parts_at: tuple[SourceSpan | None, ...] = field(default=(), compare=False, repr=False)

    @property
    def known_as(self) -> str:
        """The name its columns are called by."""
        return self.alias.split("(")[0].strip() or (written_parts(self.table) or [""])[-1].strip()

    @property
    def is_query(self) -> bool:
        """Whether it is a query in brackets."""
        return self.table.startswith("(")


@dataclass(frozen=True)
class SelectItem:
    """A column of the result: an expression, and its name when it has its own."""

    expression: str
    name: str = ""
    at: SourceSpan | None = field(default=None, compare=False, repr=False)
    parts_at: tuple[SourceSpan, ...] = field(default=(), compare=False, repr=False)


@dataclass(frozen=True)
class Comparison:
    """A condition: an expression, an operator and what it is compared with; without an operator, any condition.

    `at` is its place with its brackets; `left_at`, `operator_at` and `right_at` are those of its parts.
    """

    left: str
    operator: str = ""
    right: tuple[str, ...] = ()
    at: SourceSpan | None = field(default=None, compare=False, repr=False)
    left_at: SourceSpan | None = field(default=None, compare=False, repr=False)
    operator_at: SourceSpan | None = field(default=None, compare=False, repr=False)
    right_at: tuple[SourceSpan, ...] = field(default=(), compare=False, repr=False)


@dataclass(frozen=True)
class BooleanGroup:
    """Conditions of which all (and) or at least one (or) must hold; `at` is its place with its brackets."""

    joining: Connective
    parts: tuple["Condition", ...]
    at: SourceSpan | None = field(default=None, compare=False, repr=False)


Condition = Comparison | BooleanGroup


@dataclass(frozen=True)
class GroupItem:
    """An expression of which each value is a group."""

    expression: str
    at: SourceSpan | None = field(default=None, compare=False, repr=False)


@dataclass(frozen=True)
class OrderItem:
    """An expression to sort by; `nulls` says where rows without a value are, empty for the server's own place."""

    expression: str
    descending: bool = False
    nulls: Literal["", "first", "last"] = ""
    at: SourceSpan | None = field(default=None, compare=False, repr=False)


@dataclass(frozen=True)
class StackedSelect:
    """Another query whose rows are added, kept or taken away: the words (union all) and its SQL."""

    words: str
    sql: str
    at: SourceSpan | None = field(default=None, compare=False, repr=False)


@dataclass(frozen=True)
class ClausePlaces:
    """Where a query's clauses are, by keyword, to the end of the content; `distinct` is a word's place."""

    clauses: dict[str, SourceSpan] = field(default_factory=dict)
    distinct: SourceSpan | None = None


@dataclass(frozen=True)
class SelectModel:
    """A query as a sentence. `others` are clauses that a sentence has no words for, each as written."""

    from_items: tuple[FromItem, ...]
    select_items: tuple[SelectItem, ...]
    where: Condition | None = None
    groups: tuple[GroupItem, ...] = ()
    having: Condition | None = None
    sorting: tuple[OrderItem, ...] = ()
    distinct: bool = False
    first: str = ""
    offset: str = ""
    steps: tuple[NamedStep, ...] = ()
    stacked: tuple[StackedSelect, ...] = ()
    others: tuple[str, ...] = ()
    places: ClausePlaces = field(default_factory=ClausePlaces, compare=False, repr=False)


def one_line(text: str) -> str:
    """A text without its line breaks and needless spaces, for reading."""
    return " ".join(text.split())


Keyword = Callable[[str], str]
"""Writes an SQL keyword as a query writes its keywords: in small letters or in capitals."""


def select_sql(sentence: SelectModel) -> str:
    """The SQL of a new sentence, each clause in a line."""
    lines = []
    if sentence.steps:
        lines.append("with " + ",\n".join(map(step_text, sentence.steps)))
    kept = ",\n  ".join(map(item_text, sentence.select_items))
    lines.append(f"select {'distinct ' if sentence.distinct else ''}{kept}")
    lines += [f"{'' if taken.join else 'from '}{from_text(taken)}" for taken in sentence.from_items]
    if sentence.where is not None:
        lines.append(f"where {condition_text(sentence.where, outermost=AND_LINES)}")
    if sentence.groups:
        lines.append(f"group by {', '.join(map(group_text, sentence.groups))}")
    if sentence.having is not None:
        lines.append(f"having {condition_text(sentence.having, outermost=AND_LINES)}")
    lines += [*sentence.others, *map(stacked_text, sentence.stacked)]
    if sentence.sorting:
        lines.append(f"order by {', '.join(map(order_text, sentence.sorting))}")
    lines += [f"limit {sentence.first}"] * bool(sentence.first) + [f"offset {sentence.offset}"] * bool(sentence.offset)
    return "\n".join(lines) + "\n"


AND_LINES = "\n  {} "
"""What joins conditions of which each has a line of its own, with a place for the joining word."""


def step_text(step: NamedStep, keyword: Keyword = str) -> str:
    """A named step as SQL."""
    return f"{step.name} {keyword('as')} ({step.sql})"


def item_text(item: SelectItem, keyword: Keyword = str) -> str:
    """A column of the result as SQL."""
    return f"{item.expression} {keyword('as')} {item.name}" if item.name else item.expression


def from_text(taken: FromItem, keyword: Keyword = str) -> str:
    """A table with its join as SQL."""
    parts = (keyword(taken.join), taken.table, taken.alias, joined_by_text(taken, keyword))
    return " ".join(part for part in parts if part)


def joined_by_text(taken: FromItem, keyword: Keyword = str) -> str:
    """By what a table is joined, as SQL."""
    if taken.using:
        return f"{keyword('using')} ({', '.join(taken.using)})"
    return f"{keyword('on')} {taken.on}" if taken.on else ""


def group_text(item: GroupItem, keyword: Keyword = str) -> str:  # noqa: ARG001  # all pieces are written alike
    """An expression to group by as SQL."""
    return item.expression


def order_text(item: OrderItem, keyword: Keyword = str) -> str:
    """An expression to sort by as SQL."""
    words = " desc" * item.descending + (f" nulls {item.nulls}" if item.nulls else "")
    return item.expression + keyword(words)


def stacked_text(stacked: StackedSelect, keyword: Keyword = str) -> str:
    """Another query whose rows are added, as SQL."""
    return f"{keyword(stacked.words)} {stacked.sql}"


def condition_text(condition: Condition, keyword: Keyword = str, outermost: str = "") -> str:
    """A condition as SQL; `outermost` is what joins the parts of the outermost group, with a place for its word."""
    if isinstance(condition, Comparison):
        return comparison_text(condition, keyword)
    between = (outermost or " {} ").format(keyword(condition.joining))
    text = between.join(condition_text(part, keyword) for part in condition.parts)
    return text if outermost else f"({text})"


def comparison_text(test: Comparison, keyword: Keyword = str) -> str:
    """A single condition as SQL."""
    tail = operator_text(test.operator, test.right, keyword)
    return f"{test.left} {tail}" if tail else test.left


def operator_text(operator: str, right: Sequence[str], keyword: Keyword = str) -> str:
    """An operator and what follows it, as SQL."""
    if operator in ("between", "not between"):
        return f"{keyword(operator)} {right[0]} {keyword('and')} {right[1]}"
    if operator in ("in", "not in"):
        return f"{keyword(operator)} ({', '.join(right)})"
    return " ".join((keyword(operator), *right))
