"""How far a bundle is: a line for each record that is done, written through, so that it can go on where it was."""

import json
import os
from collections.abc import Iterator
from contextlib import suppress
from pathlib import Path

from msgspec import Struct
from msgspec.structs import asdict

_JOURNALS = "records-*.jsonl"


class RecordResult(Struct, frozen=True):
    """What became of a record of a bundle: its number from 0, its name, its files, and why there are none."""

    number: int
    name: str
    files: tuple[str, ...] = ()
    pages: int = 0
    size: int = 0
    sha256: str = ""
    total: str = ""
    address: str = ""
    state: str = "made"
    """made, failed or left_out"""
    reason: str = ""


class BundleJournal:
    """The journal of one process that makes records."""

    def __init__(self, folder: Path, writer: int) -> None:
        path = folder / f"records-{writer:03}.jsonl"
        self._file = path.open("a", encoding="utf-8")

    def add(self, results: list[RecordResult]) -> None:
        """Note what became of some records, once their files are there."""
        self._file.writelines(json.dumps(asdict(result), ensure_ascii=False) + "\n" for result in results)
        self._file.flush()
        os.fsync(self._file.fileno())

    def close(self) -> None:
        """Close it."""
        self._file.close()


def read_journals(folder: Path) -> dict[int, RecordResult]:
    """What is known of records, by their numbers; a line that was not finished is passed over."""
    found: dict[int, RecordResult] = {}
    for path in sorted(folder.glob(_JOURNALS)):
        for result in _lines(path):
            found[result.number] = result
    return found


def count_results(folder: Path) -> int:
    """How many records are noted."""
    return sum(path.read_bytes().count(b"\n") for path in folder.glob(_JOURNALS))


def remove_journals(folder: Path) -> None:
    """Let go of them: the list of the bundle says it all."""
    for path in folder.glob(_JOURNALS):
        path.unlink()


def _lines(path: Path) -> Iterator[RecordResult]:
    for line in path.read_text(encoding="utf-8", errors="replace").splitlines():
        with suppress(ValueError, TypeError):
            entries = json.loads(line)
            yield RecordResult(**{**entries, "files": tuple(entries["files"])})
