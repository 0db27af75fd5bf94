"""What was not touched stays: a step of a sentence changes its own piece of the SQL and no other byte."""

import re
from collections.abc import Callable

import pytest
import sqlglot
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.base.replace import replace
from northmoor.core.errors import QueryError
from northmoor.core.sources.builder.edits import (
    add_operand,
    change_condition,
    condition_at,
    project,
    toggle_connective,
    with_condition,
)
from northmoor.core.sources.builder.select_model import (
    BooleanGroup,
    Comparison,
    Condition,
    FromItem,
    OrderItem,
    SelectItem,
    SelectModel,
    StackedSelect,
    select_sql,
)
from northmoor.core.sources.builder.select_parser import is_equivalent, parse_select
from northmoor.core.sources.builder.select_writer import rewrite_select, wrap_select
from northmoor.core.sources.builder.sql_layout import format_sql
from tests.core.test_sentence import DIALECTS, sentences

WRITTEN = """-- Fares of a month
SELECT r.code, -- the route
       sum(b.fare) AS fares, /* gross */
       count(*)  n -- all
FROM bookings b
  JOIN routes r ON r.id = b.route_id -- by key
WHERE b.status = 'paid' -- only paid
  AND (b.kind = 'car' OR b.kind <> 'van')
  AND b.amount > 2 * 100000
GROUP BY r.code
HAVING sum(b.fare) > 10 AND count(*) > 2
ORDER BY 2 DESC -- biggest first
;
"""
NEW = Comparison("b.x", "is null")


def parsed(sql: str, dialect: str = "sqlite") -> SelectModel:
    sentence = parse_select(sql, dialect)
    assert sentence is not None
    return sentence


@pytest.mark.parametrize(
    ("change", "was", "becomes"),
    [
        (lambda s: project(s, [*s.select_items, SelectItem("max(b.fare)", "most")], "sqlite"), "n -- all", "n, -- all\n       max(b.fare) AS most"),
        (lambda s: with_condition(s, NEW), "100000\n", "100000\n  AND b.x IS NULL\n"),
        (lambda s: replace(s, where=add_operand(s.where, (0,), NEW, "or")), "b.status = 'paid'", "(b.status = 'paid' OR b.x IS NULL)"),
        (lambda s: replace(s, where=toggle_connective(s.where, (1,))), "'car' OR", "'car' AND"),
        (lambda s: replace(s, where=change_condition(s.where, (1, 0), None)), "b.kind = 'car' OR ", ""),
        (lambda s: replace(s, where=change_condition(s.where, (2,), Comparison("b.amount", "between", ("1", "2")))), "> 2 * 100000", "BETWEEN 1 AND 2"),
        (lambda s: replace(s, where=change_condition(s.where, (2,), Comparison("b.amount", ">", ("3",)))), "2 * 100000", "3"),
        (lambda s: replace(s, having=change_condition(s.having, (0,), None)), "sum(b.fare) > 10 AND ", ""),
        (lambda s: replace(s, sorting=(*s.sorting, OrderItem("r.code", True, "last"))), "2 DESC", "2 DESC, r.code DESC NULLS LAST"),
        (lambda s: replace(s, distinct=True), "SELECT r", "SELECT DISTINCT r"),
        (lambda s: replace(s, first="10", offset=":n"), "first\n", "first\nLIMIT 10\nOFFSET :n\n"),
        (lambda s: replace(s, from_items=(s.from_items[0], replace(s.from_items[1], join="left join"))), "  JOIN", "  LEFT JOIN"),
        (lambda s: replace(s, from_items=(*s.from_items, FromItem("ports", "p", "join", ("port_id",)))), "by key", "by key\n  JOIN ports p USING (port_id)"),
        (lambda s: replace(s, groups=()), "GROUP BY r.code\n", ""),
        (lambda s: replace(s, stacked=(StackedSelect("union all", "select 1, 2, 3"),)), "> 2\n", "> 2\nUNION ALL select 1, 2, 3\n"),
        (lambda s: replace(s, where=None), "WHERE b.status = 'paid' -- only paid\n  AND (b.kind = 'car' OR b.kind <> 'van')\n  AND b.amount > 2 * 100000", "-- only paid"),
    ],
)  # fmt: skip
def test_a_step_changes_its_own_piece(change: Callable[[SelectModel], SelectModel], was: str, becomes: str) -> None:
    assert WRITTEN.count(was) == 1
    assert rewrite_select(WRITTEN, change(parsed(WRITTEN)), "sqlite") == WRITTEN.replace(was, becomes)


@pytest.mark.parametrize("piece", ["b.x) or (1", "b.x, 2", "b.x --", "'open", "b.x from other", ""])
def test_what_is_more_than_a_piece_is_refused(piece: str) -> None:
    sentence = parsed(WRITTEN)
    with pytest.raises(QueryError):
        rewrite_select(WRITTEN, with_condition(sentence, Comparison(piece, "=", ("1",))), "sqlite")
    with pytest.raises(QueryError):
        rewrite_select(
            WRITTEN, replace(sentence, select_items=(*sentence.select_items, SelectItem(piece, "y"))), "sqlite"
        )


def test_sql_that_no_sentence_says_is_never_replaced() -> None:
    sql = "(select a from t) union (select b from u)"
    assert parse_select(sql, "sqlite") is None
    with pytest.raises(QueryError, match="more than a sentence can"):
        rewrite_select(sql, parsed(WRITTEN), "sqlite")
    assert rewrite_select(" \n", parsed("select a from t"), "sqlite") == "select a\nfrom t\n"


_GAPS = [
    " ",
    " ",
    "  ",
    "\n",
    "\n  ",
    " /* {} */ ",
    " -- {}\n",
    "\n/* {} */\n",
    "-- {}\n  ",
    " -- {} */\n",
    " /* -- {} */ ",
]


@st.composite
def scrambled(draw: st.DrawFn) -> tuple[str, str]:
    """A query as someone might have written it, with its dialect: comments and line breaks anywhere, any case."""
    dialect = draw(st.sampled_from(DIALECTS))
    sql = select_sql(draw(sentences))
    upper = draw(st.booleans())
    tokens = sqlglot.tokenize(sql, dialect=dialect)
    text, count = "", 0
    for before, token in zip([None, *tokens], tokens, strict=False):
        word = sql[token.start : token.end + 1]
        if before is not None and sql[before.end + 1 : token.start]:
            gap = draw(st.sampled_from(_GAPS))
            count += 1
            text += gap.format(f"note {count}")
        text += (
            word.upper()
            if upper and re.fullmatch("[a-z ]{2,}", word) and word not in ("id", "total", "lower")
            else word
        )
    return text + draw(st.sampled_from(["", ";", "\n", " -- end\n"])), dialect


CONDITIONS = st.sampled_from(
    [NEW, Comparison("q", "in", ("1", "'b'")), Comparison("lower(a)", "between", (":f", ":t"))]
)


def paths(condition: Condition | None, at: tuple[int, ...] = ()) -> list[tuple[int, ...]]:
    """The places of all conditions in one."""
    if condition is None:
        return []
    inner = condition.parts if isinstance(condition, BooleanGroup) else ()
    return [at, *(path for n, part in enumerate(inner) for path in paths(part, (*at, n)))]


@st.composite
def step(draw: st.DrawFn, sentence: SelectModel, dialect: str) -> tuple[str, SelectModel]:
    """A step of a sentence, with the clause that it changes."""
    kind = draw(st.sampled_from(["where", "select", "order by", "limit", "from", "group"]))
    new = draw(CONDITIONS)
    if kind == "where":
        path = draw(st.sampled_from(paths(sentence.where) or [()]))
        found = condition_at(sentence.where, path)
        changes: list[Condition | None] = [change_condition(sentence.where, path, new)]
        if found is not None:
            changes += [change_condition(sentence.where, path, None), add_operand(sentence.where, path, new, "or"),
                        add_operand(sentence.where, path, new, "and")]  # fmt: skip
        if isinstance(found, BooleanGroup):
            changes.append(toggle_connective(sentence.where, path))
        return "where", replace(sentence, where=draw(st.sampled_from(changes)))
    if kind == "select":
        items = draw(st.permutations(sentence.select_items))[: draw(st.integers(1, 3))]
        return "select", replace(
            sentence, select_items=(*items, *draw(st.sampled_from([(), (SelectItem("z", "zed"),)])))
        )
    if kind == "order by":
        items = draw(st.permutations([*sentence.sorting, OrderItem("z", True)]))[: draw(st.integers(0, 3))]
        return "order by", replace(sentence, sorting=tuple(items))
    if kind == "limit":
        return "limit", replace(sentence, first=draw(st.sampled_from(["", "7"])))
    if kind == "from":
        return "from", replace(
            sentence, from_items=(*sentence.from_items, FromItem("n", "m", "left join", on="m.a = 1"))
        )
    return "group by", replace(sentence, groups=())


@given(scrambled(), st.data())
def test_a_step_keeps_every_other_byte_and_every_comment(query: tuple[str, str], data: st.DataObject) -> None:
    sql, dialect = query
    sentence = parsed(sql, dialect)
    assert rewrite_select(sql, sentence, dialect) == sql
    clause, changed = data.draw(step(sentence, dialect))
    written = rewrite_select(sql, changed, dialect)
    at = sentence.places.clauses.get(clause)
    if at is not None and changed != sentence:
        assert written.startswith(sql[: at[0]].rstrip())
        assert written.rstrip().endswith(sql[at[1] :].split("\n", 1)[-1].strip())
    assert sorted(re.findall(r"note \d+", written)) == sorted(re.findall(r"note \d+", sql)), written


def words_and_comments(sql: str, dialect: str) -> tuple[list[str], list[str]]:
    """The words of a text and its comments, each without the spaces around it."""
    tokens = sqlglot.tokenize(sql, dialect=dialect)
    words = [sql[t.start : t.end + 1] for t in tokens]
    edges = [0, *(edge for t in tokens for edge in (t.start, t.end + 1)), len(sql)]
    gaps = [sql[a:b] for a, b in zip(edges[::2], edges[1::2], strict=True)]
    return words, [re.sub(r"\s+", " ", gap).strip() for gap in gaps if gap.strip()]


@given(scrambled())
def test_formatting_changes_no_word_and_no_comment(query: tuple[str, str]) -> None:
    sql, dialect = query
    written = format_sql(sql, dialect)
    assert words_and_comments(written, dialect) == words_and_comments(sql, dialect)
    assert is_equivalent(sql, written, dialect)


def test_formatting_gives_each_piece_a_line() -> None:
    sql = "select a, max(b) from t left join u using (id) where a between 1 and 2 and (b = 3 or c = 4) group by a order by 1"
    assert format_sql(sql, "sqlite") == (
        "select a,\n  max(b)\nfrom t\nleft join u using (id)\nwhere a between 1 and 2\n  and (b = 3 or c = 4)\n"
        "group by a\norder by 1\n"
    )


def test_a_result_becomes_a_step_and_its_bytes_stay() -> None:
    wrapped = wrap_select(WRITTEN, "fares_of_month", "sqlite")
    inner = WRITTEN.strip().removesuffix(";").strip()
    assert wrapped == f"with fares_of_month as (\n{inner}\n)\nselect *\nfrom fares_of_month\n"
    again = wrap_select(wrapped, "second", "sqlite")
    assert [step.name for step in parsed(again).steps] == ["fares_of_month", "second"]
    noted = wrap_select("with a as (select 1 as x) -- first\nselect x from a", "b", "sqlite")
    assert noted == "with a as (select 1 as x), -- first\nb as (\nselect x from a\n)\nselect *\nfrom b\n"
    for name in ("fares_of_month", "two words", "a); drop table x"):
        with pytest.raises(QueryError):
            wrap_select(wrapped, name, "sqlite")
