"""A parameter's other name, and lists in place of single values, in every text that uses it."""

import re
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from northmoor.core.analysis.report_texts import kind_of_text
from northmoor.core.authoring.parameter_kinds import change_kind
from northmoor.core.authoring.rename import rename_value
from northmoor.core.model.blocks import table, text
from northmoor.core.model.data.queries import Query
from northmoor.core.model.pages import TextPiece
from northmoor.core.model.parameters import (
    AllChoices,
    Assignment,
    Choice,
    FromExpression,
    NamedValue,
    Parameter,
    ValueSet,
)
from northmoor.core.model.report import Report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.demo.reports.fares_by_route import fares_by_route
from northmoor.demo.reports.selected_waybills import selected_waybills
from tests.helpers import report_of, row_of, table_of


def sample() -> Report:
    """A report whose every kind of text uses the parameter ``port``."""
    text = {
        "kind": "text",
        "name": "t",
        "text": ":port stays {:port} {label(:port)} {{:port}}",
        "visible": ":port <> ':port'",
    }
    table = table_of("pieces", total=row_of(pieces="count(*) filter (where port = :port)"), rows_per_page=":port")
    return report_of(
        text, table, queries=[Query(name="rows", connection="db", sql="select ':port' as x, y::int from t where a = :port -- :port\nand b=:port")],
        parameters=[Parameter(name="port"), Parameter(name="year", default=FromExpression(expression="upper(:port)"))],
        named_values=(NamedValue(name="v", value=FromExpression(expression=":port || 'x'")),),
        value_sets=(ValueSet(name="Set", values=(Assignment(parameter="port", value="TQ"),)),),
        shown_edition=":port",
    )  # fmt: skip


def test_a_name_is_changed_wherever_it_is_used_and_nowhere_else(tmp_path: Path) -> None:
    renamed = rename_value(sample(), "port", "harbour", Library(tmp_path))
    text, table = renamed.editions[0].blocks
    assert text.text == ":port stays {:harbour} {label(:harbour)} {{:port}}"
    assert text.visible == ":harbour <> ':port'"
    assert table.total[0].cells[0].value == "count(*) filter (where port = :harbour)"
    assert renamed.queries[0].sql == "select ':port' as x, y::int from t where a = :harbour -- :port\nand b=:harbour"
    assert renamed.parameters[1].default == FromExpression(expression="upper(:harbour)")
    assert renamed.named_values[0].value == FromExpression(expression=":harbour || 'x'")
    assert renamed.value_sets[0].values[0].parameter == "harbour"
    assert (renamed.shown_edition, table.rows_per_page) == (":harbour", ":harbour")
    with pytest.raises(ValidationError, match="two parameters are named 'year'"):
        rename_value(sample(), "port", "year", Library(tmp_path))


@pytest.mark.parametrize("make", [fares_by_route, selected_waybills])
def test_a_name_changed_there_and_back_leaves_the_report_as_it_was(make: object, demo: Path) -> None:
    report = make()  # type: ignore[operator]
    library = Library.around(demo)
    for parameter in report.parameters:
        other = rename_value(report, parameter.name, "another_name", library)
        assert f":{parameter.names[0]}" not in other.model_dump_json()
        assert rename_value(other, "another_name", parameter.name, library) == report


def test_one_value_becomes_a_list_that_is_looked_in(demo: Path) -> None:
    library = Library.around(demo)
    report = change_kind(fares_by_route(), "season", library, holds="list")
    sql = report.query("fares").sql
    assert "('all' in (:season) or r.season in (:season))" in sql
    assert report.parameter("season").default == ("all",)
    document = Session(library).render(report, {"season": ["summer", "all-year"]})
    everything = Session(library).render(fares_by_route())
    assert document.row_count == everything.row_count
    back = change_kind(report, "season", library, holds="one")
    assert back.parameter("season").default == "all"
    assert Session(library).render(back).row_count == everything.row_count


@given(
    st.sampled_from(["text", "integer", "decimal", "float", "date", "timestamp", "boolean"]),
    st.sampled_from(["one", "list", "range"]),
    st.sampled_from(["text", "integer", "decimal", "float", "date", "timestamp", "boolean"]),
    st.sampled_from(["one", "list", "range"]),
)
def test_any_kind_can_become_any_other(kind: str, holds: str, to_kind: str, to_holds: str) -> None:
    values = {
        "text": "a",
        "integer": 1,
        "decimal": "1.5",
        "float": 1.5,
        "date": "2025-01-01",
        "timestamp": "2025-01-01 06:00",
        "boolean": True,
    }
    holds = holds if holds != "range" or kind in ("date", "timestamp") else "list"
    default = {"one": values[kind], "list": (values[kind],), "range": "this month"}[holds]
    choices = () if holds == "range" else (Choice(value=values[kind], label="One"),)
    more = (
        {"pattern": "a", "maximum_length": 3}
        if kind == "text"
        else {"minimum_value": values[kind]}
        if kind != "boolean"
        else {}
    )
    before = Parameter(name="p", kind=kind, holds=holds, default=default, sample=default, choices=choices, **more)
    report = report_of(parameters=[before])
    library = Library(Path())
    after = change_kind(report, "p", library, kind=to_kind, holds=to_holds).parameter("p")
    assert after.holds == to_holds
    assert after.kind == to_kind or to_holds == "range"
    if (kind, holds) == (to_kind, to_holds):
        assert after == before
    everything = before.but(default=AllChoices()) if holds == "list" else before
    kept = change_kind(report_of(parameters=[everything]), "p", library, holds=to_holds).parameter("p")
    assert isinstance(kept.default, AllChoices) == (holds == "list" and to_holds == "list")


def test_every_property_that_holds_an_expression_or_a_template_is_rewritten() -> None:
    for kind in (
        table.Content,
        table.Column,
        table.Cell,
        table.OrderBy,
        table.Level,
        text.TextBlock,
        table.TableBlock,
        TextPiece,
    ):
        for name, info in kind.model_fields.items():
            message = kind.help_of(name).lower()
            if "str" in str(info.annotation) and re.search(r"\b(expression|condition)\b", message) and name != "name":
                assert kind_of_text(kind.__name__, name) == "expression", name
            if re.search(r"\btemplate\b", message):
                assert kind_of_text(kind.__name__, name) == "template", name
