"""A small library to deliver from: freight lines of routes, with a report that has a page for each route."""

import json
import sqlite3
from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from northmoor.core.delivery.archive.run_record import RunRecord
from northmoor.core.delivery.runs.make_run import RunMaker
from northmoor.core.delivery.runs.run_request import BundleRequest, RunRequest
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.connections import Connections, SqliteConnection
from northmoor.core.model.data.queries import QueryColumn
from northmoor.core.model.parameters import Parameter
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import save_report
from tests.helpers import query, report_of, table_of

SCRIPT = """
create table lines (route text, goods text, charge decimal(10,2), mail text);
insert into lines values
  ('Inverlang', 'timber', 38.50, 'inverlang@tarrow.example'),
  ('Inverlang', 'feed', 12.10, 'inverlang@tarrow.example'),
  ('Oxholm', 'fish', 9.90, 'oxholm@tarrow.example'),
  ('Skarholm', 'timber', 100.05, 'skarholm@tarrow.example'),
  ('Skarholm', 'salt', 0.35, 'skarholm@tarrow.example');
"""
SQL = "select * from lines where charge >= :least order by route, goods"


def delivery_library(root: Path, script: str = SCRIPT, **for_each: Any) -> Path:
    """Make the library in a folder: ``freight.moor`` has a page for each route, ``listing.moor`` one table."""
    root.mkdir(exist_ok=True)
    fill(root, script)
    Library(root, Connections(connections=(SqliteConnection(name="db", database="db.sqlite"),))).save()
    least = Parameter(name="least", kind="decimal", default="0")
    rows = query(SQL, [QueryColumn(name="charge", type="decimal(10,2)")])
    table = table_of("goods", "charge")
    own = {"file_name": "{route}", "address": "{mail}", "listed_total": "{sum(charge); 0.00}"} | for_each
    each = ForEachBlock(
        name="route",
        query="rows",
        by="route",
        blocks=(TextBlock(name="heading", text="Freight of {route}"), table),
        **own,
    )
    (root / "reports").mkdir(exist_ok=True)
    for name, block in (("freight", each), ("listing", table)):
        save_report(
            report_of(block, queries=[rows], parameters=[least], title=name.title()), root / "reports" / f"{name}.moor"
        )
    return root


def fill(root: Path, script: str) -> None:
    """Make the library's database anew."""
    (root / "db.sqlite").unlink(missing_ok=True)
    connection = sqlite3.connect(root / "db.sqlite")
    connection.executescript(script)
    connection.close()


def execute(root: Path, sql: str) -> None:
    """Change the library's database."""
    connection = sqlite3.connect(root / "db.sqlite")
    with connection:
        connection.executescript(sql)
    connection.close()


def request(root: Path, report: str = "listing", **more: Any) -> RunRequest:
    """A request for a run of one of its reports."""
    return RunRequest(library=str(root), report=f"reports/{report}.moor", **more)


def bundle(root: Path, **more: Any) -> RunRequest:
    """A request for a file for each route."""
    own = {name: more.pop(name) for name in list(more) if name in BundleRequest.model_fields}
    return request(root, "freight", bundle=BundleRequest(for_each="route", **own), **more)


def make(root: Path, wanted: RunRequest) -> tuple[RunRecord, Path]:
    """Make a run in this process; what came of it, and its folder in the archive."""
    maker = RunMaker(Library.around(root))
    record = maker.make(wanted)
    return record, maker.archive.place(record)


def write_order(root: Path, name: str, when: Mapping[str, Any], **more: Any) -> None:
    """Write a standing order as a person would."""
    entries = {"northmoor_order": 1, "title": name.title(), "report": "listing.moor", "when": when, **more}
    (root / "orders").mkdir(exist_ok=True)
    (root / "orders" / f"{name}.json").write_text(json.dumps(entries), encoding="utf-8")


def write_settings(root: Path, servers: Sequence[Mapping[str, Any]], **more: Any) -> None:
    """Write how the library delivers."""
    entries = {"northmoor_delivery": 1, "mail_servers": servers, **more}
    (root / "delivery.json").write_text(json.dumps(entries), encoding="utf-8")
