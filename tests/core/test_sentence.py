"""Sentences: SQL that can be a sentence is written again exactly; what cannot stays SQL."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.sources.builder.joins import JoinProposal, column_candidates, join_proposals
from northmoor.core.sources.builder.select_model import (
    BooleanGroup,
    Comparison,
    FromItem,
    GroupItem,
    NamedStep,
    OrderItem,
    SelectItem,
    SelectModel,
    StackedSelect,
    select_sql,
)
from northmoor.core.sources.builder.select_parser import has_aggregate, is_equivalent, parse_select
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable, ForeignKey
from northmoor.demo.reports.fares_by_route import FARES_SQL

DIALECTS = ("sqlite", "postgres", "mysql", "duckdb")


def test_hand_written_sql_of_sentence_shape_becomes_a_sentence() -> None:
    sentence = parse_select(FARES_SQL, "sqlite")
    assert sentence is not None
    assert [(t.table, t.alias, t.join, t.using, t.on) for t in sentence.from_items] == [
        ("bookings", "b", "", (), ""), ("sailings", "s", "join", ("sailing_id",), ""),
        ("routes", "r", "join", (), "r.route_id = s.route_id"),
        ("ports", "f", "join", (), "f.port_id = r.from_port_id"), ("ports", "t", "join", (), "t.port_id = r.to_port_id"),
    ]  # fmt: skip
    assert sentence.select_items[3] == SelectItem("date(s.departs_at, 'start of month')", "month")
    assert sentence.select_items[-1] == SelectItem("sum(b.quantity * b.unit_price)", "fares")
    assert [g.expression for g in sentence.groups] == ["r.code", "r.name", "r.season", "month"]
    assert isinstance(sentence.where, BooleanGroup)
    assert sentence.where.joining == "and"
    assert sentence.where.parts[0] == Comparison("b.status", "=", ("'paid'",))
    assert sentence.where.parts[-2] == BooleanGroup(
        "or", (Comparison(":season", "=", ("'all'",)), Comparison("r.season", "=", (":season",)))
    )
    assert sentence.where.parts[-1] == BooleanGroup(
        "or", (Comparison("f.code", "in", (":ports",)), Comparison("t.code", "in", (":ports",)))
    )


@pytest.mark.parametrize("dialect", DIALECTS)
@pytest.mark.parametrize(
    "sql",
    [
        "select * from ports", "select distinct a as x, b from t where a is not null and b not like 'x%' limit 5",
        "select a from t where a between :from and :to and not b in (1, :x) or c not in ('a', 'b, c')",
        "select t.a, count(*) as n from s.t left outer join u v on v.a = t.a and v.k = 2 group by t.a having count(*) > :n order by n desc, 1",
        "select case when a > 1 and b between 2 and 3 then 'x, y' else 'z' end as c, round(a * (b + 1), 2) from t where (a = 1 or (b = 2 and c <> 3)) and d",
        "select a from t order by a limit :first;",
        "select a from t, u v cross join w natural join x where t.a = v.a order by a limit 5 offset 2",
        "with paid as (select a from t), late (b) as (select b from u) select a x from paid join late on late.b = paid.a",
        "select a from t where a = 1 union all select b from u where b = 2 except select c from v order by 1 limit 3",
        "select q.a from (select a, b from t where b > 1) as q join lateral (select 1 as c) l(c) on true where not (a = 1 or b = 2)",
        "select a, sum(b) over w as s from t window w as (partition by a) order by a",
    ],
)  # fmt: skip
def test_a_sentence_says_the_same_query_again(sql: str, dialect: str) -> None:
    sentence = parse_select(sql, dialect)
    assert sentence is not None
    assert is_equivalent(sql, select_sql(sentence), dialect)
    assert parse_select(select_sql(sentence), dialect) == sentence


@pytest.mark.parametrize(
    "sql",
    ["select 1", "(select a from t) union (select b from u)", "with recursive x as (select 1 as a) select a from x",
     "select distinct on (a) a, b from t"],
)  # fmt: skip
def test_what_a_sentence_cannot_say_stays_sql(sql: str) -> None:
    assert parse_select(sql, "postgres") is None


nulls = st.sampled_from(["", "first", "last"])
names = st.sampled_from(["a", "b.c", "t.total", "lower(a)", "a + 1", "case when a > 1 then 'x' end"])
values = st.sampled_from(["1", "'it''s'", ":season", "b.c", "2.50"])
tests = st.one_of(
    st.builds(
        lambda a, o, v: Comparison(a, o, (v,)),
        names,
        st.sampled_from(["=", "<>", "<", "<=", ">", ">=", "like", "not like"]),
        values,
    ),
    st.builds(
        lambda a, o, v, w: Comparison(a, o, (v, w)),
        names,
        st.sampled_from(["between", "not between", "in", "not in"]),
        values,
        values,
    ),
    st.builds(lambda a, o: Comparison(a, o), names, st.sampled_from(["is null", "is not null"])),
)
sentences = st.builds(
    SelectModel,
    from_items=st.lists(
        st.sampled_from(
            [FromItem("u", "v", "left join", ("id",)), FromItem("s.w", "", "join", (), "w.k = t.k and w.n > 2")]
        ),
        max_size=2,
        unique=True,
    ).map(lambda more: (FromItem("t"), *more)),
    select_items=st.lists(st.builds(SelectItem, names, st.sampled_from(["", "x", "y"])), min_size=1, max_size=3).map(
        tuple
    ),
    where=st.one_of(
        st.none(),
        tests,
        st.builds(
            lambda j, p, q: BooleanGroup(j, (p, BooleanGroup("or" if j == "and" else "and", (q, p)))),
            st.sampled_from(["and", "or"]),
            tests,
            tests,
        ),
    ),
    groups=st.lists(names.map(GroupItem), max_size=2, unique=True).map(tuple),
    having=st.one_of(st.none(), tests),
    sorting=st.lists(st.builds(OrderItem, names, st.booleans(), nulls), max_size=2).map(tuple),
    distinct=st.booleans(),
    first=st.sampled_from(["", "10", ":n"]),
    steps=st.sampled_from([(), (NamedStep("s", "select 1 as w"),)]),
    stacked=st.sampled_from([(), (StackedSelect("union all", "select a from o where a = 1"),)]),
)


@given(sentences, st.sampled_from(DIALECTS))
def test_every_sentence_is_read_back_as_it_was_written(sentence: SelectModel, dialect: str) -> None:
    assert parse_select(select_sql(sentence), dialect) == sentence


def test_joins_are_proposed_from_keys_and_else_from_equal_names_and_types() -> None:
    def column(name: str, kind: str = "integer") -> CatalogColumn:
        return CatalogColumn(name, kind)

    catalog = Catalog(
        (
            CatalogTable("bookings", (column("sailing_id"), column("status", "text")), 9, keys=(ForeignKey(("sailing_id",), "sailings", ("id",)),)),
            CatalogTable("sailings", (column("id"), column("status", "text")), 9),
            CatalogTable("targets", (column("route_id"), column("status", "text")), 9),
            CatalogTable("routes", (column("route_id"), column("status", "integer")), 9),
        )
    )  # fmt: skip

    def first(taken: FromItem, table: str) -> JoinProposal:
        return join_proposals(catalog, (taken,), table)[0]

    assert first(FromItem("bookings", "b"), "sailings") == JoinProposal("b", (("id", "sailing_id"),), True)
    assert first(FromItem("sailings"), "bookings") == JoinProposal("sailings", (("sailing_id", "id"),), True)
    assert first(FromItem("targets", "t"), "routes") == JoinProposal("t", (("route_id", "route_id"),), False)
    chain = (FromItem("targets"), FromItem("bookings"))
    assert [way.to for way in join_proposals(catalog, chain, "sailings")] == ["bookings", "targets"]
    assert column_candidates(catalog, chain, "routes")[0] == JoinProposal("targets", (("route_id", "route_id"),), False)
    assert join_proposals(catalog, (FromItem("bookings"),), "nowhere") == []


def test_aggregates_are_distinguished_from_other_expressions() -> None:
    assert [
        has_aggregate(e, "sqlite") for e in ("sum(a) + 1", "a + 1", "count(*)", "sum(a) over ()", "max(a, b) oops (")
    ] == [True, False, True, False, False]
