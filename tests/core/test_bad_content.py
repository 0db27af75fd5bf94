"""Content that nobody meant: each is a finding at its place, and the rest of the page is there all the same."""

import sqlite3
from pathlib import Path

import duckdb
import pytest

from northmoor.core import session
from northmoor.core.checks.preflight import preflight
from northmoor.core.document import Document
from northmoor.core.errors import NorthmoorError
from northmoor.core.model.base import Part
from northmoor.core.model.blocks.chart import ChartBlock, ChartLevel, ChartMeasure
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.table import Column
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.connections import Connections, DuckdbConnection, FilesConnection, SqliteConnection
from northmoor.core.sources.library import Library
from tests.helpers import dumped, query, render, report_of, table_of

TWO = "select 1 as k, 2 as v union all select 2, 3"
CONNECTIONS = {
    "duck": DuckdbConnection(name="db", database="a.duckdb"),
    "lite": SqliteConnection(name="db", database="s.sqlite"),
    "files": FilesConnection(name="db", path="files"),
}


@pytest.fixture
def odd(tmp_path: Path) -> Path:
    """Databases and files with values that programs stumble over."""
    with duckdb.connect(tmp_path / "a.duckdb") as made:
        made.execute("create table t as select null as x, 1 as k, interval 3 days as iv, 18446744073709551615 as big")
    with sqlite3.connect(tmp_path / "s.sqlite") as made:
        made.execute("create table t (x text)")
        made.execute("insert into t values (cast(x'ff41' as text))")
    (tmp_path / "files").mkdir()
    (tmp_path / "files" / "digits.json").write_text('[{"n": ' + "9" * 5000 + "}]")
    (tmp_path / "files" / "lines.jsonl").write_text('{"n": 1}\n{"n": ' + "9" * 5000 + "}\n")
    (tmp_path / "files" / "half.json").write_text('[{"n": "\\ud800x"}]')
    return tmp_path


def texts_of(document: Document) -> str:
    return " ".join(item["text"] for page in dumped(document)["pages"] for item in page["items"] if "text" in item)


def columns(*names: str) -> Part:
    return table_of(*[Column(name=name, value=name) for name in names])


def chart(**changes: str) -> Part:
    measure = ChartMeasure(name="v", value="sum(v)", **{k: v for k, v in changes.items() if k != "draw"})
    level = ChartLevel(name="k", by="k")
    return ChartBlock(name="c", query="rows", draw=changes.get("draw", "columns"), category=level, measures=(measure,))


MATRIX = MatrixBlock(
    name="m", query="rows", rows=(MatrixLevel(name="k", by="k", order_by="list(1)"),),
    measures=(Measure(name="v", value="sum(v)"),),
)  # fmt: skip
CASES = {
    "a column of nothing": ("duck", "select x from t", columns("x"), None),
    "an interval": ("duck", "select iv from t", columns("iv"), None),
    "the largest whole number": ("duck", "select big from t", columns("big"), None),
    "text that is not UTF-8": ("lite", "select x from t", columns("x"), "Row 1 has a text that is not in UTF-8"),
    "thousands of digits": ("files", "select n from digits", columns("n"), "more digits than can be read"),
    "thousands of digits in a line": ("files", "select n from lines", columns("n"), "line 2: a number has more digits"),
    "half a character": ("files", "select n from half", columns("n"), "half a character"),
    "a list as a currency": ("lite", TWO, table_of(Column(name="v", value="v", currency="list(1)")), "list(1)"),
    "an order by lists": ("lite", TWO, MATRIX, "gives lists; order groups by a single value"),
    "an error bar that is none": ("lite", TWO, chart(error_low="sum((", error_high="nope"), "cannot be understood"),
    "a span's end that is none": ("lite", TWO, chart(draw="spans", until="sum(("), "cannot be understood"),
}


@pytest.mark.parametrize("case", CASES)
def test_what_is_odd_is_shown_or_reported_at_its_place(odd: Path, case: str) -> None:
    connection, sql, block, message = CASES[case]
    library = Library(odd, Connections(connections=(CONNECTIONS[connection],)))
    document = render(report_of(TextBlock(name="beside", text="Beside it"), block, queries=[query(sql)]), library)
    document.pdf()
    assert "Beside it" in texts_of(document)
    found = " ".join(finding.message for finding in preflight(document))
    assert (message in found) if message else not found


def test_a_mistake_of_ours_in_one_block_leaves_the_others(odd: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    def fail(*_: object) -> None:
        raise ZeroDivisionError("of a kind that nobody expects")

    monkeypatch.setattr(session, "evaluate_block", fail)
    library = Library(odd, Connections(connections=(CONNECTIONS["lite"],)))
    document = render(
        report_of(TextBlock(name="beside", text="Beside it"), columns("v"), queries=[query(TWO)]), library
    )
    assert "Beside it" in texts_of(document)
    (finding,) = preflight(document)
    assert (
        "Northmoor made a mistake in grouping and totalling it; please report this: ZeroDivisionError"
        in finding.message
    )
    assert finding.place.block == "table"


def test_a_text_that_no_file_can_hold_is_refused() -> None:
    with pytest.raises(NorthmoorError, match="half a character"):
        TextBlock(name="t", text="x").but(text="a\ud800")
