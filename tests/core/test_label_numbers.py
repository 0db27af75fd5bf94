"""How numbers are written where nothing is said: years, keys and codes without a thousands separator, in tables, texts,
matrices and charts; doubles of a column with as many decimals as one another."""

from collections.abc import Callable

import pytest

from northmoor.core.expr.label_numbers import is_label_number
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.table import Cell, Column, Row
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.parameters import Parameter
from northmoor.core.sources.library import Library
from tests.helpers import column_of, dumped, level_of, lines_of, render, report_of, table_of

MakeLibrary = Callable[[str], Library]
ROWS = """create table lines (year integer, waybill_id integer, pieces integer, sold date);
insert into lines values (2024, 12345, 4321, '2024-05-01'), (2025, 12346, 1234, '2025-06-02');"""


@pytest.mark.parametrize(
    ("expression", "is_label"),
    [
        ("year", True), ("waybill_id", True), ("rows.code", True), (":year", True), ('"Season"', True),
        ("year(sold)", True), ("date_part('year', sold)", True), ("extract(year from sold)", True),
        ("pieces", False), ("year + pieces", False), ("sum(year)", False), ("yearly", False), ("", False),
    ],
)  # fmt: skip
def test_an_expression_is_a_label_by_its_name(expression: str, is_label: bool) -> None:
    assert is_label_number(expression) == is_label


def test_labels_have_no_separator_and_amounts_have(library: MakeLibrary) -> None:
    table = table_of("year", "waybill_id", "pieces", Column(name="sold", value="year(sold)"))
    said = TextBlock(name="said", text="{year(max(rows.sold))}: {:year}, {sum(rows.pieces)} {:pieces}")
    matrix = MatrixBlock(
        name="matrix", query="rows", rows=(MatrixLevel(name="year", by="year"),),
        columns=(MatrixLevel(name="id", by="waybill_id"),), measures=(Measure(name="pieces", value="sum(pieces)"),),
    )  # fmt: skip
    chart = ChartBlock(
        name="chart", query="rows", category=ChartLevel(name="year", by="year"),
        measures=(ChartMeasure(name="pieces", value="sum(pieces)"),),
    )  # fmt: skip
    values = [Parameter(name=name, kind="integer", default=2024) for name in ("year", "pieces")]
    document = render(report_of(table, said, matrix, chart, parameters=values), library(ROWS))
    columns = {name: column_of(document, name) for name in ("year", "waybill_id", "pieces", "sold")}
    assert columns == {
        "year": ["2024", "2025"], "waybill_id": ["12345", "12346"], "pieces": ["4,321", "1,234"], "sold": ["2024", "2025"],
    }  # fmt: skip
    items = [i for page in dumped(document)["pages"] for i in page["items"] if i["kind"] == "text"]
    assert [i["text"] for i in items if i["origin"]["block"] == "said"] == ["2025: 2024, 5,555 2,024"]
    shown = {block: {i["text"] for i in items if i["origin"]["block"] == block} for block in ("matrix", "chart")}
    assert {"2024", "2025", "12345", "12346", "4,321", "5,555"} <= shown["matrix"]
    assert {"2024", "2025"} <= shown["chart"]
    assert not {"2,024", "2,025", "12,345"} & (shown["matrix"] | shown["chart"])


def test_whole_numbers_are_years_by_their_values_where_there_are_many_or_they_are_keys(library: MakeLibrary) -> None:
    rows = ", ".join(f"({1998 + n % 7}, {1990 + n})" for n in range(30))
    made = library(f"create table lines (built integer, crew integer); insert into lines values {rows}")
    level = level_of("built", heading=Row(cells=(Cell(column="crew", value="built"),)))
    document = render(report_of(table_of("built", "crew", levels=(level,))), made)
    assert (
        set(column_of(document, "built"))
        == set(column_of(document, "crew", "heading"))
        == set(map(str, range(1998, 2005)))
    )
    assert "2,004" in column_of(document, "crew")  # each once: they count something
    by_built = MatrixLevel(name="built", by="built")
    matrix = MatrixBlock(name="table", query="rows", rows=(by_built,), measures=(Measure(name="n", value="sum(crew)"),))
    texts = {item["text"] for item in dumped(render(report_of(matrix), made))["pages"][0]["items"] if "text" in item}
    assert {"1998", "2004"} <= texts
    few = library("create table lines (built integer); insert into lines values (1950), (2000)")
    assert column_of(render(report_of(table_of("built")), few), "built") == ["1,950", "2,000"]


def test_a_format_of_its_own_decides(library: MakeLibrary) -> None:
    made = library(ROWS)
    assert column_of(render(report_of(table_of(Column(name="year", value="year", format="#,##0"))), made), "year") == [
        "2,024", "2,025",
    ]  # fmt: skip


def test_totals_have_as_many_decimals_as_their_column(library: MakeLibrary) -> None:
    """An average of amounts is as exact as they are; averages of counts are as exact as one another, in all totals."""
    made = library(
        "create table lines (k text, charge decimal(10,2), pieces integer, depth real);"
        "insert into lines values ('a', 38.50, 4, 0.5), ('a', 12.10, 1, 2), ('b', 9.9, 2, 2), ('b', 7, 3, 4);"
    )
    averages = Row(cells=tuple(Cell(column=name, value=f"avg({name})") for name in ("charge", "pieces", "depth")))
    table = table_of("charge", "pieces", "depth", levels=(level_of("k", total=averages),), total=averages)
    document = render(report_of(table), made)
    shown = {name: [line.cells[name] for line in lines_of(document)[1:]] for name in ("charge", "pieces", "depth")}
    assert shown == {
        "charge": ["38.50", "12.10", "25.30", "9.90", "7.00", "8.45", "16.88"],
        "pieces": ["4", "1", "2.5", "2", "3", "2.5", "2.5"],
        "depth": ["0.500", "2.000", "1.250", "2.000", "4.000", "3.000", "2.125"],
    }


def test_doubles_of_a_column_have_as_many_decimals_as_the_longest_needs(library: MakeLibrary) -> None:
    made = library(
        "create table lines (v real, w real, k text); insert into lines values (0.5, 2, 'a'), (12, 3, 'a'), (1e3, 4, 'b');"
    )
    table = table_of("v", "w", Column(name="third", value="v / 3"))
    document = render(report_of(table), made)
    assert column_of(document, "v") == ["0.5", "12.0", "1,000.0"]
    assert column_of(document, "w") == ["2", "3", "4"]
    assert column_of(document, "third") == ["0.167", "4.000", "333.333"]
