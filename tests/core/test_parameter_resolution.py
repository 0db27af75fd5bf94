"""Values resolved in the order they need one another: defaults, samples, lists that depend on lists, computed values."""

import sqlite3
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

import pytest

from northmoor.core.compute.parameters.resolution import ResolvedValues
from northmoor.core.errors import ParameterError
from northmoor.core.model.data.connections import Connections, SqliteConnection
from northmoor.core.model.data.queries import Query, QueryColumn
from northmoor.core.model.parameters import (
    AllChoices,
    Choice,
    ChoicesFrom,
    FromExpression,
    FromQuery,
    NamedValue,
    Parameter,
)
from northmoor.core.model.report import Report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from tests.helpers import bind, column_of, render, report_of, resolved, row_of, table_of

MakeLibrary = Callable[[str], Library]
PORT = Parameter(
    name="port", label="Port", kind="integer", choices_from=ChoicesFrom(query="ports", value="port_id", label="name"),
    default=FromQuery(query="ports", column="port_id"),
)  # fmt: skip
ROUTES = Parameter(
    name="routes", label="Routes", holds="list", kind="integer",
    choices_from=ChoicesFrom(query="routes", value="route_id", label="code"), default=AllChoices(),
)  # fmt: skip
VESSELS = Parameter(
    name="vessels", label="Vessels", holds="list", choices_from=ChoicesFrom(query="vessels", value="name"),
    default=AllChoices(), required=False,
)  # fmt: skip
LISTS = (
    Query(name="ports", connection="db", sql="select port_id, name from ports order by port_id"),
    Query(name="routes", connection="db", sql="select route_id, code from routes where from_port_id = :port order by code"),
    Query(name="vessels", connection="db", sql="select v.name from vessels v where v.vessel_id in (select s.vessel_id from sailings s "
          "where s.route_id in (:routes) group by s.vessel_id having count(*) > 300) order by v.name"),
    Query(name="rows", connection="db", sql="select count(*) as n from sailings s join vessels v using (vessel_id) "
          "where s.route_id in (:routes) and (:vessels_count = 0 or v.name in (:vessels))"),
)  # fmt: skip


def cascade(**more: Any) -> Report:
    """Ports, their routes, and the vessels that sail those."""
    return report_of(table_of("n"), queries=LISTS, parameters=[VESSELS, ROUTES, PORT], **more)  # in the wrong order


@pytest.fixture
def tarrow_library(demo: Path) -> Library:
    """The demo's database as the connection ``db``."""
    kind = SqliteConnection(name="db", database="data/tarrow.sqlite")
    return Library(demo, Connections(connections=(kind,)))


@pytest.fixture(params=["sqlite", pytest.param("postgresql", marks=pytest.mark.xdist_group("servers"))])
def db(request: pytest.FixtureRequest, tmp_path: Path) -> Library:
    """The demo's tables on SQLite and on PostgreSQL."""
    if request.param == "sqlite":
        found: Library = request.getfixturevalue("tarrow_library")
        return found
    made: Library = request.getfixturevalue("postgresql").library(tmp_path)
    return made


def offered(found: ResolvedValues, name: str) -> list[str]:
    return [entry.label for entry in found.choices[name].entries]


def straight(tarrow: sqlite3.Connection, sql: str, *values: Any) -> list[Any]:
    return [row[0] for row in tarrow.execute(sql, values)]


ROUTES_FROM = "select code from routes where from_port_id = ? order by code"


def test_lists_three_deep_follow_one_another(db: Library, tarrow: sqlite3.Connection) -> None:
    session = Session(db)
    found = session.resolve_parameters(cascade())
    assert found.values.labels["port"] == "Tarrow Quay"
    assert offered(found, "routes") == straight(tarrow, ROUTES_FROM, 1)
    assert found.values.by_name["vessels_count"] == len(offered(found, "vessels"))
    other = session.resolve_parameters(cascade(), {"port": 6})
    assert offered(other, "routes") == straight(tarrow, ROUTES_FROM, 6)
    assert other.values.labels["routes"] == ", ".join(offered(other, "routes"))
    (n,) = column_of(render(cascade(), db, port=6), "n")
    ids = straight(tarrow, "select route_id from routes where from_port_id = 6")
    names = offered(other, "vessels")
    wanted = straight(
        tarrow,
        f"select count(*) from sailings s join vessels v using (vessel_id) where s.route_id in ({','.join(map(str, ids))}) "
        f"and v.name in ({','.join('?' * len(names))})",
        *names,
    )
    assert n.replace(",", "") == str(wanted[0])


def test_changing_an_upper_choice_keeps_the_lower_ones_that_still_exist(
    db: Library, tarrow: sqlite3.Connection
) -> None:
    session = Session(db)
    everything = straight(tarrow, "select route_id from routes")
    found = session.resolve_parameters(
        cascade(), {"port": 6, "routes": everything, "vessels": ["Curlew", "Ghost"]}, forgiving=True
    )
    kept = straight(tarrow, "select route_id from routes where from_port_id = 6 order by route_id")
    assert sorted(found.values.by_name["routes"]) == kept
    assert len(found.dropped["routes"]) == len(everything) - len(kept)
    assert "Ghost" in found.dropped["vessels"]
    with pytest.raises(ParameterError, match=r"Parameter vessels: 'Ghost' is not in its list. Choose one of"):
        session.resolve_parameters(cascade(), {"port": 6, "vessels": ["Ghost"]}).complete_values()


def test_nothing_left_of_a_choice_leads_back_to_the_default(db: Library) -> None:
    found = Session(db).resolve_parameters(cascade(), {"port": 6, "routes": [999]}, forgiving=True)
    assert found.faults == {}
    assert found.dropped["routes"] == ("999",)
    assert found.values.by_name["routes_count"] == len(found.choices["routes"].entries)


def test_an_empty_list_says_why(db: Library) -> None:
    nowhere = cascade().but(queries=(LISTS[0].but(sql="select 77 as port_id, 'Nowhere' as name"), *LISTS[1:]))
    found = Session(db).resolve_parameters(nowhere)
    message = "There are no values. The query routes returns no rows for Port = Nowhere."
    assert str(found.faults["routes"]) == f"Parameter routes: {message}"
    assert found.choices["routes"].why_empty in message
    assert found.faults["vessels"].message == "It needs Routes first."


def test_circles_are_refused_with_the_circle_named(tarrow_library: Library) -> None:
    round_about = LISTS[0].but(
        sql="select port_id, name from ports where port_id in (select to_port_id from routes where route_id in (:routes))"
    )
    found = Session(tarrow_library).resolve_parameters(cascade().but(queries=(round_about, *LISTS[1:])))
    message = found.faults["port"].message
    assert message.startswith("Circular reference: ")
    assert "routes → port → routes" in message or "port → routes → port" in message
    computed = (
        NamedValue(name="a", value=FromExpression(expression=":b + 1")),
        NamedValue(name="b", value=FromExpression(expression=":a + 1")),
    )
    with pytest.raises(ParameterError, match="Parameter a: Circular reference: a → b → a"):
        bind(report_of(named_values=computed), {})


VOYAGE = """\
with began as (select at from log where tag = :vessel || '.voyage_id' order by at desc limit 1)
select min(at) as started, (select min(at) from log where tag = :vessel || '.underway' and value = 0 and at > min(l.at)) as ended
from log l where tag = :vessel || '.underway' and value = 1 and at > (select at from began)
"""


def test_the_start_and_end_of_the_last_voyage_bound_every_other_query(demo: Path) -> None:
    as_text = tuple(QueryColumn(name=name, type="text") for name in ("started", "ended"))
    report = report_of(
        table_of("n", "first", "last"),
        queries=[
            Query(name="voyage", connection="telemetry", sql=VOYAGE, columns=as_text),
            Query(name="rows", connection="telemetry", sql="select count(*) as n, min(at) as first, max(at) as last from log "
                  "where tag = :vessel || '.speed' and at between :started and :ended",
                  columns=tuple(QueryColumn(name=name, type="text") for name in ("first", "last"))),
        ],
        parameters=[Parameter(name="vessel", default="Curlew")],
        named_values=tuple(NamedValue(name=n, value=FromQuery(query="voyage", column=n)) for n in ("started", "ended")),
    )  # fmt: skip
    document = render(report, Library.around(demo))
    assert document.values.by_name["started"] == "2025-06-15T15:38:00Z"
    assert document.values.by_name["ended"] == "2025-06-15T16:31:00Z"
    assert (column_of(document, "first"), column_of(document, "last")) == (
        ["2025-06-15T15:38:00Z"],
        ["2025-06-15T16:31:00Z"],
    )
    log = sqlite3.connect(demo / "data" / "telemetry.sqlite")
    counted = straight(log, "select count(*) from log where tag = 'Curlew.speed' and at >= '2025-06-15T15:38:00Z'")
    log.close()
    assert column_of(document, "n") == [str(n) for n in counted]


def test_an_expression_can_use_others_and_totals_of_queries(library: MakeLibrary) -> None:
    made = library(
        "create table lines (day date, pieces integer); insert into lines values ('2025-03-05', 3), ('2024-02-10', 4);"
    )
    newest = Query(name="newest", connection="db", sql="select max(day) as day, 2 as n from lines")
    report = report_of(
        table_of("pieces", total=row_of(pieces="sum(pieces) * :factor")),
        queries=[newest, Query(name="rows", connection="db", sql="select * from lines where day >= :start")],
        parameters=[
            Parameter(name="year", kind="integer", default=FromExpression(expression="year(:last_day)")),
            Parameter(name="factor", kind="decimal", default=FromExpression(expression="1.5 * max(newest.n)")),
        ],
        named_values=(
            NamedValue(name="start", value=FromExpression(expression="make_date(:year, 1, 1)")),
            NamedValue(name="last_day", value=FromExpression(expression="cast(max(newest.day) as date)")),
        ),
    )
    found = Session(made).resolve_parameters(report)
    assert dict(found.complete_values().by_name) == {
        "last_day": date(2025, 3, 5), "year": 2025, "start": date(2025, 1, 1), "factor": Decimal("3.0"),
    }  # fmt: skip
    assert found.values.kinds == {"last_day": "date", "year": "integer", "start": "date", "factor": "decimal"}
    assert column_of(render(report, made), "pieces") == ["3"]
    assert column_of(render(report, made, year=2024), "pieces", "total") == ["21.0"]


@pytest.mark.parametrize(
    ("value", "message"),
    [
        (FromExpression(expression=":nix + 1"), "there is no parameter :nix"),
        (FromExpression(expression="1 / (:one - 1) +"), "cannot be understood"),
        (FromExpression(expression="cast('x' as integer)"), "Could not convert"),
        (FromExpression(expression="pieces + 1"), "name the query of a column"),
        (FromQuery(query="raws", column="n"), "no query 'raws'. Did you mean rows"),
        (FromQuery(query="rows", column="n"), "has no column 'n'"),
        (FromQuery(query="rows", column="t"), "returns 2 rows, and one is wanted"),
    ],
)
def test_a_computed_value_that_cannot_be_had_is_reported(library: MakeLibrary, value: Any, message: str) -> None:
    made = library("create table lines (t text); insert into lines values ('a'), ('b');")
    report = report_of(table_of("t"), named_values=(NamedValue(name="v", value=value),))
    with pytest.raises(ParameterError, match="Parameter v: ") as caught:
        Session(made).render(report)
    assert message in str(caught.value)


def test_a_query_without_a_row_computes_null(library: MakeLibrary) -> None:
    made = library("create table lines (t text, n integer);")
    report = report_of(
        table_of("t"),
        queries=[
            Query(name="rows", connection="db", sql="select * from lines where n > :least or :least is null"),
            Query(name="few", connection="db", sql="select n from lines"),
        ],
        named_values=(NamedValue(name="least", value=FromQuery(query="few", column="n")),),
    )  # fmt: skip
    assert Session(made).resolve_parameters(report).complete_values().by_name == {"least": None}
    assert len(render(report, made)) == 1


SEASON = Parameter(name="season", choices=(Choice(value="s", label="Summer"), Choice(value="w", label="Winter")))


def test_samples_are_used_while_designing_only() -> None:
    host = Parameter(name="waybills", holds="list", sample=("W25-1", "W25-2"))
    report = report_of(parameters=[host])
    found = resolved(report, designing=True)
    assert (found.values.by_name["waybills"], found.from_samples) == (("W25-1", "W25-2"), {"waybills"})
    with pytest.raises(ParameterError, match="Parameter waybills: A value is missing; give one"):
        resolved(report).complete_values()
    assert resolved(report, designing=True, waybills=["x"]).values.by_name["waybills"] == ("x",)


def test_relative_values_are_resolved_against_the_data_time() -> None:
    parameters = [
        Parameter(name="when", kind="date", holds="range", default="last full quarter"),
        Parameter(name="since", kind="timestamp", holds="range", default="last hour"),
        Parameter(name="day", kind="date", default="start of this month"),
        Parameter(name="days", kind="date", holds="list", default=("today", "2025-03-01")),
    ]
    report = report_of(parameters=parameters)
    found = bind(report, {})
    assert (found.by_name["when_from"], found.by_name["when_to"]) == (date(2025, 7, 1), date(2025, 9, 30))
    assert found.by_name["since_from"] == datetime(2025, 12, 31, 5, 30)
    assert (found.by_name["day"], found.by_name["days"]) == (date(2025, 12, 1), (date(2025, 12, 31), date(2025, 3, 1)))
    assert found.labels["when"] == "1 Jul 2025 – 30 Sept 2025"
    message = bind(report, {"data_time": "2024-02-29T12:00", "when": "this month"})
    assert (message.by_name["when_to"], message.labels["day"]) == (date(2024, 2, 29), "1 Feb 2024")


def test_a_default_outside_its_list_is_kept_apart() -> None:
    found = resolved(
        report_of(parameters=[SEASON.but(default="x"), SEASON.but(name="many", holds="list", default=("s", "x"))])
    )
    assert found.outside_choices == {"season": ("x",), "many": ("x",)}
    assert found.values.by_name["many"] == ("s",)
    assert "Its default 'x' is not in its list. Choose one of s, w." in str(found.faults["season"])


def test_data_time_of_a_server_stays_until_refreshed(postgresql: Any, tmp_path: Path) -> None:
    session = Session(postgresql.library(tmp_path))
    report = report_of(queries=[Query(name="rows", connection="db", sql="select 1 as n where :since_to > :since_from")],
                       parameters=[Parameter(name="since", kind="timestamp", holds="range", default="last hour")])  # fmt: skip
    first = session.data_time(report)
    assert session.data_time(report) == first
    assert abs((datetime.now(report.zone).replace(tzinfo=None) - first).total_seconds()) < 60


@pytest.mark.parametrize("holds", ["one", "list"])
def test_a_sample_outside_its_list_gives_way_to_the_default(holds: str) -> None:
    default = "w" if holds == "one" else ("w",)
    stray = SEASON.but(holds=holds, sample="x" if holds == "one" else ("x",), default=default)
    found = resolved(report_of(parameters=[stray]), designing=True, forgiving=True)
    assert (found.values.by_name["season"], found.from_samples, found.faults) == (default, frozenset(), {})
    without = resolved(report_of(parameters=[stray.but(default=None)]), designing=True, forgiving=True)
    assert "Choose again: x is not in its list any more" in str(without.faults["season"])


def test_a_given_data_time_asks_nothing_of_the_data(library: MakeLibrary) -> None:
    made = library("create table lines (n integer)")
    (made.root / "db.sqlite").unlink()
    report = report_of(parameters=[Parameter(name="day", kind="date", default="yesterday")])
    found = Session(made).resolve_parameters(report, {"data_time": "2025-03-01T06:00"})
    assert found.complete_values().by_name["day"] == date(2025, 2, 28)
    assert "db.sqlite cannot be read" in str(Session(made).resolve_parameters(report).faults["day"])


@pytest.mark.parametrize(
    ("given", "message"),
    [
        ({"seasom": "s"}, "no parameter 'seasom'. Did you mean season?"),
        ({"data_time": "2025-01-01", "seasom": "s"}, "no parameter 'seasom'"),
        ({"season": "s", "twice": 4}, "'twice' is computed and cannot be given; give what it is computed from"),
    ],
)
def test_only_parameters_can_be_given(given: dict[str, Any], message: str) -> None:
    report = report_of(
        parameters=[SEASON], named_values=[NamedValue(name="twice", value=FromExpression(expression="2 * 2"))]
    )
    with pytest.raises(ParameterError) as caught:
        resolved(report, **given)
    assert message in str(caught.value)


def test_of_a_list_stays_what_is_still_in_it() -> None:
    seasons = SEASON.but(holds="list", default=("w",))
    found = resolved(report_of(parameters=[seasons]), forgiving=True, season=["x", "s", "y"])
    assert (found.values.by_name["season"], found.dropped) == (("s",), {"season": ("x", "y")})
    gone = resolved(report_of(parameters=[seasons]), forgiving=True, season=["x"])
    assert gone.values.by_name["season"] == ("w",)  # it needs a value, so that it takes its default
    optional = resolved(report_of(parameters=[seasons.but(required=False)]), forgiving=True, season=["x"])
    assert optional.values.by_name["season"] == ()
    several = resolved(report_of(parameters=[SEASON.but(holds="list", default=("x", "y"))]))
    assert "Its default 'x' is not in its list" in str(several.faults["season"])
