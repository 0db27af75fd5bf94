"""What a report could take of memory and time is held to limits, and is a sentence at its place."""

import json
import subprocess
import sys
import threading
import time
from collections.abc import Callable
from contextlib import suppress
from pathlib import Path

import pytest

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.document import Document
from northmoor.core.errors import Cancelled, RefusedQuery, ReportFileError
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.table import Column
from northmoor.core.model.blocks.text import TextBlock, TextRun
from northmoor.core.model.serialization import read_report
from northmoor.core.model.styles import Style
from northmoor.core.session import Session
from northmoor.core.sources.builder.select_parser import parse_select
from northmoor.core.sources.drivers.read_only import check_query
from northmoor.core.sources.library import Library
from tests.helpers import column_of, lines_of, little_memory, render, report_of, script_of, table_of

MakeLibrary = Callable[[str], Library]
LONG = "a" * 900


def messages(document: Document) -> str:
    document.pdf()
    return " ".join(finding.message for finding in document.findings)


def nested(depth: int, by: str) -> str:
    """Replaces of replaces, each of which makes more of every letter."""
    return nested(depth - 1, f"replace({by}, 'a', '{LONG}')") if depth else by


@pytest.mark.parametrize(
    "value", [nested(3, "t"), nested(8, "t"), f"replace(replace(t, 'a', '{LONG}'), 'a', repeated)"]
)
def test_replaces_that_multiply_a_text_are_held_to_a_length(library: MakeLibrary, value: str) -> None:
    document = render(
        report_of(table_of("n", Column(name="grown", value=value)), sql=f"select *, '{LONG}' as repeated from lines"),
        library(script_of(["aaaa", "bbbb"])),
    )
    assert "replace() makes a text of more than 1,000,000 characters" in messages(document)
    assert column_of(document, "grown") == ["⚠ error", "bbbb"]


def test_replaces_of_every_day_are_as_they_were(library: MakeLibrary) -> None:
    values = {
        "plain": "replace(t, 'a', 'oo')",
        "by_column": "replace(t, 'a', t)",
        "nested": "replace(replace(t, 'a', t), '', 'x')",
    }
    columns = [Column(name=name, value=value) for name, value in values.items()]
    document = render(report_of(table_of(*columns)), library(script_of(["bab"])))
    assert lines_of(document)[0].cells == {"plain": "boob", "by_column": "bbabb", "nested": "bbabb"}


@pytest.mark.parametrize("when_wide", ["narrow", "across"])
def test_a_text_as_long_as_a_street_is_cut_to_its_page(library: MakeLibrary, when_wide: str) -> None:
    many = "concat(" + ", ".join(["t"] * 900) + ")"
    table = table_of(Column(name="long", value=many), "n").but(when_wide=when_wide)
    matrix = MatrixBlock(name="m", query="rows", when_wide=when_wide, columns=(MatrixLevel(name="t", by=many),),
                         rows=(MatrixLevel(name="n", by="n"),), measures=(Measure(name="n", value="sum(n)"),))  # fmt: skip
    for block in (table, matrix):
        said = messages(render(report_of(block), library(script_of(["Saturday" * 9, "Sunday" * 9]))))
        assert "wider than the room there is" in said
        assert "mistake" not in said


@pytest.mark.parametrize("blocks", [
    [{"kind": "text"}] * 10_000, [1] * 2_000_000, [[]] * 2_000_000, {f"k{number}": 1 for number in range(1_000_000)},
], ids=["parts", "numbers", "lists", "entries"])  # fmt: skip
@pytest.mark.variants
def test_a_report_of_more_parts_than_are_read_at_once_is_refused(blocks: object) -> None:
    text = json.dumps({"northmoor_report": 1, "title": "x", "editions": [{"name": "a", "blocks": blocks}]})
    with pytest.raises(ReportFileError, match=r"more than 10,000 parts or 100,000 entries, and is not a report\.$"):
        read_report(text)


@pytest.mark.parametrize("sql", ["select 1" + "+1" * 5_000, "select 'a" + "a" * 100_000 + "'"])
def test_sql_of_more_words_than_are_read_at_once_is_refused(sql: str) -> None:
    with pytest.raises(RefusedQuery, match="make a view of it in the database"):
        check_query(sql, "postgres")


def test_sql_longer_than_a_sentence_stays_sql() -> None:
    sql = "select a from t where " + " and ".join(f"a{number} = {number}" for number in range(1_500))
    assert check_query(sql, "postgres").sql == sql
    assert parse_select(sql, "postgres") is None


def test_an_expression_that_no_memory_holds_leaves_the_others(library: MakeLibrary) -> None:
    wide = "concat_ws(" + ", ".join(["t"] * 900) + ")"
    made = library(script_of(["ab" * 3000] * 500))
    with little_memory(400_000_000):
        document = render(report_of(table_of("n", Column(name="wide", value=f"length({wide})"))), made)
    assert "there is not enough memory for it; take fewer rows" in messages(document)
    assert column_of(document, "n")[0] == "0"


@pytest.mark.slow
@pytest.mark.parametrize("block", [
    TextBlock(name="text", text="{max(rows.t)}"), TextBlock(name="text", runs=(TextRun(text="{max(rows.t)}"),)),
    table_of("t"), TextBlock(name="text", text="{replace(max(rows.t), ' ', '')}", look=Style(break_words="anywhere")),
])  # fmt: skip
def test_a_text_as_long_as_a_book_is_broken_into_lines_or_stopped_at_once(library: MakeLibrary, block: Block) -> None:
    made = library(script_of([" ".join(f"word {number}" for number in range(80_000))]))
    stop, began = CancelToken(), time.monotonic()
    threading.Timer(1.5, stop.cancel).start()
    with suppress(Cancelled):
        document = Session(made).render(report_of(block), stop=stop)
        assert len(document) > 100
    assert time.monotonic() - began < 6


def test_a_text_longer_than_any_is_a_sentence(library: MakeLibrary) -> None:
    document = render(report_of(table_of("t", "n")), library(script_of(["word " * 210_000, "short"])))
    assert messages(document) == "It is 1.1 MB of text, and 1 MB is the most."
    assert column_of(document, "t") == ["⚠ error", "short"]


def test_a_process_may_have_three_quarters_of_the_memory() -> None:
    asked = "import resource as r; from northmoor.core.base.memory_limit import limit_memory as l; l(); print(r.getrlimit(r.RLIMIT_DATA)[0])"
    done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
    total = int(Path("/proc/meminfo").read_text().split()[1]) * 1024
    assert 0 < int(done.stdout) <= 0.75 * total
