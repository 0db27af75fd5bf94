"""Shared blocks and included reports: changed in one place, seen wherever they are included."""

from collections.abc import Callable
from pathlib import Path

import pytest

from northmoor.core.authoring.includes import with_included
from northmoor.core.model.blocks.containers import GridBlock, GridCell
from northmoor.core.model.blocks.simple import IncludeBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.clipboard import blocks_text
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Report
from northmoor.core.model.styles import NamedStyle
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import save_report
from tests.helpers import FREIGHT, column_of, dumped, query, render, report_of, table_of

MakeLibrary = Callable[[str], Library]


def texts(report: Report, library: Library) -> dict[str, str]:
    """What each block says, by its name."""
    found: dict[str, list[str]] = {}
    for page in dumped(render(report, library))["pages"]:
        for item in page["items"]:
            if item["kind"] == "text":
                found.setdefault(item["origin"]["block"], []).append(item["text"])
    return {name: " ".join(said) for name, said in found.items()}


def share(report: Report, path: Path) -> None:
    """Keep all blocks of a report as shared ones."""
    path.write_text(blocks_text(report, "main", [block.name for block in report.editions[0].blocks]))


def include(file: str = "terms.blocks.json", **more: str) -> IncludeBlock:
    return IncludeBlock(name=more.pop("name", "terms"), file=file, space_after=8_000, **more)  # type: ignore[arg-type]


def test_shared_blocks_are_changed_in_one_place_and_bring_what_they_need(library: MakeLibrary, tmp_path: Path) -> None:
    made = library(FREIGHT)
    small = NamedStyle(name="small", size=7_000)  # type: ignore[call-arg]  # sizes are lengths
    shared = report_of(
        TextBlock(name="a", text="Payable in 30 days", style="small"), table_of("vessel"), styles=(small,)
    )
    share(shared, tmp_path / "terms.blocks.json")
    grid = GridBlock(name="grid", cells=(GridCell(blocks=(include(),)),))
    report = report_of(TextBlock(name="a", text="own"), grid, queries=[query("select 1 as x", name="other")])
    found = texts(report, made)
    assert found["a"] == "own"
    assert found["terms--a"] == "Payable in 30 days"
    assert "Curlew" in found["terms--table"]
    share(report_of(TextBlock(name="a", text="Payable at once")), tmp_path / "terms.blocks.json")
    assert texts(report, made)["terms--a"] == "Payable at once"


def test_an_edition_of_another_report_is_included_with_its_parameters(library: MakeLibrary, tmp_path: Path) -> None:
    made = library(FREIGHT)
    inner = report_of(table_of("vessel"), sql="select vessel from lines where vessel = :vessel",
                      parameters=[Parameter(name="vessel", default="Curlew")])  # fmt: skip
    (tmp_path / "reports").mkdir()
    save_report(inner, tmp_path / "reports" / "inner.moor")
    own = report_of(include("inner.moor", visible=":shown = 1"), table_of("route"), sql="select distinct route from lines",
                    parameters=[Parameter(name="shown", kind="integer", default=1)])  # fmt: skip
    document = render(own, made)
    rows = [i for page in dumped(document)["pages"] for i in page["items"] if i["origin"]["block"] == "terms--table"]
    assert [i["text"] for i in rows if i["origin"]["row"] == "detail"] == ["Curlew"] * 3
    assert column_of(document, "route") == ["TQ-SK", "TQ-IL"]
    assert "terms--table" not in {i["origin"]["block"] for page in dumped(render(own, made, shown=0))["pages"]
                                  for i in page["items"]}  # fmt: skip


@pytest.mark.parametrize(("make", "message"), [
    (lambda _: None, "The library has no shared blocks 'terms.blocks.json'"),
    (lambda p: p.write_text("no json"), "is not whole JSON"),
    (lambda p: share(report_of(include()), p), "includes itself"),
])  # fmt: skip
def test_what_cannot_be_included_is_marked_and_the_rest_stays(
    library: MakeLibrary, tmp_path: Path, make: Callable[[Path], object], message: str
) -> None:
    made = library(FREIGHT)
    make(tmp_path / "terms.blocks.json")
    document = render(report_of(include(), TextBlock(name="b", text="after")), made)
    shown = [i["text"] for page in dumped(document)["pages"] for i in page["items"]]
    assert shown[-1] == "after"
    assert shown[0].startswith("⚠")
    assert any(message in finding.message for finding in document.findings)


def test_nothing_is_included_from_outside_the_library(library: MakeLibrary, tmp_path: Path) -> None:
    made = library(FREIGHT)
    (fault,) = with_included(report_of(include("../secret.blocks.json")), made).faults
    assert "outside the library" in fault.error.message
