"""Expressions and templates: what is allowed, what is refused and where, and what is bound."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.errors import ExpressionError
from northmoor.core.expr.function_help import FUNCTION_HELP
from northmoor.core.expr.language import (
    AGGREGATE_FUNCTIONS,
    OWN_FUNCTIONS,
    SCALARS,
    WINDOW_FUNCTIONS,
    bare_column,
    column_expression,
    columns_in,
    parse,
)
from northmoor.core.expr.order_by import format_order_by, parse_order_by
from northmoor.core.expr.templates import Slot, parse_template
from northmoor.core.model.blocks.text import literal_template


@pytest.mark.parametrize(
    "text",
    [
        "fare * quantity", "case when delay_minutes > 15 then 'late' end", "round(sum(fare), 0)", "sum(fare) over route",
        "sum(fare) / sum(fare) over report", "avg(speed) over (report rows 6 preceding)", "fare * :rate", "label(:season)",
        "max(targets.revenue)", "count(*)", "count(distinct route)", "sum(fare) filter (where paid)", '"odd name" || \'x\'',
        "cast(fare as varchar)", "a between 1 and 2", "a in (1, 2, :b)", "a is not null", "extract(year from day)",
        "date_trunc('month', day)", "lag(fare) over report", "rank() over (report order by fare desc)", "coalesce(a, 0)",
        "strftime(day, '%Y')", "not paid and a <> b", "-a % 3", "page_number()", "interval 3 day + day", "a like 'b%'",
    ],
)  # fmt: skip
def test_the_language(text: str) -> None:
    assert parse(text).text == text


@pytest.mark.parametrize(
    ("text", "position", "message"),
    [
        ("read_csv('/etc/passwd')", 0, "read_csv() (character 1) cannot be used"),
        ("1 + getenv('HOME')", 4, "getenv() (character 5) cannot be used"),
        ("read_text('x')", 0, "cannot be used"),
        ("glob('*')", 0, "cannot be used"),
        ("current_setting('threads')", 0, "cannot be used"),
        ("query('select 1')", 0, "cannot be used"),
        ("(select max(fare) from fares)", 0, "A query inside an expression (character 1) cannot be used"),
        ("fare; drop table fares", 4, "remove the semicolon"),
        ("repeat('x', 1000000000)", 0, "repeat() (character 1) cannot be used"),
        ("range(100000000)", 0, "cannot be used"),
        ("sumo(fare)", 0, "Did you mean sum?"),
        ("fare +", 5, "cannot be understood"),
        ("fare fare fare", 10, "cannot be understood"),
        ("*", 0, "cannot be used"),
        ("fare::json", 6, "cannot be used"),
        ("[1, 2]", 0, "cannot be used"),
        ("{'a': 1}", 0, "cannot be used"),
        ("x -> 'a'", 0, "cannot be used"),
        ("list_transform(a, x -> x)", 5, "cannot be used"),
        ("", 0, "There is no expression"),
        ("   ", 0, "There is no expression"),
    ],
)
def test_what_is_refused_is_reported_with_its_character(text: str, position: int, message: str) -> None:
    with pytest.raises(ExpressionError) as caught:
        parse(text)
    assert message in str(caught.value)
    assert caught.value.position == position


def test_endless_expressions_are_refused() -> None:
    for text in ("(" * 4000 + "1" + ")" * 4000, "1" + "+1" * 20_000, "-" * 9000 + "1"):
        with pytest.raises(ExpressionError):
            parse(text)


@given(st.text(max_size=40))
def test_any_text_is_an_expression_or_a_placed_refusal(text: str) -> None:
    try:
        parse(text)
    except ExpressionError as error:
        assert error.position is None or 0 <= error.position <= len(text)


def test_no_function_that_leaves_the_engine_is_on_the_list() -> None:
    listed = SCALARS | AGGREGATE_FUNCTIONS
    assert not {
        name for name in listed if any(w in name for w in ("read", "file", "env", "setting", "glob", "scan", "copy"))
    }


@given(st.text(min_size=1, max_size=12))
def test_every_column_name_can_be_written(name: str) -> None:
    if "\x00" in name or any("\ud800" <= c <= "\udfff" for c in name):
        return
    assert bare_column(column_expression(name)) == name


def test_columns_and_parameters_are_known() -> None:
    expression = parse("sum(Fare * :rate) over route + max(targets.revenue)")
    assert expression.parameters == {"rate"}
    assert columns_in(expression.text) == {"fare", "revenue"}
    assert bare_column("fare + 1") is None
    assert bare_column("fare +") is None
    assert bare_column(None) is None


def test_a_template_has_texts_and_slots() -> None:
    parts = parse_template("Total for {route_name}: {sum(fare); ¤#,##0} {{net}}")
    slots = [part for part in parts if isinstance(part, Slot)]
    assert [part for part in parts if isinstance(part, str)] == ["Total for ", ": ", " {net}"]
    assert [(s.expression.text, s.pattern) for s in slots] == [("route_name", None), ("sum(fare)", "¤#,##0")]


def test_braces_and_semicolons_in_quotes_are_text() -> None:
    (slot,) = parse_template("{case when a = '};{' then \"b;}\" end; 0.0}")
    assert isinstance(slot, Slot)
    assert slot.pattern == "0.0"


@pytest.mark.parametrize(
    ("text", "position"), [("a {b", 2), ("a } b", 2), ("ab {c +} e", 6), ("{}", 1), ("{'a}", 0), ("x {read_csv(1)}", 3)]
)
def test_a_templates_faults_are_placed_in_the_whole_text(text: str, position: int) -> None:
    with pytest.raises(ExpressionError) as caught:
        parse_template(text)
    assert caught.value.position == position


@given(st.text())
def test_a_literal_template_shows_the_text_itself(text: str) -> None:
    assert "".join(str(part) for part in parse_template(literal_template(text))) == text


@pytest.mark.parametrize(
    ("text", "keys"),
    [
        ("", []),
        ("month", [("month", False)]),
        (" month , fares DESC", [("month", False), ("fares", True)]),
        ("coalesce(a, b) desc, 'x, y' || c", [("coalesce(a, b)", True), ("'x, y' || c", False)]),
        (
            "case :by when 'fares' then fares else tickets end desc",
            [("case :by when 'fares' then fares else tickets end", True)],
        ),
    ],
)
def test_an_order_is_one_line_of_text(text: str, keys: list) -> None:
    order = parse_order_by(text)
    assert [(key.by, key.descending) for key in order] == keys
    assert parse_order_by(format_order_by(order)) == order


@pytest.mark.parametrize("text", ["a,", "a, , b", "a +", "drop table x", "(select 1) desc"])
def test_what_is_no_order_is_refused(text: str) -> None:
    with pytest.raises(ExpressionError):
        parse_order_by(text)


@pytest.mark.parametrize(
    "text",
    ["a." * 2000 + "b", "n" + " + 1" * 2000, "t" + " || t" * 1000, "(" * 300 + "n" + ")" * 300, "not " * 900 + "a"],
)
def test_what_is_nested_too_deeply_is_refused(text: str) -> None:
    with pytest.raises(ExpressionError, match="nested too deeply"):
        parse(text)


def test_every_function_is_explained_by_a_call_that_is_understood() -> None:
    words = AGGREGATE_FUNCTIONS | WINDOW_FUNCTIONS | SCALARS | OWN_FUNCTIONS
    assert set(FUNCTION_HELP) == words
    for name, help in FUNCTION_HELP.items():
        if "(" in help.signature:
            assert parse(help.signature).text == help.signature, name
        assert help.sentence.endswith(".")
