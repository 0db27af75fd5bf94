"""Find and replace across a report: texts wherever they are, and fields wherever expressions name them."""

from pathlib import Path

import pytest
from pydantic import ValidationError

from northmoor.core.authoring.find_replace import SearchTerm, find_occurrences, replace_occurrences
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.simple import ReadoutBlock
from northmoor.core.model.blocks.text import TextBlock, TextRun
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.model.edits import (
    add_edition,
    duplicate_edition,
    move_edition,
    remove_edition,
    rename_edition,
    with_format,
)
from northmoor.core.model.page_templates import page_template, with_page
from northmoor.core.model.pages import PageSetup, Running, RunningLine, TextPiece, Watermark
from northmoor.core.model.report import Report
from northmoor.core.model.styles import NamedStyle
from northmoor.core.store.page_template_files import page_text, read_page
from tests.helpers import level_of, query, report_of, row_of, table_of


def sample() -> Report:
    table = table_of("fare", levels=(level_of("route", heading=(row_of(fare="{sum(fare)} of fare, {{fare}}"),)),))
    each = ForEachBlock(name="each", query="rows", by="fare", blocks=(
        TextBlock(name="said", text="Fare: {max(fare) - min(rows.fare)}", runs=(TextRun(text="{fare; 0}"),)),
        ReadoutBlock(name="read", value="sum(fare)", against="avg(others.fare)", caption="A fare"),
    ))  # fmt: skip
    queries = [
        query("select fare, route from lines", [QueryColumn(name="fare", total="sum")]),
        query("select 1 as fare", name="others"),
    ]
    return report_of(table, each, queries=queries, title="Fares by route")


def test_a_field_is_replaced_wherever_expressions_name_it() -> None:
    report, wanted = sample(), SearchTerm("fare", is_field=True, query="rows")
    changed = replace_occurrences(report, wanted, "charge", find_occurrences(report, wanted))
    table, each = changed.editions[0].blocks
    assert table.columns[0].value == "charge"  # type: ignore[union-attr]
    assert table.columns[0].title == "fare"  # type: ignore[union-attr]  # a title is no expression
    assert table.levels[0].heading[0].cells[0].text == "{sum(charge)} of fare, {{fare}}"  # type: ignore[union-attr]
    assert isinstance(each, ForEachBlock)
    said, read = each.blocks
    assert isinstance(said, TextBlock)
    assert isinstance(read, ReadoutBlock)
    assert (each.by, said.text, said.runs[0].text) == (
        "charge",
        "Fare: {max(charge) - min(rows.charge)}",
        "{charge; 0}",
    )
    assert (read.value, read.against, read.caption) == ("sum(charge)", "avg(others.fare)", "A fare")
    assert changed.query("rows").columns[0].name == "charge"
    assert changed.query("rows").sql == report.query("rows").sql  # SQL is text, and found as that


def test_texts_are_found_everywhere_and_replaced_where_chosen() -> None:
    report, wanted = sample(), SearchTerm("FARE")
    found = find_occurrences(report, wanted)
    assert {"report · title", "query · rows · sql", "main · read · caption"} <= {each.place for each in found}
    assert not find_occurrences(report, SearchTerm("FARE", match_case=True))
    chosen = [each for each in found if each.field in ("title", "caption")]
    changed = replace_occurrences(report, wanted, "Charge", chosen)
    assert changed.title == "Charges by route"
    assert changed.query("rows").sql == report.query("rows").sql
    assert replace_occurrences(report, wanted, "x", []) == report
    assert find_occurrences(report, SearchTerm("")) == []


def test_editions_are_made_ordered_named_and_taken_out() -> None:
    report = rename_edition(duplicate_edition(sample(), "main"), "main_2", "board")
    assert [edition.name for edition in report.editions] == ["main", "board"]
    assert report.editions[1].blocks == report.editions[0].blocks
    report = move_edition(add_edition(report, "board"), "edition", -5)
    assert [edition.name for edition in report.editions] == ["edition", "main", "board"]
    assert report.editions[0].blocks == ()
    only = remove_edition(remove_edition(report, "edition"), "board")
    with pytest.raises(ValidationError):
        remove_edition(only, "main")
    known = only.editions[0].formats
    assert with_format(only.editions[0], "png", on=False) == tuple(each for each in known if each != "png")
    with pytest.raises(ValidationError):
        only.editions[0].but(formats=())


def test_a_page_kept_in_the_library_is_applied_to_another_report(tmp_path: Path) -> None:
    house = NamedStyle(name="house", bold=True)
    header = Running(lines=(RunningLine(end=TextPiece(text="Tarrow Sound Ferries", style="house")),))
    page = PageSetup(size="A5", columns=2)
    report = report_of(
        page=page, edition={"header": header, "watermark": Watermark()}, styles=(house, NamedStyle(name="x"))
    )
    (tmp_path / "house.page.json").write_text(page_text(page_template(report, "main")), encoding="utf-8")
    read = read_page(tmp_path / "house.page.json")
    assert [style.name for style in read.styles] == ["house"]
    applied = with_page(sample(), "main", read)
    edition = applied.editions[0]
    assert (edition.page, edition.header, edition.watermark) == (page, header, Watermark())
    assert edition.blocks == sample().editions[0].blocks
    own = sample().but(styles=(NamedStyle(name="house", italic=True),))
    assert with_page(own, "main", read).styles == own.styles  # a style that is there stays as it is
