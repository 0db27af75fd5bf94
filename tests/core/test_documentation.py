"""The core needs no interface, and what the documents say is true of the tree."""

import re
import subprocess
import sys
from pathlib import Path

import pytest

ROOT = Path(__file__).parents[2]


def test_the_core_and_the_command_line_load_no_qt() -> None:
    script = "import sys, northmoor.cli, northmoor.demo.demo_library; print(sorted(m for m in sys.modules if m.startswith(('PyQt6', 'northmoor.app'))))"
    done = subprocess.run([sys.executable, "-c", script], capture_output=True, text=True, check=True, cwd=ROOT)
    assert done.stdout.strip() == "[]"


@pytest.mark.parametrize(
    "paper", ["README.md", "CONTRIBUTING.md", "docs/page-dump.md", "docs/expressions.md", "docs/tables.md"]
)
def test_paths_named_in_the_papers_exist(paper: str) -> None:
    text = (ROOT / paper).read_text(encoding="utf-8")
    named = re.findall(r"`((?:northmoor|scripts|docs|tests|bench)/[\w./*-]*)`", text) + re.findall(
        r"\]\(((?!http)[^)#]+)\)", text
    )
    missing = [
        path for path in named if not list(ROOT.glob(path.rstrip("/"))) and not ((ROOT / paper).parent / path).exists()
    ]
    assert missing == []


def test_every_public_function_is_described_and_no_module_is_too_long() -> None:
    import ast

    undescribed, long_modules, total = [], [], 0
    for path in (ROOT / "northmoor").rglob("*.py"):
        source = path.read_text(encoding="utf-8")
        if source.count("\n") > 600:
            long_modules.append(path.name)
        for node in ast.walk(ast.parse(source)):
            if isinstance(node, ast.FunctionDef | ast.ClassDef) and not node.name.startswith("_"):
                total += 1
                if ast.get_docstring(node) is None:
                    undescribed.append(f"{path.name}:{node.name}")
    assert long_modules == []
    assert len(undescribed) < total * 0.1, undescribed


def test_the_lock_file_names_no_host() -> None:
    lock = (ROOT / "requirements.lock").read_text(encoding="utf-8")
    assert "://" not in lock
    assert "--hash=sha256:" in lock


def test_the_model_loads_no_engine_and_no_window() -> None:
    heavy = "{'duckdb', 'sqlalchemy', 'pyarrow', 'numpy', 'PyQt6'} & set(__import__('sys').modules)"
    done = subprocess.run(
        [sys.executable, "-c", f"import northmoor.core.model.report; print({heavy})"],
        capture_output=True, text=True, check=True,
    )  # fmt: skip
    assert done.stdout == "set()\n"


def test_the_help_of_the_command_line_waits_for_nothing_heavy() -> None:
    heavy = (
        "{'pydantic', 'duckdb', 'sqlalchemy', 'pyarrow', 'numpy', 'sqlglot', 'PyQt6'} & set(__import__('sys').modules)"
    )
    done = subprocess.run(
        [sys.executable, "-c", f"import northmoor.cli, northmoor.delivery_cli; print({heavy})"],
        capture_output=True, text=True, check=True, cwd=ROOT,
    )  # fmt: skip
    assert done.stdout == "set()\n"
