"""Preflight: each rule finds its fault, says what to do and offers it, and is silent on a sound report."""

import re
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest

import northmoor
from northmoor.core.checks import preflight as checks
from northmoor.core.checks.preflight import RULES, preflight, preflight_values
from northmoor.core.checks.value_rules import VALUE_RULES, ValuesToCheck
from northmoor.core.document import Document
from northmoor.core.errors import ConnectionFault, ParameterError
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.table import Cell, Column, Row, TableBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Query, QueryColumn, SharedQuery
from northmoor.core.model.findings import Finding
from northmoor.core.model.parameters import Choice, ChoicesFrom, Parameter
from northmoor.core.model.report import Report
from northmoor.core.model.styles import ConditionalFormat, Style
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, column_of, level_of, lines_of, render, report_of, table_of

MakeLibrary = Callable[[str], Library]


def column(value: str) -> Column:
    return Column(name="x", value=value)


def test_the_demo_has_nothing_to_look_at(demo: Path) -> None:
    assert preflight(northmoor.render(demo / "reports" / "fares-by-route.moor")) == ()


def test_a_parameter_that_nothing_uses_is_found(library: MakeLibrary) -> None:
    parameters = [Parameter(name="port", default="SK"), Parameter(name="least", kind="integer", default=1)]
    report = report_of(table_of("pieces"), sql="select * from lines where pieces > :least", parameters=parameters)
    (finding,) = preflight(render(report, library(FREIGHT)))
    assert (finding.rule, finding.place.parameter, finding.is_error) == ("unused parameter", "port", False)
    assert "Use it as :port, or remove it" in str(finding)


def test_a_parameter_without_a_value_stops_nothing_where_nothing_uses_it(library: MakeLibrary) -> None:
    made, missing = library(FREIGHT), Parameter(name="since", kind="date", holds="range")
    lost = Parameter(name="port", choices_from=ChoicesFrom(query="nowhere", value="code"))
    elsewhere = Query(name="nowhere", connection="gone", sql="select code from ports")
    report = report_of(table_of("pieces"), parameters=[missing, lost])
    report = report.but(queries=(*report.queries, elsewhere))
    found = [(f.rule, f.place.parameter, f.is_error) for f in preflight(render(report, made))]
    assert found == [("unused parameter", "since", False), ("unused parameter", "port", False)]
    (query,) = (q for q in report.queries if q.name == "rows")
    for used in ("pieces > 0 and '2025' > :since_to", "1 in (:port)"):
        changed = query.but(sql=f"select * from lines where {used}")
        with pytest.raises(ParameterError):
            render(report.but(queries=(changed, elsewhere)), made)


def test_a_parameter_used_in_a_cell_only_is_used(library: MakeLibrary) -> None:
    report = report_of(table_of("pieces").but(total={"cells": [{"column": "pieces", "value": "sum(pieces) * :rate"}]}),
                       parameters=[Parameter(name="rate", kind="integer", default=2)])  # fmt: skip
    assert preflight(render(report, library(FREIGHT))) == ()


def test_characters_without_a_glyph_are_found(library: MakeLibrary) -> None:
    made = library("create table lines (t text); insert into lines values ('ok'), ('港 is a harbour');")
    (finding,) = preflight(render(report_of(table_of("t")), made))
    assert finding.rule == "missing character"
    assert "港" in finding.message


def test_values_that_return_nothing_are_named(library: MakeLibrary) -> None:
    port = Parameter(name="port", default="x", choices=(Choice(value="x", label="Nowhere"),))
    report = report_of(table_of("pieces"), sql="select * from lines where route = :port", parameters=[port])
    (finding,) = preflight(render(report, library(FREIGHT)))
    assert str(finding).startswith("Query rows: It returns no rows for port = Nowhere")


@pytest.mark.parametrize(
    ("sql", "kind", "given", "named"),
    [
        ("select * from lines l where pieces > 0 and l.route in (:ids)", "text", ("TQ-SK", "X", "Y"), "2 of 3.*: X, Y. They"),
        ("select route as r, pieces from lines where (route in (:ids))", "text", ("TQ-IL", "X"), "1 of 2.*: X. "),
        ("select * from lines where pieces in (:ids)", "integer", (2, 99), "1 of 2.*: 99. "),
        ("select * from lines where charge in (:ids)", "decimal", ("9.90", "1"), "1 of 2.*: 1. "),
        ("select * from lines where route in (:ids) or pieces > 0", "text", ("X",), None),
        ("select pieces from lines where route in (:ids)", "text", ("X", "TQ-IL"), None),
        ("select * from lines where route in (:ids)", "text", ("TQ-IL",), None),
    ],
)  # fmt: skip
def test_values_from_outside_that_have_no_rows_are_listed(
    library: MakeLibrary, sql: str, kind: Any, given: tuple[Any, ...], named: str | None
) -> None:
    report = report_of(
        table_of("pieces"), sql=sql, parameters=[Parameter(name="ids", kind=kind, holds="list", default=given)]
    )
    found = preflight(render(report, library(FREIGHT)))
    assert [finding.rule for finding in found] == ["values without rows"] * (named is not None)
    assert all(re.search(named or "", finding.message) for finding in found)


def test_faults_of_the_rendering_come_first_and_once(library: MakeLibrary) -> None:
    report = report_of(table_of("nix", "pieces"), parameters=[Parameter(name="unused", default="x")])
    rules = [finding.rule for finding in preflight(render(report, library(FREIGHT)))]
    assert rules == ["faulty cell", "unused parameter"]


def test_every_rule_says_what_it_is_for() -> None:
    assert all(rule.__doc__ for rule in (*RULES, *VALUE_RULES))


def test_what_was_noticed_about_the_data_is_reported(library: MakeLibrary) -> None:
    query = Query(
        name="rows", connection="db", sql="select * from lines", columns=(QueryColumn(name="chrage", label="Charge"),)
    )
    (finding,) = preflight(render(report_of(table_of("pieces"), queries=[query]), library(FREIGHT)))
    assert (finding.rule, finding.place.query, finding.is_error) == ("data note", "rows", False)
    assert "no column 'chrage' any more, for which it has settings. Did you mean charge?" in finding.message


def test_a_parameter_of_a_shared_query_is_used(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    made.save_shared_query("few", SharedQuery(connection="db", sql="select * from lines where pieces < :most"))
    report = report_of(
        table_of("pieces"),
        queries=[Query(name="rows", shared="few")],
        parameters=[Parameter(name="most", kind="integer", default=3)],
    )
    assert preflight(render(report, made)) == ()


def mended(report: Report, library: Library, label: str, **values: object) -> Report:
    """The report after a finding's remedy."""
    (remedy,) = [r for f in preflight(render(report, library, **values)) for r in f.remedies if r.label == label]
    assert remedy.edit is not None
    return remedy.edit(report)


def test_an_unused_parameter_can_be_used_or_taken_out(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    report = report_of(table_of("route", "pieces"), sql="select route, pieces from lines where pieces > 0",
                       parameters=[Parameter(name="routes", holds="list", default=("TQ-SK",))])  # fmt: skip
    used = mended(report, made, "Filter rows by route")
    assert used.queries[0].sql.split("where ")[1].split() == ["pieces", ">", "0", "and", "route", "in", "(:routes)"]
    assert column_of(render(used, made), "route") == ["TQ-SK"] * 3
    assert preflight(render(used, made)) == ()
    assert mended(report, made, "Remove").parameters == ()


def test_a_used_companion_name_uses_its_parameter(library: MakeLibrary) -> None:
    parameters = [
        Parameter(name="when", kind="date", holds="range", default="this year"),
        Parameter(name="ids", holds="list", default=("a",)),
    ]
    text = {"kind": "text", "name": "t", "text": "{:when_from} {:ids_count}"}
    assert preflight(render(report_of(text, parameters=parameters), library(FREIGHT))) == ()


def test_a_placeholder_without_a_parameter_can_get_one_of_the_right_kind(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    report = report_of(table_of("pieces"), sql="select * from lines where pieces > :least and day in (:days)")
    findings = preflight(render(report, made))
    assert [(f.rule, f.place.query, f.message) for f in findings] == [
        ("missing parameter", "rows", "The SQL has :days, and the report has no such parameter."),
        ("missing parameter", "rows", "The SQL has :least, and the report has no such parameter."),
    ]
    whole = mended(
        mended(report, made, "Add :least (integer)"),
        made,
        "Add :days (date list)",
    )
    assert [(p.name, p.kind, p.holds) for p in whole.parameters] == [
        ("least", "integer", "one"),
        ("days", "date", "list"),
    ]
    assert {f.rule for f in preflight(render(whole, made, days=["2025-01-01"]))} == set()


def test_a_default_outside_its_list_can_be_exchanged(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    season = Parameter(name="season", default="x", choices=(Choice(value="s", label="Summer"),))
    report = report_of(parameters=[season], sql="select * from lines where :season is not null")
    found = Session(made).resolve_parameters(report)
    (finding,) = preflight_values(ValuesToCheck(found, made))
    assert (finding.rule, finding.is_error) == ("stray default", True)
    assert str(finding) == "Parameter season: Its default x is not in its list. Choose one of s."
    assert [r.edit(report).parameters[0].default for r in finding.remedies if r.edit] == ["s", None]
    many = report.but(parameters=(season.but(holds="list", default=("x", "s")),))
    (finding, _) = preflight(render(many.but(queries=()), made))
    assert (finding.rule, finding.is_error) == ("stray default", False)


def test_values_that_cannot_be_had_can_be_exchanged(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    pieces = Parameter(name="pieces", kind="integer", default=1, maximum_value=5)
    season = Parameter(name="season", choices=(Choice(value="s", label="Summer"),))
    report = report_of(parameters=[pieces, season], sql="select * from lines where :season is not null")
    found = Session(made).resolve_parameters(report, {"pieces": 9})
    findings = preflight_values(ValuesToCheck(found, made))
    assert [[(r.label, r.values) for r in f.remedies] for f in findings] == [
        [("Back to the default", {"pieces": None})], [("Choose Summer", {"season": "s"}), ("Let it be left empty", None)],
    ]  # fmt: skip


def test_no_rows_offer_other_values(library: MakeLibrary) -> None:
    port = Parameter(name="port", label="Port", required=False)
    report = report_of(
        table_of("pieces"), sql="select * from lines where :port is null or route = :port", parameters=[port]
    )
    document = render(report, library(FREIGHT), port="Nowhere")
    (finding,) = preflight(document)
    assert str(finding) == "Query rows: It returns no rows for Port = Nowhere."
    assert [(r.label, r.values) for r in finding.remedies] == [
        ("Back to the defaults", {"port": None}), ("Without Port", {"port": ""}),
    ]  # fmt: skip
    (said,) = [line.cells[None] for line in lines_of(document) if line.kind == "empty"]
    assert said == "There are no rows for Port = Nowhere."


def test_no_rows_at_the_defaults_offer_another_choice(library: MakeLibrary) -> None:
    choices = (Choice(value="x", label="Nowhere"), Choice(value="TQ-SK", label="Skarholm"))
    port = Parameter(name="port", label="Port", default="x", choices=choices)
    report = report_of(table_of("pieces"), sql="select * from lines where route = :port", parameters=[port])
    made = library(FREIGHT)
    (finding,) = preflight(render(report, made))
    (remedy,) = finding.remedies
    assert (remedy.label, remedy.values) == ("Port: Skarholm", {"port": "TQ-SK"})
    assert preflight(render(report, made, **remedy.values)) == ()


def test_more_rows_than_a_page_holds_are_reported(library: MakeLibrary) -> None:
    made = library(
        "create table lines (n integer); with recursive s(i) as (select 1 union all select i + 1 from s where i < 200) insert into lines select i from s;"
    )
    report = report_of(
        table_of("n", rows_per_page=":rows"), parameters=[Parameter(name="rows", kind="integer", default=90)]
    )
    document = render(report, made)
    (finding,) = preflight(document)
    pages = [len([1 for line in lines_of(document) if line.page == n and line.kind == "detail"]) for n in (1, 2, 3, 4)]
    held = pages[0]
    assert pages == [40] * 4
    assert finding.message == f"It asks for 90 rows a page, which no page holds; pages have up to {held}, evenly."
    (remedy,) = finding.remedies
    assert preflight(render(remedy.edit(report).but(parameters=()), made)) == ()


def test_sample_values_are_named_while_designing(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    report = report_of(table_of("pieces"), sql="select * from lines where route in (:routes)",
                       parameters=[Parameter(name="routes", holds="list", sample=("TQ-SK",))])  # fmt: skip
    session = Session(made)
    (finding,) = preflight(session.render_resolved(session.resolve_parameters(report, designing=True)))
    assert (finding.rule, finding.is_error) == ("sample value", False)


def test_a_rule_that_fails_is_a_finding(
    library: MakeLibrary, monkeypatch: pytest.MonkeyPatch, caplog: pytest.LogCaptureFixture
) -> None:
    def broken(_: Document) -> Iterator[Finding]:
        """Fail."""
        raise ConnectionFault("The server is gone")
        yield

    monkeypatch.setattr(checks, "RULES", (broken,))
    (finding,) = preflight(render(report_of(table_of("pieces")), library(FREIGHT)))
    assert (finding.rule, finding.is_error) == ("unchecked", False)
    assert "The rule broken failed" in caplog.text


def test_groups_that_could_not_be_kept_together_are_reported(library: MakeLibrary) -> None:
    script = "create table lines (k text, n integer); insert into lines with recursive r(i) as (select 0 union all select i + 1 from r where i < 119) select case when i < 100 then 'long' else 'short' end, i from r;"
    table = table_of("n", levels=(level_of("k", keep_together=True),))
    (finding,) = preflight(render(report_of(table), library(script)))
    assert (finding.rule, finding.is_error) == ("split group", False)
    assert finding.message.startswith("1 group that is kept together had to be split")
    assert preflight(render(report_of(table.but(keep_rows="k = 'short'")), library(script))) == ()


def test_pictures_without_a_text_can_be_marked_as_decoration(library: MakeLibrary, tmp_path: Path) -> None:
    (tmp_path / "dot.svg").write_text(
        '<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"><path d="M0 0h9v9z"/></svg>'
    )
    made, report = (
        library(FREIGHT),
        report_of(PictureBlock(name="dot", file="dot.svg", height=9_000), table_of("route")),
    )
    (finding,) = [each for each in preflight(render(report, made)) if each.rule == "no words"]
    assert not finding.is_error
    assert "describe it" in finding.message
    (remedy,) = finding.remedies
    assert remedy.edit is not None
    assert preflight(render(remedy.edit(report), made)) == ()


def test_a_step_of_headings_that_is_left_out_is_found(library: MakeLibrary) -> None:
    texts = tuple(
        TextBlock(name=f"h{step}", text=f"Step {step}", listed="contents", heading=step) for step in (1, 2, 4, 5)
    )
    found = preflight(render(report_of(*texts, table_of("route")), library(FREIGHT)))
    assert [(each.rule, each.place.block) for each in found] == [("heading", "h4")]
    assert "of step 4, the one before of step 2" in found[0].message


@pytest.mark.parametrize(
    ("table", "corrected"),
    [
        (table_of("route", column("peices * 2")), "pieces * 2"),
        (table_of("route", column("rond(pieces)")), "round(pieces)"),
        (table_of("route", column("round(pieces")), "round(pieces)"),
        (table_of("route", levels=(level_of("vesel"),)), "vessel"),
        (table_of("route", keep_rows="charge > :leest"), "charge > :least"),
        (table_of("route", rules=(ConditionalFormat(when="peices > 2", look=Style(bold=True)),)), "pieces > 2"),
        (table_of("route", total=Row(cells=(Cell(column="route", text="all {sum(charg)}"),))), "all {sum(charge)}"),
    ],
)
def test_what_was_probably_meant_is_a_remedy(library: MakeLibrary, table: TableBlock, corrected: str) -> None:
    made = library(FREIGHT)
    report = report_of(table, parameters=[Parameter(name="least", kind="decimal", default=1)])
    faulty = [each for each in preflight(render(report, made)) if each.is_error]
    assert [[remedy.label for remedy in each.remedies] for each in faulty] == [[f"Correct: {corrected}"]]
    (remedy,) = faulty[0].remedies
    assert remedy.edit is not None
    assert not [each for each in preflight(render(remedy.edit(report), made)) if each.is_error]


def test_what_is_like_nothing_has_no_remedy(library: MakeLibrary) -> None:
    (finding,) = preflight(render(report_of(table_of("xyzzy")), library(FREIGHT)))
    assert finding.remedies == ()
