"""Strangers' files and queries over them are read in a process of its own: it is stopped at once, and its end is a
sentence."""

import os
import signal
import threading
import time
from collections.abc import Callable, Iterator
from pathlib import Path

import duckdb
import pyarrow as pa
import pytest
import xlsxwriter
from PIL import Image

from northmoor.core.base.apart import reader_process
from northmoor.core.base.apart.reader_process import ask_apart
from northmoor.core.base.apart.task import Task
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import Cancelled, ConnectionFault, NorthmoorError, QueryError
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.data.connections import Connection, Connections, DuckdbConnection, FilesConnection
from northmoor.core.model.data.queries import Query
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.sources.local.reader_start import ENGINE_TASKS
from northmoor.core.sources.local.tasks import Named, Opening, Statement
from tests.helpers import bind, fetched, report_of

ENDLESS = "with recursive r(i) as (select 1 union all select i + 1 from r) select count(*) as n from r"
OURS = Opening(tables=(Named("lines", pa.table({"n": [1, 2]})),))


def made(tmp_path: Path, connection: Connection) -> Library:
    library = Library(tmp_path, Connections(connections=(connection,)))
    library.save()
    return library


@pytest.fixture
def in_duckdb(tmp_path: Path) -> Library:
    with duckdb.connect(str(tmp_path / "db.duckdb")) as connection:
        connection.execute("create table lines as select repeat('ab', 60000) as t, repeat('ba', 60000) as u")
    return made(tmp_path, DuckdbConnection(name="db", database="db.duckdb"))


def stopped_after(work: Callable[[CancelToken], object]) -> float:
    """How long work goes on after it is stopped."""
    stop, began = CancelToken(), [0.0]

    def cancel() -> None:
        began[0] = time.monotonic()
        stop.cancel()

    timer = threading.Timer(1.0, cancel)
    timer.start()
    with pytest.raises(Cancelled):
        work(stop)
    return time.monotonic() - began[0]


@pytest.mark.slow
@pytest.mark.parametrize(
    "sql",
    [
        ENDLESS,
        "select levenshtein(t, u) as n from lines",
        "select length(lpad('x', 2000000000, 'y')) as n from range(40)",
    ],
)
def test_whatever_a_database_file_computes_stops_at_once(in_duckdb: Library, sql: str) -> None:
    report = report_of(queries=[Query(name="rows", connection="db", sql=sql)])
    assert stopped_after(lambda stop: Session(in_duckdb).rows(report, "rows", bind(report, {}), stop)) < 2
    assert fetched(in_duckdb, "select 1 as one").table[0].to_pylist() == [1]


def test_a_combined_query_stops_at_once(in_duckdb: Library) -> None:
    rows = Query(name="few", connection="db", sql="select 1 as n")
    combined = Query(name="rows", sql=ENDLESS.replace("select 1 union", "select n from few union"))
    report = report_of(queries=[rows, combined])
    assert stopped_after(lambda stop: Session(in_duckdb).rows(report, "rows", bind(report, {}), stop)) < 2


@pytest.mark.slow
def test_a_workbook_with_a_value_in_its_last_cell_is_one_sentence(tmp_path: Path) -> None:
    with xlsxwriter.Workbook(str(tmp_path / "far.xlsx")) as book:
        sheet = book.add_worksheet()
        sheet.write(0, 0, "first")
        sheet.write(1_048_575, 16_383, "last")
    library = made(tmp_path, FilesConnection(name="db", path="."))
    with pytest.raises(NorthmoorError, match=r"far\.xlsx could not be read: its reader ran out of memory"):
        fetched(library, "select * from far")
    (tmp_path / "near.csv").write_text("n\n7\n")
    assert fetched(library, "select * from near").table[0].to_pylist() == [7]
    tables = {table.name: table.fault for table in library.catalog("db", CancelToken()).tables}
    assert tables["near"] is None
    assert "could not be read" in str(tables["far"])


def children() -> list[int]:
    """The processes that this one has started to read."""
    found = []
    for entry in Path("/proc").glob("[0-9]*/stat"):
        try:
            after = entry.read_text().rpartition(")")[2].split()
            command = (entry.parent / "cmdline").read_bytes()
        except OSError:
            continue
        if int(after[1]) == os.getpid() and b"apart.child" in command and after[0] != "Z":
            found.append(int(entry.parent.name))
    return found


@pytest.fixture
def fresh() -> Iterator[None]:
    """No children from before."""
    reader_process._pool.close()
    yield
    reader_process._pool.close()


@pytest.mark.usefixtures("fresh")
def test_a_child_is_used_again_and_its_end_by_itself_is_a_sentence() -> None:
    def total() -> object:
        _, rows = ask_apart(
            Task(ENGINE_TASKS, "run_query"), (OURS, Statement("select sum(n) as s from lines")), CancelToken(), "It"
        )
        return rows.table

    total()
    (child,) = children()
    total()
    assert children() == [child]
    killing = threading.Timer(0.5, lambda: os.kill(child, signal.SIGKILL))
    killing.start()
    with pytest.raises(QueryError, match="It could not be read: its reader ran out of memory or ended"):
        list(ask_apart(Task(ENGINE_TASKS, "run_query"), (OURS, Statement(ENDLESS)), CancelToken(), "It"))
    assert total() is not None


@pytest.mark.slow
@pytest.mark.usefixtures("fresh")
def test_a_picture_is_read_apart_and_stops_at_once(tmp_path: Path) -> None:
    Image.effect_noise((6000, 6000), 90).save(tmp_path / "large.png", compress_level=1)
    library = Library(tmp_path)
    (tmp_path / "small.svg").write_text('<svg xmlns="http://www.w3.org/2000/svg" width="9" height="9"/>')
    report = report_of(PictureBlock(name="picture", file="large.png", height=20_000))
    assert stopped_after(lambda stop: Session(library).render(report, {}, stop=stop)) < 2
    assert children() == []
    document = Session(library).render(report_of(PictureBlock(name="picture", file="small.svg", height=20_000)))
    assert (len(children()), document.findings) == (1, ())


@pytest.mark.slow
@pytest.mark.usefixtures("fresh")
def test_a_child_has_a_limit_of_time_and_knows_no_secret(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("NORTHMOOR_PASSWORDS", '{"secret": "word"}')
    with pytest.raises(QueryError, match="takes longer than 1 seconds to read, and was given up"):
        list(ask_apart(Task(ENGINE_TASKS, "run_query"), (OURS, Statement(ENDLESS)), CancelToken(), "It", seconds=1))
    assert children() == []
    list(ask_apart(Task(ENGINE_TASKS, "bind_query"), (OURS, Statement("select 1")), CancelToken(), "It"))
    (child,) = children()
    assert b"secret" not in Path(f"/proc/{child}/environ").read_bytes()


def test_what_is_not_asked_for_to_its_end_ends_its_child() -> None:
    answers = ask_apart(
        Task(ENGINE_TASKS, "run_query"), (OURS, Statement("select * from range(100000000)")), CancelToken(), "It"
    )
    next(answers)
    before = set(children())
    answers.close()
    assert set(children()) < before


def test_a_file_that_is_no_database_is_a_fault_of_its_connection(tmp_path: Path) -> None:
    (tmp_path / "db.duckdb").write_bytes(b"nothing" * 1000)
    with pytest.raises(ConnectionFault, match="cannot be opened as a DuckDB database"):
        fetched(made(tmp_path, DuckdbConnection(name="db", database="db.duckdb")), "select 1")
