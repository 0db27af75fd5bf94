"""A kind of thing is added by one module and an entry in the one list of its kind: a toy of each, used throughout.

The toys are put into a copy of the program, which then renders them and shows them in its window.
"""

import ast
import json
import os
import shutil
import subprocess
import sys
from pathlib import Path
from typing import Any

import pytest

ROOT = Path(__file__).parents[1]
TOYS = Path(__file__).parent / "toys"
MODULES = {
    "clock.py": "core/sources/drivers", "words.py": "core/output", "stems.py": "core/layout/chart",
    "signature.py": "core/model/blocks", "hours.py": "core/values",
}  # fmt: skip
CLOCK = '''
class ClockConnection(NamedConnection):
    """A clock."""

    kind: Literal["clock"] = "clock"


'''
HOURS = """ValueKind(
        "hours", "Hours of work", "hours such as 5 h", "northmoor.core.values.hours.read_hours",
        "northmoor.core.values.hours.coerce_hours", "int16", "smallint", sample=0, default=0, first_choice=1,
        is_number=True,
    )"""
SIGNATURE = """BlockType(
        SignatureBlock, "Signature", "minus", "northmoor.core.model.blocks.signature.place",
        new=lambda name: SignatureBlock(name=name),
        contents=lambda block: _texts(block.signed_by),
        traced=lambda block: Content(text=block.signed_by), is_drawn=True,
    )"""


def listed(file: Path, name: str, entry: str, before: str = "") -> None:
    """Add an entry at the end of a list in a file, and what it needs before the list."""
    source = file.read_text(encoding="utf-8")
    for node in ast.parse(source).body:
        if isinstance(node, ast.AnnAssign) and isinstance(node.target, ast.Name) and node.target.id == name:
            lines = source.split("\n")
            lines.insert(node.value.end_lineno - 1, f"    {entry},")
            lines.insert(node.lineno - 1, before)
            file.write_text("\n".join(lines), encoding="utf-8")
            return
    raise AssertionError(f"{file} has no list {name}")


@pytest.fixture(scope="module")
def toys(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Any]:
    """What came of the toys in a copy of the program."""
    folder = tmp_path_factory.mktemp("toys")
    program = folder / "northmoor"
    shutil.copytree(ROOT / "northmoor", program, ignore=shutil.ignore_patterns("__pycache__", "assets"))
    (program / "assets").symlink_to(ROOT / "northmoor" / "assets")
    for module, package in MODULES.items():
        shutil.copy(TOYS / module, program / package)
    kinds = program / "core" / "model" / "kinds"
    listed(kinds / "aggregates.py", "AGGREGATES", 'Aggregate("mad", "Median deviation")')
    listed(
        kinds / "output_formats.py",
        "OUTPUT_FORMATS",
        'OutputFormat("words", "Words only", "northmoor.core.output.words")',
    )
    stems = 'MarkType("stems", "Stems", f"{_CHART}.stems.draw_stems", from_zero=True, needs_category=True)'
    listed(kinds / "mark_types.py", "MARK_TYPES", stems)
    clock = (
        'ConnectionKind(ClockConnection, "A clock", "clock", "clock", "duckdb", "northmoor.core.sources.drivers.clock")'
    )
    listed(program / "core" / "model" / "data" / "connections.py", "CONNECTION_KINDS", clock, CLOCK)
    listed(kinds / "value_kinds.py", "VALUE_KINDS", HOURS)
    listed(program / "app" / "widgets" / "kind_looks.py", "KIND_LOOKS", '"hours": KindLook("clock", 90, 60)')
    blocks = program / "core" / "model" / "blocks" / "block_types.py"
    listed(blocks, "BLOCK_TYPES", SIGNATURE, "from northmoor.core.model.blocks.signature import SignatureBlock\n")
    environment = os.environ | {"QT_QPA_PLATFORM": "offscreen", "PYTHONPATH": str(folder), "PYTHONWARNINGS": "error"}
    command = [sys.executable, str(TOYS / "drive.py"), str(folder)]
    done = subprocess.run(
        command, capture_output=True, text=True, cwd=folder, env=environment, check=False, timeout=120
    )
    assert done.returncode == 0, done.stderr
    found: dict[str, Any] = json.loads(done.stdout.split("\n")[-2])
    assert found["findings"] == []
    return found


def test_an_aggregate_is_one_record(toys: dict[str, Any]) -> None:
    assert toys["words"][-3] == "6"  # the median deviation of 0 to 23


def test_an_output_is_a_module_and_a_record(toys: dict[str, Any]) -> None:
    assert "23" in toys["words"]
    assert "PDF" in toys["formats"]
    assert toys["formats"][-2:] == ["Page dump (JSON)", "Words only"]


def test_a_connection_is_a_driver_and_a_record(toys: dict[str, Any]) -> None:
    assert toys["connections"][-1] == "A clock"


def test_a_mark_is_a_function_and_a_record(toys: dict[str, Any]) -> None:
    assert toys["stems"] == 23  # that of hour 0 has no length
    assert "Stems" in toys["chosen"]


def test_a_block_is_a_module_and_a_record(toys: dict[str, Any]) -> None:
    assert "Signed for 276 in 5 hours" in toys["words"]
    assert (toys["traced"], toys["outline"]) == ("Signed for 276 in 5 hours", True)
    assert toys["inserted"] == "signature"
    assert "{report_title()}" in toys["fields"]


def test_a_kind_of_value_is_its_functions_a_record_and_its_look(toys: dict[str, Any]) -> None:
    assert toys["held"] == "int16"
    assert (toys["kinds"][-1], toys["shift"]) == ("Hours of work", "5")
    assert toys["refused"] == "Parameter shift: 'long' is no hours; write hours such as 5 h."
