"""Changes to sentences: what is said stays sound SQL."""

from northmoor.core.sources.catalog import Catalog, CatalogColumn, CatalogTable
from northmoor.core.sources.joins import Proposal
from northmoor.core.sources.saying import (
    begun,
    beside,
    change_condition,
    keeping,
    other_joining,
    sql_name,
    total_of,
    value_text,
    with_condition,
    with_table,
    without_table,
)  # fmt: skip
from northmoor.core.sources.sentence import Comparison, Kept, Sentence, Sorting, Taken, Together, read, write

PORTS = CatalogTable("ports", (CatalogColumn("port_id", "integer"), CatalogColumn("name", "text")), 7)
ROUTES = CatalogTable("routes", (CatalogColumn("from_port_id", "integer"), CatalogColumn("name", "text")), 9)
CATALOG = Catalog((PORTS, ROUTES))
TO_PORTS = Proposal("routes", (("port_id", "from_port_id"),), True)


def test_names_are_quoted_only_where_they_must_be() -> None:
    assert [sql_name(n, "mysql") for n in ("ports", "Ports", "order", "two words", "archive.old ports")] == [
        "ports",
        "`Ports`",
        "`order`",
        "`two words`",
        "archive.`old ports`",
    ]
    assert sql_name('a"b', "postgres") == '"a""b"'


def test_a_sentence_begins_with_a_table_and_grows_by_joins() -> None:
    sentence = begun(ROUTES, "sqlite")
    assert write(sentence) == "select routes.from_port_id,\n  routes.name\nfrom routes\n"
    joined = with_table(sentence, "ports", TO_PORTS, "sqlite")
    twice = with_table(joined, "ports", TO_PORTS, "sqlite", "left join")
    assert [(t.known_as, t.join, t.on) for t in twice.taken[1:]] == [
        ("ports", "join", "ports.port_id = routes.from_port_id"), ("ports_2", "left join", "ports_2.port_id = routes.from_port_id"),
    ]  # fmt: skip
    kept = keeping(twice, [Kept("routes.name"), Kept("ports.name"), Kept("ports_2.name", "target")], "sqlite")
    assert [k.name for k in kept.kept] == ["", "ports_name", "target"]
    assert read(write(kept), "sqlite") == kept


def test_a_table_goes_with_all_that_is_said_of_it() -> None:
    sentence = Sentence(
        (Taken("routes"), Taken("ports", "", "join", on="ports.port_id = routes.from_port_id"), Taken("islands", "", "join", on="islands.id = ports.island_id")),
        (Kept("routes.name"), Kept("upper(ports.name)", "port"), Kept("my_ports.x")),
        Together("and", (Comparison("ports.name", "=", ("'a'",)), Comparison("routes.name", "is not null"))),
        sorting=(Sorting("islands.name"), Sorting("routes.name")),
    )  # fmt: skip
    left = without_table(sentence, 1)
    assert left == Sentence(
        (Taken("routes"),),
        (Kept("routes.name"), Kept("my_ports.x")),
        Comparison("routes.name", "is not null"),
        sorting=(Sorting("routes.name"),),
    )


def test_conditions_are_joined_turned_and_taken_out() -> None:
    a, b, c = (Comparison(name, "=", ("1",)) for name in "abc")
    one = with_condition(Sentence((Taken("t"),), (Kept("*"),)), a)
    assert one.where == a
    two = with_condition(one, b).where
    assert two == Together("and", (a, b))
    nested = beside(two, (1,), c, "or")
    assert nested == Together("and", (a, Together("or", (b, c))))
    assert other_joining(nested, (1,)) == Together("and", (a, b, c))
    assert change_condition(nested, (1, 0), None) == Together("and", (a, c))
    assert change_condition(change_condition(nested, (1,), None), (), None) is None


def test_totals_group_by_all_that_is_no_total() -> None:
    sentence = Sentence((Taken("t"),), (Kept("*"),))
    grouped = keeping(sentence, [Kept("a"), Kept("b + 1", "c"), Kept("sum(d)", "total")], "postgres")
    assert grouped.groups == ("a", "b + 1")
    assert keeping(grouped, [Kept("a")], "postgres").groups == ()
    assert keeping(grouped, [Kept("count(*)", "n")], "postgres").groups == ()


def test_typed_values_become_what_they_mean() -> None:
    typed = ("12.50", ":season", "paid", "it's", "t.status", "'x'", "null", "lower('A')", ":year + 1", "TQ-SK", "")
    assert [value_text(text, ["t.status"]) for text in typed] == [
        "12.50", ":season", "'paid'", "'it''s'", "t.status", "'x'", "null", "lower('A')", ":year + 1", "'TQ-SK'", "''",
    ]  # fmt: skip


def test_totals_are_told_from_what_they_total() -> None:
    assert [total_of(e) for e in ("sum(a * (b + 1))", "COUNT(distinct x)", "sum(a) + sum(b)", "a", "count(*)")] == [
        ("sum", "a * (b + 1)"), ("count_distinct", "x"), ("", "sum(a) + sum(b)"), ("", "a"), ("count", "*"),
    ]  # fmt: skip
