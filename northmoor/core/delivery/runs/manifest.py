"""The list of a bundle: each record with its files, pages, total and digest, or why it has none; as CSV and JSON."""

import csv
import json
from collections.abc import Sequence
from pathlib import Path
from typing import Any

from msgspec.structs import asdict

from northmoor.core.delivery.archive.run_record import check_plain_name
from northmoor.core.delivery.runs.bundle_journal import RecordResult
from northmoor.core.errors import OutputError

CSV_FILE, JSON_FILE = "manifest.csv", "manifest.json"
_COLUMNS = ("record", "name", "state", "file", "pages", "total", "address", "size", "sha256", "reason")


def write_manifest(folder: Path, results: Sequence[RecordResult]) -> None:
    """Write the list of a bundle into a folder."""
    with (folder / CSV_FILE).open("w", encoding="utf-8", newline="") as file:
        writer = csv.writer(file)
        writer.writerow(_COLUMNS)
        for each in results:
            writer.writerow([_cell(value) for value in (
                each.number + 1, each.name, each.state, " ".join(each.files), each.pages, each.total, each.address,
                each.size, each.sha256, each.reason,
            )])  # fmt: skip
    entries = [{**asdict(each), "number": each.number + 1} for each in results]
    text = json.dumps({"northmoor_manifest": 1, "records": entries}, ensure_ascii=False, indent=1) + "\n"
    (folder / JSON_FILE).write_text(text, encoding="utf-8")


def read_manifest(folder: Path) -> list[RecordResult]:
    """The records of a bundle; none where there is no list of them. Raises OutputError."""
    path = folder / JSON_FILE
    if not path.is_file():
        return []
    try:
        entries: list[dict[str, Any]] = json.loads(path.read_text(encoding="utf-8"))["records"]
        return [
            RecordResult(
                **{**entry, "number": entry["number"] - 1, "files": tuple(map(check_plain_name, entry["files"]))}
            )
            for entry in entries
        ]
    except (OSError, ValueError, KeyError, TypeError) as error:
        raise OutputError(
            f"The list of the bundle, {path}, cannot be read ({error}); make the bundle again."
        ) from error


def _cell(value: object) -> object:
    """A value that no spreadsheet takes for a formula."""
    if isinstance(value, str) and value[:1] in ("=", "+", "@", "\t", "\r"):
        return f"'{value}"
    return value
