"""Tagged PDFs: the structure tree says what the page dump says, in reading order, each text once; and every demo report
passes the checks of ISO 14289-1 that a machine can make."""

import io
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pdfua
import pikepdf
import pytest
from hypothesis import given
from hypothesis import strategies as st
from msgspec import Struct, field

import northmoor
from northmoor.core.document import Document
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.containers import ForEachBlock, GridBlock, GridCell
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.table import Cell, Column, HeadRow, Row
from northmoor.core.model.blocks.text import TextBlock, TextRun
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.model.pages import PageSetup, Running, RunningLine, TextPiece
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, dumped, level_of, render, report_of, row_of, script_of, table_of

MakeLibrary = Callable[[str], Library]
DEMO = (
    ("board-sheet", None), ("cost-centres", None), ("fares-by-route", None), ("fleet-day", None),
    ("freight-statement", None), ("last-hour", None), ("punctuality", "board"), ("punctuality", "full"),
    ("route-month-matrix", None), ("sailings-log", None), ("voyage-report", None), ("winter-letter", "letter"),
    ("winter-letter", "labels"),
)  # fmt: skip


class Tag(Struct):
    """An element as a reader of the tree finds it: its type, its own texts in order, and its elements."""

    kind: str
    words: str = ""
    said: str = ""
    attributes: dict[str, Any] = field(default_factory=dict)
    texts: list[str] = field(default_factory=list)
    kids: list["Tag"] = field(default_factory=list)
    links: int = 0

    def walk(self) -> Iterator["Tag"]:
        yield self
        for kid in self.kids:
            yield from kid.walk()

    def all(self, kind: str) -> list["Tag"]:
        return [tag for tag in self.walk() if tag.kind == kind]

    @property
    def text(self) -> str:
        """All that it and what is in it say."""
        return " ".join([*self.texts, *(kid.text for kid in self.kids if kid.text)])


def tags_of(pdf: bytes) -> Tag:
    """The structure tree of a file, with the texts of its contents, as PDFMiner's font maps read them."""
    with pikepdf.open(io.BytesIO(pdf)) as file:
        contents = {page.obj.objgen: marked_texts(page) for page in file.pages}
        root = file.Root.StructTreeRoot
        (document,) = root.K
        return _tag(document, contents)


def _tag(element: Any, contents: dict[Any, dict[int, list[str]]], page: Any = None) -> Tag:
    page = element.get("/Pg", page)
    attributes = element.get("/A", {})
    tag = Tag(
        str(element.S)[1:], str(element.get("/Alt", "")), str(element.get("/ActualText", "")),
        {key[1:]: value for key, value in dict(attributes).items()},
    )  # fmt: skip
    kids = element.get("/K", pikepdf.Array())
    for kid in kids if isinstance(kids, pikepdf.Array) else [kids]:
        if isinstance(kid, int):
            tag.texts += contents[page.objgen].pop(kid)
        elif kid.get("/Type") == "/MCR":
            tag.texts += contents[kid.Pg.objgen].pop(int(kid.MCID))
        elif kid.get("/Type") == "/OBJR":
            assert kid.Obj.Subtype == "/Link"
            assert str(kid.Obj.Contents)
            tag.links += 1
        else:
            assert kid.P.objgen == element.objgen
            tag.kids.append(_tag(kid, contents, page))
    return tag


def marked_texts(page: pikepdf.Page) -> dict[int, list[str]]:
    """The texts of each marked content of a page; what is in none, or in an artifact, is left out."""
    maps = {name: _unicode(font) for name, font in page.Resources.Font.items()}
    found: dict[int, list[str]] = {}
    stack: list[int | None] = []
    font: dict[int, str] = {}
    for operands, operator in pikepdf.parse_content_stream(page):
        name = str(operator)
        if name in ("BDC", "BMC"):
            properties = operands[1] if name == "BDC" else {}
            number = properties.get("/MCID") if hasattr(properties, "get") else None
            if number is not None:
                assert int(number) not in found
                found[int(number)] = []
            stack.append(None if number is None else int(number))
        elif name == "EMC":
            stack.pop()
        elif name == "Tf":
            font = maps[str(operands[0])]
        elif name in ("Tj", "TJ"):
            current = next((each for each in reversed(stack) if each is not None), None)
            if current is not None:
                pieces = operands[0] if name == "TJ" else [operands[0]]
                data = b"".join(bytes(piece) for piece in pieces if isinstance(piece, pikepdf.String))
                found[current].append("".join(font.get(code, "?") for code in _codes(data)))
    assert stack == []
    return found


def _codes(data: bytes) -> Iterator[int]:
    return (int.from_bytes(data[at : at + 2], "big") for at in range(0, len(data), 2))


def _unicode(font: Any) -> dict[int, str]:
    """The characters of a font's codes, from its map."""
    found: dict[int, str] = {}
    text = font.ToUnicode.read_bytes().decode("latin-1")
    for part in text.split("beginbfchar")[1:]:
        tokens = part.split("endbfchar")[0].split()
        for code, target in zip(tokens[::2], tokens[1::2], strict=True):
            found[int(code[1:-1], 16)] = bytes.fromhex(target[1:-1]).decode("utf-16-be")
    return found


def squeezed(texts: list[str]) -> str:
    return "".join("".join(texts).split())


@pytest.mark.slow
@pytest.mark.parametrize(("name", "edition"), DEMO)
def test_demo_reports_pass_the_checks_of_the_standard(
    demo: Path, tmp_path: Path, name: str, edition: str | None
) -> None:
    document = northmoor.render(demo / "reports" / f"{name}.moor", edition=edition)
    document.write(tmp_path / "x.pdf")
    report = pdfua.validate(str(tmp_path / "x.pdf"))
    assert list(report.findings) == []


@pytest.mark.parametrize(("name", "edition"), [pair for pair in DEMO if pair[0] != "freight-statement"])
@pytest.mark.variants
def test_every_text_of_the_body_is_in_the_tree_once(demo: Path, name: str, edition: str | None) -> None:
    """The letters of the tree are those of the dump, but for furniture and heads that are repeated."""
    document = northmoor.render(demo / "reports" / f"{name}.moor", edition=edition)
    tree = tags_of(document.pdf())
    found = squeezed([text for tag in tree.walk() for text in tag.texts])
    assert "".join(sorted(found)) == "".join(sorted(squeezed(read_texts(document))))


def read_texts(document: Document, with_pages: bool = True) -> list[str]:
    """The texts of the dump that are read: furniture is not, and heads and headings are once, where they begin; nor,
    unless they are wanted, are those that belong to pages, and the markers of lists and leaders of tabs."""
    wanted: list[str] = []
    tables = {table.name for table in document.edition.tables}
    begun: dict[tuple[Any, ...], int] = {}
    for page in dumped(document)["pages"]:
        for item in page["items"]:
            origin = item["origin"]
            if item["kind"] != "text" or origin["block"] in ("header", "footer", "page", "watermark"):
                continue
            if origin["block"] in tables and origin["row"] not in ("head", "heading", "detail", "total", "carry"):
                continue  # charts in cells are said in words
            if not with_pages and (
                origin["row"] == "carry" or origin["level"] == "page" or set(item["text"]) <= set("•–. ")
            ):
                continue
            if origin["row"] in ("head", "heading"):
                key = (origin["block"], origin["row"], origin["level"], tuple(origin["keys"]), origin["number"])
                if begun.setdefault(key, page["number"]) != page["number"]:
                    continue
            wanted.append(item["text"])
    return wanted


IN_ONE_COLUMN = ("fares-by-route", "cost-centres", "voyage-report", "fleet-day", "last-hour", "sailings-log")


@pytest.mark.parametrize("name", IN_ONE_COLUMN)
@pytest.mark.variants
def test_what_is_in_one_column_is_read_from_the_top(demo: Path, name: str) -> None:
    """The texts of the tree come in the order in which the dump has them, page by page."""
    document = northmoor.render(demo / "reports" / f"{name}.moor")
    tree = tags_of(document.pdf())
    found = [text for tag in tree.walk() for text in tag.texts]
    assert squeezed(found) == squeezed(read_texts(document))


def test_a_table_has_heads_with_scopes_and_is_one_across_pages(demo: Path) -> None:
    document = northmoor.render(demo / "reports" / "fares-by-route.moor")
    tree = tags_of(document.pdf())
    assert len(document) > 2
    (table,) = tree.all("Table")
    (head,) = table.all("THead")
    assert [tag.text for tag in head.all("TH")] == ["Route / month", "Sailings", "Tickets", "Fares, €"]
    assert {str(tag.attributes["Scope"]) for tag in head.all("TH")} == {"/Column"}
    rows = [row for body in table.all("TBody") for row in body.kids]
    totals = [row for row in rows if row.kids[0].kind == "TH" and row.kids[0].text.startswith("Total for")]
    assert len(totals) == 9
    assert {str(row.kids[0].attributes["Scope"]) for row in totals} == {"/Row"}
    widths = {sum(int(cell.attributes.get("ColSpan", 1)) for cell in row.kids) for row in rows}
    assert widths == {4}
    assert tree.kids[0].kind == "H1"
    assert tree.kids[0].text == "Fares by route and month"


def test_a_matrix_names_its_rows_and_its_columns_of_several_rows(demo: Path) -> None:
    tree = tags_of(northmoor.render(demo / "reports" / "route-month-matrix.moor").pdf())
    matrix, *_ = tree.all("Table")
    first, second = matrix.all("THead")[0].kids
    quarters = [cell for cell in first.kids if cell.text]
    assert [cell.text for cell in quarters][:2] == ["Q1", "Q2"]
    assert int(quarters[0].attributes["ColSpan"]) == 4
    assert len({sum(int(c.attributes.get("ColSpan", 1)) for c in row.kids) for row in (first, second)}) == 1
    body = [row for group in matrix.all("TBody") for row in group.kids]
    assert all(row.kids[0].kind == "TH" and row.kids[0].text for row in body)


def test_what_is_side_by_side_is_read_column_by_column(demo: Path) -> None:
    tree = tags_of(northmoor.render(demo / "reports" / "board-sheet.moor").pdf())
    kinds = [tag.kind for tag in tree.kids]
    assert kinds[0] == "H1"
    readouts = [tag.text for tag in tree.kids if "on 2024" in tag.text]
    assert [text.split()[0] for text in readouts] == ["Fares", "Paid", "Sailings", "Average"]
    assert kinds[-5:] == ["Figure", "Table", "Figure", "Table", "Table"]
    bars, line = tree.all("Figure")
    assert bars.words.startswith("Fares by month, €: a chart of columns, 12 from Jan to Dec.")
    assert "Average delay" in line.words
    head, *months = [[(cell.kind, cell.said) for cell in row.kids] for row in tree.kids[-4].kids]
    assert head == [("TH", "category"), ("TH", "fares")]
    assert months[0] == [("TH", "Jan"), ("TD", "115,669.40")]
    assert len(months) == 12


FOREACH = "create table lines (t text, n integer); insert into lines values ('a', 1), ('a', 2), ('b', 3), ('c', 4);"


def test_headings_go_deeper_in_records_and_texts_of_several_lines_have_spaces(library: MakeLibrary) -> None:
    inner = TextBlock(name="each", text="Record {t}", listed="contents")
    text = TextBlock(name="long", text="word " * 60)
    body = ForEachBlock(name="records", query="rows", by="t", blocks=(inner, table_of("n"), text))
    top = TextBlock(name="top", text="All of them", listed="contents")
    tree = tags_of(render(report_of(top, body), library(FOREACH)).pdf())
    assert [(tag.kind, tag.text) for tag in tree.walk() if tag.kind.startswith("H")] == [
        ("H1", "All of them"), ("H2", "Record a"), ("H2", "Record b"), ("H2", "Record c"),
    ]  # fmt: skip
    assert len(tree.all("Table")) == 3
    paragraph = tree.all("P")[0]
    assert paragraph.said == ("word " * 60).strip()


def test_a_text_that_is_parted_by_a_page_is_one(library: MakeLibrary) -> None:
    text = TextBlock(name="long", text="\n".join(f"line {n}" for n in range(200)))
    document = render(report_of(text, TextBlock(name="end", text="The end")), library(FREIGHT))
    assert len(document) > 2
    tree = tags_of(document.pdf())
    first, last = tree.all("P")
    assert len(first.texts) == 200
    assert last.text == "The end"


def outline_of(made: Tag) -> list[Any]:
    """A list as its items: the marker, the text, and the items of the list within."""
    found: list[Any] = []
    for item in made.kids:
        assert item.kind == "LI"
        texts = [kid.texts for kid in item.kids if kid.kind == "Lbl"]
        (body,) = (kid for kid in item.kids if kid.kind == "LBody")
        inner = [each for kid in body.kids if kid.kind == "L" for each in outline_of(kid)]
        found.append((" ".join(texts[0]) if texts else "", " ".join(body.texts)[:9], *([inner] if inner else [])))
    return found


def test_lists_have_items_with_their_markers_and_lists_within_them(library: MakeLibrary) -> None:
    lines = ["one", "two is long " + "and on " * 40, "\tdeeper", "\t\tdeepest", "\tdeep again", "three"]
    text = TextBlock(name="list", text="\n".join(lines), marker="number")
    tree = tags_of(render(report_of(text), library(FREIGHT)).pdf())
    (made,) = [tag for tag in tree.kids if tag.kind == "L"]
    within = [("1.", "deeper", [("1.", "deepest")]), ("2.", "deep agai")]
    assert outline_of(made) == [("1.", "one"), ("2.", "two is lo", within), ("3.", "three")]


def test_a_list_that_is_parted_by_a_page_is_one(library: MakeLibrary, tmp_path: Path) -> None:
    text = TextBlock(name="list", text="\n".join(f"{chr(9) * (n % 3)}item {n}" for n in range(200)), marker="bullet")
    document = render(report_of(text), library(FREIGHT))
    assert len(document) > 2
    document.write(tmp_path / "x.pdf")
    assert list(pdfua.validate(str(tmp_path / "x.pdf")).findings) == []
    (made,) = [tag for tag in tags_of((tmp_path / "x.pdf").read_bytes()).kids if tag.kind == "L"]
    assert len(made.kids) == 67
    assert outline_of(made)[1] == ("•", "item 3", [("–", "item 4", [("–", "item 5")])])


def test_links_are_elements_with_descriptions(library: MakeLibrary) -> None:
    column = Column(name="note", value="note", link="https://tarrow.example/{note}")
    text = TextBlock(name="go", text="See ", runs=(TextRun(text="the quay", link="https://tarrow.example/quay"),))
    header = Running(lines=(RunningLine(start=TextPiece(text="{report_title()}")),))
    document = render(report_of(text, table_of(column), edition={"header": header}, title="Lines"), library(FREIGHT))
    pdf = document.pdf()
    tree = tags_of(pdf)
    assert sum(tag.links for tag in tree.walk()) == 5 + 2  # each word of the text, each cell
    (paragraph,) = tree.all("P")
    assert {kid.kind for kid in paragraph.kids} == {"Link"}
    linked = [cell for cell in tree.all("TD") if cell.kids]
    assert len(linked) == 5  # the line without a note opens nothing
    with pikepdf.open(io.BytesIO(pdf)) as file:
        parents = file.Root.StructTreeRoot.ParentTree
        numbers = [int(n) for leaf in parents.Kids for n in list(leaf.Nums)[::2]]
        annotations = [a for page in file.pages for a in page.get("/Annots", [])]
        assert sorted({int(a.StructParent) for a in annotations}) == numbers[1:]
        assert {str(page.Tabs) for page in file.pages} == {"/S"}
    assert "Lines" not in tree.text  # the header is furniture


PNG = "iVBORw0KGgoAAAANSUhEUgAAAAEAAAABCAYAAAAfFcSJAAAADUlEQVR42mNk+M9QDwADhgGAWjR9awAAAABJRU5ErkJggg=="


def test_pictures_are_figures_with_their_words_or_furniture_without(library: MakeLibrary) -> None:
    named = PictureBlock(name="quay", value=f"'{PNG}'", height=30_000, description="The quay of {max(rows.t)}")
    adorning = PictureBlock(name="ground", value=f"'{PNG}'", height=30_000, description="")
    tree = tags_of(render(report_of(named, adorning, table_of("t")), library(script_of(["x", "y"]))).pdf())
    (figure,) = tree.all("Figure")
    assert figure.words == "The quay of y"
    assert [tag.kind for tag in tree.kids] == ["Figure", "Table"]


def test_a_chart_can_be_described_in_own_words(library: MakeLibrary) -> None:
    chart = ChartBlock(
        name="chart", query="rows", category=ChartLevel(name="route", by="route"),
        measures=(ChartMeasure(name="charge", value="sum(charge)"),), description="Charges of {count(*)} lines",
    )  # fmt: skip
    tree = tags_of(render(report_of(chart), library(FREIGHT)).pdf())
    assert tree.all("Figure")[0].words.startswith("Charges of 6 lines")


def test_tags_can_be_left_out_and_nothing_else_changes(demo: Path) -> None:
    document = northmoor.render(demo / "reports" / "voyage-report.moor")
    plain = written(document, OutputOptions(tagged=False))
    tagged = written(document, OutputOptions())
    with pikepdf.open(io.BytesIO(plain)) as one, pikepdf.open(io.BytesIO(tagged)) as other:
        assert "/StructTreeRoot" not in one.Root
        assert str(other.Root.Lang) == "en-IE"
        assert other.Root.MarkInfo.Marked is True
        for a, b in zip(one.pages, other.pages, strict=True):
            drawn = [str(o.operator) for o in pikepdf.parse_content_stream(b)]
            kept = [o for o in drawn if o not in ("BDC", "BMC", "EMC")]
            assert kept == [
                o for o in (str(o.operator) for o in pikepdf.parse_content_stream(a)) if o not in ("BDC", "BMC", "EMC")
            ]
    assert written(document, OutputOptions()) == tagged


def written(document: Document, options: OutputOptions) -> bytes:
    from northmoor.core.output.pdf.writer import write_document

    target = io.BytesIO()
    write_document(document.output("pdf", options=options), target)
    return target.getvalue()


names = st.sampled_from(["route", "vessel", "day", "pieces", "charge", "note"])


@given(
    columns=st.lists(names, min_size=1, max_size=4, unique=True),
    level=st.sampled_from([None, "route", "vessel"]),
    span=st.integers(1, 3),
    second_head=st.booleans(),
    height=st.integers(120_000, 400_000),
)
def test_rows_of_any_table_are_as_wide_as_it_is(
    library: MakeLibrary, columns: list[str], level: str | None, span: int, second_head: bool, height: int
) -> None:
    """Whatever its spans, levels and pages are, each row's cells cover all columns, and each text is read once."""
    wide = min(span, len(columns))
    heading = Row(cells=(Cell(column=columns[0], text="{count(*)} lines", span=wide),))
    levels = (level_of(level, heading=heading, total=row_of(**{columns[-1]: "count(*)"})),) if level else ()
    head = (HeadRow(cells=(Cell(column=columns[0], text="Above", span=wide),)),) if second_head else ()
    table = table_of(*columns, levels=levels, head=head)
    page = PageSetup(size="custom", width=400_000, height=height, margin_top=20_000, margin_bottom=20_000)
    document = render(report_of(table, page=page), library(FREIGHT))
    tree = tags_of(document.pdf())
    (made,) = tree.all("Table")
    rows = [row for group in made.kids for row in group.kids]
    assert {sum(int(cell.attributes.get("ColSpan", 1)) for cell in row.kids) for row in rows} == {len(columns)}
    details = [row for row in rows if not row.all("TH")]
    assert len(details) == len([row for row in rows_printed(document) if row])


def rows_printed(document: Document) -> list[str]:
    """The detail rows of the dump that have any text."""
    found: dict[tuple[int, int], str] = {}
    for page in dumped(document)["pages"]:
        for item in page["items"]:
            if item["kind"] == "text" and item["origin"]["row"] == "detail":
                key = (item["origin"]["ordinal"], 0)
                found[key] = found.get(key, "") + item["text"]
    return list(found.values())


def test_a_grid_of_texts_is_read_by_its_columns(library: MakeLibrary) -> None:
    left = tuple(TextBlock(name=f"l{n}", text=f"left {n}") for n in range(3))
    right = tuple(TextBlock(name=f"r{n}", text=f"right {n}") for n in range(3))
    grid = GridBlock(name="grid", cells=(GridCell(blocks=left), GridCell(column=1, blocks=right)))
    tree = tags_of(render(report_of(grid), library(FREIGHT)).pdf())
    assert [tag.text for tag in tree.all("P")] == [*(f"left {n}" for n in range(3)), *(f"right {n}" for n in range(3))]
