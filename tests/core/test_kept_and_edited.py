"""Documents to edit, read back by python-docx; and PDFs to keep, whose every requirement that we know is read back."""

import io
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import docx
import pikepdf
import pyarrow.parquet as pq
import pytest
from lxml import etree

import northmoor
from northmoor.core.document import Document
from northmoor.core.errors import OutputError
from northmoor.core.export.option_texts import options_with
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.table import Cell, Column, HeadRow
from northmoor.core.model.blocks.text import TextBlock, TextRun
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.output.pdf.archival import rgb_profile
from northmoor.core.output.word import writer as word
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from tests.core.test_tagged_pdf import DEMO, read_texts, squeezed
from tests.helpers import FREIGHT, render, report_of, table_of

pytestmark = pytest.mark.slow

MakeLibrary = Callable[[str], Library]
KEPT = OutputOptions(archive="pages")
TRACED = OutputOptions(archive="pages_and_data")


def edited(document: Document) -> Any:
    target = io.BytesIO()
    word.write_word(document.output("docx"), target)
    return docx.Document(io.BytesIO(target.getvalue()))


def all_text(made: Any) -> str:
    return squeezed([node.text or "" for node in made.element.body.iter("{*}t")])


@pytest.mark.parametrize(
    ("name", "edition"), [pair for pair in DEMO if pair[0] not in ("freight-statement", "board-sheet")]
)
def test_a_document_to_edit_says_what_the_pages_say(demo: Path, name: str, edition: str | None) -> None:
    document = northmoor.render(demo / "reports" / f"{name}.moor", edition=edition)
    said = all_text(edited(document))
    figures = [item["text"] for item in texts_outside_drawings(document)]
    for text in figures:
        assert squeezed([text.rstrip("-…")]) in said, text


def texts_outside_drawings(document: Document) -> list[dict[str, Any]]:
    """The texts that are read, but for those of charts, which are pictures."""
    from tests.helpers import dumped

    charts = {name for name, _, _ in document.composition.charts}
    wanted = set(read_texts(document, with_pages=False))
    return [
        item
        for page in dumped(document)["pages"]
        for item in page["items"]
        if item["kind"] == "text" and item["text"] in wanted and item["origin"]["block"] not in charts
        and item["origin"]["block"] not in ("header", "footer") and item["text"] != "•"
        and item["origin"]["row"] != "carry" and item["origin"]["level"] != "page"
    ]  # fmt: skip


def test_headings_lists_tables_and_pictures_are_what_they_are(library: MakeLibrary) -> None:
    title = TextBlock.model_validate({"name": "top", "text": "Freight", "look": {"size": "18pt"}})
    heading = TextBlock(name="h", text="Lines", listed="contents")
    listed = TextBlock(name="l", text="one\n\ttwo", marker="bullet")
    bold = TextBlock.model_validate({"name": "b", "text": "plain ", "runs": [{"text": "bold", "look": {"bold": True}}]})
    head = HeadRow(cells=(Cell(column="route", text="Both", span=2),))
    document = render(
        report_of(title, heading, listed, bold, table_of("route", "charge", head=(head,))), library(FREIGHT)
    )
    made = edited(document)
    styles = {paragraph.text: paragraph.style.name for paragraph in made.paragraphs if paragraph.text}
    assert styles == {
        "Freight": "Heading 1", "Lines": "Heading 2", "one": "List Bullet", "two": "List Bullet 2", "plain bold": "Normal",
    }  # fmt: skip
    (table,) = made.tables
    assert [cell.text for cell in table.rows[2].cells] == ["TQ-SK", "38.50"]
    assert table.rows[0].cells[0]._tc.grid_span == 2
    marks = [bool(row._tr.trPr is not None and row._tr.trPr.findall("{*}tblHeader")) for row in table.rows]
    assert marks == [True, True, *[False] * 6]
    runs = [
        (run.text, run.bold)
        for paragraph in made.paragraphs
        if paragraph.text == "plain bold"
        for run in paragraph.runs
    ]
    assert runs == [("plain ", False), ("bold", True)]


def test_a_chart_is_a_picture_with_words_and_long_tables_are_refused(
    demo: Path, library: MakeLibrary, monkeypatch: pytest.MonkeyPatch
) -> None:
    made = edited(northmoor.render(demo / "reports" / "voyage-report.moor"))
    (shape,) = made.inline_shapes
    assert "A chart of lines, 69 along time from 16:32 to 17:40. Speed, kn from 0 (16:32)" in shape._inline.docPr.get(
        "descr"
    )
    monkeypatch.setattr(word, "_MOST_ROWS", 3)
    with pytest.raises(OutputError, match="takes at most 3; deliver it as a spreadsheet"):
        edited(render(report_of(table_of("route")), library(FREIGHT)))


def test_a_document_to_edit_has_the_same_bytes_each_time(demo: Path) -> None:
    document = northmoor.render(demo / "reports" / "fares-by-route.moor")
    found = []
    for _ in range(2):
        target = io.BytesIO()
        word.write_word(document.output("docx"), target)
        found.append(target.getvalue())
    assert found[0] == found[1]


# to be kept


def kept(document: Document, options: OutputOptions) -> pikepdf.Pdf:
    from northmoor.core.output.pdf.writer import write_document

    target = io.BytesIO()
    write_document(document.output("pdf", options=options), target)
    return pikepdf.open(io.BytesIO(target.getvalue()))


NS = {
    "pdfaid": "http://www.aiim.org/pdfa/ns/id/", "dc": "http://purl.org/dc/elements/1.1/", "nm": "urn:northmoor:report:1.0",
    "rdf": "http://www.w3.org/1999/02/22-rdf-syntax-ns#", "schema": "http://www.aiim.org/pdfa/ns/schema#",
}  # fmt: skip


@pytest.mark.parametrize("name", ["voyage-report", "freight-statement", "winter-letter", "board-sheet"])
@pytest.mark.parametrize(("options", "part"), [(KEPT, "2"), (TRACED, "3")])
def test_a_pdf_to_keep_meets_each_requirement_that_is_known(
    demo: Path, name: str, options: OutputOptions, part: str
) -> None:
    document = northmoor.render(demo / "reports" / f"{name}.moor")
    pdf = kept(document, options)
    root = pdf.Root
    assert "/Filter" not in root.Metadata  # 6.6.2.1: any program reads it
    xmp = etree.fromstring(root.Metadata.read_bytes().split(b"?>", 1)[1].rsplit(b"<?xpacket", 1)[0])
    assert xmp.findtext(".//pdfaid:part", namespaces=NS) == part
    assert xmp.findtext(".//pdfaid:conformance", namespaces=NS) == "U"
    assert xmp.findtext(".//dc:title//rdf:li", namespaces=NS) == str(pdf.docinfo["/Title"])  # 6.6.3
    described = {each.text for each in xmp.iterfind(".//schema:namespaceURI", namespaces=NS)}
    assert described == {NS["nm"], "http://www.aiim.org/pdfua/ns/id/"}  # 6.6.2.3
    (intent,) = root.OutputIntents  # 6.2.2
    assert intent.S == "/GTS_PDFA1"
    assert intent.DestOutputProfile.read_bytes() == rgb_profile()
    assert "/Encrypt" not in pdf.trailer
    assert len(pdf.trailer.ID) == 2
    for thing in pdf.objects:
        check_object(thing, part)


def check_object(thing: Any, part: str) -> None:
    """The rules for fonts, colours, actions, annotations and attachments."""
    if not isinstance(thing, pikepdf.Dictionary | pikepdf.Stream):
        return
    if thing.get("/Type") == "/Font" and thing.get("/Subtype") == "/Type0":
        assert "/ToUnicode" in thing  # level u
        (inner,) = thing.DescendantFonts
        assert inner.CIDToGIDMap == "/Identity"
        assert "/FontFile2" in inner.FontDescriptor  # 6.2.11.4
    if thing.get("/S") in ("/JavaScript", "/Launch", "/Sound", "/Movie", "/SubmitForm", "/ImportData", "/ResetForm"):
        raise AssertionError("6.5.1: a forbidden action")
    if thing.get("/Type") == "/Annot":
        assert int(thing.F) & 4  # 6.3.2: it is printed
        assert not int(thing.F) & (1 | 2 | 32)
    if thing.get("/Subtype") == "/Image":
        assert thing.ColorSpace in ("/DeviceRGB", "/DeviceGray")
        assert not thing.get("/Interpolate", False)
        assert "/Alternates" not in thing
    if thing.get("/Type") == "/Filespec":
        assert part == "3"
        assert thing.AFRelationship in ("/Source", "/Data")
        assert str(thing.UF) == str(thing.F)
        assert str(thing.Desc)
    if thing.get("/Type") == "/EmbeddedFile":
        assert thing.Subtype
        assert int(thing.Params.Size) == len(thing.read_bytes())
        assert str(thing.Params.ModDate).startswith("D:20")
    filters = thing.get("/Filter")
    assert filters not in ("/LZWDecode", "/Crypt")


def test_a_kept_report_is_traced_from_what_is_attached(demo: Path, tmp_path: Path) -> None:
    """The report and the rows that are attached make the same pages again, without its database."""
    document = northmoor.render(demo / "reports" / "fares-by-route.moor")
    pdf = kept(document, TRACED)
    files = {name: spec.get_file().read_bytes() for name, spec in pdf.attachments.items()}
    assert "report.moor" in files
    (rows,) = [name for name in files if name.endswith(".parquet")]
    table = pq.read_table(io.BytesIO(files[rows]))
    assert table.equals(document.rows[rows.removesuffix(".parquet")].table)
    (tmp_path / "report.moor").write_bytes(files["report.moor"])
    report = load_report(tmp_path / "report.moor")
    assert report == document.report
    assert json.loads(files["report.moor"])["title"] == document.report.title
    xmp = pdf.Root.Metadata.read_bytes().decode()
    assert f"<nm:Values>{pdf.docinfo['/NorthmoorValues']}</nm:Values>" in xmp


def test_kept_pdfs_have_the_same_bytes_and_their_profile_no_clock(demo: Path) -> None:
    from northmoor.core.output.pdf.writer import write_document

    document = northmoor.render(demo / "reports" / "voyage-report.moor")
    made = []
    for _ in range(2):
        target = io.BytesIO()
        write_document(document.output("pdf", options=TRACED), target)
        made.append(target.getvalue())
    assert made[0] == made[1]
    assert rgb_profile()[24:28] == bytes((7, 208, 0, 1))
    assert rgb_profile()[36:40] == b"acsp"


def test_choices_are_typed_and_wrong_ones_reported() -> None:
    made = options_with(OutputOptions(), ["resolution=300", "tagged=no", "colors=gray"])
    assert (made.resolution, made.tagged, made.colors) == (300, False, "gray")
    for text, message in (
        ("dpi=3", "'dpi=3' is no choice of a format"), ("resolution", "is no choice"), ("resolution=3", "resolution=3 does not fit"),
        ("colors=blue", "colors=blue does not fit"),
    ):  # fmt: skip
        with pytest.raises(northmoor.core.errors.ParameterError, match=message):
            options_with(OutputOptions(), [text])


def test_a_link_and_a_picture_are_kept_too(library: MakeLibrary) -> None:
    png = "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="
    picture = PictureBlock(name="p", value=f"'{png}'", height=20_000, description="A dot")
    text = TextBlock(name="t", text="See ", runs=(TextRun(text="the quay", link="https://tarrow.example"),))
    column = Column(name="note", value="note", link="#{note}", anchor="{note}")
    document = render(report_of(picture, text, table_of(column)), library(FREIGHT))
    for options in (KEPT, KEPT.but(tagged=False)):
        for thing in kept(document, options).objects:
            check_object(thing, "2")
