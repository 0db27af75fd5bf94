"""The road: what an edit repeats and what it keeps, faults in their places, stopping."""

import threading
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

import northmoor
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import Cancelled, OutputError, ParameterError
from northmoor.core.layout.chart import in_cells
from northmoor.core.layout.graphics.display_list import items
from northmoor.core.model import edits
from northmoor.core.model.blocks.chart import Chart, ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.table import Cell, Column, Row
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Query
from northmoor.core.model.report import Edition
from northmoor.core.model.styles import Style
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from tests.helpers import (
    FREIGHT,
    column_of,
    dumped,
    level_of,
    lines_of,
    query,
    render,
    report_of,
    row_of,
    script_of,
    table_of,
)

MakeLibrary = Callable[[str], Library]


@pytest.fixture
def calls(monkeypatch: pytest.MonkeyPatch) -> list[str]:
    """The names of stages that really ran."""
    ran: list[str] = []
    for stage, name in (("fetch", "query_rows"), ("evaluate", "evaluate_block")):
        real = getattr(northmoor.core.session, name)
        monkeypatch.setattr(
            northmoor.core.session, name, lambda *a, _real=real, _name=stage: ran.append(_name) or _real(*a)
        )
    return ran


@pytest.mark.parametrize(
    ("edit", "repeated"),
    [
        (lambda r: edits.change_column(r, "main", "table", "charge", width=90_000), []),
        (lambda r: edits.change_column(r, "main", "table", "charge", format="0.0"), []),
        (lambda r: edits.change_column(r, "main", "table", "charge", look=Style(bold=True)), []),
        (lambda r: edits.change_level(r, "main", "table", "route", page_break="between"), []),
        (lambda r: edits.change_column(r, "main", "table", "charge", value="charge * 2"), ["evaluate"]),
        (lambda r: edits.remove_level(r, "main", "table", "route"), ["evaluate"]),
        (lambda r: edits.change_query(r, "rows", sql="select * from lines where pieces > 1"), ["fetch", "evaluate"]),
    ],
)
def test_an_edit_repeats_only_what_depends_on_it(
    library: MakeLibrary, calls: list[str], edit: Callable, repeated: list[str]
) -> None:
    report = report_of(table_of("route", "charge", levels=(level_of("route", total=row_of(charge="sum(charge)")),)))
    session = Session(library(FREIGHT))
    session.render(report)
    calls.clear()
    edited = edit(report)
    kept = session.render(edited)
    assert calls == repeated
    fresh = Session(session.library).render(edited)
    assert dumped(kept) == dumped(fresh)


def test_going_back_to_earlier_values_gives_the_same_bytes(demo: Path) -> None:
    report = demo / "reports" / "fares-by-route.moor"
    session = Session(Library.around(report))
    loaded = northmoor.load_report(report)
    first = session.render(loaded, {"year": 2024}).pdf()
    session.render(loaded, {"year": 2025}).pdf()
    assert session.render(loaded, {"year": 2024}).pdf() == first


def test_a_query_that_fails_is_reported_where_its_table_would_be_and_the_rest_renders(library: MakeLibrary) -> None:
    made = library(FREIGHT)
    queries = [query("select * from lines"), Query(name="gone", connection="db", sql="select nix from lines")]
    other = table_of("pieces").but(name="other", query="gone")
    document = render(report_of(other, table_of("pieces"), queries=queries), made)
    assert column_of(document, "pieces") == ["4", "2", "1", "6", "3", "5"]
    (fault,) = [i["text"] for i in dumped(document)["pages"][0]["items"] if i["origin"]["row"] == "fault"][:1]
    assert fault.startswith("⚠ Query gone: The database refuses it: no such column: nix")
    assert [f.rule for f in document.findings] == ["faulty block"]


def test_a_missing_database_is_reported_where_the_table_would_be(library: MakeLibrary, tmp_path: Path) -> None:
    made = library(FREIGHT)
    (tmp_path / "db.sqlite").unlink()
    document = render(report_of(TextBlock(name="t", text="Freight"), table_of("pieces")), made)
    texts = " ".join(i["text"] for i in dumped(document)["pages"][0]["items"])
    assert texts.startswith("Freight ⚠ Connection db, Query rows: There is no file")


def test_paragraphs_reach_queries_and_faulty_ones_are_marked(library: MakeLibrary) -> None:
    blocks = [
        TextBlock(name="a", text="{sum(rows.pieces)} pieces, {count(distinct rows.route)} routes"),
        TextBlock(name="b", text="{sum(pieces)}"),
        TextBlock(name="c", text="{sum(rows.nothing)}"),
        TextBlock(name="d", text="{oops"),
    ]
    document = render(report_of(*blocks), library(FREIGHT))
    texts = {i["origin"]["block"]: i["text"] for i in dumped(document)["pages"][0]["items"]}
    assert texts == {"a": "21 pieces, 2 routes", "b": "⚠ error", "c": "⚠ error", "d": "⚠ error"}
    assert ["name the query" in str(f) or "nothing" in str(f) or "not closed" in str(f) for f in document.findings] == [
        True
    ] * 3


def test_editions_share_data_and_are_chosen_by_name(library: MakeLibrary) -> None:
    report = report_of(table_of("pieces"))
    board = Edition(name="board", title="For the board", blocks=(table_of("charge"),))
    report = report.but(editions=(*report.editions, board))
    session = Session(library(FREIGHT))
    assert column_of(session.render(report), "pieces")[0] == "4"
    shown = session.render(report, edition="board")
    assert column_of(shown, "charge")[0] == "38.50"
    assert shown.title == "For the board"
    with pytest.raises(ParameterError, match="Did you mean board"):
        session.render(report, edition="bord")


def test_work_can_be_stopped_while_pages_are_written(demo: Path) -> None:
    report = demo / "reports" / "fares-by-route.moor"
    stop = CancelToken()
    document = Session(Library.around(report)).render(northmoor.load_report(report), stop=stop)
    stop.cancel()
    with pytest.raises(Cancelled):
        document.pdf()


def test_work_can_be_stopped_between_two_charts_of_a_page(
    library: MakeLibrary, monkeypatch: pytest.MonkeyPatch
) -> None:
    drawn: list[int] = []
    chart = Chart(category=ChartLevel(name="vessel", by="vessel"), measures=(ChartMeasure(name="n", value="count(*)"),))
    heading = Row(cells=(Cell(column="charge", chart=chart),))
    table = table_of("charge", levels=(level_of("route", heading=(heading,)),))
    document = render(report_of(table), library(FREIGHT))
    real = in_cells.lay_out_chart

    def drawn_once(*arguments: Any) -> Any:
        drawn.append(1)
        document.composition.context.stop.cancel()
        return real(*arguments)

    monkeypatch.setattr(in_cells, "lay_out_chart", drawn_once)
    with pytest.raises(Cancelled):
        document.pdf()
    assert len(drawn) == 1


def test_pages_can_be_looked_at_after_writing_them_was_stopped(library: MakeLibrary, tmp_path: Path) -> None:
    chart = ChartBlock(
        name="chart", query="rows", category=ChartLevel(name="vessel", by="vessel"),
        measures=(ChartMeasure(name="n", value="count(*)"),),
    )  # fmt: skip
    document, stop = render(report_of(chart), library(FREIGHT)), CancelToken()
    with pytest.raises(Cancelled):
        document.write(tmp_path / "x.pdf", lambda _: stop.cancel(), stop)
    assert [item for item in items(document.page(0)) if item.origin.block == "chart"]


def test_stopping_interrupts_a_running_step() -> None:
    stop, interrupted = CancelToken(), threading.Event()
    with stop.on_cancel(interrupted.set):
        stop.cancel()
    assert interrupted.is_set()
    with pytest.raises(Cancelled), stop.on_cancel(interrupted.set):
        raise AssertionError("a step begins after stopping")


def test_output_is_whole_or_not_there(demo: Path, tmp_path: Path) -> None:
    document = northmoor.render(demo / "reports" / "fares-by-route.moor")
    with pytest.raises(Cancelled):
        document.write(tmp_path / "x.pdf", report_progress=lambda _: document.composition.context.stop.cancel())
    with pytest.raises(OutputError, match="end it with"):
        document.write(tmp_path / "x.tape")
    with pytest.raises(OutputError, match="no folder"):
        document.write(tmp_path / "none" / "x.json")
    assert list(tmp_path.iterdir()) == []


def test_hundreds_of_edits_do_not_pile_up(library: MakeLibrary) -> None:
    session = Session(library(FREIGHT))
    report = report_of(table_of(Column(name="note", value="note"), "charge"))
    for width in range(300):
        session.render(edits.change_column(report, "main", "table", "note", width=40_000 + 100 * width))
    assert len(session._kept._results) < 150
    assert session._shapers.lines() < 100


def test_edits_of_many_records_do_not_pile_up(library: MakeLibrary) -> None:
    made = library(script_of([f"shipper {number}" for number in range(6000)]))
    session = Session(made)
    lines = set()
    for space in range(5):
        text = TextBlock(name="text", text="Dear {t},", space_after=1000 * space)
        each = ForEachBlock(name="each", query="rows", by="n", page_break="none", blocks=(text,))
        session.render(report_of(each))
        lines.add(session._shapers.lines())
    assert len(lines) == 1


def test_a_group_of_one_hundred_thousand_and_one_hundred_thousand_groups(library: MakeLibrary) -> None:
    made = library(
        "create table lines (k integer, v integer); insert into lines with recursive n(i) as (select 1 union all select i + 1 from n where i < 100000) select i, 1 from n;"
    )
    one = level_of("v", total=row_of(k="count(*)"))
    every = level_of("k", total=row_of(k="sum(v)"))
    for level, groups in ((one, 1), (every, 100_000)):
        document = render(report_of(table_of("k", levels=(level,))), made)
        assert len(document.composition.placed.tables[0].layout.data.levels[0]) == groups
        last = document.composition.placed.tables[0].fragments[-1]
        assert last.end == 100_000 + groups
        assert document.page(len(document) - 1).layers


def test_the_whole_road_is_one_call_for_a_script(demo: Path, tmp_path: Path) -> None:
    document = northmoor.render(demo / "reports" / "fares-by-route.moor", values={"year": 2024, "season": "summer"})
    (written,) = document.write(tmp_path / "fares.pdf")
    assert written.read_bytes()[:5] == b"%PDF-"
    assert {line.keys[0] for line in lines_of(document, "fares-table") if line.kind == "total" and line.keys} == {
        "OX-SH",
        "TQ-SH",
    }


def test_a_query_that_only_an_expression_reaches_reports_its_own_fault(library: MakeLibrary) -> None:
    queries = [query("select * from lines"), Query(name="targets", connection="db", sql="select nix from lines")]
    table = table_of("pieces", total=row_of(pieces="sum(pieces) / max(targets.t)"))
    document = render(report_of(table, queries=queries), library(FREIGHT))
    assert [f.rule for f in document.findings] == ["faulty query", "faulty cell"]
    assert "no such column: nix" in str(document.findings[0])
    assert column_of(document, "pieces")[0] == "4"


def test_a_title_is_a_text_whatever_it_begins_with(library: MakeLibrary) -> None:
    report = report_of(TextBlock(name="t", text="{report_title()}"), title="\x00page_number")
    (item,) = dumped(render(report, library(FREIGHT)))["pages"][0]["items"]
    assert item["text"].endswith("page_number")
