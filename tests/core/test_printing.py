"""Printing without a window: sheets with several pages, booklets that fold right, a folder that stands in for a printer,
and what CUPS is given."""

import io
import stat
from collections.abc import Callable
from pathlib import Path

import pikepdf
import pytest
from hypothesis import given
from hypothesis import strategies as st
from pdfminer.high_level import extract_text

from northmoor.core.errors import OutputError, ParameterError
from northmoor.core.export.printing import PrintOrder, page_numbers, print_order, print_pdf
from northmoor.core.output.pdf.imposition import booklet_order, imposed
from northmoor.core.sources.library import Library
from tests.core.test_cli import northmoor, printed
from tests.helpers import render, report_of, script_of, table_of

MakeLibrary = Callable[[str], Library]


@pytest.fixture
def pages(library: MakeLibrary) -> bytes:
    """Five pages or more, each with rows that say which it is."""
    document = render(report_of(table_of("t", rows_per_page=10)), library(script_of([f"row {n}" for n in range(50)])))
    assert len(document) == 5
    return document.pdf()


def texts(pdf: bytes) -> list[str]:
    with pikepdf.open(io.BytesIO(pdf)) as found:
        count = len(found.pages)
    return [extract_text(io.BytesIO(pdf), page_numbers=[number]) for number in range(count)]


@given(st.integers(1, 60))
def test_a_booklet_that_is_folded_reads_from_first_to_last(count: int) -> None:
    """Sheets laid in one another and folded: the halves are read as a hand turns them over."""
    order = booklet_order(count)
    sheets = [order[at : at + 4] for at in range(0, len(order), 4)]
    fronts = [half for outer_last, first, second, _ in sheets for half in (first, second)]
    backs = [half for last, _, _, before in reversed(sheets) for half in (before, last)]
    read = [page for page in [*fronts, *backs] if page is not None]
    assert read == list(range(count))
    assert len(order) % 4 == 0
    assert len(order) - count < 4


def test_pages_are_put_on_sheets_as_they_are(pages: bytes) -> None:
    two, four, booklet = (imposed(pages, kind) for kind in ("two", "four", "booklet"))
    assert [len(texts(each)) for each in (two, four, booklet)] == [3, 2, 4]
    assert imposed(pages, "one") == pages
    first = texts(two)[0]
    assert "row 0" in first
    assert "row 19" in first
    assert "row 20" not in first
    with pikepdf.open(io.BytesIO(two)) as found:
        width, height = (float(side) for side in found.pages[0].MediaBox[2:])
    assert width > height


@pytest.mark.parametrize(
    ("text", "wanted"), [("1", [0]), ("2-3,5", [1, 2, 4]), ("4-", [3, 4]), ("1,9", [0]), ("5-99", [4])]
)
def test_pages_are_named_as_people_name_them(text: str, wanted: list[int]) -> None:
    assert page_numbers(text, 5) == wanted


def test_a_folder_replaces_a_printer(pages: bytes, tmp_path: Path) -> None:
    order = PrintOrder(f"folder:{tmp_path}", pages="2-3", sheet="two")
    assert print_pdf(pages, "Log / of rows", order) == f"Printed into {tmp_path}/Log---of-rows-001.pdf"
    assert print_pdf(pages, "Log / of rows", order).endswith("-002.pdf")
    (sheet,) = texts((tmp_path / "Log---of-rows-001.pdf").read_bytes())
    assert "row 10" in sheet
    assert "row 29" in sheet
    with pytest.raises(OutputError, match="There is no folder"):
        print_pdf(pages, "x", PrintOrder(f"folder:{tmp_path}/none"))
    with pytest.raises(OutputError, match="There are no pages 7; the document has 5"):
        print_pdf(pages, "x", PrintOrder(f"folder:{tmp_path}", pages="7"))


def stand_in(folder: Path, script: str) -> None:
    """A command of CUPS that does what a script says."""
    path = folder / "lp"
    path.write_text(f"#!/bin/sh\n{script}\n")
    path.chmod(path.stat().st_mode | stat.S_IXUSR)


def test_cups_is_given_the_printer_copies_sides_and_tray(
    pages: bytes, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setenv("PATH", str(tmp_path), prepend=":")
    stand_in(
        tmp_path, f'printf "%s\\n" "$@" > {tmp_path}/printed; for last; do :; done; cp "$last" {tmp_path}/printed.pdf'
    )
    order = PrintOrder("quay", copies=3, sides="long-edge", tray="tray-2")
    assert print_pdf(pages, "A \n title", order) == "Printed on quay"
    arguments = (tmp_path / "printed").read_text().splitlines()
    assert arguments[:-1] == [
        "-d", "quay", "-t", "A title", "-n", "3", "-o", "sides=two-sided-long-edge", "-o",
        "multiple-document-handling=separate-documents-collated-copies", "-o", "media-source=tray-2", "--",
    ]  # fmt: skip
    assert (tmp_path / "printed.pdf").read_bytes() == pages
    stand_in(tmp_path, 'echo "lp: The printer or class does not exist." >&2; exit 1')
    with pytest.raises(OutputError, match="The printer quay does not take it: The printer or class does not"):
        print_pdf(pages, "x", order)
    monkeypatch.setenv("PATH", str(tmp_path / "nothing"))
    with pytest.raises(OutputError, match="There is no CUPS here"):
        print_pdf(pages, "x", order)


def test_wrong_orders_are_reported_before_anything_is_made() -> None:
    for given_order, message in (
        (("x", "1-a", 1, "one", None, "one"), "'1-a' are no pages"), (("x", None, 1, "both", None, "one"), "'both' is none of sides"),
        (("x", None, 1, "one", None, "nine"), "'nine' is none of sheet"),
    ):  # fmt: skip
        with pytest.raises(ParameterError, match=message):
            print_order(*given_order)


def test_the_command_line_prints(demo: Path, tmp_path: Path) -> None:
    report = demo / "reports" / "fares-by-route.moor"
    done = northmoor("print", report, "--printer", f"folder:{tmp_path}", "--set", "year=2024", "--sheet", "booklet")
    assert done.returncode == 0
    assert done.stdout == f"Printed into {tmp_path}/Fares-by-route-and-month-001.pdf\n"
    assert "2024" in texts((tmp_path / "Fares-by-route-and-month-001.pdf").read_bytes())[0]
    assert "write one, two, four, booklet" in printed(northmoor("print", report, "--printer", "x", "--sheet", "nine"))


def test_the_command_line_writes_blocks_with_choices(demo: Path, tmp_path: Path) -> None:
    report = demo / "reports" / "board-sheet.moor"
    done = northmoor(
        "run", report, "--out", tmp_path / "c.svg", "--block", "fares-by-month", "--option", "glyphs=outlines"
    )
    assert done.returncode == 0
    assert "<text" not in (tmp_path / "c.svg").read_text()
    wrong = northmoor("run", report, "--out", tmp_path / "c.png", "--option", "resolution=5000")
    assert "resolution=5000 does not fit" in printed(wrong)
    assert "There is no block nowhere" in printed(
        northmoor("run", report, "--out", tmp_path / "d.csv", "--block", "nowhere")
    )
