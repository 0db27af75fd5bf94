"""The archive: what is kept of a run, how it is found again, what differs between two, and which are kept."""

import json
import random
import re
import shutil
import sqlite3
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pyarrow.parquet as pq
import pypdfium2
import pytest
from hypothesis import given
from hypothesis import strategies as st
from typer.testing import CliRunner

from northmoor.core.delivery.archive.archive import Archive
from northmoor.core.delivery.archive.archive_index import IndexedRun, RunFilter
from northmoor.core.delivery.archive.compare_runs import RunComparison, TextBox, compare_runs
from northmoor.core.delivery.archive.keep_rules import KeepRules, runs_to_remove
from northmoor.core.delivery.archive.run_folder import RunFolder, digest, new_run_id
from northmoor.core.delivery.archive.run_texts import TEXTS_FILE
from northmoor.core.delivery.destinations.destination import FolderDestination
from northmoor.core.delivery.library_delivery import LibraryDelivery
from northmoor.core.delivery.runs.file_names import LONGEST, UniqueNames, safe_name
from northmoor.core.delivery.runs.make_run import RunMaker
from northmoor.core.delivery.runs.run_request import RunCondition, RunRequest
from northmoor.core.errors import OutputError, ParameterError, ReportFileError
from northmoor.core.output.page_dump import write_dump
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report
from northmoor.delivery_cli import archive_app
from tests.delivery_helpers import bundle, delivery_library, execute, make, request


@pytest.fixture
def root(tmp_path: Path) -> Path:
    return delivery_library(tmp_path / "library")


def test_a_run_says_what_it_was_made_of_and_can_be_made_again(root: Path) -> None:
    wanted = request(
        root, values={"least": "1"}, formats=("pdf", "csv"), keep_rows=True, file_name="{report_title()}: {:least; 0.0}"
    )
    record, folder = make(root, wanted)
    assert (record.state, record.rows, record.pages, record.values) == ("done", 4, 1, {"least": "1"})
    assert [file.name for file in record.files] == ["Listing- 1.0.pdf", "Listing- 1.0.csv"]
    for file in record.files:
        path = folder / "files" / file.name
        assert (path.stat().st_size, digest(path)) == (file.size, file.sha256)
    assert (folder / "rows" / "rows.parquet").is_file()
    assert (folder / "report.moor").read_bytes() == (root / "reports" / "listing.moor").read_bytes()
    assert digest(root / "reports" / "listing.moor") == record.report_sha256
    again, _ = make(root, wanted)
    assert [(f.name, f.sha256) for f in again.files] == [(f.name, f.sha256) for f in record.files]
    assert again.id != record.id


@pytest.mark.parametrize(
    ("more", "state", "reason"),
    [
        ({"report": "gone.moor"}, "failed", "The library has no report 'gone.moor'."),
        ({"values": {"least": "much"}}, "failed", "'much' is no decimal"),
        ({"edition": "board"}, "failed", "no edition 'board'"),
        ({"file_name": "{route"}, "failed", "The template '{route' is not complete"),
        ({"values": {"least": "1000"}, "only_if": RunCondition(has_rows=True)}, "left_out", "return no rows"),
        ({"only_if": RunCondition(holds="sum(rows.charge) > 1000")}, "left_out", "does not hold"),
        ({"only_if": RunCondition(holds="sum(rows.charge)")}, "failed", "neither true nor false"),
        ({"only_if": RunCondition(holds="sum(rows.charge) > 100")}, "done", ""),
    ],
)  # fmt: skip
def test_what_goes_wrong_is_a_run_that_says_so(root: Path, more: dict[str, object], state: str, reason: str) -> None:
    record, folder = make(root, request(root).but(**more))
    assert record.state == state
    assert reason in record.reason
    assert bool(record.files) == (state == "done")
    assert [path.name for path in (folder / "files").iterdir()] == [file.name for file in record.files]


def test_runs_are_found_by_words_values_state_and_time(root: Path) -> None:
    maker, began = RunMaker(Library.around(root)), datetime(2025, 11, 3, 6, tzinfo=UTC)
    for number, least in enumerate(["0", "10", "50", "1000"]):
        maker.make(request(root, values={"least": least}), started=began + timedelta(days=number))
    maker.make(request(root, "freight"), started=began + timedelta(days=9))
    maker.make(request(root, values={"least": "no"}), started=began + timedelta(days=10))
    archive = maker.archive

    def found(**wanted: object) -> list[str]:
        return [f"{run.report[8:-5]} {run.given[6:]}" for run in archive.find(RunFilter(**wanted))]

    assert found(words="timber") == ["freight 0", "listing 50", "listing 10", "listing 0"]
    assert found(words="salt") == ["freight 0", "listing 0"]
    assert found(words="TIMB fish") == []  # only the last word may be begun
    assert found(words="fish timb") == ["freight 0", "listing 0"]
    assert found(words='"); drop table runs; --') == []
    assert found(states=("failed",)) == ["listing "]
    assert found(report="reports/freight.moor") == ["freight 0"]
    assert found(since=began + timedelta(days=1), until=began + timedelta(days=3)) == ["listing 50", "listing 10"]
    assert archive.index.count(RunFilter(words="timber")) == 4
    assert archive.index.reports() == {"reports/freight.moor": 1, "reports/listing.moor": 5}


def test_the_index_is_made_again_from_the_folders(root: Path) -> None:
    for least in ("0", "10", "none"):
        make(root, request(root, values={"least": least}))
    archive = Archive(root)
    content = "select * from runs order by at"
    (before, found) = archive.index._kept.rows(content), archive.find(RunFilter("timber"))
    damaged = archive.folder(archive.find(RunFilter(), 1)[0])
    assert archive.rebuild() == []
    assert archive.index._kept.rows(content) == before
    assert archive.find(RunFilter("timber")) == found
    archive.close()
    for path in (root / "archive").glob("index.sqlite*"):
        path.unlink()
    (damaged / "run.json").write_text("{", encoding="utf-8")
    archive = Archive(root)
    assert archive.find(RunFilter()) == []
    (fault,) = archive.rebuild()
    assert "is not whole JSON" in fault
    assert archive.index._kept.rows(content) == before[:-1]


def test_a_run_whose_maker_was_ended_is_seen_and_one_that_was_not_indexed_is_found(root: Path) -> None:
    record, folder = make(root, request(root))
    archive = Archive(root)
    archive.index.remove([record.id])
    archive.index.announce(record.id, folder.relative_to(archive.root).as_posix())  # ended between the two
    assert [run.id for run in Archive(root).find(RunFilter())] == [record.id]

    made = RunFolder(archive.root, new_run_id(datetime.now(UTC)))
    made.note(
        id=made.path.name, report="reports/listing.moor", order=None, because="", started=datetime.now(UTC).isoformat()
    )
    with pytest.raises(OutputError, match="is being made by another"):
        RunFolder(archive.root, made.path.name)
    delivery = LibraryDelivery(root)
    assert [run.is_held for run in delivery.under_way()] == [True]
    assert delivery.settle_interrupted() == []
    made.close()
    assert [run.is_held for run in delivery.under_way()] == [False]
    listed = CliRunner().invoke(archive_app, ["list", "--library", str(root)])
    assert re.search(rf"{made.path.name} +interrupted", listed.output), listed.output
    assert delivery.settle_interrupted() == []  # listing them has noted it
    assert [(run.id, run.state) for run in delivery.find(most=1)] == [(made.path.name, "interrupted")]


def test_an_archive_that_cannot_be_written_says_so(root: Path) -> None:
    (root / "archive").write_text("", encoding="utf-8")
    with pytest.raises(OutputError, match="index of the archive"):
        Archive(root)


# comparing


def dumped(root: Path, report: str) -> dict[tuple[object, ...], str]:
    """Each text of tables by what it is of, as the page dump says."""
    document = Session(Library.around(root)).render(load_report(root / "reports" / report))
    pages = json.loads(write_dump(document._pages(lambda _: None), ""))["pages"]
    return {
        tuple(map(str, (item["origin"][key] for key in ("block", "row", "level", "keys", "ordinal", "column")))): item[
            "text"
        ]
        for page in pages
        for item in page["items"]
        if item["kind"] == "text" and item["origin"]["column"]
    }


@pytest.mark.slow
def test_two_runs_differ_in_exactly_the_figures_that_were_changed(demo: Path, tmp_path: Path) -> None:
    """Ten bookings get another price: the figures on the pages that change are those of the dump, and no others."""
    root = tmp_path / "demo"
    shutil.copytree(demo, root, ignore=shutil.ignore_patterns("archive", "*.parquet", "*.xlsx"))
    wanted = RunRequest(library=str(root), report="reports/fares-by-route.moor")
    before, old = make(root, wanted)
    printed = dumped(root, "fares-by-route.moor")
    database = sqlite3.connect(root / "data" / "tarrow.sqlite")
    keys = [row[0] for row in database.execute(
        "select max(b.booking_id) from bookings b join sailings s using (sailing_id) where b.status = 'paid' "
        "and s.departs_at like '2025%' group by s.route_id, strftime('%m', s.departs_at) order by 1 limit 10"
    )]  # fmt: skip
    with database:
        database.executemany(
            "update bookings set unit_price = unit_price + 100 where booking_id = ?", [(k,) for k in keys]
        )
    database.close()
    after, new = make(root, wanted)
    now = dumped(root, "fares-by-route.moor")
    assert before.is_whole
    assert after.is_whole
    found = compare_runs(old, new)
    changed = [(printed[key], now[key]) for key in now if printed[key] != now[key]]
    assert sorted((each.before, each.after) for each in found.figures) == sorted(changed)
    assert sum(each.row.startswith("detail") for each in found.figures) == 10  # the others are their totals
    assert (found.rows_gone, found.rows_come, found.texts) == ((), (), ())
    assert compare_runs(new, old).figures[0].difference == -found.figures[0].difference
    assert compare_runs(old, old) == RunComparison(pages=found.pages)


def test_rows_that_come_and_go_are_distinguished_from_figures_that_change(root: Path) -> None:
    _, old = make(root, request(root))
    execute(root, "delete from lines where goods = 'fish'; insert into lines values ('Oxholm', 'hay', 4, 'a@b.example');"
            "update lines set charge = 13.10 where goods = 'feed'")  # fmt: skip
    _, new = make(root, request(root))
    found = compare_runs(old, new)
    assert [(each.before, each.after, str(each.difference)) for each in found.figures] == [("12.10", "13.10", "1.00")]
    assert [row.texts for row in found.rows_gone] == [("fish", "9.90")]
    assert [row.texts for row in found.rows_come] == [("hay", "4.00")]
    assert not found.texts
    for folder, texts, boxes in (
        (old, ["12.10"], found.figures[0].boxes_before),
        (new, ["13.10"], found.figures[0].boxes_after),
        (old, ["fish", "9.90"], found.rows_gone[0].boxes),
        (new, ["hay", "4.00"], found.rows_come[0].boxes),
    ):
        assert [text_at(folder, box) for box in boxes] == texts


def text_at(folder: Path, box: TextBox) -> str:
    """What a run's PDF has in a place, as its own reader finds it."""
    (pdf,) = (folder / "files").glob("*.pdf")
    document = pypdfium2.PdfDocument(pdf)
    page = document[box.page - 1]
    sides = box.x, page.get_height() * 1000 - box.y - box.height, box.x + box.width, page.get_height() * 1000 - box.y
    texts = page.get_textpage()
    found = texts.get_text_bounded(*(side / 1000 for side in sides)).strip()
    for each in (texts, page, document):
        each.close()
    return found


def test_runs_of_before_places_were_kept_are_compared_without(root: Path) -> None:
    _, old = make(root, request(root))
    execute(root, "update lines set charge = 13.10 where goods = 'feed'")
    _, new = make(root, request(root))
    texts = pq.read_table(old / TEXTS_FILE)
    pq.write_table(texts.drop_columns(["x", "y", "width", "height"]), old / TEXTS_FILE)
    (change,) = compare_runs(old, new).figures
    assert (change.before, change.after, change.boxes_before, len(change.boxes_after)) == ("12.10", "13.10", (), 1)


# keeping


def run_at(number: int, report: str, started: datetime, state: str) -> IndexedRun:
    return IndexedRun(
        f"{number}",
        "",
        "",
        report,
        "",
        "",
        started,
        started,
        state,
        "person",
        "",
        "",
        1,
        1,
        1,
        1,
        0,
        "",
        "",  # type: ignore[arg-type]
    )


@given(
    st.lists(st.tuples(st.sampled_from("ab"), st.integers(0, 1500), st.sampled_from(["done", "failed"])), max_size=40),
    st.none() | st.integers(1, 10),
    st.none() | st.integers(1, 900),
    st.booleans(),
)
def test_what_the_rules_keep(runs: list[tuple[str, int, str]], count: int | None, days: int | None, last: bool) -> None:
    now = datetime(2025, 12, 31, 12, tzinfo=UTC)
    all_runs = [
        run_at(number, report, now - timedelta(days=age, seconds=number), state)
        for number, (report, age, state) in enumerate(runs)
    ]
    rules = KeepRules(runs=count, days=days, last_of_year=last)
    gone = {run.id for run in runs_to_remove(all_runs, rules, now)}
    for run in all_runs:
        newer = [other for other in all_runs if other.report == run.report and other.started > run.started]
        same_year = [other for other in newer if other.state == "done" and other.started.year == run.started.year]
        is_last = run.state == "done" and not same_year
        is_over = (count is not None and len(newer) >= count) or (
            days is not None and run.started < now - timedelta(days=days)
        )
        assert (run.id in gone) == (is_over and not (last and is_last))


def test_runs_are_removed_with_their_folders(root: Path) -> None:
    _, first = make(root, request(root))
    _, second = make(root, request(root))
    archive = Archive(root)
    archive.remove([archive.run(first.name)])
    assert not first.exists()
    assert second.exists()
    assert [run.id for run in archive.find(RunFilter("timber"))] == [second.name]
    with pytest.raises(ParameterError, match="has no run"):
        archive.run(first.name)


# names of files


@given(st.text(max_size=300))
def test_any_text_becomes_a_name_that_file_systems_take(text: str) -> None:
    name = safe_name(text)
    assert 0 < len(name.encode()) <= LONGEST
    assert not set(name) & set('\0/\\:*?"<>|\n\r\t')
    assert name == name.strip(" ")
    assert not name.endswith(".")
    assert name not in (".", "..")
    assert safe_name(name) == name


def test_names_that_differ_only_in_case_are_numbered() -> None:
    names, chance = UniqueNames(), random.Random(7)
    wanted = [chance.choice(["Oxholm", "OXHOLM", "oxholm", "Oxholm 2", "con", ""]) for _ in range(60)]
    found = [names.of(text).casefold() for text in wanted]
    assert len(set(found)) == len(found)
    assert "_con" in found


# a stranger's archive


@pytest.mark.parametrize("folder", ["../reports", "/etc", "listing/2025-11/../../../reports", "listing"])
def test_an_index_that_leads_out_of_the_archive_reaches_nothing(root: Path, folder: str) -> None:
    record, _ = make(root, request(root))
    archive = Archive(root)
    with archive.index._kept.changing() as database:
        database.execute("update runs set folder = ?", (folder,))
    (run,) = archive.find(RunFilter())
    with pytest.raises(OutputError, match="which is none"):
        archive.remove([run])
    archive.index.announce(record.id, folder)
    Archive(root)
    assert (root / "reports" / "listing.moor").is_file()


@pytest.mark.parametrize("name", ["../../../../reports/listing.moor", "..", "/etc/passwd", ""])
def test_files_of_a_run_are_those_in_its_folder(root: Path, tmp_path: Path, name: str) -> None:
    """What a run's own papers name is never taken from elsewhere."""
    for wanted, paper in ((request(root), "run.json"), (bundle(root), "files/manifest.json")):
        record, folder = make(root, wanted)
        text = (folder / paper).read_text(encoding="utf-8")
        first = "Oxholm.pdf" if "manifest" in paper else record.files[0].name
        (folder / paper).write_text(text.replace(f'"{first}"', json.dumps(name)), encoding="utf-8")
        out = tmp_path / f"out-{len(paper)}"
        try:
            handed = LibraryDelivery(root).deliver(record.id, FolderDestination(path=str(out)))
            assert "cannot be read" in handed.faults[0]
        except ReportFileError as error:
            assert "is no name of a file" in error.message
        assert not out.exists()
