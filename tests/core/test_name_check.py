"""Faults that are seen before a query runs: each is where the database would find one too, and what a database runs has
none."""

import sqlite3
from collections.abc import Iterator

import pytest
from sqlglot import exp

from northmoor.core.base.replace import replace
from northmoor.core.expr.placeholders import mark_placeholders
from northmoor.core.sources.drivers.catalog import Catalog, CatalogColumn, CatalogTable
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.typing.name_check import sql_faults

TABLES = {
    "vessels": ("vessel_id", "name", "Built In"),
    "voyages": ("voyage_id", "vessel_id", "departed", "fuel"),
    "ports": ("port_id", "code"),
}
CATALOG = Catalog(
    tuple(CatalogTable(name, tuple(CatalogColumn(c, "text") for c in own), None) for name, own in TABLES.items())
)
KEYED = Catalog(
    tuple(
        replace(t, columns=tuple(replace(c, is_key=c.name == t.columns[0].name) for c in t.columns))
        for t in CATALOG.tables
    )
)
RUNNING = (
    "select v.name, w.fuel from vessels v join voyages w using (vessel_id) where w.fuel > :least order by 2, departed",
    "select Name as n, count(*) from VESSELS where n <> 'x' group by n having count(*) > 0",
    "with recent as (select * from voyages where departed > '2025') select r.fuel from recent r where exists (select rowid from voyages)",
    "with recursive n(i) as (select 1 union all select i + 1 from n where i < 3) select i from n",
    "with recursive n as (select 1 as i union all select m.i + 1 from n as m where m.i < 3) select i from n",
    "select v.name, (select max(fuel) from voyages where vessel_id = v.vessel_id and name <> '') as most from vessels v",
    "select x.a, b from (select name as a, vessel_id + 1 as b from vessels) x where x.b > 0",
    "select name from vessels union select departed from voyages order by name",
    "select a + 1 from (select fuel as a from voyages)",
    "select q.code from (select code from ports union select name from vessels) q",
    'select "Built In", "no such name" from vessels',
    "select value from json_each('[1, 2]') where value > 1",
    "select sum(fuel) over w as running from voyages window w as (order by departed)",
    "select t.* from vessels as t, (select vessels.*, code from vessels, ports) as u where u.code = t.name",
    "select * from sqlite_master where type = 'table'",
    "-- fom nothing\nselect 'from x', name /* nme */ from vessels",
)


@pytest.fixture
def database() -> Iterator[sqlite3.Connection]:
    with sqlite3.connect(":memory:") as made:
        for name, columns in TABLES.items():
            made.execute(f"create table {name} ({', '.join(exp.to_identifier(c, quoted=True).sql() for c in columns)})")
        yield made


@pytest.mark.parametrize("sql", RUNNING)
def test_what_the_database_runs_has_no_faults(sql: str, database: sqlite3.Connection) -> None:
    database.execute(sql, {"least": 1}).fetchall()
    assert sql_faults(sql, "sqlite", CATALOG, ("least",)) == ()


@pytest.mark.parametrize("sql", RUNNING[:7])
def test_a_changed_name_is_found_at_its_place(sql: str, database: sqlite3.Connection) -> None:
    """Each name of a table, and of a column of one, with a letter more: a fault there, and the database refuses it."""
    made = {"recent", "n", "m", "i", "a", "b", "rowid", "most"}
    tree = check_query(sql, "sqlite").tree
    names = [node.this for node in tree.find_all(exp.Column, exp.Table) if node.name not in made]
    assert names or "recursive" in sql
    for name in names:
        begin = mark_placeholders(sql, "sqlite").original(name.meta["start"])
        end = begin + len(name.name)
        changed = f"{sql[:end]}z{sql[end:]}"
        faults = sql_faults(changed, "sqlite", CATALOG, ("least",))
        own = [fault for fault in faults if fault.position == begin]
        assert [fault.length for fault in own] == [end + 1 - begin], changed
        assert own[0].correction is not None
        assert own[0].correction.text.lower() == name.name.lower()
        with pytest.raises(sqlite3.OperationalError):
            database.execute(changed, {"least": 1})


@pytest.mark.parametrize(
    ("sql", "piece", "message", "instead"),
    [
        ("select v.nam from vessels v", "nam", "v has no column nam. Did you mean name?", "name"),
        ("select b.name from vessels v", "b", "b is none of the tables here. There is v.", None),
        ("select built_in from vessels", "built_in", "vessels has no column built_in. Did you mean Built In?", '"Built In"'),
        ("select x.b from (select name as a from vessels) x", "b", "x has no column b. There is a.", None),
        ("select 1 where 'é' = :leest", ":leest", "The SQL has :leest, and the report has no such parameter.", None),
        ("select name,\n form vessels wher 1 = 1", "wher", "near 'wher' in line 2. Did you mean where?", "where"),
        ("selct name from vessels", "selct", "near 'from' in line 1. Did you mean select?", "select"),
        ("select name fuel code from vessels", "code", "If it is one more column, a comma is missing before it.", "fuel, code"),
        ("select name from vessels group name", "name", "near 'name' in line 1. Write group by", "group by name"),
        ("select (name from vessels", "from", "A bracket that was opened is not closed.", "name) from"),
        ("select case when 1 then 2 from ports", "2", "A case has no end; write end behind its last value", None),
        ("select name from vessels where", "where", "Something is missing behind it.", None),
        ("select name\nfrom vessels where name = 'x", "'x", "The text that begins in line 2 is not closed; write '", "'x'"),
        ("select name from vessels where name = 'Tarrow's' and 1 = 1", "'Tarrow'", "A quote within a text is written twice.", "'Tarrow''s'"),
        ("select name from vessels where :least = 1 name = 'x'", "name", "one more condition, and is missing", "1 and name"),
        ("select name, from vessels", ", from", "A comma has nothing behind it.", "name"),
        ("select code, count(*) as n from ports", "code", "code is neither totalled nor grouped by; its value", "ports group by code"),
        ("SELECT v.name, fuel, max(departed), count(*) FROM vessels v JOIN voyages ON 1=1\nGROUP BY v.name\nORDER BY fuel",
         "fuel", "fuel is neither", "name, fuel"),
        ("select x.* from (select code, sum(port_id) from ports) x order by 1", "code", "code is neither", "ports group by code"),
        ("select name /* from vessels", "/*", "The comment that begins in line 1 is not closed; write */", "/* from vessels*/"),
    ],
)  # fmt: skip
def test_a_fault_is_named_at_its_piece(sql: str, piece: str, message: str, instead: str | None) -> None:
    first = sql_faults(sql, "sqlite", CATALOG, ("least",))[0]
    assert message in first.message
    assert sql[first.position :].startswith(piece)
    assert (first.correction.text if first.correction is not None else None) == instead


@pytest.mark.parametrize("sql", RUNNING)
def test_a_comma_or_bracket_that_is_taken_away_comes_back(sql: str) -> None:
    """Each of them: where the text without it cannot be parsed and something is offered instead, that can be."""
    offered = 0
    for at in [at for at, letter in enumerate(sql) if letter in ",)"]:
        changed = f"{sql[:at]} {sql[at + 1 :]}"
        first = next(iter(sql_faults(changed, "sqlite", CATALOG, ("least",))), None)
        if first is not None and "cannot be understood" in first.message and (found := first.correction) is not None:
            offered += 1
            check_query(changed[: found.position] + found.text + changed[found.position + found.length :], "sqlite")
    assert offered or sql.count(",") + sql.count(")") < 3


@pytest.mark.parametrize(
    "sql",
    [
        "select v.name, v.vessel_id, count(*) from vessels v group by v.vessel_id",
        "select v.name, sum(fuel) filter (where departed > '2025') from voyages join vessels v using (vessel_id) "
        "group by vessel_id",
        "select p.code, w.departed, v.name from voyages w join vessels v on v.vessel_id = w.vessel_id, ports p "
        "group by w.voyage_id, p.port_id",
        "select name || '!' as n, max(vessel_id), min(vessel_id) from vessels group by NAME || '!' having n > 'a' order by n",
        "select code, max(port_id) from ports",
        "select lower(code), count(*) from ports p group by lower(p.code) order by count(*)",
        "select code, sum(count(*)) over (order by code) from ports group by 1",
        "select (select max(v.name) from vessels v where v.vessel_id = w.vessel_id) from voyages w group by vessel_id",
        "select unheard_of(code), count(*) from ports",
        "select count(*) from ports",
    ],
)  # fmt: skip
def test_what_has_one_value_in_each_group_is_no_fault(sql: str) -> None:
    assert [fault.message for fault in sql_faults(sql, "sqlite", KEYED, ())] == []


def test_a_table_that_is_joined_by_its_key_is_grouped_by_where_that_is_wanted() -> None:
    sql = "select v.name, w.fuel, count(*) from voyages w join vessels v on v.vessel_id = w.vessel_id group by w.voyage_id"
    assert sql_faults(sql, "mysql", KEYED, ()) == ()
    assert [fault.message for fault in sql_faults(sql, "postgres", KEYED, ())] == [
        "name is neither totalled nor grouped by."
    ]
    assert len(sql_faults(sql, "duckdb", KEYED, ())) == 2


def test_what_is_not_known_is_left_to_the_database() -> None:
    for sql in ("", "   ", "select anything from elsewhere.ports p where p.x = 1", "select f.a, b from rows_of(1) f",
                "select g.z, zz from generate_series(1, 3) g"):  # fmt: skip
        assert sql_faults(sql, "postgres", CATALOG, ()) == (), sql
    assert sql_faults("select nix from nowhere", "postgres", Catalog(), ()) == ()
