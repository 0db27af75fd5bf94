"""The floor: the same cells to a PDF with no grouping, measuring or pagination.

Reads the rows, writes every value as text at fixed places, fifty rows a page, with the same font and compression
as the product. Usage: bare.py DATABASE OUT, where the database is one of SQLite or a Parquet file.
"""

import sqlite3
import sys
import zlib
from importlib.resources import files
from typing import Any

import duckdb
import pikepdf
import uharfbuzz as hb
from pikepdf import Array, Dictionary, Name

ROWS_PER_PAGE = 50
LEFTS = (57, 120, 240, 320, 390, 460)


def text_of(value: object) -> str:
    """A value as text."""
    if isinstance(value, float):
        return f"{value:,.2f}"
    return f"{value:,}" if isinstance(value, int) else str(value)


def rows_of(database: str) -> Any:
    """A cursor over the rows to write."""
    if database.endswith(".parquet"):
        columns = "departs_at, vessel, sailing_id, passengers, cars, takings"
        return duckdb.connect().execute(f"select {columns} from '{database}' order by route, vessel, departs_at")
    return sqlite3.connect(database).execute("select * from lines")


def main(database: str, out: str) -> None:
    """Write the rows of a database."""
    face = hb.Face((files("northmoor") / "assets" / "fonts" / "IBMPlexSans-Regular.ttf").read_bytes())
    font = hb.Font(face)
    codes = {point: f"{font.get_nominal_glyph(point):04x}" for point in face.unicodes}
    pdf = pikepdf.new()
    fonts = Dictionary()
    resources = pdf.make_indirect(Dictionary(Font=fonts))
    used: set[str] = set()
    cursor = rows_of(database)
    while rows := cursor.fetchmany(ROWS_PER_PAGE):
        lines = ["BT /F0 9 Tf"]
        y = 780
        for row in rows:
            for x, value in zip(LEFTS, row, strict=True):
                text = text_of(value)
                used.update(text)
                lines.append(f"1 0 0 1 {x} {y} Tm <{text.translate(codes)}> Tj")
            y -= 14
        lines.append("ET")
        stream = pikepdf.Stream(pdf, zlib.compress("\n".join(lines).encode(), 6))
        stream.Filter = Name.FlateDecode
        page = Dictionary(Type=Name.Page, MediaBox=Array([0, 0, 595, 842]), Resources=resources, Contents=stream)
        pdf.pages.append(pikepdf.Page(pdf.make_indirect(page)))
    fonts["/F0"] = embed(pdf, face, font, used)
    pdf.save(out, deterministic_id=True, object_stream_mode=pikepdf.ObjectStreamMode.generate)


def embed(pdf: pikepdf.Pdf, face: hb.Face, font: hb.Font, used: set[str]) -> pikepdf.Object:
    """The font with the used glyphs."""
    glyphs = sorted(font.get_nominal_glyph(ord(c)) for c in used)
    wanted = hb.SubsetInput()
    wanted.glyph_set.update(glyphs)
    wanted.flags = hb.SubsetFlags.RETAIN_GIDS
    file = pikepdf.Stream(pdf, bytes(hb.subset(face, wanted).blob.data))
    descriptor = Dictionary(
        Type=Name.FontDescriptor, FontName=Name.Bare, Flags=4, FontBBox=Array([0, -300, 1000, 1000]),
        ItalicAngle=0, Ascent=1000, Descent=-300, CapHeight=700, StemV=80, FontFile2=file,
    )  # fmt: skip
    widths: list[object] = []
    for glyph in glyphs:
        widths += [glyph, Array([font.get_glyph_h_advance(glyph)])]
    descendant = Dictionary(
        Type=Name.Font, Subtype=Name.CIDFontType2, BaseFont=Name.Bare, CIDToGIDMap=Name.Identity, W=Array(widths),
        CIDSystemInfo=Dictionary(Registry=pikepdf.String("Adobe"), Ordering=pikepdf.String("Identity"), Supplement=0),
        FontDescriptor=pdf.make_indirect(descriptor),
    )  # fmt: skip
    return pdf.make_indirect(
        Dictionary(
            Type=Name.Font, Subtype=Name.Type0, BaseFont=Name.Bare, Encoding=Name("/Identity-H"),
            DescendantFonts=Array([pdf.make_indirect(descendant)]),
        )
    )  # fmt: skip


if __name__ == "__main__":
    main(sys.argv[1], sys.argv[2])
