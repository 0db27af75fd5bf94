"""Open data: rows and cells in each format, read back by another program, to the last digit; keys and totals marked."""

import csv
import io
import json
import shutil
import subprocess
import zipfile
from collections.abc import Callable
from datetime import date, datetime
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.csv as pcsv
import pyarrow.ipc as ipc
import pyarrow.parquet as pq
import pytest
from hypothesis import given
from hypothesis import strategies as st
from lxml import etree

import northmoor
from northmoor.core.document import Document
from northmoor.core.errors import OutputError
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.table import Column
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.output.data.table_files import FORMATS, write_ods
from northmoor.core.output.data.writer import data_tables, output_files
from northmoor.core.sources.library import Library
from tests.helpers import FREIGHT, level_of, lines_of, render, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]
ROWS = OutputOptions(columns="rows")
PRINTED = OutputOptions(numbers="printed")


def tables(document: Document, options: OutputOptions | None = None, block: str | None = None) -> dict[str, pa.Table]:
    return data_tables(document.output("csv", block=block, options=options))


def freight(library: MakeLibrary, **more: Any) -> Document:
    levels = (level_of("route", heading=row_of(route="{route}: {count(*)}"), total=row_of(charge="sum(charge)")),)
    table = table_of("route", "vessel", "charge", levels=levels, total=row_of(charge="sum(charge)"), **more)
    return render(report_of(table), library(FREIGHT))


def test_cells_say_what_rows_they_are_of_and_what_groups(library: MakeLibrary) -> None:
    (found,) = tables(freight(library)).values()
    assert set(found.column_names) == {"row", "level", "route", "text", "vessel", "charge"}
    rows = found.to_pylist()
    assert [row["row"] for row in rows] == [
        "heading", "detail", "detail", "total", "heading", "detail", "detail", "detail", "total", "heading", "detail", "total", "total",
    ]  # fmt: skip
    totals = [(row["route"], row["charge"]) for row in rows if row["row"] == "total" and row["level"] == "route"]
    assert totals == [("TQ-IL", Decimal("12.45")), ("TQ-SK", Decimal("148.45")), (None, Decimal("7.00"))]
    assert rows[-1]["level"] is None
    assert rows[-1]["charge"] == Decimal("167.90")
    assert rows[0]["text"] == "TQ-IL: 2"
    assert pa.types.is_decimal(found.schema.field("charge").type)


def test_a_figure_under_a_key_and_a_column_named_text_keep_the_keys(library: MakeLibrary) -> None:
    levels = (level_of("route", total=row_of(route="count(*)")),)
    table = table_of("route", Column(name="text", value="note"), levels=levels, total=row_of(route="count(*)"))
    rows = tables(render(report_of(table), library(FREIGHT)))["table"].to_pylist()
    totals = [(row["route"], row["route_"]) for row in rows if row["row"] == "total"]
    assert totals == [("TQ-IL", 2), ("TQ-SK", 3), (None, 1), (None, 6)]
    assert [row["text_"] for row in rows if row["row"] == "detail"] == [
        None,
        "fish",
        "timber",
        "feed",
        "timber",
        "feed",
    ]


def test_printed_numbers_are_the_texts_of_the_pages(library: MakeLibrary) -> None:
    column = Column(name="share", value="charge / 3", format="0.0")
    document = render(report_of(table_of(column)), library(FREIGHT))
    printed = tables(document, PRINTED)["table"].column("share").to_pylist()
    assert printed == [line.cells["share"] for line in lines_of(document) if line.kind == "detail"]
    exact = tables(document)["table"].column("share").to_pylist()
    assert exact[0] != float(printed[0])
    assert exact[0] == pytest.approx(38.5 / 3)


def test_cells_left_empty_on_paper_have_their_values(library: MakeLibrary) -> None:
    repeated = Column(name="vessel", value="vessel", blank_repeats=True)
    missing = Column(name="note", value="note", when_null="none")
    found = tables(render(report_of(table_of(repeated, missing)), library(FREIGHT)))["table"]
    assert None not in found.column("vessel").to_pylist()
    assert found.column("note").null_count == 1


def test_a_matrix_names_its_columns_by_its_keys(demo: Path) -> None:
    found = tables(northmoor.render(demo / "reports" / "route-month-matrix.moor"))["cancelled-matrix"]
    assert found.column_names[:4] == ["row", "level", "season", "2025-01-01 cancelled"]
    assert found.column("total cancelled").to_pylist() == [254, 8, 262]
    assert found.column("2025-01-01 cancelled").to_pylist() == [177, None, 177]


def test_the_marks_of_a_chart_are_rows(library: MakeLibrary) -> None:
    chart = ChartBlock(
        name="chart", query="rows", category=ChartLevel(name="category", by="day"), series=ChartLevel(name="by", by="vessel"),
        measures=(ChartMeasure(name="charge", value="sum(charge)"),),
    )  # fmt: skip
    found = tables(render(report_of(chart), library(FREIGHT)))["chart"]
    assert found.column_names == ["row", "day", "Curlew", "Dunlin"]
    assert found.to_pylist()[1] == {"row": "mark", "day": date(2025, 1, 2), "Curlew": None, "Dunlin": Decimal("22.00")}


def test_rows_of_queries_are_those_that_were_fetched(library: MakeLibrary) -> None:
    document = freight(library)
    assert tables(document, ROWS)["rows"].equals(document.rows["rows"].table)
    assert list(tables(document, block="table")) == ["table"]
    text = TextBlock(name="text", text="Nothing else")
    with pytest.raises(OutputError, match="no tables or charts"):
        output_files(render(report_of(text), library(FREIGHT)).output("csv"))


MIXED = pa.table(
    {
        "text": ['plain', 'tab\there "quoted", and\nlines', None], "whole": [1, -2, None],
        "exact": pa.array([Decimal("0.10"), Decimal("-12345678901234567890.12"), None], pa.decimal128(38, 2)),
        "share": [0.1, 1e300, None], "yes": [True, False, None], "day": [date(2025, 1, 2), date(1890, 3, 4), None],
        "at": [datetime(2025, 1, 2, 3, 4, 5), datetime(2025, 6, 7, 8, 9, 10), None], "list": [[1, 2], [], None],
    }
)  # fmt: skip


def written(suffix: str, table: pa.Table = MIXED) -> bytes:
    target = io.BytesIO()
    FORMATS[suffix](table, target)
    return target.getvalue()


@pytest.mark.parametrize("suffix", list(FORMATS))
def test_a_format_gives_the_same_bytes_each_time(suffix: str) -> None:
    assert written(suffix) == written(suffix)


def test_parquet_and_arrow_keep_all_types() -> None:
    assert pq.read_table(io.BytesIO(written("parquet"))).equals(MIXED)
    assert ipc.open_file(pa.BufferReader(written("arrow"))).read_all().equals(MIXED)


def test_csv_and_tsv_are_read_back_by_other_readers() -> None:
    texts = pcsv.read_csv(
        io.BytesIO(written("csv")),
        parse_options=pcsv.ParseOptions(newlines_in_values=True),
        convert_options=pcsv.ConvertOptions(column_types={"exact": pa.decimal128(38, 2)}, strings_can_be_null=True),
    )
    assert texts.column("exact").equals(MIXED.column("exact"))
    assert texts.column("text").to_pylist() == MIXED.column("text").to_pylist()
    lines = list(csv.reader(io.StringIO(written("tsv").decode()), delimiter="\t"))
    assert lines[0] == MIXED.column_names
    assert lines[1] == ["plain", "1", "0.10", "0.1", "True", "2025-01-02", "2025-01-02 03:04:05", "[1, 2]"]
    assert lines[2][0] == 'tab\there "quoted", and\nlines'
    assert lines[3] == [""] * 8


def test_json_lines_keep_every_digit() -> None:
    first, second, third = written("jsonl").decode().splitlines()
    found = json.loads(second, parse_float=Decimal)
    assert found["exact"] == Decimal("-12345678901234567890.12")
    assert found["text"] == 'tab\there "quoted", and\nlines'
    assert json.loads(first) | {"exact": 0.1} == {
        "text": "plain", "whole": 1, "exact": 0.1, "share": 0.1, "yes": True, "day": "2025-01-02", "at": "2025-01-02T03:04:05",
        "list": [1, 2],
    }  # fmt: skip
    assert set(json.loads(third).values()) == {None}


@given(st.lists(st.floats() | st.none(), max_size=8), st.text(max_size=20))
def test_json_lines_are_json_whatever_they_hold(numbers: list[float | None], text: str) -> None:
    made = pa.table(
        {
            "n": pa.array(numbers, pa.float64()),
            "t": pa.array([text.encode("utf-8", "replace").decode()] * len(numbers), pa.string()),
        }
    )
    for line, number in zip(written("jsonl", made).decode().split("\n"), numbers, strict=False):
        found = json.loads(line)["n"]
        is_sound = number is not None and number == number and abs(number) != float("inf")
        assert found == number if is_sound else found is None


@pytest.mark.slow
def test_an_opendocument_spreadsheet_is_opened_by_a_spreadsheet_program(tmp_path: Path) -> None:
    path = tmp_path / "rows.ods"
    with path.open("wb") as target:
        write_ods({"first": MIXED, "second": MIXED.slice(0, 1)}, target, lambda: None)
    with zipfile.ZipFile(path) as archive:
        assert archive.namelist()[0] == "mimetype"
        assert archive.getinfo("mimetype").compress_type == zipfile.ZIP_STORED
        root = etree.fromstring(archive.read("content.xml"))
    names = [each.get("{urn:oasis:names:tc:opendocument:xmlns:table:1.0}name") for each in root.iter("{*}table")]
    assert names == ["first", "second"]
    office = shutil.which("soffice")
    assert office is not None, "scripts/setup --test installs it"
    profile = f"-env:UserInstallation=file://{tmp_path}/profile"
    command = [office, profile, "--headless", "--convert-to", "csv", "--outdir", str(tmp_path), str(path)]
    subprocess.run(command, check=True, capture_output=True, timeout=120)
    lines = list(csv.reader(io.StringIO((tmp_path / "rows.csv").read_text(encoding="utf-8"), newline="")))
    assert lines[0] == MIXED.column_names
    assert lines[1][:2] == ["plain", "1"]
    assert float(lines[1][2]) == 0.1
    assert lines[2][0].split() == ["tab", "here", '"quoted",', "and", "lines"]


@pytest.mark.parametrize("suffix", ["csv", "tsv", "jsonl", "parquet", "arrow", "ods"])
def test_each_block_of_a_demo_report_is_a_file(demo: Path, tmp_path: Path, suffix: str) -> None:
    document = northmoor.render(demo / "reports" / "punctuality.moor", edition="board")
    paths = document.write(tmp_path / f"x.{suffix}")
    if suffix == "ods":
        assert [path.name for path in paths] == ["x.ods"]
    else:
        assert len(paths) == len(tables(document))
        assert all(path.name.startswith("x-") and path.stat().st_size > 0 for path in paths)
    alone = document.write(tmp_path / f"y.{suffix}", block="routes")
    assert [path.name for path in alone] == [f"y.{suffix}"]
