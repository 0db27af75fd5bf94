"""Edits: new reports that are sound, from old ones that stay as they are."""

import inspect
from collections.abc import Callable

import pytest

from northmoor.core.model import edits
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.table import Cell, Column, Row, RowPlace
from northmoor.core.model.edits import change_style, matrix_of, matrix_to_table, table_to_matrix, uses_of
from northmoor.core.model.pages import TextPiece
from northmoor.core.model.report import Report
from northmoor.core.model.serialization import read_report, report_text
from northmoor.core.model.styles import NamedStyle, Style
from northmoor.core.sources.library import Library
from northmoor.demo.reports.fares_by_route import fares_by_route
from tests.helpers import FREIGHT, level_of, lines_of, query, render, report_of, row_of, table_of

TABLE = ("full", "fares-table")
TOTAL = RowPlace("total", "route")


@pytest.fixture
def report() -> Report:
    return fares_by_route()


def table(report: Report):
    return edits.table_of(report, *TABLE)


def test_a_level_comes_with_heading_and_totals_under_the_columns_they_total(report: Report) -> None:
    level = table(edits.add_level(report, *TABLE, "season", "season", 0)).levels[0]
    assert (level.name, level.by) == ("season", "season")
    assert level.heading[0] == Row(style="heading", cells=(Cell(column="month", text="{season}", span=4),))
    assert [(c.column, c.value, c.text, c.span) for c in level.total[0].cells] == [
        ("month", None, "Total for {season}", 1), ("sailings", "sum(sailings)", None, 1),
        ("tickets", "sum(tickets)", None, 1), ("fares", "sum(fares)", None, 1),
    ]  # fmt: skip
    twice = edits.add_level(edits.add_level(report, *TABLE, "season", "season"), *TABLE, "season", "season")
    assert [lv.name for lv in table(twice).levels] == ["route", "season", "season_2"]


def test_a_group_whose_rows_are_hidden_says_its_key_once(report: Report) -> None:
    """The heading goes where the label of the total says the same, and stays where it says more."""
    made = edits.add_level(report, *TABLE, "season", "season")
    hidden = table(edits.show_rows(made, *TABLE, False))
    assert not hidden.show_details
    assert hidden.levels[-1].heading == ()
    assert [cell.text or cell.value for cell in hidden.levels[-1].total[0].cells] == [
        "{season}", "sum(sailings)", "sum(tickets)", "sum(fares)",
    ]  # fmt: skip
    more = edits.change_level(made, *TABLE, "season", heading=Row(cells=(Cell(column="month", text="In {season}"),)))
    assert table(edits.show_rows(more, *TABLE, False)).levels == table(more).levels


def test_levels_move_and_go(report: Report) -> None:
    two = edits.add_level(report, *TABLE, "season", "season")
    assert [lv.name for lv in table(edits.move_level(two, *TABLE, "season", -1)).levels] == ["season", "route"]
    assert [lv.name for lv in table(edits.move_level(two, *TABLE, "season", 5)).levels] == ["route", "season"]
    assert edits.remove_level(two, *TABLE, "season") == report


def test_a_column_is_added_with_its_readers_name_and_goes_with_its_cells(report: Report) -> None:
    more = edits.add_column(report, *TABLE, "route_name", "route_name", 1)
    assert [(c.name, c.title) for c in table(more).columns][1] == ("route_name", "Route name")
    less = table(edits.remove_column(report, *TABLE, "fares"))
    assert [c.column for c in less.total[0].cells] == ["month", "sailings", "tickets"]
    assert less.levels[0].heading[0].cells[0].span == 3
    first_gone = table(edits.remove_column(report, *TABLE, "month"))
    assert first_gone.levels[0].heading[0].cells[0] == Cell(column="sailings", text="{route_name}", span=3)


def test_cells_change_appear_and_go(report: Report) -> None:
    where = (*TABLE, TOTAL, "fares")
    changed = edits.change_cell(report, *where, value="avg(fares)", format="0")
    cell = next(c for c in table(changed).row_at(TOTAL).cells if c.column == "fares")
    assert (cell.value, cell.format) == ("avg(fares)", "0")
    gone = edits.remove_cell(report, *where)
    assert "fares" not in [c.column for c in table(gone).row_at(TOTAL).cells]
    back = edits.change_cell(gone, *where, value="sum(fares)")
    assert table(back).row_at(TOTAL).cells[-1] == Cell(column="fares", value="sum(fares)")


def test_a_look_with_nothing_left_is_no_look() -> None:
    bold = edits.changed_style(None, bold=True)
    assert bold == Style(bold=True)
    assert edits.changed_style(bold, bold=None) is None


def test_pieces_of_headers_change_and_go(report: Report) -> None:
    piece = TextPiece(text="Board copy")
    changed = edits.change_piece(report, "full", "header", "0.center", piece)
    assert changed.edition().header.lines[0].center == piece
    emptied = changed
    for place in ("start", "center", "end"):
        emptied = edits.change_piece(emptied, "full", "header", f"0.{place}", None)
    assert emptied.edition().header is None


def test_every_edit_survives_the_file(report: Report) -> None:
    edited = edits.add_level(report, *TABLE, "season", "season", 0)
    edited = edits.change_level(edited, *TABLE, "season", page_break="between", keep_together=True, largest_gap=0.25)
    edited = edits.change_column(edited, *TABLE, "fares", width=99_213, format="¤#,##0")
    edited = edits.change_edition(edited, "full", page=edited.edition().page.but(orientation="landscape"))
    assert read_report(report_text(edited)) == edited


def test_what_would_be_unsound_is_refused(report: Report) -> None:
    with pytest.raises(ValueError, match="not defined"):
        edits.change_block(report, *TABLE, query="fare")
    with pytest.raises(ValueError, match="overlaps"):
        edits.change_cell(report, *TABLE, TOTAL, "month", span=2)
    with pytest.raises(KeyError):
        edits.change_block(report, "full", "nothing", query="fares")
    with pytest.raises(KeyError):
        edits.table_of(report, "full", "title")


def test_a_column_is_totalled_under_itself(report: Report) -> None:
    bare = edits.change_level(report, *TABLE, "route", total=())
    made = table(edits.add_total(bare, *TABLE, "fares", "route"))
    assert [(c.column, c.value, c.text) for c in made.row_at(TOTAL).cells] == [
        ("month", None, "Total for {route}"), ("fares", "sum(fares)", None),
    ]  # fmt: skip
    more = table(edits.add_total(report, *TABLE, "tickets", None, "avg"))
    assert next(c for c in more.total[0].cells if c.column == "tickets").value == "avg(tickets)"
    with pytest.raises(ValueError, match="cannot be totalled"):
        edits.add_total(edits.change_column(report, *TABLE, "month", value=None, text="x"), *TABLE, "month", None)


def test_matrices_follow_renamed_queries_and_styles() -> None:
    level = MatrixLevel(name="port", by="port", fill="data", members="ports.code", style="strong")
    matrix = MatrixBlock(
        name="m", query="rows", rows=(level,), measures=(Measure(name="n", value="count(*)"),), total_style="strong"
    )
    report = report_of(
        matrix,
        queries=[query("select 1"), query("select 2", name="ports")],
        styles=(NamedStyle(name="strong", bold=True),),
    )
    renamed = edits.rename_query_references(edits.rename_query_references(report, "ports", "harbours"), "rows", "lines")
    found = matrix_of(renamed, "main", "m")
    assert (found.query, found.rows[0].members) == ("lines", "harbours.code")
    assert uses_of(report, "strong") == 2
    found = matrix_of(change_style(report, "strong", name="bold"), "main", "m")
    assert (found.total_style, found.rows[0].style) == ("bold", "bold")


def test_a_table_is_turned_into_a_matrix_and_back(library: Callable[[str], Library]) -> None:
    table = table_of(
        "route", "day", Column(name="charge", value="charge", format="0.00"),
        levels=(level_of("route"), level_of("vessel", total=row_of(charge="sum(charge)"))),
        total=row_of(charge="sum(charge)"),
    )  # fmt: skip
    made = library(FREIGHT)
    turned = table_to_matrix(report_of(table), "main", "table")
    matrix = matrix_of(turned, "main", "table")
    assert ([lv.by for lv in matrix.rows], [lv.by for lv in matrix.columns]) == (["route"], ["vessel"])
    assert [(m.value, m.format) for m in matrix.measures] == [("sum(charge)", "0.00")]
    document = render(turned, made)
    assert not document.findings
    back = matrix_to_table(turned, "main", "table")
    totals = [line.cells["charge"] for line in lines_of(render(back, made)) if line.kind == "total"]
    assert totals == ["0.35", "12.10", "138.55", "9.90", "7.00", "167.90"]


def test_changes_of_properties_have_their_names_to_themselves() -> None:
    takers = {
        name: signature
        for name, function in inspect.getmembers(edits, inspect.isfunction)
        if "changes" in (signature := inspect.signature(function)).parameters
    }
    assert "change_block" in takers
    for name, signature in takers.items():
        *own, changes = signature.parameters.values()
        assert changes.kind is inspect.Parameter.VAR_KEYWORD, name
        assert {each.kind for each in own} == {inspect.Parameter.POSITIONAL_ONLY}, name
