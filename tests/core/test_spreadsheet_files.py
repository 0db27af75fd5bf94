"""Spreadsheets: figures are numbers that say what the pages say, totals are formulas that a spreadsheet program computes
to the same, and what a stranger's data hold is never taken for a formula."""

import io
import re
import shutil
import sqlite3
import subprocess
from collections import Counter
from collections.abc import Callable, Mapping
from datetime import date, datetime, time, timedelta
from decimal import ROUND_HALF_EVEN, Decimal
from pathlib import Path
from typing import Any

import openpyxl
import pytest
from hypothesis import given
from hypothesis import strategies as st
from openpyxl.worksheet.worksheet import Worksheet

import northmoor
from northmoor.core.document import Document
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.table import Cell, Column, HeadRow, Row
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.queries import Query
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.output.spreadsheet import as_seen, rows_sheets, table_rows_sheet
from northmoor.core.output.spreadsheet import sheet as sheets
from northmoor.core.output.spreadsheet.number_formats import number_format
from northmoor.core.output.spreadsheet.table_rows_sheet import stored_number
from northmoor.core.sources.library import Library
from tests.core.test_tagged_pdf import DEMO
from tests.helpers import FREIGHT, dumped, level_of, lines_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]


def book(document: Document, options: OutputOptions | None = None, values: bool = False, **more: Any) -> Any:
    """A document's workbook, read by openpyxl; with `values`, formulas are what was stored as their result."""
    return openpyxl.load_workbook(io.BytesIO(written(document, options, **more)), data_only=values)


def written(document: Document, options: OutputOptions | None = None, block: str | None = None) -> bytes:
    from northmoor.core.output.spreadsheet.writer import write_spreadsheet

    target = io.BytesIO()
    write_spreadsheet(document.output("xlsx", block=block, options=options), target)
    return target.getvalue()


def recalculated(
    document: Document, tmp_path: Path, options: OutputOptions | None = None, formulas: Mapping[str, str] | None = None
) -> Worksheet:
    """The first sheet as a spreadsheet program leaves it that has computed all formulas anew; with `formulas`, a sheet
    of these."""
    made = tmp_path / "made.xlsx"
    document.write(made, options=options)
    workbook = openpyxl.load_workbook(made)
    if formulas is not None:
        added = workbook.create_sheet("asked", 0)
        for place, formula in formulas.items():
            added[place] = formula
    for sheet in workbook:
        for row in sheet.iter_rows():
            for cell in row:
                if isinstance(cell.value, str) and cell.value.startswith("=SUBTOTAL"):
                    cell.value = cell.value  # saving it again drops the result that was stored with it
    workbook.save(made)
    office = shutil.which("soffice")
    assert office is not None, "scripts/setup --test installs it"
    profile = f"-env:UserInstallation=file://{tmp_path}/profile"
    command = [
        office,
        profile,
        "--headless",
        "--convert-to",
        "xlsx:Calc MS Excel 2007 XML",
        "--outdir",
        str(tmp_path / "out"),
        str(made),
    ]
    subprocess.run(command, check=True, capture_output=True, timeout=120)
    return openpyxl.load_workbook(tmp_path / "out" / "made.xlsx", data_only=True).worksheets[0]


def rows_of(sheet: Worksheet) -> list[list[Any]]:
    return [[cell.value for cell in row] for row in sheet.iter_rows()]


@pytest.mark.slow
def test_totals_are_formulas_that_equal_the_printed_figures(demo: Path, tmp_path: Path) -> None:
    document = northmoor.render(demo / "reports" / "fares-by-route.moor")
    formulas = [
        cell.value
        for row in book(document).worksheets[0].iter_rows()
        for cell in row
        if str(cell.value).startswith("=")
    ]
    assert len(formulas) == 9 * 3 + 3
    assert all(formula.startswith("=SUBTOTAL(9,") for formula in formulas)
    found = {
        row[0]: row[1:4]
        for row in rows_of(recalculated(document, tmp_path))
        if row[3] is not None and str(row[0]).startswith(("Total", "All"))
    }
    printed = [line for line in lines_of(document, "fares-table") if line.kind == "total"]
    assert len(found) == len(printed) == 10
    for line in printed:
        texts = list(line.cells.values())
        numbers = [Decimal(text.replace(",", "")) for text in texts[1:]]
        assert [Decimal(str(round(value, 2))) for value in found[texts[0]]] == [pytest.approx(n) for n in numbers]


def test_a_sheet_has_the_outline_heads_widths_and_breaks_of_the_table(demo: Path) -> None:
    document = northmoor.render(demo / "reports" / "fares-by-route.moor")
    sheet = book(document).worksheets[0]
    assert sheet.title == "Fares by route and month"
    levels = {sheet.row_dimensions[n].outlineLevel for n in range(1, sheet.max_row + 1)}
    assert levels == {0, 1}
    assert sheet.freeze_panes == "A4"
    assert sheet.print_title_rows == "$3:$3"
    assert sheet.page_setup.paperSize == 9
    assert sheet.sheet_properties.pageSetUpPr.fitToPage
    assert sheet.column_dimensions["A"].width > sheet.column_dimensions["B"].width
    head = sheet["A3"]
    assert (head.value, head.font.b, head.border.bottom.style) == ("Route / month", True, "thin")
    cell = sheet["D5"]
    assert (cell.value, cell.number_format, cell.alignment.horizontal) == (6107.8, "#,##0.00", "right")
    month = sheet["A5"]
    assert (month.value, month.number_format) == (datetime(2025, 1, 1), "mmmm")
    assert month.alignment.indent >= 1


@pytest.mark.parametrize(
    ("value", "pattern", "wanted"),
    [
        (1, None, "#,##0"), (Decimal("1.50"), None, "#,##0.00"), (1.5, "#,##0.0#", "#,##0.0#"), (5, "000", "000"),
        (5, "0.00E0", "0.00E+0"), (0.5, "0.0 %", '0.0" "%'), (12, "¤#,##0.00", '"€"#,##0.00'),
        (12, "#,##0.00 'kn'", '#,##0.00" kn"'), (-3, "#,##0.00;(#,##0.00)", '#,##0.00;"("#,##0.00")"'),
        (7, "compact", None), (12_345, "thousands:#,##0.0", "#,##0.0,"), (7, "millions:¤#,##0", '"€"#,##0,,'),
        (7, "@@", None), (90, "duration", "[h]:mm:ss"), (1.5, "duration-hours", "[h]:mm"),
        (date(2025, 1, 2), "d MMMM y", "d mmmm yyyy"), (datetime(2025, 1, 2, 3, 4), "dd.MM.yy HH:mm", "dd.mm.yy hh:mm"),
        (date(2025, 1, 2), "EEE d. MMM", "ddd d. mmm"), (date(2025, 1, 2), "QQQ y", None), (time(6, 30), "HH:mm", "hh:mm"),
        (datetime(2025, 1, 2), "'week of' d MMM", '"week of "d mmm'), (timedelta(hours=30), None, "[h]:mm:ss"), (True, None, None),
    ],
)  # fmt: skip
def test_patterns_of_cldr_are_number_formats(value: Any, pattern: str | None, wanted: str | None) -> None:
    assert number_format(value, pattern, FormatLocale("en_IE", "EUR", "Europe/Dublin")) == wanted


@pytest.mark.parametrize(
    ("value", "pattern", "wanted"),
    [
        (date(1900, 3, 1), None, 61), (date(2025, 1, 1), None, 45658), (datetime(2025, 1, 1, 12), None, 45658.5),
        (time(6, 0), None, 0.25), (timedelta(days=1.5), None, 1.5), (Decimal("12.34"), None, 12.34), (90, "duration-minutes", 0.0625),
    ],
)  # fmt: skip
def test_moments_and_durations_are_days(value: Any, pattern: str | None, wanted: float) -> None:
    assert stored_number(value, pattern) == wanted


HOSTILE = (
    "create table lines (t text, n integer); insert into lines values ('=1+1', 1), ('+cmd', 2), ('https://x.example', 3), ('@sum(a1)', 4), ('a\x07b', 5), ('"
    + "x" * 40_000
    + "', 6);"
)


def test_texts_of_strangers_are_texts(library: MakeLibrary) -> None:
    document = render(report_of(table_of("t", "n")), library(HOSTILE))
    cells = [row[0] for row in book(document).worksheets[0].iter_rows(min_row=2, max_row=7)]
    assert [cell.data_type for cell in cells] == ["s"] * 6
    assert [cell.value for cell in cells][:2] == ["=1+1", "+cmd"]
    assert cells[2].hyperlink is None
    assert len(cells[5].value) == 32_767


SUMS = (Column(name="charge", value="charge", title="Charge"), Column(name="note", value="note", title="Note"))


@pytest.mark.slow
def test_a_figure_is_a_formula_only_where_that_gives_what_is_printed(library: MakeLibrary, tmp_path: Path) -> None:
    """Sums, means, counts and extremes of a shown column are; others, and columns with plain figures among the rows, are
    not."""
    total = row_of(pieces="sum(pieces)", charge="avg(charge)", day="max(day)", note="count(note)")
    doubled = row_of(pieces="2 * sum(pieces)", charge="median(charge)")
    columns = ("pieces", "charge", "day", "note")
    plain = render(
        report_of(table_of(*columns, levels=(level_of("route", total=total),), total=total)), library(FREIGHT)
    )
    formulas = [
        [c.value for c in row] for row in book(plain).worksheets[0].iter_rows() if str(row[0].value).startswith("=")
    ]
    assert len(formulas) == 4
    assert [row[0][:12] for row in formulas] == ["=SUBTOTAL(9,"] * 4
    assert [row[1][:12] for row in formulas] == ["=SUBTOTAL(1,"] * 4
    assert not any(str(value).startswith("=") for row in formulas for value in row[2:])
    other = render(
        report_of(table_of(*columns, levels=(level_of("route", total=doubled),), total=total)), library(FREIGHT)
    )
    values = rows_of(book(other).worksheets[0])
    assert not any(str(cell).startswith("=") for row in values for cell in row)
    folded = recalculated(plain, tmp_path)
    assert rows_of(folded)[-1][0] == 21
    assert rows_of(folded)[-1][1] == pytest.approx(float(Decimal("167.90") / 6))


@given(
    charges=st.lists(st.tuples(st.sampled_from("abc"), st.decimals(-(10**6), 10**6, places=2)), min_size=1, max_size=30)
)
def test_stored_results_are_the_exact_sums(library: MakeLibrary, charges: list[tuple[str, Decimal]]) -> None:
    values = ", ".join(f"('{key}', {charge})" for key, charge in charges)
    made = library(f"create table lines (k text, charge decimal(12,2)); insert into lines values {values};")
    total = row_of(charge="sum(charge)")
    table = table_of("charge", levels=(level_of("k", total=total),), total=total)
    sheet = book(render(report_of(table), made), values=True).worksheets[0]
    totals = [row[0] for row in rows_of(sheet)][-1:]
    assert totals == [pytest.approx(float(sum(charge for _, charge in charges)), abs=1e-6)]


def test_words_for_missing_values_and_faults_stay_words(library: MakeLibrary) -> None:
    column = Column(name="note", value="note", when_null="none")
    zero = Column(name="zero", value="pieces - pieces", when_zero="–")
    bad = Column(name="bad", value="nowhere")
    found = rows_of(book(render(report_of(table_of(column, zero, bad)), library(FREIGHT))).worksheets[0])
    assert {row[0] for row in found[1:]} == {"timber", "none", "feed", "fish"}
    assert {row[1] for row in found[1:]} == {"–"}
    assert {row[2] for row in found[1:]} == {"⚠ error"}


def test_cells_that_span_are_merged_and_hide_nothing(library: MakeLibrary) -> None:
    head = HeadRow(cells=(Cell(column="route", text="Both", span=2), Cell(column="charge", text="Charge", rows=2)))
    document = render(report_of(table_of("route", "vessel", "charge", head=(head,))), library(FREIGHT))
    sheet = book(document).worksheets[0]
    assert {str(area) for area in sheet.merged_cells.ranges} == {"A1:B1", "C1:C2"}
    assert [sheet["A1"].value, sheet["C1"].value, sheet["A2"].value] == ["Both", "Charge", "route"]


def test_what_a_sheet_cannot_hold_goes_on_in_the_next(library: MakeLibrary, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(sheets, "SHEET_ROWS", 5)
    monkeypatch.setattr(table_rows_sheet, "SHEET_ROWS", 5)
    made = book(render(report_of(table_of("pieces", total=row_of(pieces="sum(pieces)"))), library(FREIGHT)))
    found = [rows_of(sheet) for sheet in made.worksheets]
    assert [sheet.title for sheet in made.worksheets] == ["Untitled report", "Untitled report (2)"]
    assert [row[0] for row in found[0]] == ["pieces", 4, 2, 1, 6]
    assert [row[0] for row in found[1]] == ["pieces", 3, 5, 21]


def test_each_table_or_each_page_break_can_have_a_sheet(demo: Path, library: MakeLibrary) -> None:
    document = northmoor.render(demo / "reports" / "voyage-report.moor")
    made = book(document, OutputOptions(sheet_for="block"))
    assert [sheet.title for sheet in made.worksheets if sheet.title in ("figures", "engines", "events", "readings")] == [
        "figures", "engines", "events", "readings",
    ]  # fmt: skip
    hostile = TextBlock(name="text", text="Odd [name]: a/b?*")
    report = report_of(hostile, table_of("route"), title="'Odd [name]: " + "x" * 40)
    assert book(render(report, library(FREIGHT))).worksheets[0].title == "Odd  name   " + "x" * 19


def test_each_group_of_a_table_can_have_a_sheet(demo: Path, tarrow: sqlite3.Connection) -> None:
    document = northmoor.render(demo / "reports" / "fares-by-route.moor")
    made = book(document, OutputOptions(sheet_for="group"))
    codes = [code for (code,) in tarrow.execute("select code from routes order by code")]
    groups = [sheet for sheet in made.worksheets if sheet.title in codes]
    assert [sheet.title for sheet in groups] == codes
    whole = {tuple(row) for row in rows_of(book(document, values=True).worksheets[0])}
    for sheet, shown in zip(
        made.worksheets, book(document, OutputOptions(sheet_for="group"), values=True), strict=True
    ):
        assert {row for row in map(tuple, rows_of(shown)) if len(row) > 1} <= whole
        formulas = [cell for row in sheet.iter_rows() for cell in row if str(cell.value).startswith("=")]
        assert len(formulas) == 3 * (sheet in groups)
        for cell in formulas:  # over the sheet's own rows: those above it, below the head and the heading
            area = f"{cell.column_letter}3:{cell.column_letter}{cell.row - 1}"
            assert (cell.value, cell.row) == (f"=SUBTOTAL(9,{area})", sheet.max_row)
    assert rows_of(made.worksheets[-1])[1][0].startswith("All")


def test_groups_of_records_and_blanks_have_sheets_too(library: MakeLibrary) -> None:
    table = table_of("pieces", total=row_of(pieces="sum(pieces)"), levels=[{"name": "note", "by": "note"}])
    made = book(render(report_of(table), library(FREIGHT)), OutputOptions(sheet_for="group"))
    assert {"feed", "timber", "blank"} < {sheet.title for sheet in made.worksheets}
    assert sum(len(rows_of(sheet)) - 1 for sheet in made.worksheets) == 6 + 1


@pytest.mark.parametrize("held", [0, 50_000])
def test_the_rows_of_queries_are_a_table_typed_with_a_filter(
    demo: Path, monkeypatch: pytest.MonkeyPatch, held: int
) -> None:
    monkeypatch.setattr(as_seen, "_MOST_HELD", held)
    document = northmoor.render(demo / "reports" / "fares-by-route.moor")
    made = book(document, OutputOptions(sheets="rows"))
    (sheet,) = made.worksheets
    rows = rows_of(sheet)
    table = sheet.tables["fares_rows"]
    assert [column.name for column in table.tableColumns] == rows[0]
    assert rows[0][:4] == ["route", "route_name", "season", "month"]
    assert len(rows) == 1 + document.row_count
    assert rows[1][3] == datetime(2025, 1, 1)
    assert table.ref == table.autoFilter.ref == f"A1:G{len(rows)}"
    assert sheet.freeze_panes == "A2"
    assert isinstance(rows[1][6], float)


def test_columns_of_any_name_are_heads_of_a_table(library: MakeLibrary, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(rows_sheets, "SHEET_ROWS", 3)
    sql = 'select 1 as c, 2 as "a b", 3 as "A\nB" union all select 5, 6, 7 union all select 9, 0, 1'
    query = Query(name="q1", connection="db", sql=sql)
    report = report_of(table_of("c").but(query="q1"), queries=(query,))
    made = book(render(report, library(FREIGHT)), OutputOptions(sheets="rows"))
    assert [list(sheet.tables.items()) for sheet in made.worksheets] == [
        [("q1_rows", "A1:C3")],
        [("q1_rows_2", "A1:C2")],
    ]
    assert [rows_of(sheet)[0] for sheet in made.worksheets] == [["c", "a b", "A B (2)"]] * 2
    empty = report.but(queries=(query.but(sql="select 1 as c where 1 = 0"),))
    assert book(render(empty, library(FREIGHT)), OutputOptions(sheets="rows")).worksheets[0].tables.items() == [
        ("q1_rows", "A1:A2")
    ]


@pytest.mark.slow
def test_a_spreadsheet_program_calculates_with_the_table(demo: Path, tmp_path: Path) -> None:
    document = northmoor.render(demo / "reports" / "fares-by-route.moor")
    (rows,) = document.rows.values()
    formulas = {"A1": f"=SUM(fares_rows[{rows.names[6]}])", "A2": "=ROWS(fares_rows[])"}
    sheet = recalculated(document, tmp_path, OutputOptions(sheets="rows"), formulas)
    takings = rows.table.column(6).to_pylist()
    assert [sheet["A1"].value, sheet["A2"].value] == [pytest.approx(float(sum(takings))), len(takings)]


def test_charts_are_native_where_the_kind_exists_with_their_figures(library: MakeLibrary) -> None:
    measure = ChartMeasure(name="charge", value="sum(charge)")
    level = ChartLevel(name="route", by="route")
    native = ChartBlock(name="a", query="rows", category=level, measures=(measure,), title="Charges")
    other = ChartBlock(name="b", query="rows", draw="boxes", category=level, measures=(measure,))
    made = book(render(report_of(native, other), library(FREIGHT)))
    sheet, figures = made.worksheets
    assert (len(sheet._charts), len(sheet._images)) == (1, 1)
    assert figures.title == "Figures of charts"
    assert rows_of(figures)[:4] == [[None, "charge"], ["TQ-IL", 12.45], ["TQ-SK", 148.45], ["–", 7]]


def test_one_block_and_the_same_bytes(demo: Path) -> None:
    document = northmoor.render(demo / "reports" / "voyage-report.moor")
    made = book(document, block="engines")
    assert rows_of(made.worksheets[0])[0] == [
        "Engine",
        "Times on",
        "Times off",
        "Time on",
        "Time off",
        "Share on",
        "Longest on",
    ]
    assert made.properties.title == "Voyage report"
    assert made.properties.created == document.data_time
    assert written(document) == written(document)


def test_a_cell_in_a_currency_of_its_own_is_as_it_is_printed(library: MakeLibrary) -> None:
    column = Column(name="charge", value="charge", format="¤#,##0.00", currency="'SEK'")
    heading = Row(cells=(Cell(column="charge", text="{route}"),))
    document = render(report_of(table_of(column, levels=(level_of("route", heading=heading),))), library(FREIGHT))
    assert "SEK" in str(rows_of(book(document).worksheets[0])[2][0])


@pytest.mark.slow
@pytest.mark.parametrize(("name", "edition"), DEMO)
def test_the_numbers_of_every_demo_report_are_those_of_its_pages(demo: Path, name: str, edition: str | None) -> None:
    """Each number that a table prints is a number of the sheet, which says it the same in its format."""
    document = northmoor.render(demo / "reports" / f"{name}.moor", edition=edition)
    sheet_numbers: Counter[Decimal] = Counter()
    for sheet in book(document, values=True).worksheets:
        for row in sheet.iter_rows():
            sheet_numbers.update(shown(cell) for cell in row if isinstance(cell.value, int | float))
    for number, count in printed_numbers(document).items():
        assert sheet_numbers[number] >= count, number


def shown(cell: Any) -> Decimal:
    """A number as its format shows it."""
    positive = cell.number_format.split(";")[0]
    places = len(positive.partition(".")[2].rstrip('"% ').replace("#", "0").split('"')[0]) if "." in positive else 0
    value = Decimal(repr(cell.value)) * (100 if "%" in positive else 1)
    if "h" in positive:
        return Decimal(-1)  # a moment or a duration
    return value.quantize(Decimal(1).scaleb(-places), ROUND_HALF_EVEN).normalize()


def printed_numbers(document: Document) -> Counter[Decimal]:
    """The numbers in the rows of tables, without those that belong to pages."""
    found: Counter[Decimal] = Counter()
    tables = {table.name for table in document.edition.tables} | {
        block.name for block in document.edition.data_blocks if block.kind == "matrix"
    }
    begun: set[tuple[Any, ...]] = set()
    for page in dumped(document)["pages"]:
        for item in page["items"]:
            origin = item["origin"]
            is_number = re.fullmatch(r"[−-]?(\d{1,3}(,\d{3})*|\d+)\.\d+", item.get("text") or "")
            if not is_number or origin["block"] not in tables or origin["row"] not in ("detail", "total", "heading"):
                continue
            key = (origin["block"], origin["row"], origin["level"], tuple(origin["keys"]), origin["number"])
            place = (*key, origin["ordinal"], origin["column"], tuple(origin["across"]))
            if origin["level"] == "page" or place in begun:
                continue
            begun.add(place)
            found[Decimal(item["text"].replace(",", "").replace("−", "-")).normalize()] += 1
    return found
