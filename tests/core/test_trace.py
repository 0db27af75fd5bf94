"""Trace: every figure of the examples, and of tables of every kind, agrees with plain SQL on the rows behind it."""

from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.trace import Trace, trace
from northmoor.core.checks.trace.tables import cell_content, traced_fragment
from northmoor.core.checks.trace.trial import try_content
from northmoor.core.document import Document
from northmoor.core.errors import LayoutError, NorthmoorError
from northmoor.core.layout.page.hit_testing import hit_map
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.table import PAGE_ROWS, Cell, Column, HeadRow, RowPlace
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.pages import PageSetup, Running, RunningLine, TextPiece
from northmoor.core.model.parameters import Parameter
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from tests.core.test_levels import SALES
from tests.core.test_trees import CENTRES, tree
from tests.helpers import level_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]


def traces(document: Document, every: int = 1) -> Iterator[tuple[str, Trace]]:
    """The traces of a document's cells, with the place of each."""
    for page in range(len(document)):
        cells = [
            s
            for s in hit_map(document.composition, page).regions
            if s.column and (s.row != "head" or s.number) and s.printed is not None
        ]
        for region in cells[::every]:
            yield (
                f"{region.row} {region.level} {region.column} on {page + 1}",
                trace(document, page, region, CancelToken()),
            )


def check(document: Document, every: int = 1) -> int:
    """Trace cells; how many figures there were, all of which agree."""
    count = 0
    for place, found in traces(document, every):
        for figure in found.figures:
            assert figure.agrees, (place, figure)
            assert found.rows.table.num_rows == figure.expected_rows
            count += 1
    return count


def spans_of(document: Document) -> list[dict[str, object]]:
    """The spans that bound a document's measurements."""
    rows = document.rows.get("voyages") or document.rows["voyage"]
    found: list[dict[str, object]] = rows.table.to_pylist()
    return found


@pytest.mark.slow
@pytest.mark.parametrize("name", ["voyage-report", "fleet-day"])
def test_a_statistic_of_a_signal_shows_its_readings_and_plain_sql_says_the_same(demo: Path, name: str) -> None:
    path = demo / "reports" / f"{name}.moor"
    document = Session(Library.around(path.parent)).render(load_report(path))
    asked = 0
    for place, found in traces(document, every=7):
        for figure in found.figures:
            assert figure.agrees is not False, (place, figure)
        if found.readings is None:
            continue
        statistic, readings = found.figures[-1], found.readings.table
        asked += statistic.agrees is True
        if statistic.formula.startswith("mean over time") and statistic.value is not None:
            weights, values = readings["weight"].to_pylist(), readings["value"].to_pylist()
            assert sum(weights) == pytest.approx(1)
            assert sum(w * v for w, v in zip(weights, values, strict=True)) == pytest.approx(statistic.value, rel=0.01)
            lasted = float(sum(readings["seconds counted"].to_pylist()))
            assert lasted in {float(row["duration"]) for row in spans_of(document)}
    assert asked > 5


@pytest.mark.slow
def test_a_statistic_in_a_matrix_or_a_chart_shows_its_readings_too(demo: Path) -> None:
    path = demo / "reports" / "voyage-report.moor"
    report = load_report(path)
    matrix = MatrixBlock(
        name="crossed", query="figures", rows=(MatrixLevel(name="label", by="label"),),
        measures=(Measure(name="mean", value="max(mean)", title="Mean"),),
    )  # fmt: skip
    chart = ChartBlock(
        name="bars", query="figures", draw="bars", category=ChartLevel(name="category", by="label"),
        measures=(ChartMeasure(name="value", value="max(mean)"),),
    )  # fmt: skip
    edition = report.editions[0].but(blocks=(matrix, chart))
    document = Session(Library.around(path.parent)).render(report.but(editions=(edition,)))
    seen = []
    for region in hit_map(document.composition, 0).regions:
        if region.printed is not None and (region.part == "measure" or region.row == "mark") and region.row != "head":
            found = trace(document, 0, region, CancelToken())
            if found.readings is not None and found.figures[-1].value is not None:
                assert all(figure.agrees for figure in found.figures), (region, found.figures)
                seen.append((region.block, found.figures[-1].formula))
    assert {("crossed", "mean over time of Speed"), ("bars", "mean over time of Speed")} <= set(seen)


@pytest.mark.parametrize("name", ["fares-by-route", "cost-centres", "sailings-log"])
@pytest.mark.variants
def test_figures_of_the_examples_agree(demo: Path, name: str) -> None:
    path = demo / "reports" / f"{name}.moor"
    document = Session(Library.around(path.parent)).render(load_report(path))
    assert check(document, every=11) > 20


def test_a_trace_reports_formula_scope_and_rows(library: MakeLibrary) -> None:
    inner = level_of("month", total=row_of(v="{sum(v)} of {sum(v) over route}, {sum(v) / sum(v) over report; 0.0 %}"))
    table = table_of("route", "month", "v", levels=(level_of("route"), inner), total=row_of(v="median(v)"))
    document = render(report_of(table, page=PageSetup(size="A5")), library(SALES))
    regions = hit_map(document.composition, 0).regions
    region = next(s for s in regions if (s.row, s.level, s.column) == ("total", "month", "v"))
    found = trace(document, 0, region, CancelToken())
    assert found.scope == "route = r0, month = 1"
    assert [f.formula for f in found.figures] == ["sum(v)", "sum(v) over route", "sum(v) / sum(v) over report"]
    assert found.figures[0].verification.rows == found.rows.table.num_rows == 10
    assert sum(found.rows.table.column("v").to_pylist()) == found.figures[0].value
    assert found.shown.startswith(f"{found.figures[0].value} of ")
    assert check(document, every=5) > 60


@pytest.mark.slow
def test_pages_blocks_trees_and_gathered_groups_agree(library: MakeLibrary) -> None:
    rows = {name: row_of(v="sum(v)", month="count(distinct route)") for name in PAGE_ROWS}
    levels = (
        level_of("route", order_by="sum(v)", first_groups=3, others="Others", total=row_of(v="{max(v)} in {route}")),
        level_of("month", total=row_of(v="sum(v) over route")),
        level_of("row_block(3)").but(name="block", total=row_of(v="min(v)", month="sum(v) over month")),
    )
    table = table_of("route", "month", "v", levels=levels, keep_rows="v > 5", total=row_of(v="avg(v)"), **rows)
    document = render(report_of(table, page=PageSetup(size="A5")), library(SALES))
    assert check(document, every=17) > 20
    nested = table_of(
        "v", levels=(tree(order_by="name", total=row_of(v="{name}: {sum(v)}, {sum(v) over own}, {depth()}")),)
    )
    found = list(traces(render(report_of(nested), library(CENTRES))))
    answers = {f.formula: f.agrees for _, each in found for f in each.figures}
    assert answers == {"v": True, "name": True, "sum(v)": True, "sum(v) over own": True, "depth()": True}


def test_figures_of_a_tree_whose_way_up_does_not_count_agree(library: MakeLibrary) -> None:
    total = row_of(v="{sum(v)}, {count(*)}, {sum(v) over report}, {sum(v) over own}, {name}, {depth()}")
    running = Column(name="a", value="sum(v) over (report order by v)")
    picked = tree(order_by="name", keep_groups="min(name) = 'Islands' or name = 'Rent'", total=total)
    nested = table_of("v", running, levels=(picked,), page_total=row_of(v="sum(v)"))
    document = render(report_of(nested), library(CENTRES))
    found = [(place, f, t.rows.table.num_rows) for place, t in traces(document) for f in t.figures]
    assert [each for each in found if not each[1].agrees] == []
    assert {f.formula for _, f, _ in found} >= {"sum(v)", "count(*)", "sum(v) over own", "name", "v"}
    assert [count for place, f, count in found if f.formula == "sum(v)" and "total" in place] == [2, 2, 2, 1, 1, 3]


def test_windows_over_the_groups_of_a_tree_agree(library: MakeLibrary) -> None:
    total = row_of(
        v="{sum(sum(v)) over (report rows 2 preceding)}, {rank() over (report order by sum(v) desc)}",
        a="{sum(v) - lag(sum(v)) over report}, {sum(sum(v) over own) over (report rows unbounded preceding)}",
    )
    running = Column(name="a", value="sum(v) over (centre rows unbounded preceding)")
    nested = table_of("v", running, levels=(tree(order_by="name", total=total),))
    found = list(traces(render(report_of(nested), library(CENTRES))))
    assert sum(len(each.figures) for _, each in found) > 30
    assert [(place, f) for place, each in found for f in each.figures if not f.agrees] == []


def test_figures_in_the_head_agree(library: MakeLibrary) -> None:
    titled = Column(name="v", title="of {sum(v)}", value="v")
    table = table_of(titled, "month", head=(HeadRow(cells=(Cell(column="month", text="{max(v)} in all"),)),))
    document = render(report_of(table), library(SALES))
    regions = [s for s in hit_map(document.composition, 0).regions if s.row == "head"]
    found = [
        trace(document, 0, region, CancelToken())
        for region in regions
        if (region.column, region.number) in (("v", 0), ("month", 1))
    ]
    assert [(each.scope, f.formula, f.agrees) for each in found for f in each.figures] == [
        ("all rows of the table", "max(v)", True), ("all rows of the table", "sum(v)", True),
    ]  # fmt: skip
    with pytest.raises(LayoutError, match="There is no figure here"):
        trace(document, 0, next(s for s in regions if (s.column, s.number) == ("month", 0)), CancelToken())


def test_running_totals_differences_and_ranks_agree(library: MakeLibrary) -> None:
    month = level_of(
        "month",
        total=row_of(
            v="{sum(sum(v)) over (route rows unbounded preceding)} {sum(v) - lag(sum(v)) over route}",
            month="{rank() over (report order by sum(v) desc)} {avg(max(v)) over report}",
            route="{sum(sum(v) / sum(v) over report) over (report rows 9 preceding)} {sum(sum(v) over route) over report}",
        ),
    )
    running = Column(name="run", value="sum(v) over (route rows unbounded preceding)")
    near = Column(name="near", value="v - avg(v) over (report rows 2 preceding)")
    numbered = Column(name="n", value="row_number() over (month order by v, month, route)")
    table = table_of(
        "route", "month", "v", running, near, numbered, levels=(level_of("route"), month), keep_rows="v > 9"
    )
    assert check(render(report_of(table), library(SALES)), every=29) > 30


def test_figures_of_paragraphs_headers_and_footers_agree(library: MakeLibrary) -> None:
    text = TextBlock(
        name="said", text="{sum(rows.v)} of {count(*) filter (where rows.v > :least); 0} in {report_title()}"
    )
    footer = Running(lines=(RunningLine(end=TextPiece(text="{max(rows.v) + :least}, {page_number()}")),))
    report = report_of(
        text,
        table_of("v", show_head=False),
        parameters=[Parameter(name="least", kind="integer", default=90)],
        edition={"footer": footer},
    )
    document = render(report, library(SALES))
    regions = hit_map(document.composition, 1).regions + hit_map(document.composition, 0).regions
    assert not any(region.row == "head" for region in regions)
    found = trace(document, 0, next(s for s in regions if s.row == "text"), CancelToken())
    assert [f.agrees for f in found.figures] == [True, True, None]
    assert (found.scope, found.shown) == ("all rows of rows", f"{found.figures[0].value:,} of 23 in {document.title}")
    found = trace(document, 1, next(s for s in regions if s.row == "footer"), CancelToken())
    assert [(f.value, f.agrees) for f in found.figures] == [(190, True), (2, None)]
    assert found.rows is not None
    assert found.rows.table.num_rows == found.figures[0].verification.rows == 240


def test_what_cannot_be_traced_says_why(library: MakeLibrary) -> None:
    table = table_of(
        "v",
        total=row_of(v="sum(w)"),
        keep_rows="v > 90",
        levels=(level_of("route", total=row_of(v="sum(sum(rows.v)) over (report rows 1 preceding)")),),
    )
    document = render(report_of(table), library(SALES))
    regions = hit_map(document.composition, 0).regions
    with pytest.raises(LayoutError, match="There is no figure here"):
        trace(document, 0, next(s for s in regions if s.row == "head" and s.column), CancelToken())
    reasons = {
        f.formula: f.verification.why_not for _, each in traces(document) for f in each.figures if f.agrees is None
    }
    assert "there is no field 'w'" in (reasons["sum(w)"] or "")
    assert "not asked again another way" in (reasons["sum(sum(rows.v)) over (report rows 1 preceding)"] or "")


@pytest.mark.slow
def test_figures_of_matrices_agree(library: MakeLibrary) -> None:
    measures = (
        Measure(name="sum", value="sum(v)"), Measure(name="share", value="sum(v) / sum(v) over row"),
        Measure(name="part", text="{sum(v) / sum(v) over column} of {sum(v) over report} in {month}"),
        Measure(name="mean", text="{avg(v)} in {route} of {sum(v) over report}"),
    )  # fmt: skip
    route, month = MatrixLevel(name="route", by="route"), MatrixLevel(name="month", by="month")
    whole = MatrixBlock(
        name="matrix", query="rows", rows=(route,), columns=(month,), measures=measures, keep_rows="v > 5"
    )
    few = whole.but(rows=(route.but(order_by="sum(v)", first_groups=2, others="Others"),))
    for matrix in (whole, few):
        document = render(report_of(matrix, page=PageSetup(size="A3", orientation="landscape")), library(SALES))
        found = list(cells_traced(document))
        assert len(found) > 4
        for each in found:
            for figure in each.figures:
                assert figure.agrees or "values here" in (figure.verification.why_not or ""), (each.scope, figure)
                assert each.rows is not None
                assert each.rows.table.num_rows == figure.expected_rows


def cells_traced(document: Document) -> Iterator[Trace]:
    regions = [s for s in hit_map(document.composition, 0).regions if s.part == "measure" and s.row != "head"]
    for region in [*regions[::17], regions[-1]]:
        yield trace(document, 0, region, CancelToken())


@pytest.mark.slow
@pytest.mark.parametrize("name", ["fares-by-route", "freight-statement", "cost-centres"])
def test_what_is_tried_in_a_cell_is_what_the_page_shows(demo: Path, name: str) -> None:
    path = demo / "reports" / f"{name}.moor"
    document = Session(Library.around(path)).render(load_report(path))
    tried = 0
    for region in [s for s in hit_map(document.composition, 0).regions if s.part == "cell" and s.row != "head"][::5]:
        if region.printed is None or region.column is None:
            continue
        table = traced_fragment(document, 0, region).layout.table
        content = cell_content(table, RowPlace(region.row, region.level, region.number), region.column)
        text, is_template = (content.text, True) if content.value is None else (content.value, False)
        try:
            found = try_content(document, 0, region, text or "", is_template, CancelToken())
        except LayoutError as error:
            assert "on the page once" in error.message  # totals of pages
            continue
        if content.currency is None and not content.when_zero:
            assert found.shown == trace(document, 0, region, CancelToken()).shown, region
            tried += 1
    assert tried >= 3


def test_a_trial_says_what_is_wrong(demo: Path) -> None:
    path = demo / "reports" / "fares-by-route.moor"
    document = Session(Library.around(path)).render(load_report(path))
    region = next(s for s in hit_map(document.composition, 0).regions if (s.row, s.column) == ("detail", "fares"))
    assert try_content(document, 0, region, "tickets + 1", False, CancelToken()).kind == "whole number"
    for text, message in (("fares + route", "joined by"), ("fares +", "cannot be understood")):
        with pytest.raises(NorthmoorError, match=message):
            try_content(document, 0, region, text, False, CancelToken())
