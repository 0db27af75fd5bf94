"""Writes PDF, dump and PNG of every edition of every demo report, and prints a digest of each file.

Run before and after a change that should leave pages as they are, and compare what is printed.
Usage: python bench/outputs.py FOLDER
"""

import hashlib
import sys
from pathlib import Path

import northmoor
from northmoor.demo.demo_library import make_library

SUFFIXES = ("pdf", "json", "png")
DATA_TIME = "2026-01-01T06:00"


def samples(report: northmoor.Report) -> dict[str, object]:
    """Values by name for the parameters that have no default."""
    return {p.name: p.sample for p in report.parameters if p.default is None and p.sample is not None}


def write_all(folder: Path) -> list[Path]:
    """Write the demo library's reports into a folder; the files written."""
    library = folder / "library"
    make_library(library)
    written = []
    for path in sorted(library.rglob("*.moor")):
        report = northmoor.load_report(path)
        for edition in report.editions:
            document = northmoor.render(report, {"data_time": DATA_TIME, **samples(report)}, path, edition.name)
            for suffix in SUFFIXES:
                written += document.write(folder / f"{path.stem}-{edition.name}.{suffix}")
    return written


def main() -> None:
    """Print a digest and a name for each file."""
    for path in write_all(Path(sys.argv[1])):
        print(hashlib.sha256(path.read_bytes()).hexdigest()[:32], path.name)


if __name__ == "__main__":
    main()
