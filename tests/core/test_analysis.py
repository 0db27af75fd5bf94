"""A report is analysed once: what its texts reach, and that nothing parses them again."""

from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import pytest

from northmoor.core.analysis import analyse, analyse_edition
from northmoor.core.analysis import analysis as analysis_module
from northmoor.core.base.cache import GenerationalCache
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.trace import trace
from northmoor.core.errors import LayoutError
from northmoor.core.expr import language, templates
from northmoor.core.layout.page.hit_testing import hit_map
from northmoor.core.model import edits
from northmoor.core.model.blocks.tree import walk
from northmoor.core.model.data.queries import Query
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from tests.helpers import report_of, table_of

MakeLibrary = Callable[[str], Library]
ROWS = "create table lines (pieces integer); insert into lines values (1), (2); create table ports (port_id integer); insert into ports values (7), (8), (9);"


def queries_reached(*blocks: object) -> frozenset[str]:
    return analyse_edition(report_of(*blocks).editions[0], GenerationalCache()).queries


@pytest.mark.parametrize("name", ["fares-by-route", "route-month-matrix", "punctuality"])
def test_no_text_of_a_report_is_parsed_after_its_analysis(
    demo: Path, name: str, monkeypatch: pytest.MonkeyPatch
) -> None:
    path = demo / "reports" / f"{name}.moor"
    report, session = load_report(path), Session(Library.around(path))
    language._parsed.cache_clear()
    templates.parse_template.cache_clear()
    analysis = analyse(report, GenerationalCache())
    known = {expression.text for text in analysis.texts for expression in text.expressions}
    assert len(known) > 10
    parsed = []
    real = language._parse
    monkeypatch.setattr(language, "_parse", lambda text: parsed.append(text) or real(text))
    document = session.render(report)
    document.pdf()
    block = next(block for block in walk(report.editions[0].blocks) if "space_after" in type(block).model_fields)
    session.render(edits.change_block(report, report.editions[0].name, block.name, space_after=9_000)).pdf()
    traced = 0
    for region in hit_map(document.composition, 0).regions[::25]:
        with suppress(LayoutError):  # a place without a figure
            trace(document, 0, region, CancelToken())
            traced += 1
    assert traced > 0
    assert known.isdisjoint(parsed)


def test_an_edit_analyses_only_what_it_changed(monkeypatch: pytest.MonkeyPatch) -> None:
    cache, seen = GenerationalCache(), []
    report = report_of({"kind": "text", "name": "a", "text": "{1}"}, {"kind": "text", "name": "b", "text": "{2}"})
    analyse(report, cache)
    real = analysis_module.texts_of
    monkeypatch.setattr(
        analysis_module, "texts_of", lambda part, *a: seen.append(getattr(part, "name", None)) or real(part, *a)
    )
    edition = report.editions[0].name
    found = analyse(edits.change_block(report, edition, "b", text="{3}"), cache)
    assert seen == ["b", edition]
    assert [e.text for text in found.texts for e in text.expressions] == ["1", "3"]


def test_queries_are_reached_by_expressions_however_they_are_written_and_by_no_other_text() -> None:
    assert queries_reached(
        {"kind": "text", "name": "t", "text": '{count("ports".port_id)} {max( targets . revenue )}'}
    ) == {
        "ports",
        "targets",
    }
    link = {"kind": "text", "name": "t", "text": "see ports.port_id", "link": "http://example.org/ports.html"}
    assert queries_reached(link) == frozenset()


def test_only_reached_queries_are_fetched(library: MakeLibrary) -> None:
    ports = Query(name="ports", connection="db", sql="select port_id from ports")
    rows = Query(name="rows", connection="db", sql="select pieces from lines")
    counted = report_of(
        {"kind": "text", "name": "t", "text": '{count("ports".port_id)}'}, table_of("pieces"), queries=[rows, ports]
    )
    document = Session(library(ROWS)).render(counted)
    assert (set(document.rows), document.findings) == ({"rows", "ports"}, ())
    linked = report_of(
        {"kind": "text", "name": "t", "text": "x", "link": "http://example.org/ports.html"},
        table_of("pieces"),
        queries=[rows, ports],
    )
    assert set(Session(library(ROWS)).render(linked).rows) == {"rows"}


def test_a_text_that_does_not_parse_keeps_its_fault_and_its_place() -> None:
    report = report_of({"kind": "text", "name": "t", "text": "{sum(}"}, table_of("pieces", visible="nosuch("))
    faults = {text.source.place: text.fault for text in analyse(report, GenerationalCache()).texts if text.fault}
    assert set(faults) == {"main · t · text", "main · table · visible"}
    assert all(fault.position is not None for fault in faults.values())
