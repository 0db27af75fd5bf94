"""Sentences: SQL that can be a sentence is written again exactly; what cannot stays SQL."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.sources.builder.joins import join_proposals
from northmoor.core.sources.builder.select_ast import (
    BooleanGroup,
    Comparison,
    FromItem,
    OrderItem,
    SelectItem,
    SelectModel,
    has_aggregate,
    is_equivalent,
    parse_select,
    select_sql,
)  # fmt: skip
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
    assert sentence.groups == ("r.code", "r.name", "r.season", "month")
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
    ],
)  # fmt: skip
def test_a_sentence_says_the_same_query_again(sql: str, dialect: str) -> None:
    sentence = parse_select(sql, dialect)
    assert sentence is not None
    assert is_equivalent(sql, select_sql(sentence), dialect)
    assert parse_select(select_sql(sentence), dialect) == sentence


@pytest.mark.parametrize(
    "sql",
    [
        "select 1", "select a from t union select b from u", "with x as (select 1 as a) select a from x", "select a from (select 1 as a) x",
        "select a from t, u", "select a from t cross join u", "select a from t order by a limit 5 offset 2", "select a /* why */ + 1 from t",
        "select a from t order by a nulls last", "select a from t natural join u",
    ],
)  # fmt: skip
def test_what_a_sentence_cannot_say_stays_sql(sql: str) -> None:
    assert parse_select(sql, "postgres") is None


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
    groups=st.lists(names, max_size=2, unique=True).map(tuple),
    having=st.one_of(st.none(), tests),
    sorting=st.lists(st.builds(OrderItem, names, st.booleans()), max_size=2).map(tuple),
    distinct=st.booleans(),
    first=st.sampled_from(["", "10", ":n"]),
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
    assert join_proposals(catalog, (FromItem("bookings", "b"),), "sailings")[0].present_table(
        "sailings", "s"
    ) == FromItem("sailings", "s", "join", on="s.id = b.sailing_id")
    assert join_proposals(catalog, (FromItem("sailings"),), "bookings")[0].present_table(
        "bookings", "", "left join"
    ) == FromItem("bookings", "", "left join", on="bookings.sailing_id = sailings.id")
    assert join_proposals(catalog, (FromItem("targets", "t"),), "routes")[0].present_table("routes", "r") == FromItem(
        "routes", "r", "join", using=("route_id",)
    )
    assert join_proposals(catalog, (FromItem("bookings"),), "nowhere") == []


def test_aggregates_are_told_from_other_expressions() -> None:
    assert [
        has_aggregate(e, "sqlite") for e in ("sum(a) + 1", "a + 1", "count(*)", "sum(a) over ()", "max(a, b) oops (")
    ] == [True, False, True, False, False]
