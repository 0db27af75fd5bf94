"""What is wrong with an expression while it is typed: the place, the sentence, and the text that would be right."""

from pathlib import Path

import pytest

from northmoor.core.authoring.completions import completions
from northmoor.core.authoring.expression_check import KnownNames, check_expression, known_names
from northmoor.core.model.blocks.containers import DataBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.blocks.tree import walk
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from tests.helpers import level_of, report_of, table_of

FIELDS = KnownNames(
    {"fares": "decimal", "tickets": "integer", "month": "text", "sold": "date", "computed": None},
    ("year", "since"),
)


@pytest.mark.parametrize(
    ("text", "marked", "corrected"),
    [
        ("faress / tickets", "faress", "fares / tickets"),
        ("sum(fares) / sum(Tikets) over report", "Tikets", "sum(fares) / sum(tickets) over report"),
        ("summ(fares)", "summ", "sum(fares)"),
        ("xyzzy + 1", "xyzzy", None),
        ("max(fares", "(", "max(fares)"),
        ("round(max(fares) / (tickets", "tickets", "round(max(fares) / (tickets))"),
        ("fares * :yeer", ":yeer", "fares * :year"),
        ("month + ' ' + fares", "month", "month || ' ' + fares"),
        ("if(month > 5, 1, 0)", "month > 5", "if(month > '5', 1, 0)"),
        ("100 * sum(month) over report", "month", None),
        ("round(sum(fares) over report, sold)", "round(sum(fares) over report, sold)", None),
    ],
)
def test_unknown_names_are_marked_and_the_nearest_is_offered(text: str, marked: str, corrected: str | None) -> None:
    fault = check_expression(text, FIELDS)
    assert fault is not None
    assert text[fault.position : fault.position + fault.length] == marked
    assert fault.corrected == corrected
    if corrected is not None and "' ' +" not in corrected:  # the second sign is the next fault
        assert check_expression(corrected, FIELDS) is None


def test_faults_of_syntax_are_where_they_are() -> None:
    fault = check_expression("fares +", FIELDS)
    assert fault is not None
    assert (fault.position, fault.corrected) == (6, None)
    assert "cannot be understood" in fault.message


def test_in_a_template_only_what_is_in_braces_is_an_expression() -> None:
    assert check_expression("Faress: {fares; 0.00}", FIELDS, is_template=True) is None
    fault = check_expression("Fares: {faress; 0.00}", FIELDS, is_template=True)
    assert fault is not None
    assert fault.corrected == "Fares: {fares; 0.00}"


@pytest.mark.parametrize(
    ("text", "words"),
    [("fares", "a number"), ("lower(month)", "a text"), ("sold", "a date"), ("fares > 5", None), ("tickets is null", None),
     (":year", None), ("computed", None), ("null", None), ("month in ('June')", None), ("true", None)],
)  # fmt: skip
def test_a_condition_says_yes_or_no(text: str, words: str | None) -> None:
    assert check_expression(text, FIELDS) is None
    fault = check_expression(text, FIELDS, is_condition=True)
    assert (fault is not None) == (words is not None)
    if fault is not None:
        assert fault.message == f"It is {words}, where a condition is needed; write a comparison."


def test_a_text_is_no_condition_within_an_expression() -> None:
    fault = check_expression("if(month, fares, 0)", FIELDS)
    assert fault is not None
    assert fault.message == "month is a text, where a condition is needed."


@pytest.mark.parametrize("text", ["", "fares", ":year + fares", "sum(sum(fares)) over (row rows unbounded preceding)",
                                  "lag(fares) over report", "'faress'", "ports.port_id", "computed + month", "sold - :since + 1", "month = :year",
                                  "sum(round(sum(fares) / 3, 2) over month)", "coalesce(month, '-') || fares"])  # fmt: skip
def test_what_is_right_is_left_alone(text: str) -> None:
    assert check_expression(text, FIELDS) is None


@pytest.mark.parametrize("name", ["fares-by-route", "freight-statement", "route-month-matrix", "punctuality"])
@pytest.mark.variants
def test_the_examples_have_no_faults(demo: Path, name: str) -> None:
    path = demo / "reports" / f"{name}.moor"
    report = load_report(path)
    session = Session(Library.around(path))
    rows = session.render(report).rows
    for block in walk(report.editions[0].blocks):
        if not isinstance(block, DataBlock) or block.query not in rows:
            continue
        own = rows[block.query]
        names = known_names(report, {name: kind.kind for name, kind in zip(own.names, own.types, strict=True)})
        values = [level.by for level in getattr(block, "levels", ()) if hasattr(level, "by")]
        if isinstance(block, TableBlock):
            values += [column.value for column in block.columns if column.value]
            values += [cell.value for _, row in block.rows() for cell in row.cells if cell.value]
        else:
            values += [measure.value for measure in block.measures if measure.value]
        assert {value: fault.message for value in values if (fault := check_expression(value, names))} == {}


@pytest.mark.parametrize(("levels", "windows"), [((), []), (("route", "vessel"), ["over route", "over vessel"])])
def test_levels_are_among_what_can_be_written_where_there_are_any(levels: tuple[str, ...], windows: list[str]) -> None:
    table = table_of("charge", levels=tuple(map(level_of, levels)))
    found = [each.text for each in completions(report_of(table), table, {"charge": "decimal"})]
    assert "charge" in found
    assert [text for text in found if text.startswith("over ")] == [*windows, "over report"]
