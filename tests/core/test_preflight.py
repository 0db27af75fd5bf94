"""Preflight: each rule finds its fault, says what to do, and is silent on a sound report."""

from collections.abc import Callable
from pathlib import Path

import northmoor
from northmoor.core.checks.preflight import RULES, preflight
from northmoor.core.model.data import Query, QueryColumn, SharedQuery
from northmoor.core.model.parameters import Choice, Parameter
from northmoor.core.sources.connections import Library
from tests.helpers import FREIGHT, render, report_of, table_of

MakeLibrary = Callable[[str], Library]


def test_the_demo_has_nothing_to_look_at(demo: Path) -> None:
    assert preflight(northmoor.render(demo / "reports" / "fares-by-route.moor")) == ()


def test_a_parameter_that_nothing_uses_is_found(library: MakeLibrary) -> None:
    parameters = [Parameter(name="port", default="SK"), Parameter(name="least", kind="integer", default=1)]
    report = report_of(table_of("pieces"), sql="select * from lines where pieces > :least", parameters=parameters)
    (finding,) = preflight(render(report, library(FREIGHT)))
    assert (finding.rule, finding.place.parameter, finding.is_error) == ("unused parameter", "port", False)
    assert "Use it as :port, or take it out" in str(finding)


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


def test_faults_of_the_rendering_come_first_and_once(library: MakeLibrary) -> None:
    report = report_of(table_of("nix", "pieces"), parameters=[Parameter(name="unused", default="x")])
    rules = [finding.rule for finding in preflight(render(report, library(FREIGHT)))]
    assert rules == ["faulty cell", "unused parameter"]


def test_every_rule_says_what_it_is_for() -> None:
    assert all(rule.__doc__ for rule in RULES)


def test_what_was_noticed_about_the_data_is_told(library: MakeLibrary) -> None:
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
