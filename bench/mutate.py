"""How sharp the tests are: small changes are made to a module, one at a time, and its nearest tests have to fail.

``scripts/mutate MODULE [COUNT]``, with a key of `NEAREST`. Places of the module are drawn by a fixed seed, and at each
place one change of those that cosmic-ray knows. What the tests do not notice is printed as a difference.
"""

import ast
import difflib
import os
import random
import shutil
import subprocess
import sys
import tempfile
import time
from collections import defaultdict
from collections.abc import Iterator
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from queue import Queue

from cosmic_ray.ast import ast_nodes, get_ast
from cosmic_ray.mutating import mutate_code
from cosmic_ray.plugins import get_operator, operator_names

ROOT = Path(__file__).parents[1]
NEAREST = {
    "layout/table/pagination": "test_pagination test_reference_paginator",
    "layout/table/cell_layout": "test_cell_layout",
    "layout/chart/scales": "test_scales",
    "sources/drivers/read_only": "test_read_only",
    "sources/typing/coercion": "test_coercion",
    "sources/typing/decimals": "test_long_decimals test_coercion",
    "compute/parameters/resolution": "test_parameter_resolution",
    "compute/crosstab/preaggregation": "test_preaggregation",
    "expr/formats": "test_formats",
    "expr/number_patterns": "test_number_patterns",
}
"""Modules of the core, and the tests, without servers, that should notice a change of each."""
WORKERS = 2


def without_annotations(source: str) -> str | None:
    """What of a module has an effect; None where it is no Python."""
    try:
        tree = ast.parse(source)
    except SyntaxError:
        return None
    for node in ast.walk(tree):
        for name in ("annotation", "returns"):
            if getattr(node, name, None) is not None:
                setattr(node, name, ast.Constant(None))
    return ast.dump(tree)


def changes(source: str) -> Iterator[list[str]]:
    """For each place of a module, the changed modules that differ there in what they do."""
    tree, known = get_ast(source), without_annotations(source)
    places: dict[tuple[int, int], list[tuple[str, int]]] = defaultdict(list)
    for name in operator_names():
        if get_operator(name).arguments():
            continue
        operator = get_operator(name)()
        found = (start for node in ast_nodes(tree) for start, _ in operator.mutation_positions(node))
        for occurrence, start in enumerate(found):
            places[start].append((name, occurrence))
    for at in sorted(places):
        made = (mutate_code(source, get_operator(name)(), occurrence) for name, occurrence in places[at])
        fit = [each for each in made if each and without_annotations(each) not in (None, known)]
        if fit:
            yield fit


def copy_of_checkout(folder: Path) -> Path:
    """What tests need of the checkout, in a folder of its own."""
    folder.mkdir()
    for name in ("northmoor", "tests", "docs", "pyproject.toml", "README.md", "CONTRIBUTING.md"):
        source = ROOT / name
        copy = shutil.copytree if source.is_dir() else shutil.copy
        copy(source, folder / name)
    return folder


def passes(checkout: Path, tests: list[str], seconds: float) -> bool:
    """Whether tests pass in time."""
    options = ["-x", "-q", "-p", "no:cacheprovider"]
    environment = {name: value for name, value in os.environ.items() if name != "PYTHONPATH"}
    try:
        done = subprocess.run(
            [sys.executable, "-m", "pytest", *options, *tests], cwd=checkout, capture_output=True, check=False,
            timeout=seconds, env=environment | {"PYTHONDONTWRITEBYTECODE": "1", "QT_QPA_PLATFORM": "offscreen"},
        )  # fmt: skip
    except subprocess.TimeoutExpired:
        return False
    return done.returncode == 0


def main(name: str, count: int) -> None:
    """Print what survives, and how many of how many were caught."""
    module = f"northmoor/core/{name}.py"
    tests = [f"tests/core/{test}.py" for test in NEAREST[name].split()]
    source = (ROOT / module).read_text(encoding="utf-8")
    draw = random.Random(19)  # a sample, which is to be the same each time
    places = list(changes(source))
    drawn = [draw.choice(fit) for fit in draw.sample(places, min(count, len(places)))]
    with tempfile.TemporaryDirectory() as folder:
        free: Queue[Path] = Queue()
        for number in range(WORKERS):
            free.put(copy_of_checkout(Path(folder, str(number))))
        started = time.monotonic()
        if not passes(Path(folder, "0"), tests, 600):
            sys.exit(f"The tests of {name} fail without a change; make them pass first.")
        limit = 4 * (time.monotonic() - started) + 10

        def survives(changed: str) -> bool:
            checkout = free.get()
            (checkout / module).write_text(changed, encoding="utf-8")
            try:
                return passes(checkout, tests, limit)
            finally:
                free.put(checkout)

        with ThreadPoolExecutor(WORKERS) as pool:
            survived = list(pool.map(survives, drawn))
    for changed, alive in zip(drawn, survived, strict=True):
        if alive:
            lines = difflib.unified_diff(source.split("\n"), changed.split("\n"), module, module, "", "", 0, "")
            sys.stdout.write("\n".join(list(lines)[2:]) + "\n")
    caught = len(drawn) - sum(survived)
    sys.stdout.write(f"{name}: {caught} of {len(drawn)} caught ({caught / len(drawn):.0%})\n")


if __name__ == "__main__":
    main(sys.argv[1], int(sys.argv[2]) if len(sys.argv) > 2 else 40)
