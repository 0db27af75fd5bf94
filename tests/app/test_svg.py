"""Drawings, the shipped ones among them, drawn by us and by Qt: two independent readers of SVG have to agree."""

import re
from importlib.resources import files
from pathlib import Path

import numpy as np
import pypdfium2
import pytest
from PyQt6.QtCore import QByteArray, QRectF
from PyQt6.QtGui import QColor, QFontDatabase, QImage, QPainter
from PyQt6.QtSvg import QSvgRenderer
from PyQt6.QtWidgets import QApplication

from northmoor.core.base.arrays import Ints
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.data.connections import Connections
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.report import Edition, Report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.demo.reports.winter_letter import EMBLEM

SIDE = 240
ICONS = sorted(path.name for path in (files("northmoor") / "assets" / "icons").iterdir() if path.name.endswith(".svg"))
GROUPS = [ICONS[at::6] for at in range(6)]
SHAPES = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100">
<defs><style>.s{fill:#b3402e;stroke:#33291f;stroke-width:3}</style></defs>
<g transform="translate(10 5) rotate(12)"><rect class="s" x="5" y="5" width="30" height="20" rx="6"/></g>
<polygon points="60,5 95,20 75,45" fill="#2f7f86" fill-opacity="0.5"/><line x1="5" y1="95" x2="60" y2="60" stroke="#7b4b94" stroke-width="4"/>
<path d="M60 60 q20 -20 35 5 t-20 25 a10 14 30 1 1 -12 -22z M70 70h6v6h-6z" fill="#5e7f3a" fill-rule="evenodd"/>
<ellipse cx="25" cy="60" rx="18" ry="9" transform="skewX(15)" fill="none" stroke="#c9971c" stroke-width="2"/>
<polyline points="5,40 15,30 25,42 35,28" fill="none" stroke="#8b8378" stroke-width="1.5"/></svg>"""


def by_qt(drawing: str) -> Ints:
    """A drawing's grey pixels as Qt draws it."""
    image = QImage(SIDE, SIDE, QImage.Format.Format_Grayscale8)
    image.fill(QColor("white"))
    painter = QPainter(image)
    painter.setRenderHint(QPainter.RenderHint.Antialiasing)
    QSvgRenderer(QByteArray(drawing.encode())).render(painter, QRectF(0, 0, SIDE, SIDE))
    painter.end()
    bits = image.constBits()
    assert bits is not None
    pixels = np.frombuffer(bits.asstring(image.sizeInBytes()), np.uint8).reshape(SIDE, image.bytesPerLine())
    return pixels[:, :SIDE].astype(np.int64)


def by_us(drawing: str, folder: Path) -> Ints:
    """The same by way of a page's PDF."""
    (folder / "x.svg").write_text(drawing)
    picture = PictureBlock(name="picture", file="x.svg", height=180_000)
    setup = PageSetup(
        size="custom", width=180_000, height=180_000, margin_top=0, margin_right=0, margin_bottom=0, margin_left=0
    )
    report = Report(editions=(Edition(name="main", page=setup, blocks=(picture,)),))
    pdf = Session(Library(folder, Connections())).render(report).page_pdf(0)
    image = pypdfium2.PdfDocument(pdf)[0].render(scale=SIDE / 180).to_pil().convert("L")
    return np.asarray(image).astype(np.int64)


def differs(one: Ints, other: Ints) -> float:
    """The share of what is drawn that is clearly different."""
    inked = int((one < 200).sum()) or 1
    return float((np.abs(one - other) > 120).sum() / inked)


@pytest.mark.parametrize("names", GROUPS, ids=range(len(GROUPS)))
@pytest.mark.variants
def test_the_shipped_icons_look_as_qt_draws_them(qapp: QApplication, tmp_path: Path, names: list[str]) -> None:
    for name in names:
        drawing = (files("northmoor") / "assets" / "icons" / name).read_text(encoding="utf-8")
        drawing = re.sub("currentColor|#ffffff|#efe9de", "#33291F", drawing, flags=re.IGNORECASE)
        reference = by_qt(drawing)
        assert (reference < 200).sum() > 100, name
        assert differs(reference, by_us(drawing, tmp_path)) < 0.04, name


TEXTS = """<svg xmlns="http://www.w3.org/2000/svg" viewBox="0 0 100 100"><style>.b{font-weight:bold;fill:#b3402e}</style>
<g font-family="IBM Plex Sans" font-size="14"><text x="4" y="20">Fares <tspan class="b">2025</tspan></text>
<text x="50" y="42" text-anchor="middle" font-style="italic">Tarrow</text>
<text x="96" y="62" text-anchor="end" fill="#2f7f86" class="b">Sound</text>
<g transform="translate(8 92) rotate(-14) scale(1.1)"><text font-family="IBM Plex Serif" font-size="16">Ferries</text></g></g></svg>"""


def test_texts_look_as_qt_draws_them(qapp: QApplication, tmp_path: Path) -> None:
    for font in (files("northmoor") / "assets" / "fonts").iterdir():
        if font.name.startswith("IBMPlex") and font.name.endswith(".ttf"):
            QFontDatabase.addApplicationFontFromData(font.read_bytes())
    reference = by_qt(TEXTS)
    assert (reference < 200).sum() > 1_000
    assert differs(reference, by_us(TEXTS, tmp_path)) < 0.15  # where middles are, there is a pixel between them


@pytest.mark.parametrize("drawing", [SHAPES, EMBLEM], ids=["shapes", "emblem"])
def test_shapes_transforms_arcs_and_styles_look_as_qt_draws_them(
    qapp: QApplication, tmp_path: Path, drawing: str
) -> None:
    assert differs(by_qt(drawing), by_us(drawing, tmp_path)) < 0.04
