"""Pictures: from files and columns, fitted and cut, drawings as paths; and hostile ones, each marked in its place."""

import base64
import io
import os
import re
import zlib
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pikepdf
import pypdfium2
import pytest
from hypothesis import given
from hypothesis import strategies as st
from PIL import Image

from northmoor.core.document import Document
from northmoor.core.errors import LayoutError
from northmoor.core.layout.graphics.display_list import Picture
from northmoor.core.layout.graphics.images import fitted, size_of
from northmoor.core.layout.graphics.svg import read_svg
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, dumped, render, report_of

MakeLibrary = Callable[[str], Library]
LEFT = TOP = 56.693
DRAWING = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 40 20">
  <defs><linearGradient id="g"><stop offset="0" stop-color="#000000"/><stop offset="1" stop-color="#ffffff"/></linearGradient>
  <rect id="r" width="10" height="10" fill="#ff0000"/></defs>
  <use href="#r"/><g transform="translate(20 0)"><path d="M0 0h20v20h-20z M5 5h10v10h-10z" fill="#0000ff" fill-rule="evenodd"/></g>
  <circle cx="5" cy="15" r="4" fill="none" stroke="#00ff00" stroke-width="2"/><rect y="18" width="2" height="2" fill="url(#g)"/>
</svg>"""


def png(width: int = 40, height: int = 20, color: str = "#7B4B94") -> bytes:
    target = io.BytesIO()
    Image.new("RGB", (width, height), color).save(target, "PNG")
    return target.getvalue()


def picture(**more: Any) -> PictureBlock:
    return PictureBlock(name="picture", height=more.pop("height", 60_000), **more)


def shown(document: Document) -> list[dict[str, Any]]:
    return [i for page in dumped(document)["pages"] for i in page["items"] if i["origin"]["block"] == "picture"]


def pdf_of(document: Document, tmp_path: Path) -> Path:
    (path,) = document.write(tmp_path / "out.pdf")
    return path


def color_at(path: Path, x: float, y: float) -> tuple[int, ...]:
    """The colour of a point of the first page, counted from its top left corner, at 4 pixels a point."""
    image = pypdfium2.PdfDocument(path)[0].render(scale=4).to_pil().convert("RGB")
    return image.getpixel((round(x * 4), round(y * 4)))


def test_a_drawing_is_placed_as_paths(library: MakeLibrary, tmp_path: Path) -> None:
    (tmp_path / "a.svg").write_text(DRAWING)
    document = render(report_of(picture(file="a.svg")), library(FREIGHT))
    (item,) = shown(document)
    assert (item["width"], item["height"]) == (120.0, 60.0)
    path = pdf_of(document, tmp_path)
    red, blue, white, green = (255, 0, 0), (0, 0, 255), (255, 255, 255), (0, 255, 0)
    for x, y, color in ((5, 5, red), (22, 2, blue), (30, 10, white), (1, 15, green), (5, 15, white), (15, 5, white)):
        assert color_at(path, LEFT + x * 3, TOP + y * 3) == color
    with pikepdf.open(path) as pdf:
        forms = [o for o in pdf.objects if isinstance(o, pikepdf.Stream) and o.get("/Subtype") == "/Form"]
        assert len(forms) == 1
        assert not [o for o in pdf.objects if isinstance(o, pikepdf.Stream) and o.get("/Subtype") == "/Image"]
    (message,) = [f.message for f in document.findings]
    assert message == "Of its drawing, this is left out: gradients (one colour stands for each)."


@pytest.mark.parametrize(("fit", "inside", "outside"), [
    ("whole", (30, 30), (30, 10)), ("fill", (1, 1), None), ("stretch", (1, 1), None),
])  # fmt: skip
def test_pictures_are_fitted_into_their_place(
    library: MakeLibrary, tmp_path: Path, fit: Any, inside: tuple[int, int], outside: tuple[int, int] | None
) -> None:
    (tmp_path / "a.png").write_bytes(png())
    document = render(report_of(picture(file="a.png", width=60_000, fit=fit)), library(FREIGHT))
    path = pdf_of(document, tmp_path)
    assert color_at(path, LEFT + inside[0], TOP + inside[1]) == (0x7B, 0x4B, 0x94)
    if outside is not None:
        assert color_at(path, LEFT + outside[0], TOP + outside[1]) == (255, 255, 255)
    assert color_at(path, LEFT + 62, TOP + 30) == (255, 255, 255)  # what fills the place is cut off at its edge


shares = st.floats(0, 0.45)


@given(size=st.tuples(st.integers(1, 4000), st.integers(1, 4000)), box=st.tuples(st.integers(1000, 500_000),
       st.integers(1000, 500_000)), fit=st.sampled_from(["whole", "fill", "stretch"]), crops=st.tuples(shares, shares,
       shares, shares))  # fmt: skip
def test_what_is_seen_lies_in_the_place_and_in_the_picture(size: Any, box: Any, fit: Any, crops: Any) -> None:
    names = ("crop_left", "crop_top", "crop_right", "crop_bottom")
    block = picture(height=box[1], width=box[0], fit=fit, **dict(zip(names, crops, strict=True)))
    made = Picture("x", size, True, b"")
    assert size_of(block, made, 1_000_000) == box
    placed = fitted(block, made, *box)
    x, y, width, height = placed.visible
    assert x >= 0
    assert x + width <= box[0]
    assert y >= 0
    assert y + height <= box[1]
    left, top, across, down = placed.whole or placed.visible
    assert left <= x + 1
    assert top <= y + 1
    assert left + across >= x + width - 2
    assert top + down >= y + height - 2
    if fit == "fill":
        assert (width, height) == box


def test_a_column_gives_each_record_its_picture(library: MakeLibrary, tmp_path: Path) -> None:
    (tmp_path / "a.png").write_bytes(png())
    texts = {"file": "a.png", "base64": base64.b64encode(png(20, 20)).decode(), "hex": png(10, 20).hex(),
             "uri": "data:image/svg+xml;base64," + base64.b64encode(DRAWING.encode()).decode()}  # fmt: skip
    rows = ", ".join(f"('{name}', '{said}')" for name, said in texts.items())
    made = library(f"create table lines (name text, said text); insert into lines values {rows}, ('none', null);")
    each = ForEachBlock(name="each", query="rows", by="name", page_break="none",
                        blocks=(picture(value="min(said)", link="https://tarrow.example/{name}"),))  # fmt: skip
    document = render(report_of(each), made)
    found = [i for i in shown(document) if i["kind"] == "picture"]
    assert [(i["width"], i["origin"]["keys"]) for i in found] == [
        (60.0, ["base64"]), (120.0, ["file"]), (30.0, ["hex"]), (120.0, ["uri"]),
    ]  # fmt: skip
    targets = [i["target"].rpartition("/")[2] for i in shown(document) if i["kind"] == "link"]
    assert targets == ["base64", "file", "hex", "uri"]
    assert len(pypdfium2.PdfDocument(pdf_of(document, tmp_path))) == 1


def bomb() -> bytes:
    """A small PNG that says it is 60,000 pixels wide and high."""

    def chunk(name: bytes, data: bytes) -> bytes:
        return len(data).to_bytes(4, "big") + name + data + zlib.crc32(name + data).to_bytes(4, "big")

    head = (60_000).to_bytes(4, "big") * 2 + bytes((1, 0, 0, 0, 0))
    return b"\x89PNG\r\n\x1a\n" + chunk(b"IHDR", head) + chunk(b"IDAT", zlib.compress(b"")) + chunk(b"IEND", b"")


def doubling(times: int) -> str:
    """A drawing that repeats itself twice as often with each step."""
    steps = "".join(f'<g id="g{n + 1}"><use href="#g{n}"/><use href="#g{n}"/></g>' for n in range(times))
    return (
        f'<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9"><rect id="g0" width="1" height="1"/>{steps}</svg>'
    )


SVG = '<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 9 9">{}</svg>'
HOSTILE = {
    "size bomb": (bomb(), "more than 40,000,000 pixels|no PNG, JPEG or SVG"),
    "broken": (png()[:60], "no PNG, JPEG or SVG that can be read"),
    "text": (b"no picture", "no PNG, JPEG or SVG that can be read"),
    "entities": (b'<!DOCTYPE svg [<!ENTITY a "aaaa"><!ENTITY b "&a;&a;">]>' + SVG.format("<text>&b;</text>").encode(), "declares entities"),
    "external entity": (b'<!DOCTYPE svg [<!ENTITY a SYSTEM "file:///etc/passwd">]>' + SVG.format("&a;").encode(), "declares entities"),
    "doubling": (doubling(40).encode(), "more than 20,000 shapes"),
    "circle": (SVG.format('<g id="a"><use href="#b"/></g><g id="b"><use href="#a"/></g>').encode(), "repeats itself without end"),
    "no size": (b'<svg xmlns="http://www.w3.org/2000/svg"><rect width="1" height="1"/></svg>', "says no size"),
    "far away": (SVG.format('<path d="M0 0L1e300 5"/>').encode(), "cannot be drawn"),
    "unclosed": (SVG.format("<g>").encode(), "no SVG that can be read"),
    "many letters": (SVG.format(f"<text>{'word ' * 5_000}</text>").encode(), "more than 20,000 letters"),
    "repeated letters": (SVG.format(f'<text id="t">{"a" * 9_000}</text>' + '<use href="#t"/>' * 900).encode(), "more than 400,000 lines"),
    "repeated path": (SVG.format(f'<path id="p" d="M0 0{"l1 1" * 90_000}"/>' + '<use href="#p"/>' * 900).encode(), "more than 400,000 lines"),
}  # fmt: skip


@pytest.mark.parametrize("what", HOSTILE)
def test_hostile_pictures_are_marked_in_their_place(library: MakeLibrary, tmp_path: Path, what: str) -> None:
    data, message = HOSTILE[what]
    (tmp_path / "x.svg").write_bytes(data)
    document = render(report_of(picture(file="x.svg")), library(FREIGHT))
    assert re.search(message, " ".join(i["text"] for i in shown(document)))
    assert shown(document)[0]["text"].startswith("⚠")
    (finding,) = document.findings
    assert finding.place.block == "picture"
    assert re.search(message, finding.message)


@pytest.mark.parametrize("file", ["", ".", "..", "folder", "pipe", "a\0b", "x" * 5_000, "~nobody/x.png", "loop"])
def test_a_path_that_leads_to_no_picture_is_marked_in_its_place(
    library: MakeLibrary, tmp_path: Path, file: str
) -> None:
    (tmp_path / "folder").mkdir()
    (tmp_path / "loop").symlink_to("loop")
    os.mkfifo(tmp_path / "pipe")
    document = render(report_of(picture(file=file)), library(FREIGHT))
    assert shown(document)[0]["text"].startswith("⚠")
    assert [finding.place.block for finding in document.findings] == ["picture"]


def test_texts_of_a_drawing_follow_one_another() -> None:
    """Stretches go on where the one before ended, or are where they are put; in their own colours, also when repeated."""
    texts = (
        '<style>.r {fill: #ff0000}</style><g font-size="4" font-family="Nowhere, monospace">'
        '<text id="t" x="2" y="4">\n  M<tspan class="r">M</tspan>M <tspan x="10" dy="1em" fill="#0000ff">M</tspan></text>'
        '<text x="38" y="16" text-anchor="end">MMM</text><text y="16" visibility="hidden">M</text>'
        '<use href="#t" x="20"/></g>'
    )
    drawing = read_svg(SVG.format(texts).replace("0 0 9 9", "0 0 40 20").encode())
    assert drawing.left_out == ("the font Nowhere (another one stands for it)",)
    lefts = [min(min(step[::2]) for step in path.steps) for path in drawing.paths]
    lowest = [max(max(step[1::2]) for step in path.steps) for path in drawing.paths]
    wide = 4 * 0.6  # of each letter of a font whose letters are all as wide
    text = [(0, "#000000", 0), (wide, "#FF0000", 0), (2 * wide, "#000000", 0), (8, "#0000FF", 4)]
    wanted = [*text, (36 - 3 * wide, "#000000", 12), *((x + 20, color, y) for x, color, y in text)]
    for path, left, low, (x, color, y) in zip(drawing.paths, lefts, lowest, wanted, strict=True):
        assert path.fill == color
        assert (left - lefts[0], low - lowest[0]) == (pytest.approx(x * 1000, abs=2), pytest.approx(y * 1000, abs=2))


def places_of(texts: str) -> list[tuple[float, float]]:
    """Where each stretch of a drawing's texts is, in its own units: its left edge, and its lowest point."""
    paths = read_svg(SVG.format(texts).encode()).paths
    found = ((min(min(s[::2]) for s in path.steps), max(max(s[1::2]) for s in path.steps)) for path in paths)
    return [(x / 1000, y / 1000) for x, y in found]


@pytest.mark.parametrize(
    ("attributes", "across", "down"),
    [
        ('x="3"', 3, 0), ('x="3 5 9" y="2"', 3, 2), ('dx="1.5" dy="2em"', 1.5, 8), ('x="3" dx="-1"', 2, 0),
        ('transform="translate(4 1)"', 4, 1), ('y="1ex"', 0, 2), ('x="0.5e1"', 5, 0), ('x="none"', 0, 0),
        ('text-anchor="middle"', -1.2, 0), ('style="text-anchor:end"', -2.4, 0), ('x="3px" y="3pt"', 3, 4),
    ],
)  # fmt: skip
def test_a_text_of_a_drawing_is_where_its_attributes_say(attributes: str, across: float, down: float) -> None:
    font = 'font-size="4" font-family="IBM Plex Mono"'
    ((left, low),) = places_of(f"<text {font}>M</text>")
    ((x, y),) = places_of(f"<text {font} {attributes}>M</text>")
    assert (x - left, y - low) == (pytest.approx(across, abs=0.01), pytest.approx(down, abs=0.01))


@pytest.mark.parametrize(("looks", "wide"), [
    ('font-family="Courier New"', True), ('font-family="Georgia, Arial"', False), ('font-family="Nowhere"', False),
    ('font-family="Nowhere, monospace"', True),
])  # fmt: skip
def test_a_text_of_a_drawing_has_the_nearest_shipped_font(looks: str, wide: bool) -> None:
    """Letters of some fonts are all as wide: then what follows them begins at the same place."""
    texts = (f"<text font-size='4' {looks}>{letters}<tspan>l</tspan></text>" for letters in ("ill", "mmm"))
    (_, narrow), (_, broad) = map(places_of, texts)
    assert (abs(narrow[0] - broad[0]) < 0.002) is wide


@pytest.mark.parametrize("looks", ['font-weight="700"', 'style="font-weight:bold"', 'font-style="oblique"'])
def test_a_text_of_a_drawing_is_as_heavy_and_slanted_as_it_says(looks: str) -> None:
    plain, other = (read_svg(SVG.format(f"<text {own}>m</text>").encode()).paths for own in ("", looks))
    assert plain[0].steps != other[0].steps


def test_a_long_style_in_a_drawing_is_none_of_its_lines() -> None:
    style = f"<style>.a {{fill: #ff0000}} /* {'x' * 100_000} */</style>"
    (path,) = read_svg(SVG.format(f'{style}<rect class="a" width="2" height="2"/>').encode()).paths
    assert path.fill == "#FF0000"


@pytest.mark.parametrize("texts", ["<text/>", "<text> </text>", "<text fill='none'>a</text>", "<text><b>a</b></text>"])
def test_a_text_that_says_nothing_draws_nothing(texts: str) -> None:
    assert places_of(texts) == []


def test_what_a_drawing_refers_to_is_never_read(library: MakeLibrary, tmp_path: Path) -> None:
    secret = tmp_path / "secret.svg"
    secret.write_text(DRAWING)
    outside = (
        f'<image href="{secret}" width="5" height="5"/><use href="{secret}#r"/><rect width="4" height="4" fill="#00f"/>'
    )
    script = "<script>alert(1)</script><style>@import url('http://tarrow.example/x.css');</style>"
    (tmp_path / "a.svg").write_text(SVG.format(outside + script))
    document = render(report_of(picture(file="a.svg")), library(FREIGHT))
    (finding,) = document.findings
    assert finding.message == "Of its drawing, this is left out: pictures in it, things from other files."
    path = pdf_of(document, tmp_path)
    assert color_at(path, LEFT + 10, TOP + 10) == (0, 0, 255)
    assert color_at(path, LEFT + 40, TOP + 10) == (255, 255, 255)
    assert b"secret" not in path.read_bytes()


@pytest.mark.parametrize("place", ["attribute", "style", "sheet"])
@pytest.mark.variants
def test_transforms_around_many_shapes_are_read_once_or_refused(place: str) -> None:
    many = "rotate(1) " * 70
    opening = {"attribute": f'<g transform="{many}">', "style": f'<g style="transform:{many}">', "sheet": "<g>"}[place]
    sheet = f"<style>g{{transform:{many}}}</style>" if place == "sheet" else ""
    shapes = '<rect width="1" height="1"/>' * 1000
    for depth in (10, 100):
        drawing = f'<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9">{sheet}{opening * depth}{shapes}{"</g>" * depth}</svg>'
        if place == "attribute" and depth == 100:
            with pytest.raises(LayoutError, match="transforms around its shapes"):
                read_svg(drawing.encode())
        else:
            found = read_svg(drawing.encode())
            assert len(found.paths) == 1000
            assert ("transforms in styles" in found.left_out) == (place != "attribute")
