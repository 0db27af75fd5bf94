"""What a report could take of memory and time is held to limits, and is a sentence at its place."""

import subprocess
import sys
from collections.abc import Callable
from pathlib import Path

import pytest

from northmoor.core.document import Document
from northmoor.core.model.blocks.matrix import MatrixBlock, MatrixLevel, Measure
from northmoor.core.model.blocks.table import Column
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


def test_an_expression_that_no_memory_holds_leaves_the_others(library: MakeLibrary) -> None:
    wide = "concat_ws(" + ", ".join(["t"] * 900) + ")"
    made = library(script_of(["ab" * 3000] * 500))
    with little_memory(400_000_000):
        document = render(report_of(table_of("n", Column(name="wide", value=f"length({wide})"))), made)
    assert "there is not enough memory for it; take fewer rows" in messages(document)
    assert column_of(document, "n")[0] == "0"


def test_a_process_may_have_three_quarters_of_the_memory() -> None:
    asked = "import resource as r; from northmoor.core.base.memory_limit import limit_memory as l; l(); print(r.getrlimit(r.RLIMIT_DATA)[0])"
    done = subprocess.run([sys.executable, "-c", asked], capture_output=True, text=True, check=True)
    total = int(Path("/proc/meminfo").read_text().split()[1]) * 1024
    assert 0 < int(done.stdout) <= 0.75 * total
