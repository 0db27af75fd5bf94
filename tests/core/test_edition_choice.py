"""What values decide of an edition: which it is, what is visible, how many rows a page, in what order."""

import re
from collections.abc import Callable
from typing import Any

import pytest

from northmoor.core.document import Document
from northmoor.core.errors import ParameterError
from northmoor.core.model.blocks.table import Column, OrderBy
from northmoor.core.model.parameters import Choice, Parameter
from northmoor.core.model.report import Edition
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, column_of, dumped, lines_of, query, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
DETAIL = Parameter(name="detail", kind="boolean", default=True)


def blocks_of(document: Document) -> set[str]:
    return {item["origin"]["block"] for page in dumped(document)["pages"] for item in page["items"]}


def test_blocks_and_columns_are_visible_when_their_expressions_say_so(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    columns = (
        Column(name="route", value="route", title="Route"),
        Column(name="pieces", value="pieces", title="Pieces", visible=":detail"),
    )
    text = {"kind": "text", "name": "note", "text": "Few", "visible": "sum(rows.pieces) < :limit"}
    total = row_of(pieces="sum(pieces)").but(cells=({"column": "route", "text": "All", "span": 2},))
    report = report_of(
        text, table_of(*columns, total=total), parameters=[DETAIL, Parameter(name="limit", kind="integer", default=22)]
    )
    document = render(report, made)
    assert blocks_of(document) == {"note", "table"}
    assert column_of(document, "pieces")[:2] == ["4", "2"]
    hidden = render(report, made, detail=False, limit=21)
    assert blocks_of(hidden) == {"table"}
    assert {column for line in lines_of(hidden) for column in line.cells} == {"route"}
    assert column_of(hidden, "route", "total") == ["All"]
    assert hidden.findings == ()


def test_a_table_without_a_visible_column_is_gone_and_its_query_is_not_run(library: MakeLibrary) -> None:
    table = table_of("pieces").but(visible=":detail")
    report = report_of(
        {"kind": "text", "name": "t", "text": "Here"}, table, sql="select * from nowhere", parameters=[DETAIL]
    )
    document = render(report, library(FREIGHT), detail=False)
    assert (blocks_of(document), document.findings, document.row_count) == ({"t"}, (), 0)
    hidden = table_of(Column(name="pieces", value="pieces", visible="false"))
    assert blocks_of(render(report_of({"kind": "text", "name": "t", "text": "x"}, hidden), library(FREIGHT))) == {"t"}


@pytest.mark.parametrize(
    ("changes", "message"),
    [
        ({"visible": ":nix"}, "Block table: Whether it is visible cannot be decided: .*no parameter :nix"),
        ({"visible": "'yes'"}, "says neither yes nor no"),
        ({"visible": "cast('x' as integer) > 1"}, "cannot be decided"),
        (
            {"rows_per_page": "0"},
            "Block table: Its rows a page cannot be decided: '0' is 0, and a whole number from 1 is wanted",
        ),
        ({"rows_per_page": "'ten'"}, "a whole number from 1 is wanted"),
        (
            {"levels": ({"name": "route", "by": "route", "first_groups": "-1"},)},
            "level route: How many groups it keeps cannot be",
        ),
    ],
)
def test_what_cannot_be_decided_stays_and_is_reported(
    library: MakeLibrary, changes: dict[str, Any], message: str
) -> None:
    document = render(report_of(table_of("pieces").but(**changes)), library(FREIGHT))
    assert "table" in blocks_of(document)
    (finding,) = document.findings
    assert finding.rule == "undecided"
    assert re.search(message, str(finding))


def test_rows_a_page_and_their_order_follow_values(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    by = Parameter(
        name="by",
        choices=(Choice(value="pieces", label="Pieces"), Choice(value="charge", label="Charge")),
        default="pieces",
    )
    rows = Parameter(name="rows", kind="integer", required=False)
    order = (OrderBy(by="case :by when 'pieces' then pieces else charge end"),)
    report = report_of(table_of("pieces", "charge", rows_per_page=":rows", order=order), parameters=[by, rows])
    assert len(render(report, made)) == 1
    document = render(report, made, rows=4)
    assert [sum(line.page == n and line.kind == "detail" for line in lines_of(document)) for n in (1, 2)] == [4, 2]
    assert column_of(document, "pieces") == ["1", "2", "3", "4", "5", "6"]
    assert column_of(render(report, made, by="charge"), "pieces") == ["3", "5", "1", "2", "4", "6"]


def test_how_many_rows_there_are_can_be_a_value(library: MakeLibrary) -> None:
    report = report_of(
        table_of("pieces"),
        sql="select * from lines order by pieces desc limit :top",
        parameters=[Parameter(name="top", kind="integer", default=2)],
    )
    assert column_of(render(report, library(FREIGHT)), "pieces") == ["6", "5"]
    assert len(column_of(render(report, library(FREIGHT), top=5), "pieces")) == 5


def test_which_edition_is_shown_can_be_a_value(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    layout = Parameter(
        name="layout",
        choices=(Choice(value="full", label="Full"), Choice(value="board", label="Board")),
        default="board",
    )
    editions = (
        Edition(name="full", blocks=(table_of("pieces"),)), Edition(name="board", blocks=({"kind": "text", "name": "sum", "text": "{sum(rows.pieces)}"},)),
    )  # fmt: skip
    report = report_of(parameters=[layout]).but(
        queries=(query("select * from lines"),), editions=editions, shown_edition=":layout"
    )
    assert blocks_of(render(report, made)) == {"sum"}
    assert blocks_of(render(report, made, layout="full")) == {"table"}
    assert Session(made).render(report, {}, "full").edition.name == "full"
    for expression, message in (
        (":layout || 's'", "no edition 'boards'. Did you mean board"),
        ("1", "Which edition to show cannot be decided"),
    ):
        with pytest.raises(ParameterError, match=message):
            render(report.but(shown_edition=expression), made)


def test_an_empty_table_shows_its_text(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    port = Parameter(name="port", label="Port {1}", default="x")
    sql = "select * from lines where route = :port"

    def said(**changes: Any) -> list[str]:
        lines = lines_of(render(report_of(table_of("pieces", **changes), sql=sql, parameters=[port, DETAIL]), made))
        return [line.cells[None] for line in lines if line.kind == "empty"]

    assert said() == ["There are no rows for Port {1} = x."]
    assert said(when_empty="Nichts für {label(:port)}.") == ["Nichts für x."]
    assert said(when_empty="") == []
