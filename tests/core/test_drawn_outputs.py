"""Drawings and pictures: SVG is what the dump says, texts as texts or as outlines; pixels have the size that was asked for,
and look like the PDF; one block can be had by itself."""

import base64
import io
import re
from collections.abc import Callable
from pathlib import Path
from typing import Any

import numpy as np
import pytest
import uharfbuzz as hb
from lxml import etree
from PIL import Image

import northmoor
from northmoor.core.document import Document
from northmoor.core.errors import OutputError
from northmoor.core.export.clipboard_formats import block_html, block_picture, block_text
from northmoor.core.layout.graphics.display_list import items
from northmoor.core.layout.graphics.svg import read_svg
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.containers import FrameBlock, FrameItem, GridBlock, GridCell
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.output.block_pages import block_pages
from northmoor.core.output.content.nodes import SideBySide, TextNode, leaves
from northmoor.core.output.content.reading_order import document_nodes
from northmoor.core.output.image import writer
from northmoor.core.output.raster import PdfPages
from northmoor.core.output.svg.writer import page_svg
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, dumped, render, report_of, script_of, table_of

MakeLibrary = Callable[[str], Library]
SVG = "{http://www.w3.org/2000/svg}"


def svg_of(document: Document, index: int = 0, as_outlines: bool = False) -> Any:
    return etree.fromstring(page_svg(document.page(index), document.title, as_outlines).encode())


@pytest.mark.parametrize(
    "name", ["board-sheet", "voyage-report", "route-month-matrix", "winter-letter", "cost-centres"]
)
@pytest.mark.variants
def test_a_drawing_has_the_texts_of_the_dump_at_their_places(demo: Path, name: str) -> None:
    document = northmoor.render(demo / "reports" / f"{name}.moor")
    root = svg_of(document)
    page = dumped(document)["pages"][0]
    wanted = [item for item in page["items"] if item["kind"] == "text" and item["text"].strip()]
    found = list(root.iter(f"{SVG}text"))
    assert ["".join(each.itertext()) for each in found] == [item["text"] for item in wanted]
    for text, item in zip(found, wanted, strict=True):
        if "baseline" in item:
            assert float(text.get("x")) == pytest.approx(item["x"], abs=0.001)
            assert float(text.get("y")) == pytest.approx(item["baseline"], abs=0.001)
            assert float(text.get("textLength")) == pytest.approx(item["width"], abs=0.001)
        assert float(text.get("font-size")) == item["size"]
    assert (root.get("width"), root.get("height")) == (f"{page['width']:g}pt", f"{page['height']:g}pt")


def test_the_fonts_of_a_drawing_have_what_it_says_and_little_else(demo: Path) -> None:
    root = svg_of(northmoor.render(demo / "reports" / "fares-by-route.moor"))
    (style,) = root.iter(f"{SVG}style")
    faces = dict(re.findall(r'font-family:"([^"]+)";src:url\(data:font/ttf;base64,([^)]+)\)', style.text))
    for name, data in faces.items():
        font = hb.Face(base64.b64decode(data))
        used = {
            ord(char)
            for each in root.iter(f"{SVG}text")
            if f'"{name}"' in each.get("font-family").split(",")[0]
            for char in "".join(each.itertext())
        }
        assert used <= set(font.unicodes)
        assert len(set(font.unicodes)) < 120


def test_outlines_need_no_font_and_hold_no_text(demo: Path) -> None:
    document = northmoor.render(demo / "reports" / "board-sheet.moor")
    root = svg_of(document, as_outlines=True)
    assert not list(root.iter(f"{SVG}text"))
    assert not list(root.iter(f"{SVG}style"))
    drawn = read_svg(etree.tostring(root))  # our own reader takes it, as any other program does
    assert len(drawn.paths) > 50
    assert not drawn.left_out


def test_outlines_look_as_the_pdf_does(demo: Path, library: MakeLibrary) -> None:
    """The outlines of a text, drawn through our SVG reader, cover the pixels that PDFium draws of it."""
    text = TextBlock.model_validate({"name": "t", "text": "Tarrow Sound", "look": {"size": "40pt", "bold": True}})
    document = render(report_of(text), library(FREIGHT))
    (page,) = block_pages(document.composition, "t")
    ours = etree.fromstring(page_svg(page, "", True).encode())
    (path,) = ours.iter(f"{SVG}path")
    numbers = [float(n) for n in re.findall(r"-?\d+\.\d+", path.get("d"))]
    picture = np.array(Image.open(io.BytesIO(block_picture(document.output("png", block="t")))).convert("L"))
    ink = np.argwhere(picture < 128) / 2
    assert min(numbers[::2]) == pytest.approx(ink[:, 1].min(), abs=1.2)
    assert max(numbers[::2]) == pytest.approx(ink[:, 1].max(), abs=1.2)


def pictures(document: Document, suffix: str, **options: Any) -> list[Image.Image]:
    found = []
    for file in writer.output_files(document.output(suffix, options=OutputOptions(**options))):
        target = io.BytesIO()
        file.write(target)
        found.append(Image.open(io.BytesIO(target.getvalue())))
    return found


@pytest.mark.parametrize(("suffix", "form"), [("png", "PNG"), ("jpg", "JPEG"), ("webp", "WEBP")])
@pytest.mark.variants
def test_pictures_are_as_large_as_was_asked_for(demo: Path, suffix: str, form: str) -> None:
    document = northmoor.render(demo / "reports" / "voyage-report.moor")
    for resolution in (72, 200):
        found = pictures(document, suffix, resolution=resolution, colors="gray")
        assert [picture.format for picture in found] == [form] * 2
        assert found[0].size == (round(595.276 * resolution / 72 + 0.49), round(841.89 * resolution / 72 + 0.49))
        pixels = np.array(found[0].convert("RGB")).astype(int)
        assert (abs(pixels[..., 0] - pixels[..., 2]) < 12).all()
    if form != "WEBP":
        assert found[0].info["dpi"][0] == pytest.approx(200, abs=0.1)


def test_pictures_look_like_the_pdf(demo: Path) -> None:
    document = northmoor.render(demo / "reports" / "board-sheet.moor")
    (png,) = pictures(document, "png", resolution=72)
    drawn = np.array(PdfPages(document.pdf()).picture(0, 1).convert("RGB")).astype(int)
    assert (np.array(png.convert("RGB")).astype(int) == drawn).all()
    (webp,) = pictures(document, "webp", resolution=72, quality=100)
    assert (np.array(webp.convert("RGB")).astype(int) == drawn).all()


def test_all_pages_are_in_one_tiff_black_and_white_for_fax(demo: Path) -> None:
    document = northmoor.render(demo / "reports" / "fares-by-route.moor")
    (color,) = pictures(document, "tiff", resolution=72)
    assert color.n_frames == len(document)
    (fax,) = pictures(document, "tiff", resolution=204, colors="black")
    for frame in range(len(document)):
        fax.seek(frame)
        assert (fax.mode, fax.info["compression"]) == ("1", "group4")
        assert 0.001 < 1 - np.array(fax).mean() < 0.2


def test_a_picture_that_is_too_large_says_so(library: MakeLibrary) -> None:
    page = {"size": "custom", "width": "200in", "height": "200in"}
    report = report_of(TextBlock(name="t", text="Large"))
    report = report.but(editions=(report.editions[0].but(page=page),))
    with pytest.raises(OutputError, match="choose a lower resolution"):
        pictures(render(report, library(FREIGHT)), "png", resolution=1200)


CHART = ChartBlock(
    name="chart", query="rows", category=ChartLevel(name="route", by="route"), title="Charges",
    measures=(ChartMeasure(name="charge", value="sum(charge)"),),
)  # fmt: skip


def test_one_block_is_a_page_as_large_as_it_is(library: MakeLibrary, tmp_path: Path) -> None:
    document = render(
        report_of(TextBlock(name="above", text="Above"), CHART, table_of("route", "charge")), library(FREIGHT)
    )
    (page,) = block_pages(document.composition, "chart")
    assert (page.width, page.height) == (document.composition.frame.width, CHART.height)
    assert all(0 <= item.x <= page.width and 0 <= item.y <= page.height for item in items(page) if item.text)
    assert "Above" not in [item.text for item in items(page)]
    paths = document.write(tmp_path / "chart.svg", block="chart")
    texts = ["".join(each.itertext()) for each in etree.parse(paths[0]).iter(f"{SVG}text")]
    assert texts[0] == "Charges"
    with pytest.raises(OutputError, match="There is no block nothing; the edition has above, chart, table"):
        document.write(tmp_path / "x.svg", block="nothing")


def test_a_table_of_many_pages_alone_is_a_page_for_each(library: MakeLibrary) -> None:
    document = render(report_of(table_of("t")), library(script_of([f"row {n}" for n in range(150)])))
    found = list(block_pages(document.composition, "table"))
    assert len(found) == len(document) > 1
    said = [item.text for page in found for item in items(page) if item.text and item.text.startswith("row ")]
    assert said == [f"row {n}" for n in range(150)]


def test_a_block_on_the_clipboard_suits_letters_and_spreadsheets(library: MakeLibrary) -> None:
    document = render(report_of(CHART, table_of("vessel", "charge", "note")), library(FREIGHT))
    table = document.output("html", block="table")
    lines = block_text(table).split("\n")
    assert lines[0] == "vessel\tcharge\tnote"
    assert lines[2] == "Dunlin\t12.10\t"
    html = block_html(table)
    assert html.count("<table") == 1
    assert "<h1" not in html
    assert 'style="' in html
    assert block_text(document.output("html", block="chart")).split("\n")[1] == "TQ-IL\t12.45"
    assert Image.open(io.BytesIO(block_picture(table))).size[0] > 200


def texts_read(document: Document) -> list[str]:
    return [
        leaf.text
        for node in document_nodes(document.composition)
        for leaf in leaves(node)
        if isinstance(leaf, TextNode)
    ]


def test_containers_are_read_one_after_another(library: MakeLibrary) -> None:
    def texts(name: str, count: int) -> tuple[TextBlock, ...]:
        return tuple(TextBlock(name=f"{name}{n}", text=f"{name} {n}") for n in range(count))

    inner = GridBlock(name="inner", cells=(GridCell(blocks=texts("a", 2)), GridCell(column=1, blocks=texts("b", 2))))
    outer = GridBlock(name="outer", cells=(GridCell(blocks=(inner,)), GridCell(column=1, blocks=texts("c", 3))))
    document = render(
        report_of(TextBlock(name="top", text="top"), outer, TextBlock(name="end", text="end")), library(FREIGHT)
    )
    assert texts_read(document) == ["top", "a 0", "a 1", "b 0", "b 1", "c 0", "c 1", "c 2", "end"]
    nodes = list(document_nodes(document.composition))
    assert [type(node) for node in nodes] == [TextNode, SideBySide, TextNode]
    (beside,) = [node for node in nodes if isinstance(node, SideBySide)]
    assert len(beside.columns) == 2
    assert isinstance(beside.columns[0][0], SideBySide)


def test_items_of_a_frame_are_read_item_by_item(library: MakeLibrary) -> None:
    left = FrameItem(x=0, y=0, width=100_000, blocks=(TextBlock(name="a", text="a"), TextBlock(name="b", text="b")))
    right = FrameItem(
        x=150_000, y=0, width=100_000, blocks=(TextBlock(name="c", text="c"), TextBlock(name="d", text="d"))
    )
    below = FrameItem(x=0, y=100_000, width=250_000, blocks=(TextBlock(name="e", text="e"),))
    document = render(report_of(FrameBlock(name="frame", items=(below, left, right))), library(FREIGHT))
    assert texts_read(document) == ["a", "b", "c", "d", "e"]


def test_columns_of_pages_are_read_down_before_across(library: MakeLibrary) -> None:
    texts = tuple(TextBlock(name=f"t{n}", text=f"text {n}") for n in range(120))
    report = report_of(*texts)
    page = report.editions[0].page.but(columns=2)
    document = render(report.but(editions=(report.editions[0].but(page=page),)), library(FREIGHT))
    assert texts_read(document) == [f"text {n}" for n in range(120)]
