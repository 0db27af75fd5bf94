"""Computed columns read back: which of the forms of `computing` an SQL expression has, and of what it is made.

The words of the expression are compared with those that the form would be written in, so that what is read is as it is
in the text, and what differs in anything is an expression like any other.
"""

import re
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, lru_cache
from itertools import pairwise
from typing import Any

import sqlglot
from msgspec import Struct
from sqlglot.errors import SqlglotError

from northmoor.core.base.replace import replace
from northmoor.core.errors import QueryError
from northmoor.core.expr.identifiers import name_parts
from northmoor.core.sources.builder.computing import (
    DATE_PARTS,
    TEXT_FORMS,
    WINDOW_FORMS,
    DatePart,
    TextForm,
    WhenThen,
    WindowForm,
    bins_sql,
    case_sql,
    date_part_sql,
    text_sql,
    window_sql,
)
from northmoor.core.sources.builder.edits import item_name
from northmoor.core.sources.builder.select_model import Comparison, Keyword, OrderItem, SelectModel
from northmoor.core.sources.builder.select_parser import parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select
from northmoor.core.sources.builder.source_text import keyword_of


class Cases(Struct, frozen=True):
    """A value for each case, the first that holds."""

    cases: tuple[WhenThen, ...]
    otherwise: str


class Bins(Struct, frozen=True):
    """The lower end of the bin of a width in which a number is."""

    number: str
    width: str


class PartOfDate(Struct, frozen=True):
    """A part of a day or moment."""

    moment: str
    part: DatePart


class MadeText(Struct, frozen=True):
    """A text made of others; `detail` is what joins them, or how many letters."""

    form: TextForm
    texts: tuple[str, ...]
    detail: str


class WindowFigure(Struct, frozen=True):
    """A figure of a row among others, in the order of a column where one is needed."""

    form: WindowForm
    value: str
    within: str
    order: str
    rows: int = 3


class FirstOfEach(Struct, frozen=True):
    """The first rows of each value of a column: the numbers of the step that numbers its rows and of the kept item that
    does it, of each what, in which order, and how many."""

    step: int
    item: int
    within: str
    order: OrderItem
    count: str


ComputedForm = Cases | Bins | PartOfDate | MadeText | WindowFigure

_VALUE, _OTHER, _WITHIN, _ORDER = "piece_of_value", "piece_of_other", "piece_of_groups", "piece_of_order"
_NUMBER = "987654321"
"""A number where any may be."""
_JOINT = "'piece_of_joint'"
_PLACES = (_VALUE, _OTHER, _WITHIN, _ORDER, _NUMBER, _JOINT)
_LISTS = (_WITHIN, _ORDER)
"""Places of several expressions with commas between them."""
_MOST_WORDS = 400
_KEYWORDS = frozenset(
    [
        *("case", "when", "then", "else", "end", "over", "partition", "by", "order", "desc", "rows", "between", "and"),
        *("unbounded", "preceding", "following", "current", "row", "cast", "as", "extract", "from", "interval"),
    ]
)
"""What the forms write besides names of functions."""
_ORDER_END = re.compile(r"(.*?)(?:\s+(asc|desc))?", re.IGNORECASE | re.DOTALL)
_IS_NUMBER = re.compile(r"\d+(\.\d+)?")
_Words = tuple[str, ...]
_Piece = tuple[int, int]
"""The numbers of the first word of a piece and of the one after it."""
_Reader = Callable[[Mapping[str, str]], ComputedForm]


def computed_form(expression: str, dialect: str) -> ComputedForm | None:
    """The form of an expression; None for one that has none, or that has comments, which forms have no place for."""
    found = _read_form(expression, dialect)
    return found[0] if found is not None else None


def read_first_of_each(sentence: SelectModel, condition: Comparison, dialect: str) -> FirstOfEach | None:
    """What a condition keeps that is over the numbers of rows which a step gives them in each of its groups; None for
    any other condition."""
    if condition.operator != "<=" or len(condition.right) != 1:
        return None
    name, taken = name_parts(condition.left)[-1:], {table.table for table in sentence.from_items}
    for number, step in enumerate(sentence.steps):
        inner = parse_select(step.sql, dialect) if step.name in taken else None
        for at, item in enumerate(inner.select_items if inner is not None else ()):
            form = computed_form(item.expression, dialect) if (item_name(item),) == name else None
            if isinstance(form, WindowFigure) and form.form == "number" and form.within:
                expression, word = _ORDER_END.fullmatch(form.value).groups()  # type: ignore[union-attr]  # all match
                order = OrderItem(expression, (word or "").lower() == "desc")
                return FirstOfEach(number, at, form.within, order, condition.right[0])
    return None


def with_first_of_each(sentence: SelectModel, present: FirstOfEach, wanted: FirstOfEach, dialect: str) -> SelectModel:
    """The sentence whose step numbers its rows as is wanted; the condition on the numbers is changed beside it."""
    if (present.within, present.order) == (wanted.within, wanted.order):
        return sentence
    step = sentence.steps[present.step]
    inner = parse_select(step.sql, dialect)
    assert inner is not None
    keyword, items = keyword_of(step.sql), list(inner.select_items)
    words = f"{wanted.order.expression}{keyword(' desc') * wanted.order.descending}"
    expression = with_keywords(window_sql("number", words, wanted.within, ""), dialect, keyword)
    items[present.item] = replace(items[present.item], expression=expression)
    changed = replace(step, sql=rewrite_select(step.sql, replace(inner, select_items=tuple(items)), dialect))
    steps = (*sentence.steps[: present.step], changed, *sentence.steps[present.step + 1 :])
    return replace(sentence, steps=steps)


def with_keywords(expression: str, dialect: str, keyword: Keyword) -> str:
    """An expression of a form with its keywords as a query writes them; the pieces that it is made of stay."""
    found = _read_form(expression, dialect) if keyword is not str else None
    if found is None:
        return expression
    pieces, written, done = found[1], [], 0
    for number, (start, end) in enumerate(_spans(expression, dialect)):
        word = expression[start:end]
        is_own = not any(first <= number < last for first, last in pieces) and _KEYWORDS.issuperset(
            word.lower().split()
        )
        written += [expression[done:start], keyword(word) if is_own else word]
        done = end
    return "".join([*written, expression[done:]])


def pieces_in(expression: str, dialect: str, write: Callable[[str, str], str]) -> tuple[str, str] | None:
    """What an expression has where `write` puts its two pieces, nothing for one that it leaves out; None for another
    expression, or one with comments."""
    read, nothing = _Read(expression, dialect), (0, 0)
    if any(token.comments for token in _tokens(expression, dialect)):
        return None
    found = next(read.matches(_words(write(_VALUE, _OTHER), dialect), 0, {}), None)
    return None if found is None else (read.text(*found.get(_VALUE, nothing)), read.text(*found.get(_OTHER, nothing)))


def are_alike(one: str, other: str, dialect: str) -> bool:
    """Whether two expressions have the same words."""
    return _alike(_words(one, dialect), _words(other, dialect))


def _read_form(expression: str, dialect: str) -> tuple[ComputedForm, tuple[_Piece, ...]] | None:
    """The form of an expression, and the pieces of the text that it is made of."""
    read = _Read(expression, dialect)
    if not 0 < len(read.words) <= _MOST_WORDS or any(token.comments for token in _tokens(expression, dialect)):
        return None
    cases = read.cases()
    if cases is not None:
        return cases if _is_written_so(cases[0], read.words, dialect) else None
    for pattern, make in _patterns(dialect):
        for pieces in read.matches(pattern, 0, {}):
            form = make({place: read.text(*piece) for place, piece in pieces.items()})
            if _is_written_so(form, read.words, dialect):
                return form, tuple(pieces.values())
    return None


def form_sql(form: ComputedForm, dialect: str) -> str:
    """The SQL of a form. Raises QueryError for what is missing."""
    if isinstance(form, Cases):
        return case_sql(form.cases, form.otherwise)
    if isinstance(form, Bins):
        return bins_sql(form.number, form.width, dialect)
    if isinstance(form, PartOfDate):
        return date_part_sql(form.moment, form.part, dialect)
    if isinstance(form, MadeText):
        return text_sql(form.form, form.texts, form.detail, dialect)
    return window_sql(form.form, form.value, form.within, form.order, form.rows)


# the words of a form


@lru_cache
def _patterns(dialect: str) -> tuple[tuple[_Words, _Reader], ...]:
    """The words of each form, with places in them, and what makes the form of the pieces that are there."""
    made = [(_words(sql, dialect), read) for sql, read in _written_patterns(dialect)]
    return tuple(sorted(made, key=lambda each: -len(each[0])))  # what says more first: a month's first is a day too


def _written_patterns(dialect: str) -> Iterator[tuple[str, _Reader]]:
    for figure in WINDOW_FORMS:
        for within in (_WITHIN, ""):
            sql = window_sql(figure, _VALUE, within, _ORDER, int(_NUMBER) + 1)
            for own in (sql, sql.replace(_VALUE, f"({_VALUE})", 1)):  # an expression is in brackets once
                yield own, lambda pieces, figure=figure: _window_figure(figure, pieces)  # type: ignore[misc]
    yield bins_sql(_VALUE, _NUMBER, dialect), lambda pieces: Bins(pieces[_VALUE], pieces[_NUMBER])
    for part in DATE_PARTS:
        sql = date_part_sql(_VALUE, part, dialect)
        yield sql, lambda pieces, part=part: PartOfDate(pieces[_VALUE], part)  # type: ignore[misc]
    for form in TEXT_FORMS:
        if form == "joined":
            yield text_sql(form, (_VALUE, _OTHER), _JOINT[1:-1], dialect), _joined
            yield text_sql(form, (_VALUE, _OTHER), "", dialect), _joined
        else:
            sql = text_sql(form, (_VALUE,), _NUMBER, dialect)
            yield sql, lambda pieces, form=form: MadeText(form, (pieces[_VALUE],), pieces.get(_NUMBER, ""))  # type: ignore[misc]


def _window_figure(figure: WindowForm, pieces: Mapping[str, str]) -> WindowFigure:
    within, order = pieces.get(_WITHIN, ""), pieces.get(_ORDER, "")
    rows = int(float(pieces[_NUMBER])) + 1 if _NUMBER in pieces else 3
    return WindowFigure(figure, pieces[_VALUE], within, order, rows)


def _joined(pieces: Mapping[str, str]) -> MadeText:
    between = pieces.get(_JOINT, "''")[1:-1].replace("''", "'")
    return MadeText("joined", (pieces[_VALUE], pieces[_OTHER]), between)


@dataclass(frozen=True, eq=False)
class _Read:
    """An expression with its words."""

    expression: str
    dialect: str

    @cached_property
    def spans(self) -> list[tuple[int, int]]:
        return _spans(self.expression, self.dialect)

    @cached_property
    def words(self) -> _Words:
        return tuple(self.expression[start:end] for start, end in self.spans)

    def text(self, start: int, end: int) -> str:
        """Some words as they are in the text, with what is between them."""
        return self.expression[self.spans[start][0] : self.spans[end - 1][1]] if end > start else ""

    def matches(self, pattern: _Words, at: int, known: Mapping[str, _Piece]) -> Iterator[Mapping[str, _Piece]]:
        """The ways in which the words from one on are a pattern: the piece in each of its places."""
        if not pattern:
            if at == len(self.words):
                yield known
            return
        head, rest = pattern[0], pattern[1:]
        if head in known:
            start, end = known[head]
            length = end - start
            if _alike(self.words[start:end], self.words[at : at + length]):
                yield from self.matches(rest, at + length, known)
        elif head in _PLACES:
            for end in self._ends(at, head):
                yield from self.matches(rest, end, {**known, head: (at, end)})
        elif _alike((head,), self.words[at : at + 1]):
            yield from self.matches(rest, at + 1, known)

    def _ends(self, at: int, place: str) -> Iterator[int]:
        """Where a piece for a place may end: brackets in it are closed, and only lists have commas outside of them."""
        if place in (_NUMBER, _JOINT):
            word = self.words[at] if at < len(self.words) else ""
            if _IS_NUMBER.fullmatch(word) if place == _NUMBER else word.startswith("'"):
                yield at + 1
            return
        depth = 0
        for number in range(at, len(self.words)):
            word = self.words[number]
            depth += (word == "(") - (word == ")")
            if depth < 0 or (word == "," and not depth and place not in _LISTS):
                return
            if not depth:
                yield number + 1

    def cases(self) -> tuple[Cases, tuple[_Piece, ...]] | None:
        """The cases of a text that is one ``case when … end``, and the pieces that they are made of."""
        words = [word.lower() for word in self.words]
        if words[:2] != ["case", "when"] or words[-1] != "end":
            return None
        depth, begins = 0, list[int]()
        for at, word in enumerate(words[1:-1], 1):
            depth += (word in ("(", "case")) - (word in (")", "end"))
            if not depth and word in ("when", "then", "else"):
                begins.append(at)
        places = tuple((a + 1, b) for a, b in pairwise([*begins, len(words) - 1]))
        pieces = [self.text(*place) for place in places]
        named = [words[at] for at in begins]
        count = named.count("when")
        if named[: 2 * count] != ["when", "then"] * count or named[2 * count :] not in ([], ["else"]):
            return None
        cases = tuple(WhenThen(pieces[2 * n], pieces[2 * n + 1]) for n in range(count))
        return Cases(cases, pieces[-1] if len(named) > 2 * count else ""), places


def _is_written_so(form: ComputedForm, words: _Words, dialect: str) -> bool:
    """Whether a form's SQL has just these words."""
    try:
        return _alike(_words(form_sql(form, dialect), dialect), words)
    except QueryError:
        return False


def _words(sql: str, dialect: str) -> _Words:
    return tuple(sql[start:end] for start, end in _spans(sql, dialect))


def _spans(sql: str, dialect: str) -> list[tuple[int, int]]:
    return [(token.start, token.end + 1) for token in _tokens(sql, dialect)]


def _tokens(sql: str, dialect: str) -> list[Any]:
    try:
        return sqlglot.tokenize(sql, dialect=dialect)
    except SqlglotError:
        return []


def _alike(one: Sequence[str], other: Sequence[str]) -> bool:
    """Whether words are the same; case counts in quotes."""
    return len(one) == len(other) and all(
        a == b or (a[:1] not in "'\"`[" and a.lower() == b.lower()) for a, b in zip(one, other, strict=True)
    )
