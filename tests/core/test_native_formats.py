"""Rules, colour scales and bars in a spreadsheet: its own, and a spreadsheet program finds them where the pages do."""

import re
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

import pytest
from openpyxl.formula.translate import Translator
from openpyxl.utils import range_boundaries
from openpyxl.worksheet.worksheet import Worksheet

from northmoor.core.document import Document
from northmoor.core.model.blocks.table import Column, Drawing, TableBlock
from northmoor.core.model.styles import ColorScale, ConditionalFormat, Style
from northmoor.core.output.content.nodes import TableNode, leaves
from northmoor.core.output.content.table_rows import TableContent
from northmoor.core.sources.library import Library
from tests.core.test_spreadsheet_files import book, recalculated
from tests.helpers import FREIGHT, level_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
LIT, ALARM = Style(fill="#FFE9A8"), Style(color="#B3402E", bold=True)


def when(condition: str, look: Style = LIT, **more: Any) -> ConditionalFormat:
    return ConditionalFormat(when=condition, look=look, **more)


def shown(name: str, *rules: ConditionalFormat, **more: Any) -> Column:
    return Column(name=name, value=name, title=name, rules=rules, **more)


def formats_of(sheet: Worksheet) -> dict[str, list[Any]]:
    """The conditional formats of a sheet by their ranges."""
    return {str(each.sqref): list(each.rules) for each in sheet.conditional_formatting}


def test_rules_become_formulas_over_the_cells_of_their_row(library: MakeLibrary) -> None:
    table = table_of(
        shown("pieces"),
        shown("note", when("note = 'timber'")),
        shown("charge", when("charge > 30 and pieces < 5"), when("pieces * 2 between 1 and 4", ALARM)),
        levels=(level_of("vessel", total=row_of(charge="sum(charge)").but(rules=(when("sum(charge) > 100"),))),),
    )
    sheet = book(render(report_of(table), library(FREIGHT))).worksheets[0]
    found = formats_of(sheet)
    assert found["B2:B4 B6:B8"][0].formula == ['EXACT($B2,"timber")']
    alarm, lit = sorted(found["C2:C4 C6:C8"], key=lambda rule: rule.priority)
    assert lit.formula == ["AND(IF(AND(ISNUMBER($C2)),$C2>30,FALSE),IF(AND(ISNUMBER($A2)),$A2<5,FALSE))"]
    assert (alarm.dxf.font.b, alarm.dxf.font.color.rgb, lit.dxf.fill.bgColor.rgb) == (True, "FFB3402E", "FFFFE9A8")
    assert found["C5 C9"][0].formula == ["IF(AND(ISNUMBER($C5)),$C5>100,FALSE)"]
    assert {sheet[place].fill.fill_type for place in ("B2", "B4", "C2", "C5")} == {None}  # what rules change is theirs


def test_rules_of_all_rows_and_of_a_further_line_are_those_of_its_cells(library: MakeLibrary) -> None:
    line = row_of(vessel="note", pieces="pieces * 2").but(rules=(when("pieces * 2 > 10", ALARM),))
    table = table_of("vessel", "pieces", detail=(line,), rules=(when("pieces > 3"),))
    found = formats_of(book(render(report_of(table), library(FREIGHT))).worksheets[0])
    places = {place.split()[0] for place in found}
    assert places == {"A2", "B2"}  # the further line asks for pieces, which it does not show
    table = table.but(detail=(line.but(rules=(when("pieces * 2 > 10", ALARM),)),), rules=(when("pieces * 2 > 6"),))
    found = formats_of(book(render(report_of(table), library(FREIGHT))).worksheets[0])
    assert [len(rules) for place, rules in found.items() if place.startswith("B3")] == [2]


@pytest.mark.filterwarnings("ignore:.*extension is not supported")  # of bars it knows the rest
def test_scales_and_bars_are_those_of_the_spreadsheet(library: MakeLibrary) -> None:
    scale = ColorScale(low="#FFFFFF", middle="#9CC9C4", high="#2F7F86", maximum=10)
    table = table_of(shown("pieces", scale=scale), shown("charge", draw=Drawing(kind="bar", color="#7B4B94")))
    sheet = book(render(report_of(table), library(FREIGHT))).worksheets[0]
    colors, bars = (rules[0] for rules in formats_of(sheet).values())
    assert [float(stop.val) for stop in colors.colorScale.cfvo] == [1, 5.5, 10]
    assert [color.rgb for color in colors.colorScale.color] == ["FFFFFFFF", "FF9CC9C4", "FF2F7F86"]
    assert [float(stop.val) for stop in bars.dataBar.cfvo] == [0, 100.05]
    assert bars.dataBar.showValue is False
    assert [cell.value for cell in sheet["B"][1:]] == [38.5, 12.1, 9.9, 100.05, 0.35, 7]


@pytest.mark.parametrize(
    "table",
    [
        table_of(shown("pieces", when("charge > 30"))),
        table_of(shown("pieces", when("pieces > 3", Style(size=12_000)))),
        table_of(shown("pieces", when("pieces > 3"), when("pieces > 4", Style(fill="#FFFFFF"), stop=True), style=None)),
        table_of(shown("pieces", when("pieces > avg(rows.pieces)"))),
        table_of(shown("charge", when("charge * 3 > 30"))),
        table_of(shown("pieces", when("pieces > 3"), when_zero="none")),
        table_of(shown("vessel", when("vessel = 'Curlew'"), blank_repeats=True)),
        table_of(shown("empty", when("empty <> 'x'")).but(value="empty")),
    ],
    ids=[
        "a column that is not shown",
        "size",
        "a fill over a fill",
        "other rows",
        "decimals computed",
        "words for zero",
        "blank repeats",
        "empty texts",
    ],
)
def test_what_the_cells_do_not_hold_looks_as_it_is_printed(library: MakeLibrary, table: TableBlock) -> None:
    sheet = book(render(report_of(table, sql="select *, '' as empty from lines"), library(FREIGHT))).worksheets[0]
    is_laid_over = len(table.columns[0].rules) == 2
    assert bool(formats_of(sheet)) is is_laid_over  # a fill over a fill is two formats, the later one first
    if table.columns[0].rules[0].look == LIT and not is_laid_over:
        assert "FFFFE9A8" in {cell.fill.fgColor.rgb for cell in sheet["A"]}


@pytest.mark.slow
def test_a_spreadsheet_program_finds_them_where_the_pages_do(library: MakeLibrary, tmp_path: Path) -> None:
    rules = {
        "pieces": ("pieces >= 3 and charge < 20", "pieces is null or pieces = 4"),
        "charge": ("charge > 5.5 and pieces * 2 - 1 > 4", "charge is not null and pieces between 2 and 4"),
        "note": ("note <> 'feed'", "note = 'Timber' or pieces > 4"),
    }
    columns = (
        shown(name, when(first, stop=name == "charge"), when(second, ALARM), when_null=None)
        for name, (first, second) in rules.items()
    )
    sql = "select * from lines union all select null, null, null, null, 4, 'x'"
    document = render(report_of(table_of(*columns), sql=sql), library(FREIGHT))
    assert holding(document, tmp_path) == printed(document)


def holding(document: Document, tmp_path: Path) -> dict[str, tuple[bool, ...]]:
    """Which conditional formats of each cell hold, from the one that counts least, as a spreadsheet program says."""
    asked: dict[str, tuple[str, int]] = {}
    wanted: dict[str, str] = {}
    for sqref, rules in formats_of(book(document).worksheets[0]).items():
        for area in sqref.split():
            left, top, _, bottom = range_boundaries(area)
            first = f"{chr(64 + left)}{top}"
            for row in range(top, bottom + 1):
                for rule in rules:
                    place, at = f"{chr(64 + left)}{row}", len(asked) + 1
                    asked[f"A{at}"] = (place, -rule.priority)
                    moved = Translator(f"={rule.formula[0]}", origin=first).translate_formula(place)
                    wanted[f"A{at}"] = named(moved, document)
    answers = recalculated(document, tmp_path, None, wanted)
    found: dict[str, list[tuple[int, bool]]] = {}
    for cell, (place, order) in asked.items():
        found.setdefault(place, []).append((order, bool(answers[cell].value)))
    return {place: tuple(holds for _, holds in sorted(each)) for place, each in found.items()}


def named(formula: str, document: Document) -> str:
    """A formula over cells of the table's sheet, from another sheet."""
    title = book(document).worksheets[0].title
    return re.sub(r"\$([A-Z])(\d+)", rf"'{title}'!$\1\2", formula)


def printed(document: Document) -> Mapping[str, tuple[bool, ...]]:
    """Which of the two rules of each cell changed its look on the page."""
    (node,) = (leaf for each in document.output("xlsx").nodes() for leaf in leaves(each))
    assert isinstance(node, TableNode)
    return {
        f"{chr(65 + column)}{number}": (cell.look.fill == LIT.fill, cell.look.color == ALARM.color)
        for number, row in enumerate(TableContent(node.layout).rows(node.start, node.end), 2)
        for column, cell in enumerate(row.cells)
    }
