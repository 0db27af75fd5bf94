"""Outputs: the PDF is what the dump says, read back by an independent reader; bytes are the same every time."""

import gc
import io
import json
import subprocess
import time
from collections.abc import Callable
from pathlib import Path

import pikepdf
import pytest
from pdfminer.converter import PDFPageAggregator
from pdfminer.high_level import extract_text
from pdfminer.layout import LTChar
from pdfminer.pdfinterp import PDFPageInterpreter, PDFResourceManager
from pdfminer.pdfpage import PDFPage
from PIL import Image

from northmoor import render as render_file
from northmoor.core.document import Document
from northmoor.core.layout.text.advances import advance_table
from northmoor.core.model.blocks.table import Column
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.styles import Style
from northmoor.core.output.raster import rasterise
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, dumped, level_of, render, report_of, row_of, script_of, table_of

MakeLibrary = Callable[[str], Library]
TRICKY = "create table lines (t text); insert into lines values ('AVATAR Wo Ty'), ('naïve – “quoted” ½'), ('fi ffl -> 10:30'), ('Ωmega жизнь'), ('1,234.50'), ('✔ done'), ('e\u0301 composed');"


@pytest.fixture(scope="module")
def fares(demo: Path) -> Document:
    return render_file(demo / "reports" / "fares-by-route.moor")


@pytest.fixture(scope="module")
def fares_pdf(fares: Document) -> bytes:
    return fares.pdf()


def chars(pdf: bytes) -> list[list[LTChar]]:
    """The characters of each page as pdfminer places them, without any grouping into lines."""
    resources = PDFResourceManager()
    device = PDFPageAggregator(resources, laparams=None)
    interpreter = PDFPageInterpreter(resources, device)
    pages = []
    for page in PDFPage.get_pages(io.BytesIO(pdf)):
        interpreter.process_page(page)
        pages.append([c for c in device.get_result() if isinstance(c, LTChar)])
    return pages


def test_text_is_within_a_hundredth_of_a_point_of_the_dump(fares: Document, fares_pdf: bytes) -> None:
    for page, found in zip(dumped(fares)["pages"], chars(fares_pdf), strict=True):
        texts = [i for i in page["items"] if i["kind"] == "text"]
        rest = iter(found)
        for item in texts:
            line = [next(rest) for _ in item["text"]]
            assert "".join(c.get_text() for c in line) == item["text"]
            assert line[0].x0 == pytest.approx(item["x"], abs=0.01)
            assert line[-1].x1 == pytest.approx(item["x"] + item["width"], abs=0.01)
            baseline = page["height"] - line[0].matrix[5]
            assert baseline == pytest.approx(item["baseline"], abs=0.01)
        assert next(rest, None) is None


def test_lines_are_where_the_dump_says(fares: Document, fares_pdf: bytes) -> None:
    page = dumped(fares)["pages"][0]
    with pikepdf.open(io.BytesIO(fares_pdf)) as pdf:
        boxes = [op.operands for op in pikepdf.parse_content_stream(pdf.pages[0]) if str(op.operator) == "re"]
    found = [[float(v) / 1000 for v in box] for box in boxes]
    rules = [
        [i["x"], page["height"] - i["y"] - i["height"], i["width"], i["height"]]
        for i in page["items"]
        if i["kind"] == "rule"
    ]
    assert found == [pytest.approx(rule, abs=0.001) for rule in rules]


def test_text_can_be_read_in_its_order(fares_pdf: bytes) -> None:
    lines = [line for line in extract_text(io.BytesIO(fares_pdf), page_numbers=[0]).split("\n") if line]
    assert lines.index("Fares by route and month") < lines.index("Route / month") < lines.index("Inverlang – Skarholm")


def test_any_script_comes_out_as_it_went_in(library: MakeLibrary) -> None:
    made = library(TRICKY)
    document = render(report_of(table_of(Column(name="t", value="t", title="Tricky"))), made)
    import pypdfium2

    page = pypdfium2.PdfDocument(document.pdf())[0].get_textpage().get_text_bounded()
    for row in ("AVATAR Wo Ty", "naïve – “quoted” ½", "fi ffl -> 10:30", "Ωmega жизнь", "1,234.50", "✔ done"):
        assert row in page


def test_qpdf_finds_nothing_to_say(fares_pdf: bytes, library: MakeLibrary, tmp_path: Path) -> None:
    Image.new("RGBA", (30, 30), (10, 20, 30, 99)).save(tmp_path / "a.png")
    from northmoor.core.model.blocks.picture import PictureBlock

    other = render(report_of(PictureBlock(name="p", file="a.png", height=30_000), table_of("t")), library(TRICKY)).pdf()
    for number, data in enumerate((fares_pdf, other)):
        path = tmp_path / f"{number}.pdf"
        path.write_bytes(data)
        done = subprocess.run(["qpdf", "--check", str(path)], capture_output=True, text=True, check=False)
        assert done.returncode == 0, done.stderr
        assert "WARNING" not in done.stdout + done.stderr


def test_bookmarks_come_from_headings_and_lead_to_their_place(fares: Document, fares_pdf: bytes) -> None:
    headings = [
        (page["number"], i["text"])
        for page in dumped(fares)["pages"]
        for i in page["items"]
        if i["origin"]["row"] == "heading"
    ]
    first: dict[str, int] = {}
    for number, text in headings:
        first.setdefault(text, number)
    with pikepdf.open(io.BytesIO(fares_pdf)) as pdf, pdf.open_outline() as outline:
        numbers = {page.objgen: n for n, page in enumerate((p.obj for p in pdf.pages), 1)}
        found = {item.title: numbers[item.destination[0].objgen] for item in outline.root}
    assert found == first
    assert len(found) == 9


def test_the_file_says_how_it_was_made(fares_pdf: bytes) -> None:
    with pikepdf.open(io.BytesIO(fares_pdf)) as pdf:
        said = {str(key): str(value) for key, value in pdf.docinfo.items()}
    assert said["/Title"] == "Fares by route and month"
    assert said["/NorthmoorValues"] == "ports=[TQ,IL,SK,MP,BN,OX,SH]; season=all; year=2025"
    assert said["/NorthmoorDataTime"] == "2026-01-01T06:00:00"
    assert len(said["/NorthmoorRevision"]) == 12
    assert not any("Date" in key for key in said)


def test_fonts_are_embedded_as_subsets(fares_pdf: bytes) -> None:
    assert len(fares_pdf) < 120_000
    with pikepdf.open(io.BytesIO(fares_pdf)) as pdf:
        fonts = pdf.pages[0].Resources.Font
        assert {str(f.BaseFont)[8:] for f in fonts.values()} == {"IBMPlexSans-Regular", "IBMPlexSans-Bold"}
        for font in fonts.values():
            program = font.DescendantFonts[0].FontDescriptor.FontFile2.read_bytes()
            assert len(program) < 40_000


def test_the_same_input_gives_the_same_bytes(demo: Path, fares_pdf: bytes) -> None:
    assert render_file(demo / "reports" / "fares-by-route.moor").pdf() == fares_pdf


def test_the_canvas_page_is_the_delivered_page(fares: Document, fares_pdf: bytes) -> None:
    alone = rasterise(fares.page_pdf(1), 0, 1.5)
    whole = rasterise(fares_pdf, 1, 1.5)
    assert alone.data == whole.data


def test_pictures_keep_their_colours(library: MakeLibrary, tmp_path: Path) -> None:
    from northmoor.core.model.blocks.picture import PictureBlock

    Image.new("RGB", (20, 10), (200, 30, 60)).save(tmp_path / "a.jpg", quality=95)
    document = render(report_of(PictureBlock(name="p", file="a.jpg", height=72_000)), library(FREIGHT))
    raster = rasterise(document.pdf(), 0, 1.0)
    at = (56 + 36) * raster.stride + (56 + 72) * 4
    blue, green, red = raster.data[at : at + 3]
    assert (red, green, blue) == (pytest.approx(200, abs=6), pytest.approx(30, abs=6), pytest.approx(60, abs=6))


def test_the_dump_is_as_documented(fares: Document) -> None:
    dump = dumped(fares)
    assert (dump["northmoor_pages"], dump["title"]) == (1, "Fares by route and month")
    text = next(i for i in dump["pages"][0]["items"] if i["origin"]["row"] == "detail")
    assert set(text) == {"kind", "x", "y", "width", "height", "baseline", "text", "font", "size", "color", "origin"}
    assert text["origin"] == {
        "block": "fares-table", "row": "detail", "level": None, "keys": ["IL-SK"], "ordinal": 0, "column": "month",
        "number": 0, "across": [],
    }  # fmt: skip
    described = (Path(__file__).parents[2] / "docs" / "page-dump.md").read_text(encoding="utf-8")
    assert all(f"`{name}`" in described for name in [*text, *text["origin"]])


def test_right_to_left_and_marks_are_placed_within_the_line(library: MakeLibrary) -> None:
    block = TextBlock(name="x", text="שלום e\u0301", look=Style(size=20_000))
    document = render(report_of(block), library(FREIGHT))
    (item,) = dumped(document)["pages"][0]["items"]
    letters = [c for page in chars(document.pdf()) for c in page]
    assert min(c.x0 for c in letters) >= item["x"] - 0.01
    assert max(c.x1 for c in letters) <= item["x"] + item["width"] + 0.01


def test_json_of_all_numbers_is_finite(fares: Document) -> None:
    json.dumps(dumped(fares), allow_nan=False)


@pytest.mark.slow
@pytest.mark.parametrize("name", ["freight-statement", "winter-letter", "punctuality", "sailings-log", "board-sheet"])
def test_pages_written_together_are_those_of_the_canvas(demo: Path, tmp_path: Path, name: str) -> None:
    document = render_file(demo / "reports" / f"{name}.moor")
    path = tmp_path / "whole.pdf"
    assert document.write(path) == [path]
    whole = path.read_bytes()
    for index in sorted({0, len(document) // 2, len(document) - 1}):
        assert rasterise(whole, index, 0.7) == rasterise(document.page_pdf(index), 0, 0.7)
    done = subprocess.run(["qpdf", "--check", str(path)], capture_output=True, text=True, check=False)
    assert (done.returncode, "WARNING" in done.stdout + done.stderr) == (0, False)
    patience = time.monotonic() + 10  # a thread of another test may still let it rest
    while not gc.isenabled() and time.monotonic() < patience:
        time.sleep(0.01)
    assert gc.isenabled()


def test_every_simple_character_is_written_as_it_reads(library: MakeLibrary) -> None:
    glyphs = advance_table("IBMPlexSans-Regular").glyphs
    first = {glyph: char for char, glyph in reversed(glyphs.items())}
    letters = [char for char in glyphs if char.strip() and first[glyphs[char]] == char]
    assert {byte for char in letters for byte in divmod(glyphs[char], 256)} >= {0x0D, 0x28, 0x29, 0x5C}  # escaped ones
    text = TextBlock(name="all", text=" ".join(letters).replace("{", "{{").replace("}", "}}"))
    document = render(report_of(table_of("t", show_head=False), text), library(script_of(letters)))
    found = "".join(c.get_text() for page in chars(document.pdf()) for c in page if c.get_text().strip())
    assert found == "".join(letters) * 2


def test_a_file_of_many_pages_has_them_in_a_tree_with_all_places(library: MakeLibrary) -> None:
    names = [f"g{number:03}" for number in range(300)]
    level = level_of("t", heading=(row_of(t="t"),), page_break="between")
    document = render(report_of(table_of("t", levels=(level,))), library(script_of(names)))
    with pikepdf.open(io.BytesIO(document.pdf())) as pdf:
        assert [len(node.Kids) for node in pdf.Root.Pages.Kids] == [128, 128, 44]
        assert all(kid.Parent == node for node in pdf.Root.Pages.Kids for kid in node.Kids)
        with pdf.open_outline() as outline:
            led = [(item.title, item.destination[0].objgen) for item in outline.root]
        assert led == [(name, page.obj.objgen) for name, page in zip(names, pdf.pages, strict=True)]
