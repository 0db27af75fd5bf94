"""The map of the code is true: packages describe themselves, and a name means one thing in the whole tree."""

import ast
import re
from collections import defaultdict
from collections.abc import Iterator
from pathlib import Path

import pytest

SOURCE = Path(__file__).parents[1] / "northmoor"
PACKAGES = sorted(path.parent for path in SOURCE.rglob("__init__.py") if path.parent != SOURCE)
SAME_ROLE = {
    "evaluation": "of a table, a crosstab, a chart",
    "layout": "of a table, a chart",
    "protocol": "of drivers, of drags",
    "workspace": "Pages, Data",
    "writer": "of each kind of output",
}
"""Names of modules that represent the same role of several kinds."""
INTERFACES = {"main", "output_files", "open_driver", "deliver"}
"""Names that several modules have because something calls them all alike: commands, outputs, drivers, destinations."""


NO_STRUCT_HAS = re.compile("cached_property|compare=False")


def modules() -> Iterator[Path]:
    return (path for path in SOURCE.rglob("*.py") if path.stem not in ("__init__", "__main__"))


def public_names(path: Path) -> Iterator[str]:
    for node in ast.parse(path.read_text(encoding="utf-8")).body:
        if isinstance(node, ast.FunctionDef | ast.ClassDef):
            yield node.name
        elif isinstance(node, ast.Assign | ast.AnnAssign):
            targets = node.targets if isinstance(node, ast.Assign) else [node.target]
            yield from (target.id for target in targets if isinstance(target, ast.Name))


@pytest.mark.parametrize("package", PACKAGES, ids=lambda path: str(path.relative_to(SOURCE)))
def test_a_package_lists_its_modules_and_is_no_crowd(package: Path) -> None:
    described = ast.get_docstring(ast.parse((package / "__init__.py").read_text(encoding="utf-8"))) or ""
    held = [path for path in package.iterdir() if path.suffix == ".py" or (path / "__init__.py").exists()]
    names = [path.stem for path in held if path.stem != "__init__"]
    assert [name for name in names if f"`{name}`" not in described and f"`{name}." not in described] == []
    assert len(names) <= 18


def test_no_two_modules_have_one_name_but_for_one_role() -> None:
    found = defaultdict(list)
    for path in modules():
        found[path.stem].append(path.relative_to(SOURCE))
    assert {name: paths for name, paths in found.items() if len(paths) > 1 and name not in SAME_ROLE} == {}
    assert [name for name in SAME_ROLE if len(found[name]) < 2] == []


def test_a_public_name_means_one_thing() -> None:
    found = defaultdict(list)
    for path in modules():
        for name in public_names(path):
            if not name.startswith("_") and name not in INTERFACES:
                found[name].append(str(path.relative_to(SOURCE)))
    assert {name: paths for name, paths in found.items() if len(paths) > 1} == {}


def test_only_what_a_struct_has_not_is_a_dataclass() -> None:
    texts = {path: path.read_text(encoding="utf-8") for path in modules()}
    needless = [path for path, text in texts.items() if "@dataclass" in text and not NO_STRUCT_HAS.search(text)]
    assert needless == []
