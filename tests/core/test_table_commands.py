"""What is done to a table by one of its columns, judged by what is printed."""

from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal

import pyarrow as pa
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.authoring import table_commands as commands
from northmoor.core.authoring.derived_columns import DERIVED_BY_NAME, add_derived_column
from northmoor.core.authoring.format_choices import format_choices, likely_formats, sample_text, with_decimals
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.model import edits
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import Cell, Column, Level, Row, TableBlock
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.model.report import Report
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, Line, column_of, examples, lines_of, render, report_of, table_of

MakeLibrary = Callable[[str], Library]
HERE = ("main", "table")


def grouped(*columns: Column | str) -> Report:
    """The freight lines by route, with a total of the charge for each and for all."""
    total = Cell(column="charge", value="sum(charge)")
    level = Level(name="route", by="route", total=(Row(cells=(Cell(column="vessel", text="Total"), total)),))
    grand = Row(cells=(Cell(column="vessel", text="All"), total))
    return report_of(table_of(*(columns or ("vessel", "pieces", "charge")), levels=(level,), total=(grand,)))


def totals(report: Report, library: Library, column: str) -> list[str]:
    return [line.cells.get(column, "") for line in lines_of(render(report, library)) if line.kind == "total"]


def test_a_share_is_of_all_rows_in_rows_and_totals(library: MakeLibrary) -> None:
    report = add_derived_column(grouped(), *HERE, "charge", DERIVED_BY_NAME["share"])
    document = render(report, library(FREIGHT))
    assert column_of(document, "charge_share") == ["7.2%", "0.2%", "22.9%", "5.9%", "59.6%", "4.2%"]
    assert totals(report, library(FREIGHT), "charge_share") == ["7.4%", "88.4%", "4.2%", "100.0%"]


def test_what_is_derived_from_a_sum_or_a_quotient_is_of_all_of_it(library: MakeLibrary) -> None:
    column = Column(name="charge", value="pieces + 1")
    report = add_derived_column(report_of(table_of(column)), *HERE, "charge", DERIVED_BY_NAME["share"])
    assert column_of(render(report, library(FREIGHT)), "charge_share")[:2] == ["18.5%", "11.1%"]  # 5 and 3 of 27
    quotient = Row(cells=(Cell(column="charge", value="sum(charge) / count(*)"),))
    report = report_of(table_of("charge", total=(quotient,)))
    share = add_derived_column(report, *HERE, "charge", DERIVED_BY_NAME["share"])
    assert totals(share, library(FREIGHT), "charge_share") == [""]
    kept = commands.keep_value(report_of(table_of(column)), *HERE, "pieces + 1", 5, True)
    assert column_of(render(kept, library(FREIGHT)), "charge") == ["5"]


def test_a_share_is_of_the_level_around(library: MakeLibrary) -> None:
    report = add_derived_column(grouped(), *HERE, "charge", DERIVED_BY_NAME["share"], "route")
    assert totals(report, library(FREIGHT), "charge_share") == ["100.0%", "100.0%", "100.0%", ""]


@pytest.mark.parametrize(
    ("name", "window", "rows", "sums"),
    [
        (
            "running",
            "report",
            ["12.10", "12.45", "50.95", "60.85", "160.90", "167.90"],
            ["12.45", "160.90", "167.90", ""],
        ),
        ("running", "route", ["12.10", "12.45", "38.50", "48.40", "148.45", "7.00"], ["", "", "", ""]),
        ("difference", "route", ["", "-11.75", "", "-28.60", "90.15", ""], ["", "", "", ""]),
        ("rank", "report", ["3", "6", "2", "4", "1", "5"], ["2", "1", "3", ""]),
    ],
)
def test_columns_that_follow_from_another(
    library: MakeLibrary, name: str, window: str, rows: list[str], sums: list[str]
) -> None:
    report = add_derived_column(grouped(), *HERE, "charge", DERIVED_BY_NAME[name], window)
    assert column_of(render(report, library(FREIGHT)), f"charge_{name}") == rows
    assert totals(report, library(FREIGHT), f"charge_{name}") == sums


def test_sorting_is_of_groups_where_the_column_is_their_key_and_else_of_rows(library: MakeLibrary) -> None:
    report = commands.sort_by_column(grouped("route", "charge", "vessel"), *HERE, "charge", descending=True)
    report = commands.sort_by_column(report, *HERE, "route", descending=True)
    assert column_of(render(report, library(FREIGHT)), "charge") == ["100.05", "38.50", "9.90", "12.10", "0.35", "7.00"]
    by_total = commands.sort_groups_by_total(report, *HERE, "charge", descending=False)
    assert totals(by_total, library(FREIGHT), "charge") == ["7.00", "12.45", "148.45", "167.90"]


@pytest.mark.parametrize(
    ("column", "value", "kept", "left"),
    [("vessel", "Dunlin", 3, 3), ("route", None, 1, 5), ("pieces", 4, 1, 5), ("charge", Decimal("7.00"), 1, 5)],
)
def test_rows_are_filtered_to_a_value_or_all_but_it(
    library: MakeLibrary, column: str, value: object, kept: int, left: int
) -> None:
    report = grouped("route", "vessel", "pieces", "charge")
    for is_kept, count in ((True, kept), (False, left)):
        filtered = commands.keep_value(report, *HERE, column, value, is_kept)
        assert len(column_of(render(filtered, library(FREIGHT)), "charge")) == count
    both = commands.keep_value(commands.keep_value(report, *HERE, "pieces", 1, False), *HERE, "vessel", "Dunlin", True)
    assert column_of(render(both, library(FREIGHT)), "pieces") == ["2", "5"]


@pytest.mark.parametrize("value", ["it's", True, 7, Decimal("-1.50"), date(2025, 3, 1)])
def test_a_value_as_an_expression_is_that_value(library: MakeLibrary, value: object) -> None:
    same = Column(name="same", value=f"{commands.literal(value)} = {commands.literal(value)}")
    assert column_of(render(report_of(table_of(same)), library(FREIGHT)), "same") == ["yes"] * 6


def test_any_value_and_epoch_are_computed(library: MakeLibrary) -> None:
    total = Row(cells=(Cell(column="any", value="any_value(route)"), Cell(column="at", value="max(epoch(day))")))
    columns = Column(name="any", value="route"), Column(name="at", value="epoch(day)", format="0")
    query = "select route, day from lines where route = 'TQ-IL'"
    report = report_of(table_of(*columns, total=(total,)), sql=query)
    table = edits.table_of(report, *HERE)
    settings = (QueryColumn(name="day", type="date"),)
    report = edits.change_query(report, table.query, columns=settings)
    assert totals(report, library(FREIGHT), "any") == ["TQ-IL"]
    assert column_of(render(report, library(FREIGHT)), "at") == ["1735776000", "1736035200"]


def test_a_moment_is_not_filtered_by() -> None:
    assert not commands.is_literal(datetime(2025, 1, 1))
    with pytest.raises(ValueError, match="write a condition"):
        commands.literal(datetime(2025, 1, 1))


def test_headings_go_beside_their_rows_and_above_them_again(library: MakeLibrary) -> None:
    def headings(report: Report) -> list[Line]:
        return [line for line in lines_of(render(report, library(FREIGHT))) if line.kind == "heading"]

    levels = tuple(Level(name=name, by=name) for name in ("route", "vessel"))
    above = beside = report_of(table_of("pieces", "charge", levels=levels))
    for level in ("route", "vessel"):
        above = commands.heading_beside(above, *HERE, level, False)
    for level in ("vessel", "route"):
        beside = commands.heading_beside(beside, *HERE, level, True)
    table = edits.table_of(beside, *HERE)
    assert [column.name for column in table.columns] == ["route", "vessel", "pieces", "charge"]
    assert [level.heading for level in table.levels] == [(), ()]
    routes = [text for text in column_of(render(beside, library(FREIGHT)), "route") if text]
    assert routes == sorted({line.cells["pieces"] for line in headings(above) if line.level == "route"})
    back = commands.heading_beside(commands.heading_beside(beside, *HERE, "vessel", False), *HERE, "route", False)
    assert [column.name for column in edits.table_of(back, *HERE).columns] == ["pieces", "charge"]
    assert [line.cells for line in headings(back)] == [line.cells for line in headings(above)]


def test_a_column_is_totalled_everywhere_and_grouped_by(library: MakeLibrary) -> None:
    report = commands.total_everywhere(grouped("vessel", "pieces", "charge"), *HERE, "pieces", "max")
    assert totals(report, library(FREIGHT), "pieces") == ["3", "6", "5", "6"]
    by_vessel = commands.group_by_column(report, *HERE, "vessel")
    assert [level.name for level in edits.table_of(by_vessel, *HERE).levels] == ["vessel", "route"]


def test_negative_numbers_are_red_and_no_longer() -> None:
    red = commands.negative_in_red(grouped(), *HERE, "charge", on=True)
    assert commands.is_negative_red(edits.table_of(red, *HERE), "charge")
    assert [rule.when for rule in edits.table_of(red, *HERE).total[0].cells[1].rules] == ["sum(charge) < 0"]
    assert commands.negative_in_red(red, *HERE, "charge", on=False) == grouped()


def test_a_table_is_crossed_by_a_column_and_drawn(library: MakeLibrary) -> None:
    crossed = commands.cross_by_column(grouped(), *HERE, "vessel")
    matrix = edits.matrix_of(crossed, *HERE)
    assert isinstance(matrix, MatrixBlock)
    assert ([level.by for level in matrix.rows], [level.by for level in matrix.columns]) == (["route"], ["vessel"])
    render(crossed, library(FREIGHT)).pdf()
    only = commands.cross_by_column(report_of(table_of("vessel", "charge")), *HERE, "vessel")
    assert not edits.matrix_of(only, *HERE).rows
    chart = edits.block_of(commands.chart_column(grouped(), *HERE, "charge"), "main", "charge-chart")
    assert isinstance(chart, ChartBlock)
    assert chart.category is not None
    assert (chart.category.by, chart.measures[0].value) == ("route", "sum(charge)")


NAMES = ("a", "b", "c", "d", "e")


@settings(max_examples=examples(100))
@given(st.lists(st.integers(0, 3), max_size=3), st.sampled_from(NAMES), st.integers(0, 5))
def test_columns_move_and_every_cell_stays_over_what_it_covered(spans: list[int], column: str, to: int) -> None:
    cells, at = [], 0
    for gap in spans:  # each covers one more column than the gap before it
        at += gap
        if at + gap + 1 <= len(NAMES):
            cells.append(Cell(column=NAMES[at], text=f"c{at}", span=gap + 1))
        at += gap + 1
    before = table_of(*NAMES, total=(Row(cells=tuple(cells)),))
    moved = edits.table_of(edits.move_column(report_of(before), *HERE, column, to), *HERE)
    names = [each.name for each in moved.columns]
    rest = [name for name in NAMES if name != column]
    assert [name for name in names if name != column] == rest
    assert names.index(column) == to - (to > NAMES.index(column))

    def covered(table: TableBlock, cell: Cell) -> set[str]:
        known = [each.name for each in table.columns]
        return set(known[known.index(cell.column) : known.index(cell.column) + cell.span])

    for old, new in zip(cells, moved.total[0].cells, strict=True):
        assert new.text == old.text
        own = covered(before, old)
        others = set().union(*(covered(before, cell) for cell in cells)) - own
        assert not covered(moved, new) & others
        assert covered(moved, new) >= own or column in own or column in others


LOCALE = FormatLocale("en_IE", "EUR")


@pytest.mark.parametrize(
    ("kind", "value", "texts"),
    [
        (
            pa.decimal128(10, 2),
            Decimal("-1234.5"),
            ["-1,234", "-€1,234.50", "(1,234)", "-123,450%", "-1.2K", "-1.2", "-1,234 kg"],
        ),
        (pa.date32(), date(2025, 3, 9), ["Mar 2025", "2025-03-09", "Q1 2025", "Sunday"]),
        (pa.bool_(), True, ["yes", "✓"]),
        (pa.string(), "Tarrow Quay 12", ["TARROW QUAY 12", "Tarr\u00a0owQu\u00a0ay12", "••••••••••y 12"]),
    ],
)
def test_formats_are_chosen_by_how_values_look(kind: pa.DataType, value: object, texts: list[str]) -> None:
    samples = [sample_text(value, choice.pattern, LOCALE) for choice in format_choices(kind, "en_IE")]
    assert all(samples)
    assert set(texts) <= set(samples)


@pytest.mark.parametrize("locale", ["en_IE", "de_DE", "ja_JP", "ar_EG", "hi_IN", "fr_CH", "en_US"])
@pytest.mark.parametrize("kind", [pa.int64(), pa.date32(), pa.timestamp("us", "UTC"), pa.time64("us"), pa.bool_()])
def test_every_format_suits_its_kind_in_every_locale(locale: str, kind: pa.DataType) -> None:
    value = pa.scalar(1, pa.int64()).cast(pa.int32() if pa.types.is_date(kind) else pa.int64()).cast(kind).as_py()
    choices = format_choices(kind, locale)
    assert len({choice.label for choice in choices}) == len(choices)
    assert all(sample_text(value, choice.pattern, FormatLocale(locale, "EUR", "UTC")) for choice in choices)


def test_the_likely_formats_follow_from_the_name() -> None:
    assert likely_formats(pa.float64(), "fares", "en_IE")[0].pattern == "¤#,##0"
    assert likely_formats(pa.float64(), "load share", "en_IE")[0].pattern == "#,##0%"
    assert likely_formats(pa.int64(), "pieces", "en_IE")[0].pattern == "#,##0"
    assert likely_formats(pa.string(), "fares", "en_IE")[0].pattern == "upper"
    assert not likely_formats(pa.binary(), "fares", "en_IE")


@pytest.mark.parametrize(
    ("pattern", "more", "fewer"),
    [
        (None, "#,##0.0", "#,##0"),
        ("#,##0.00", "#,##0.000", "#,##0.0"),
        ("¤#,##0;(¤#,##0)", "¤#,##0.0;(¤#,##0.0)", "¤#,##0;(¤#,##0)"),
        ("#,##0.0%", "#,##0.00%", "#,##0%"),
        ("0 'no. 0'", "0.0 'no. 0'", "0 'no. 0'"),
    ],
)
def test_decimals_are_added_and_taken_away(pattern: str | None, more: str, fewer: str) -> None:
    assert with_decimals(pattern, 1, pa.int64()) == more
    assert with_decimals(pattern, -1, pa.int64()) == fewer
