"""Data files and pictures that no program wrote: the demo's, changed at random places, read, queried and laid out.

``python -m tests.fuzz.data_files COUNT SEED`` prints each that ends in anything but rows, a picture, a sentence of ours,
or a finding. The mutant of a seed is always the same one.
"""

import faulthandler
import io
import random
import shutil
import sqlite3
import sys
import tempfile
import traceback
import zipfile
import zlib
from collections.abc import Callable
from pathlib import Path

import duckdb
import pyarrow as pa

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.preflight import preflight
from northmoor.core.errors import NorthmoorError, QueryError
from northmoor.core.expr.identifiers import quoted
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.table import Column, TableBlock
from northmoor.core.model.data.connections import Connections, DuckdbConnection, FilesConnection, SqliteConnection
from northmoor.core.model.data.queries import Query
from northmoor.core.model.report import Edition, Report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.demo.demo_library import make_library
from tests.fuzz.mutants import PATIENCE, Faults, printed

MISTAKES = ("Northmoor made a mistake", "It could not be read (")
"""What is said of errors that nobody expected, in this process and in those that read files."""
ODD = (b"", b"\0", b"\xff\xfe", b"\xf0\x9f", b"<", b"&a;", b"]]>", b'"', b"{", b"[", b",", b"\n", b"1e999", b"-", b"99999999999999999999",
       b"NaN", b"2025-02-30", b"\r", b"=1/0", b"\x00" * 64, b"A" * 5000, b"<!DOCTYPE a>", b"../../etc/passwd")  # fmt: skip
_TABLES, _COLUMNS = 3, 8


def _shipped(folder: Path) -> dict[str, bytes]:
    """The demo's files by their names, its databases cut to a few rows, and their rows in the other formats."""
    make_library(folder / "demo")
    files = [*(folder / "demo" / "data").iterdir(), *(folder / "demo" / "pictures").iterdir()]
    found = {path.name: path.read_bytes() for path in files if path.suffix not in (".sqlite", ".xsd")}
    small = folder / "small.sqlite"
    with sqlite3.connect(small) as made:
        made.execute(f"attach '{folder / 'demo' / 'data' / 'tarrow.sqlite'}' as whole")
        for table in ("ports", "vessels", "sailings", "bookings"):
            made.execute(f"create table {table} as select * from whole.{table} limit 60")
        made.row_factory = sqlite3.Row
        rows = pa.Table.from_pylist([dict(row) for row in made.execute("select * from sailings")])
    made.close()
    with duckdb.connect(str(folder / "small.duckdb")) as engine:
        engine.register("rows", rows)
        engine.execute("create table sailings as select * from rows")
        for suffix, form in (("parquet", "parquet"), ("jsonl", "json")):
            engine.execute(f"copy sailings to '{folder / f'sailings.{suffix}'}' (format {form})")
    made_here = ("small.sqlite", "small.duckdb", "sailings.parquet", "sailings.jsonl")
    return dict(sorted((found | {name: (folder / name).read_bytes() for name in made_here}).items()))


def _unpacked(data: bytes) -> dict[str, bytes]:
    """The files in a packed one; none where it is broken already."""
    try:
        with zipfile.ZipFile(io.BytesIO(data)) as packed:
            return {name: packed.read(name) for name in packed.namelist()}
    except (zipfile.BadZipFile, zlib.error, OSError, ValueError, NotImplementedError, RuntimeError):
        return {}


def changed(data: bytes, draw: random.Random) -> bytes:
    """Bytes with one thing in them changed; of a packed file, mostly a thing in one of the files in it."""
    if data.startswith(b"PK") and draw.random() < 0.8 and (members := _unpacked(data)):
        name = draw.choice(sorted(members))
        members[name] = changed(members[name], draw)
        out = io.BytesIO()
        with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as packed:
            for each, held in members.items():
                packed.writestr(zipfile.ZipInfo(each), held)
        return out.getvalue()
    at, size = draw.randrange(len(data) + 1), draw.choice((1, 1, 2, 4, 30, 1000))
    part = data[at : at + size]
    way = draw.choice(("odd", "odd", "other", "gone", "twice", "cut", "zero", "flipped"))
    put = {
        "odd": draw.choice(ODD), "other": draw.randbytes(len(part)), "gone": b"", "twice": part * 2, "cut": b"",
        "zero": bytes(len(part)), "flipped": bytes(byte ^ 1 << draw.randrange(8) for byte in part),
    }[way]  # fmt: skip
    return data[:at] + put + (b"" if way == "cut" else data[at + len(part) :])


def _library(folder: Path, name: str) -> Library:
    """A library with one file."""
    connection = (
        SqliteConnection(name="db", database=name) if name.endswith(".sqlite")
        else DuckdbConnection(name="db", database=name) if name.endswith(".duckdb")
        else FilesConnection(name="db", path=".")
    )  # fmt: skip
    return Library(folder, Connections(connections=(connection,)))


def _report(library: Library, name: str) -> Report:
    """A report of all that a file holds: its first tables, or the picture."""
    if name.endswith((".svg", ".png")):
        picture = PictureBlock(name="picture", file=name, height=60_000)
        return Report(editions=(Edition(name="main", blocks=(picture,)),))
    known = library.catalog("db", CancelToken()).tables
    if faults := " ".join(table.fault for table in known if table.fault is not None):
        raise QueryError(faults)
    tables = [table for table in known if table.columns][:_TABLES]
    queries = tuple(
        Query(name=f"q{at}", connection="db", sql=f"select * from {quoted(table.name)}")
        for at, table in enumerate(tables)
    )
    blocks = []
    for at, table in enumerate(tables):
        columns = (Column(name=f"c{i}", value=quoted(c.name)) for i, c in enumerate(table.columns[:_COLUMNS]))
        blocks.append(TableBlock(name=f"t{at}", query=f"q{at}", columns=tuple(columns)))
    return Report(queries=queries, editions=(Edition(name="main", blocks=tuple(blocks)),))


def tried(folder: Path, name: str, data: bytes) -> str | None:
    """What goes wrong with a file that must not; None where nothing does."""
    (folder / name).write_bytes(data)
    try:
        library = _library(folder, name)
        document = Session(library).render(_report(library, name))
        if len(document):
            document.page_pdf(0)
        messages = [finding.message for finding in preflight(document)]
    except NorthmoorError as error:
        messages = [str(error)]
    except Exception:  # noqa: BLE001  # that is what is looked for
        return traceback.format_exc()
    finally:
        (folder / name).unlink(missing_ok=True)
    return next((message for message in messages if any(mark in message for mark in MISTAKES)), None)


def run(count: int, seed: int, show: Callable[[str], object] = lambda _: None) -> Faults:
    """Try so many mutants; what went wrong."""
    faults: Faults = []
    with tempfile.TemporaryDirectory() as made, tempfile.TemporaryDirectory() as place:
        shipped = list(_shipped(Path(made)).items())
        shutil.rmtree(made, ignore_errors=True)
        for number in range(seed * 1_000_000, seed * 1_000_000 + count):
            draw = random.Random(number)
            name, data = draw.choice(shipped)
            for _ in range(draw.choice((1, 1, 2, 5))):
                data = changed(data, draw)
            faulthandler.dump_traceback_later(PATIENCE, exit=True)
            if fault := tried(Path(place), name, data):
                faults.append(f"mutant {number} of {name}\n{fault}")
                show(faults[-1])
        faulthandler.cancel_dump_traceback_later()
    return faults


if __name__ == "__main__":
    sys.exit(printed(run, int(sys.argv[1]), int(sys.argv[2])))
