"""Report files: faults are named, nothing is lost, strangers' files do no harm."""

import json
import re
import stat
import subprocess
import sys
from pathlib import Path

import pytest
from hypothesis import given
from hypothesis import strategies as st
from pydantic import ValidationError

from northmoor.core.errors import NewerFileError, NorthmoorError, ReportFileError
from northmoor.core.model.base import Part, refusal
from northmoor.core.model.pages import PageSetup, Running
from northmoor.core.model.report import REPORT_VERSION, Report
from northmoor.core.model.serialization import read_report, report_text
from northmoor.core.store.report_files import load_report, save_report
from northmoor.demo.reports.fares_by_route import fares_by_route
from tests.helpers import level_of, report_of, row_of, table_of


@pytest.fixture
def entries() -> dict:
    """A sound report's entries, to be spoilt."""
    return json.loads(report_text(fares_by_route()))


def fault(entries: dict) -> str:
    with pytest.raises(ReportFileError) as caught:
        read_report(json.dumps(entries), "x.moor")
    return str(caught.value)


def test_a_written_report_reads_back_the_same(tmp_path: Path) -> None:
    report = fares_by_route()
    save_report(report, tmp_path / "a.moor")
    assert load_report(tmp_path / "a.moor") == report
    save_report(load_report(tmp_path / "a.moor"), tmp_path / "b.moor")
    assert (tmp_path / "a.moor").read_bytes() == (tmp_path / "b.moor").read_bytes()


def test_lengths_are_in_the_file_as_people_write_them(entries: dict) -> None:
    columns = entries["editions"][0]["blocks"][2]["columns"]
    assert [c.get("width") for c in columns] == [None, "28mm", "28mm", "38mm"]


@pytest.mark.parametrize(
    ("path", "value", "message"),
    [
        (
            ("editions", 0, "blocks", 2, "levels", 0, "page_break"),
            "sometimes",
            "blocks[2] 'fares-table' › levels[0] 'route'",
        ),
        (
            ("editions", 0, "blocks", 2, "columns", 1, "width"),
            "wide",
            "columns[1] 'sailings' › width: 'wide' is no length",
        ),
        (("editions", 0, "blocks", 2, "colour"), "red", "'fares-table' › colour: there is no such entry"),
        (("editions", 0, "page"), {"margin_left": "170mm"}, "leave less than 1in"),
        (("editions", 0, "page"), {"margin_left": "300mm"}, "margin_left: it must be at most 500pt"),
        (("locale",), "xx_YY", "no locale of CLDR"),
        (("time_zone",), "Mars/Olympus", "no IANA time zone"),
        (("parameters", 0, "pattern"), "[0-9]+", "only texts have a pattern"),
        (("parameters", 0, "control"), "calendar", "'year' can be drop_down or ticks or toggles"),
        (("parameters", 1, "holds"), "range", "'season' is of kind text"),
        (("named_values",), [{"name": "season", "value": {"expression": "1"}}], "two values are named 'season'"),
        (("queries", 0, "name"), "a; drop", "queries[0] 'a; drop' › name"),
        (("editions",), [], "editions"),
        (("styles", 1, "based_on"), "ghost", "is based on 'ghost', which is not defined"),
    ],
)
def test_a_faulty_entry_is_named(entries: dict, path: tuple, value: object, message: str) -> None:
    here = entries
    for step in path[:-1]:
        here = here[step]
    here[path[-1]] = value
    assert message in fault(entries)


def test_names_that_lead_nowhere_are_reported(entries: dict) -> None:
    entries["editions"][0]["blocks"][2]["query"] = "fare"
    assert "uses the query 'fare', which is not defined" in fault(entries)


def test_a_style_that_is_based_on_itself_is_refused(entries: dict) -> None:
    entries["styles"][0]["based_on"] = "grand-total"
    assert "is based on itself" in fault(entries)


def test_cells_may_not_overlap() -> None:
    with pytest.raises(ValueError, match="overlaps another"):
        table_of("a", "b", total=row_of(a="sum(a)").but(cells=({"column": "a", "span": 2}, {"column": "b"})))


def test_a_level_may_not_take_the_name_of_a_window() -> None:
    with pytest.raises(ValueError, match="has a meaning already"):
        table_of("a", levels=(level_of("report"),))


@pytest.mark.parametrize(
    "text",
    [
        "",
        "{",
        "[]",
        "null",
        '{"northmoor_report": 1',
        '"x"',
        "{" * 100_000,
        "[" * 100_000,
        "\x00",
        '{"northmoor_report": "1"}',
    ],
)
def test_broken_and_hostile_files_are_refused_in_one_sentence(text: str) -> None:
    with pytest.raises(ReportFileError) as caught:
        read_report(text, "x.moor")
    assert str(caught.value).startswith("x.moor")


@given(st.binary(max_size=200))
def test_no_bytes_at_all_get_past_the_reader_in_another_way(data: bytes) -> None:
    with pytest.raises(ReportFileError):
        read_report(data)


@given(st.data())
def test_a_truncated_report_is_refused(data: st.DataObject) -> None:
    text = report_text(fares_by_route()).rstrip()
    cut = data.draw(st.integers(0, len(text) - 1))
    with pytest.raises(ReportFileError):
        read_report(text[:cut])


def test_a_newer_file_is_refused_and_never_overwritten(tmp_path: Path) -> None:
    path = tmp_path / "new.moor"
    path.write_text(json.dumps({"northmoor_report": REPORT_VERSION + 1, "holograms": True}))
    before = path.read_bytes()
    with pytest.raises(NewerFileError, match="newer Northmoor"):
        load_report(path)
    with pytest.raises(NewerFileError):
        save_report(fares_by_route(), path)
    assert path.read_bytes() == before


def test_a_file_that_is_no_report_is_never_overwritten(tmp_path: Path) -> None:
    path = tmp_path / "letter.moor"
    path.write_text("Dear sir")
    with pytest.raises(ReportFileError, match="not overwritten"):
        save_report(fares_by_route(), path)
    assert path.read_text() == "Dear sir"


def test_a_crash_in_the_middle_of_saving_leaves_the_old_file(tmp_path: Path) -> None:
    path = tmp_path / "a.moor"
    save_report(fares_by_route(), path)
    before = path.read_bytes()
    script = (
        "import os, sys; from pathlib import Path; from northmoor.core.store import report_files as files\n"
        "os.fsync = lambda _: os._exit(9)\n"
        "path = Path(sys.argv[1]); report = files.load_report(path)\n"
        "files.save_report(report.but(title='half'), path)\n"
    )
    done = subprocess.run([sys.executable, "-c", script, str(path)], check=False)
    assert done.returncode == 9
    assert path.read_bytes() == before


def test_saving_keeps_the_files_permissions_and_leaves_nothing_behind(tmp_path: Path) -> None:
    path = tmp_path / "a.moor"
    save_report(fares_by_route(), path)
    path.chmod(0o640)
    save_report(fares_by_route().but(title="Other"), path)
    assert stat.S_IMODE(path.stat().st_mode) == 0o640
    assert [p.name for p in tmp_path.iterdir()] == ["a.moor"]


def test_a_place_that_cannot_be_written_is_reported(tmp_path: Path) -> None:
    with pytest.raises(ReportFileError, match="cannot be written"):
        save_report(fares_by_route(), tmp_path / "missing" / "a.moor")


def test_the_schemas_in_the_docs_are_current_and_hold_the_examples(demo: Path) -> None:
    import jsonschema

    from northmoor.core.model.schema import SCHEMAS, schema_text

    schemas = {name: schema_text(model) for name, model in SCHEMAS.items()}
    for name, text in schemas.items():
        path = Path(__file__).parents[2] / "docs" / f"{name}.schema.json"
        assert path.read_text(encoding="utf-8") == text, "run scripts/schema"
    jsonschema.validate(json.loads(report_text(fares_by_route())), json.loads(schemas["report"]))
    jsonschema.validate(json.loads((demo / "connections.json").read_text()), json.loads(schemas["connections"]))


def test_parts_do_not_change() -> None:
    report = report_of(table_of("a"))
    with pytest.raises(ValueError, match="frozen"):
        report.title = "x"  # type: ignore[misc]
    assert report.but(title="x") != report
    assert hash(report) == hash(Report.model_validate(report.model_dump()))


def test_every_error_is_one_of_the_tree() -> None:
    from northmoor.core import errors

    kinds = [e for e in vars(errors).values() if isinstance(e, type) and issubclass(e, Exception)]
    drawn = set(re.findall(r"\w+", errors.__doc__ or ""))
    assert all(issubclass(kind, NorthmoorError) for kind in kinds)
    assert {kind.__name__ for kind in kinds} <= drawn


@pytest.mark.parametrize(
    ("kind", "entries", "sentence"),
    [
        (PageSetup, {"width": 1000}, "It must be at least 72pt."),
        (Running, {"gap": 600_000}, "It must be at most 500pt."),
        (PageSetup, {"width": "wide"}, "'wide' is no length; write for example 32mm, 9pt, 2.5cm or 1.5in."),
        (PageSetup, {"columns": "x"}, "It must be a whole number."),
        (PageSetup, {"colour": "x"}, "There is no such entry; remove it or correct its name."),
    ],
)
def test_what_a_part_refuses_is_a_sentence_in_words_of_reports(
    kind: type[Part], entries: dict[str, object], sentence: str
) -> None:
    with pytest.raises(ValidationError) as refused:
        kind.model_validate(entries)
    assert refusal(refused.value) == sentence
