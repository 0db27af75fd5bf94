"""PDF files that a password opens, or whose readers may not do everything; and what files say about themselves."""

import io
import json
from contextlib import closing
from pathlib import Path

import docx
import openpyxl
import pikepdf
import pypdfium2
import pytest
from lxml import html

from northmoor.core.delivery.destinations.destination import PrinterDestination
from northmoor.core.delivery.library_delivery import LibraryDelivery
from northmoor.core.document import Document
from northmoor.core.errors import OutputError
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.session import Session
from northmoor.core.sources.drivers.credentials import VARIABLE
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from tests.delivery_helpers import bundle, delivery_library, make

SECRET = "Whimbrel 1974, übers Meer"


@pytest.fixture
def document(demo: Path, monkeypatch: pytest.MonkeyPatch) -> Document:
    """The demo's first report, by an author, with a password known to the environment."""
    monkeypatch.setenv(VARIABLE, json.dumps({"pdf://board": SECRET}))
    path = demo / "reports" / "fares-by-route.moor"
    report = load_report(path).but(author="A. & B. Quay", subject="What was paid", keywords="fares, routes")
    return Session(Library.around(path)).render(report)


def texts(pdf: bytes, password: str = "") -> list[str]:
    """The texts of the pages, as another library reads them."""
    read = pypdfium2.PdfDocument(pdf, password=password or None)
    return [page.get_textpage().get_text_range() for page in read]


def test_a_password_opens_it_and_nothing_else_changes(document: Document, tmp_path: Path) -> None:
    document.write(tmp_path / "plain.pdf")
    document.write(tmp_path / "shut.pdf", options=OutputOptions(password="board"))
    shut = (tmp_path / "shut.pdf").read_bytes()
    with pytest.raises(pikepdf.PasswordError):
        pikepdf.open(io.BytesIO(shut), password="")
    with pytest.raises(pypdfium2.PdfiumError):
        texts(shut)
    assert texts(shut, SECRET) == texts((tmp_path / "plain.pdf").read_bytes())
    with pikepdf.open(io.BytesIO(shut), password=SECRET) as pdf:
        assert (pdf.encryption.R, pdf.encryption.bits, pdf.encryption.stream_method.name) == (6, 256, "aesv3")
        assert not pdf.owner_password_matched
        assert pdf.Root.MarkInfo.Marked  # it can be read aloud


@pytest.mark.parametrize(
    ("allowed", "prints", "copies", "changes"),
    [
        ("no_changes", True, True, False), ("printing", True, False, False), ("reading", False, False, False),
    ],
)  # fmt: skip
def test_what_readers_may_do(
    document: Document, tmp_path: Path, allowed: str, prints: bool, copies: bool, changes: bool
) -> None:
    target = tmp_path / "x.pdf"
    document.write(target, options=OutputOptions(allowed=allowed))
    with pikepdf.open(target) as pdf:  # no password is needed to read it
        allow = pdf.allow
    assert (allow.print_highres, allow.extract, allow.modify_other) == (prints, copies, changes)
    assert allow.accessibility
    assert allow.modify_annotation is changes


def test_what_cannot_be_is_reported_and_nothing_is_left(document: Document, tmp_path: Path) -> None:
    with pytest.raises(OutputError, match="pdf://other"):
        document.write(tmp_path / "x.pdf", options=OutputOptions(password="other"))
    with pytest.raises(OutputError, match="PDF/A"):
        document.write(tmp_path / "x.pdf", options=OutputOptions(password="board", archive="pages"))
    assert not list(tmp_path.iterdir())
    document.write(tmp_path / "x.csv", options=OutputOptions(password="other"))  # it is no PDF
    assert list(document.output("pdf", options=OutputOptions(password="other")).nodes())  # nor is what is looked at
    assert [path.suffix for path in tmp_path.iterdir()] == [".csv"]


def test_files_say_who_they_are_by_and_what_about(document: Document, tmp_path: Path) -> None:
    given = ("A. & B. Quay", "What was paid", "fares, routes")
    for suffix in ("pdf", "docx", "xlsx", "html"):
        document.write(tmp_path / f"x.{suffix}", options=OutputOptions(archive="pages"))
    with pikepdf.open(tmp_path / "x.pdf") as pdf:
        assert tuple(str(pdf.docinfo[f"/{name}"]) for name in ("Author", "Subject", "Keywords")) == given
        with pdf.open_metadata() as xmp:
            assert (xmp["dc:creator"], xmp["dc:description"], xmp["pdf:Keywords"]) == ([given[0]], *given[1:])
    word = docx.Document(str(tmp_path / "x.docx")).core_properties
    sheet = openpyxl.load_workbook(tmp_path / "x.xlsx").properties
    assert (word.author, word.subject, word.keywords) == (sheet.creator, sheet.subject, sheet.keywords) == given
    page = html.parse(tmp_path / "x.html")
    named = {each.get("name"): each.get("content") for each in page.iterfind(".//meta[@name]")}
    assert (named["author"], named["description"], named["keywords"]) == given


def test_files_of_records_are_protected_too(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv(VARIABLE, json.dumps({"pdf://board": SECRET}))
    root = delivery_library(tmp_path / "library")
    record, folder = make(root, bundle(root, options=OutputOptions(password="board", allowed="printing")))
    assert record.state == "done", record
    files = sorted((folder / "files").rglob("*.pdf"))
    assert len(files) > 1
    for file in files:
        with pytest.raises(pikepdf.PasswordError):
            pikepdf.open(file)
        assert texts(file.read_bytes(), SECRET)
    assert SECRET not in (folder / "run.json").read_text()
    with closing(LibraryDelivery(root)) as delivery:
        printed = delivery.deliver(record.id, PrinterDestination(printer="folder:out"))
    assert not printed.recipients
    assert len(printed.faults) == len(files)
    assert "no printer has" in printed.faults[0]
    assert not (root / "out").exists()
