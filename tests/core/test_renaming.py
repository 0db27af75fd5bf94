"""A name changed wherever it is used: queries, their columns, levels. (Parameters are in test_parameter_renaming.)"""

from collections.abc import Callable
from pathlib import Path

import pytest
from pydantic import ValidationError

from northmoor.core.authoring.rename import rename_column, rename_level, rename_query
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import QueryError
from northmoor.core.model.data.queries import Link, Query, QueryColumn
from northmoor.core.model.pages import Running, RunningLine, TextPiece
from northmoor.core.model.parameters import ChoicesFrom, FromQuery, Parameter
from northmoor.core.model.report import Report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from tests.helpers import dumped, level_of, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
LINES = "select l.vessel, -- the ship\n  sum(pieces) as pieces, :port port\nfrom lines l where vessel <> 'vessel'"
SCRIPT = (
    "create table lines (vessel text, pieces integer); insert into lines values ('Heron', 3), ('Tern', 4), ('Tern', 5);"
)


def fleet() -> Report:
    """A query with another one over it, a detail query, a list, and every kind of text that names its columns."""
    queries = [
        Query(name="rows", connection="db", sql=LINES, columns=(QueryColumn(name="vessel", label="Ship"),)),
        Query(name="over", sql="select r.vessel, count(*) as vessels from rows r group by r.vessel"),
        Query(name="port", connection="db", sql="select vessel from lines",
              detail_of=Link.model_validate({"query": "rows", "columns": [{"own": "vessel", "other": "vessel"}]})),
    ]  # fmt: skip
    text = {"kind": "text", "name": "t", "text": "vessel {max(rows.vessel)} {'vessel'} {{vessel}} {count(over.vessel)}"}
    table = table_of(
        "vessel", "pieces", total=row_of(vessel="count(distinct Vessel)"), visible="max(rows . vessel) <> 'x'"
    )
    parameter = Parameter(
        name="port", choices_from=ChoicesFrom(query="rows", value="vessel", label="port"),
        default=FromQuery(query="rows", column="vessel"),
    )  # fmt: skip
    return report_of(text, table, queries=queries, parameters=[parameter])


def test_a_column_is_renamed_in_sql_expressions_and_references_and_nothing_else_changes(tmp_path: Path) -> None:
    renamed = rename_column(fleet(), "rows", "vessel", "ship name", Library(tmp_path))
    rows, over, port = renamed.queries
    assert rows.sql == LINES.replace("l.vessel,", 'l.vessel as "ship name",')
    assert rows.columns == (QueryColumn(name="ship name", label="Ship"),)
    assert over.sql == 'select r."ship name" as vessel, count(*) as vessels from rows r group by r."ship name"'
    assert port.detail_of == Link.model_validate(
        {"query": "rows", "columns": [{"own": "vessel", "other": "ship name"}]}
    )
    text, table = renamed.editions[0].blocks
    assert text.text == "vessel {max(rows.\"ship name\")} {'vessel'} {{vessel}} {count(over.vessel)}"
    assert (table.columns[0].value, table.columns[0].name) == ('"ship name"', "vessel")
    assert table.total[0].cells[0].value == 'count(distinct "ship name")'
    assert table.visible == "max(rows . \"ship name\") <> 'x'"
    (parameter,) = renamed.parameters
    assert (parameter.choices_from.value, parameter.choices_from.label) == ("ship name", "port")
    assert parameter.default == FromQuery(query="rows", column="ship name")


def test_what_cannot_be_renamed_is_reported(tmp_path: Path) -> None:
    library, everything = Library(tmp_path), Query(name="rows", connection="db", sql="select * from lines")
    with pytest.raises(QueryError, match=r"as in select \*; list its columns"):
        rename_column(report_of(queries=[everything]), "rows", "vessel", "ship", library)
    with pytest.raises(QueryError, match="has a column pieces already"):
        rename_column(fleet(), "rows", "vessel", "pieces", library)


@pytest.mark.parametrize(
    "name", ["fares-by-route", "sailings-log", "cost-centres", "route-month-matrix", "winter-letter"]
)
@pytest.mark.variants
def test_pages_are_the_same_after_every_column_was_renamed(demo: Path, name: str) -> None:
    path = demo / "reports" / f"{name}.moor"
    report, library, count = load_report(path), Library.around(path), 0
    session, renamed = Session(library), load_report(path)
    values = session.resolve_parameters(report).complete_values()
    for query in report.queries:
        for column in session.rows(report, query.name, values, CancelToken()).names:
            try:
                renamed = rename_column(renamed, query.name, column, f"own_{column}", library)
            except QueryError:
                continue  # its SQL does not write the name
            count += 1
    assert count > 3
    given = {"data_time": "2026-01-01T06:00"}
    assert dumped(session.render(renamed, given)) == dumped(session.render(report, given))


def test_a_query_is_renamed_in_expressions_and_in_sql_over_it() -> None:
    renamed = rename_query(fleet(), "rows", "freight")
    assert [query.name for query in renamed.queries] == ["freight", "over", "port"]
    assert renamed.queries[1].sql == "select r.vessel, count(*) as vessels from freight r group by r.vessel"
    assert renamed.queries[2].detail_of.query == "freight"
    text, table = renamed.editions[0].blocks
    assert text.text == "vessel {max(freight.vessel)} {'vessel'} {{vessel}} {count(over.vessel)}"
    assert (table.query, table.visible) == ("freight", "max(freight . vessel) <> 'x'")
    assert renamed.parameters[0].default.query == renamed.parameters[0].choices_from.query == "freight"
    assert rename_query(renamed, "freight", "rows") == fleet()
    with pytest.raises(ValidationError, match="are named 'port'"):
        rename_query(fleet(), "rows", "port")


def test_a_level_is_renamed_in_windows_of_its_table_only(library: MakeLibrary) -> None:
    table = table_of(
        "vessel", "pieces", levels=(level_of("vessel", total=row_of(pieces="{sum(pieces) over vessel} vessel")),)
    )
    other = table.but(name="other")
    header = Running(lines=(RunningLine(start=TextPiece(text="{vessel}"), of="vessel"),))
    report = report_of(
        table, other, queries=[Query(name="rows", connection="db", sql="select vessel, pieces from lines")]
    )
    report = report.but(editions=(report.editions[0].but(header=header),))
    renamed = rename_level(report, "main", "table", "vessel", "ship")
    mine, theirs = renamed.editions[0].blocks
    assert (mine.levels[0].name, mine.levels[0].total[0].cells[0].text) == ("ship", "{sum(pieces) over ship} vessel")
    assert (theirs.levels[0].name, theirs.levels[0].total[0].cells[0].text) == (
        "vessel",
        "{sum(pieces) over vessel} vessel",
    )
    assert renamed.editions[0].header.lines[0].of == "ship"
    assert Session(library(SCRIPT)).render(renamed).findings == Session(library(SCRIPT)).render(report).findings
