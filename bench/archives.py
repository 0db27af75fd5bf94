"""An archive of very many runs: how long its list, its searches and making its index again take.

Usage: archives.py RUNS. Makes the runs' folders in a temporary folder, about 60 texts each, then prints the seconds.
"""

import random
import sys
import tempfile
import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pyarrow as pa
import pyarrow.parquet as pq

from northmoor.core.delivery.archive.archive import Archive
from northmoor.core.delivery.archive.archive_index import RunFilter
from northmoor.core.delivery.archive.run_record import RunRecord
from northmoor.core.delivery.archive.run_texts import TEXTS_FILE, TextCollector
from northmoor.core.model.serialization import part_text

_PORTS = ("Tarrow Quay", "Inverlang", "Skarholm", "Merrow Point", "Brae Ness", "Oxholm", "Sule Haven")
_REPORTS = ("board-sheet", "fares-by-route", "fleet-day", "freight-statement", "voyage-report")
_BEGIN = datetime(2023, 1, 1, tzinfo=UTC)


def make_runs(archive: Archive, count: int) -> None:
    """Write the folders of so many runs."""
    chance, schema = random.Random(25), TextCollector().table().schema
    for number in range(count):
        started = _BEGIN + timedelta(minutes=15 * number)
        record = RunRecord(
            id=f"{started:%Y%m%d-%H%M%S}-{number:08x}", report=f"reports/{_REPORTS[number % 5]}.moor",
            title=_REPORTS[number % 5], report_sha256="", started=started, ended=started + timedelta(seconds=2),
            state="failed" if number % 50 == 0 else "done", pages=2,
        )  # fmt: skip
        texts = [f"{chance.choice(_PORTS)} {chance.random() * 1e5:,.2f}" for _ in range(60)] + [f"voyage{number}"]
        columns = {name: [None] * len(texts) for name in schema.names} | {"page": [1] * len(texts), "text": texts}
        folder = archive.place(record)
        folder.mkdir(parents=True)
        (folder / "run.json").write_text(part_text(record, "northmoor_run", 1), encoding="utf-8")
        pq.write_table(pa.table(columns, schema=schema), folder / TEXTS_FILE, compression="zstd")


def main() -> None:
    """Make them, and tell what it took to look at them."""
    count = int(sys.argv[1])
    with tempfile.TemporaryDirectory() as name:
        archive = Archive(Path(name))
        make_runs(archive, count)
        began = time.perf_counter()
        assert archive.rebuild() == []
        print(f"index made again of {count:,} folders: {time.perf_counter() - began:.1f} s")
        archive.close()
        began = time.perf_counter()
        archive = Archive(Path(name))
        assert archive.index.count(RunFilter()) == count
        archive.find(RunFilter())
        archive.index.reports()
        print(f"list: {time.perf_counter() - began:.3f} s")
        for words, states in (
            (f"voyage{count // 2}", ()),
            ("oxholm skarholm", ()),
            ("oxh", ()),
            ("oxholm", ("failed",)),
        ):
            began = time.perf_counter()
            wanted = RunFilter(words=words, states=states)
            found, matches = len(archive.find(wanted)), archive.index.count(wanted)
            print(f"{words} {' '.join(states)}: {found} of {matches:,} in {time.perf_counter() - began:.3f} s")
        archive.close()


if __name__ == "__main__":
    main()
