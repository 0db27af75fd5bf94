"""Bundles: each record has its own file and no other's figures, whatever fails or is interrupted."""

import csv
import io
import json
import zipfile
from pathlib import Path

import pikepdf
import pytest
from pdfminer.high_level import extract_text

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.delivery.archive.archive_index import RunFilter
from northmoor.core.delivery.archive.run_folder import digest
from northmoor.core.delivery.destinations.destination import MailDestination
from northmoor.core.delivery.library_delivery import LibraryDelivery
from northmoor.core.delivery.runs.bundle import RecordFiles
from northmoor.core.delivery.runs.make_run import RunMaker
from northmoor.core.delivery.runs.manifest import read_manifest
from northmoor.core.delivery.runs.run_request import BundleRequest
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.sources.library import Library
from tests.core.test_cli import northmoor
from tests.delivery_helpers import bundle, delivery_library, execute, make, request, write_settings

pytestmark = pytest.mark.slow

ROUTES = ["Inverlang", "Oxholm", "Skarholm"]
GOODS = {"Inverlang": {"timber", "feed"}, "Oxholm": {"fish"}, "Skarholm": {"timber", "salt"}}


@pytest.fixture
def root(tmp_path: Path) -> Path:
    return delivery_library(tmp_path / "library")


def many(count: int) -> str:
    """A script for as many routes, each with two lines."""
    rows = ", ".join(
        f"('Route {n:04}', 'goods {m}', {n}.{m}0, 'r{n}@tarrow.example')" for n in range(count) for m in (1, 2)
    )
    return f"create table lines (route text, goods text, charge decimal(10,2), mail text); insert into lines values {rows};"


def test_each_record_has_its_own_file_and_the_list_names_it(root: Path) -> None:
    record, folder = make(root, bundle(root, formats=("pdf", "xlsx", "html")))
    assert record.state == "done"
    assert record.records is not None
    assert record.records.model_dump() == {"made": 3, "failed": 0, "left_out": 0}
    results = read_manifest(folder / "files")
    assert [result.name for result in results] == ROUTES
    assert [(result.total, result.address) for result in results] == [
        ("50.60", "inverlang@tarrow.example"), ("9.90", "oxholm@tarrow.example"), ("100.40", "skarholm@tarrow.example"),
    ]  # fmt: skip
    for result in results:
        for name in result.files:
            data = (folder / "files" / name).read_bytes()
            text = extract_text(io.BytesIO(data)) if name.endswith(".pdf") else _text_of(name, data)
            goods = {each for own in GOODS.values() for each in own if each in text}
            assert goods == GOODS[result.name]
            assert f"Freight of {result.name}" in text
    with (folder / "files" / "manifest.csv").open(encoding="utf-8") as file:
        rows = list(csv.DictReader(file))
    assert [(row["record"], row["name"], row["pages"], row["state"]) for row in rows] == [
        ("1", "Inverlang", "1", "made"), ("2", "Oxholm", "1", "made"), ("3", "Skarholm", "1", "made"),
    ]  # fmt: skip


def _text_of(name: str, data: bytes) -> str:
    if name.endswith(".html"):
        return data.decode()
    with zipfile.ZipFile(io.BytesIO(data)) as book:
        return "".join(book.read(member).decode() for member in book.namelist() if member.endswith(".xml"))


def test_a_file_of_a_record_is_tagged_and_says_nothing_of_others(root: Path) -> None:
    _, folder = make(root, bundle(root))
    with pikepdf.open(folder / "files" / "Oxholm.pdf") as found:
        assert found.Root.MarkInfo.Marked
        assert len(found.pages) == 1
    data = (folder / "files" / "Oxholm.pdf").read_bytes()
    assert b"Skarholm" not in data


@pytest.mark.parametrize(
    ("formats", "options"),
    [(("csv",), {"columns": "rows"}), (("xlsx",), {"sheets": "rows"}), (("pdf",), {"archive": "pages_and_data"})],
)
def test_rows_of_others_never_go_into_a_record_s_file(
    root: Path, formats: tuple[str, ...], options: dict[str, str]
) -> None:
    record, folder = make(root, bundle(root, formats=formats, options=OutputOptions(**options)))
    assert record.state == "failed"
    assert "The rows of a query are those of all records" in record.reason
    assert list((folder / "files").iterdir()) == []


@pytest.mark.parametrize("processes", [1, 2])
def test_records_that_fail_are_listed_and_the_others_go_on(tmp_path: Path, processes: int) -> None:
    """A hundred in a thousand have a code that is no number."""
    script = many(1_000) + "update lines set mail = case when route like '%3' then 'x' else substr(route, 7) end;"
    root = delivery_library(tmp_path / "many", script, file_name="{cast(mail as integer)}")
    record, folder = make(root, bundle(root, processes=processes))
    results = read_manifest(folder / "files")
    assert record.records is not None
    assert record.records.model_dump() == {"made": 900, "failed": 100, "left_out": 0}
    assert [each.number % 10 for each in results if each.state == "failed"] == [3] * 100
    assert all("name of its file cannot be computed" in each.reason for each in results if each.state == "failed")
    made = {f"{number}.pdf" for number in range(1_000) if number % 10 != 3}
    assert {path.name for path in (folder / "files").glob("*.pdf")} == made


def test_a_record_whose_file_cannot_be_made_does_not_stop_its_batch(
    root: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    real = RecordFiles._output

    def broken(self: RecordFiles, suffix: str, number: int) -> object:
        if number == 1:
            raise ValueError("a mistake of ours")
        return real(self, suffix, number)

    monkeypatch.setattr(RecordFiles, "_output", broken)
    record, folder = make(root, bundle(root))
    assert record.records is not None
    assert record.records.model_dump() == {"made": 2, "failed": 1, "left_out": 0}
    (failed,) = [each for each in read_manifest(folder / "files") if each.state == "failed"]
    assert failed.name == "Oxholm"
    assert "a mistake of ours" in failed.reason


def test_an_interrupted_bundle_goes_on_where_it_was_with_the_same_bytes(tmp_path: Path) -> None:
    root = delivery_library(tmp_path / "many", many(500))
    _, whole = make(root, bundle(root))
    maker, stop, made = RunMaker(Library.around(root)), CancelToken(), []

    class Ended(BaseException):
        """The process ends."""

    def after_first_batch(text: str, done: int, of: int) -> None:
        if of and done:
            made.append(done)
            raise Ended

    wanted = bundle(root, run_id="20251128-180000-0123abcd")
    with pytest.raises(Ended):
        maker.make(wanted, stop, after_first_batch)
    folder = maker.archive.root / ".making" / wanted.run_id
    first = sorted(path.name for path in (folder / "files").iterdir())
    stamps = {name: (folder / "files" / name).stat().st_mtime_ns for name in first}
    assert 0 < len(first) < 500
    (folder / "files" / "unfinished.pdf").write_bytes(b"%PDF")
    record = RunMaker(Library.around(root)).make(wanted)
    files = maker.archive.place(record) / "files"
    assert record.records is not None
    assert record.records.made == 500
    assert not (files / "unfinished.pdf").exists()
    assert {name: (files / name).stat().st_mtime_ns for name in first} == stamps
    for path in (whole / "files").glob("*.pdf"):
        assert digest(path) == digest(files / path.name)


def test_several_processes_make_the_same_files(tmp_path: Path) -> None:
    root = delivery_library(tmp_path / "many", many(450))
    folders = [make(root, bundle(root, processes=count))[1] for count in (1, 3)]
    lists = [read_manifest(folder / "files") for folder in folders]
    assert lists[0] == lists[1]
    assert len({each.sha256 for each in lists[0]}) == 450


def test_a_bundle_that_several_processes_make_is_stopped_at_once(tmp_path: Path) -> None:
    root, stop = delivery_library(tmp_path / "many", many(3_000)), CancelToken()
    seen: list[int] = []

    def after_some(_: str, done: int, of: int) -> None:
        if of and done:
            seen.append(done)
            stop.cancel()

    record = RunMaker(Library.around(root)).make(bundle(root, processes=2), stop, after_some)
    assert record.state == "stopped"
    assert 0 < seen[-1] < 3_000


def test_mail_to_each_record_needs_a_file_for_each(root: Path) -> None:
    write_settings(root, [{"name": "desk", "sender": "a@b.example", "folder": "mail"}])
    record, _ = make(root, bundle(root, pack="zip"))
    handed = LibraryDelivery(root).deliver(record.id, MailDestination(to_records=True))
    assert handed.faults == ("The bundle is packed into one ZIP; mail to each record needs a file for each.",)


def test_a_bundle_can_be_one_zip(root: Path) -> None:
    record, folder = make(root, bundle(root, pack="zip"))
    assert sorted(path.name for path in (folder / "files").iterdir()) == ["bundle.zip", "manifest.csv", "manifest.json"]
    assert [file.name for file in record.files] == ["manifest.csv", "manifest.json", "bundle.zip"]
    with zipfile.ZipFile(folder / "files" / "bundle.zip") as found:
        assert found.namelist() == [f"{route}.pdf" for route in ROUTES]
        assert found.testzip() is None


def test_a_report_is_made_again_for_each_row_of_a_query(root: Path) -> None:
    """The values of each row: one that does not fit fails by itself, one without rows is left out."""
    execute(root, "create table limits (least text); insert into limits values ('0'), ('50'), ('5000'), ('much')")
    report = json.loads((root / "reports" / "listing.moor").read_text(encoding="utf-8"))
    report["queries"].append({"name": "limits", "connection": "db", "sql": "select * from limits"})
    (root / "reports" / "listing.moor").write_text(json.dumps(report), encoding="utf-8")
    wanted = request(
        root, bundle=BundleRequest(query="limits", values={"least": "least"}, listed_total="{count(rows.goods)}")
    )
    record, folder = make(root, wanted)
    results = read_manifest(folder / "files")
    assert [(each.name, each.state, each.total) for each in results] == [
        ("0", "made", "5"), ("50", "made", "1"), ("5000", "left_out", ""), ("much", "failed", ""),
    ]  # fmt: skip
    assert "'much' is no decimal" in results[3].reason
    assert record.pages == 2
    missing, _ = make(root, request(root, bundle=BundleRequest(query="limits", values={"least": "lest"})))
    assert missing.reason.endswith("The query limits has no column 'lest'. Did you mean least?")


@pytest.mark.parametrize(
    ("more", "reason"),
    [
        ({"for_each": "shipper"}, "has no for-each 'shipper' on its pages"),
        ({"query": "gone", "values": {"least": "x"}}, "gone"),
    ],
)
def test_what_a_bundle_cannot_be_of(root: Path, more: dict[str, object], reason: str) -> None:
    record, _ = make(root, request(root, "freight", bundle=BundleRequest(**more)))
    assert record.state == "failed"
    assert reason in record.reason


def test_bundles_and_the_archive_from_the_command_line(root: Path, tmp_path: Path) -> None:
    out = tmp_path / "out"
    done = northmoor("bundle", root / "reports" / "freight.moor", "--for-each", "route", "--to", out, "--json")
    assert done.returncode == 0, done.stderr
    entries = json.loads(done.stdout)
    assert entries["records"] == {"made": 3, "failed": 0, "left_out": 0}
    assert sorted(path.name for path in out.iterdir()) == [
        "Inverlang.pdf", "Oxholm.pdf", "Skarholm.pdf", "manifest.csv", "manifest.json",
    ]  # fmt: skip
    execute(root, "update lines set charge = 10.90 where goods = 'fish'")
    again = northmoor("run", root / "reports" / "freight.moor", "--archive", "--format", "html", "--json")
    assert json.loads(again.stdout)["files"][0]["name"] == "Freight.html"
    names = [run["id"] for run in json.loads(northmoor("archive", "list", "--library", root, "--json").stdout)]
    compared = northmoor("archive", "compare", names[1], names[0], "--library", root)
    assert compared.returncode == 3
    assert "9.90 → 10.90 (+1.00)" in compared.stdout
    shown = northmoor("archive", "show", names[0], "--library", root)
    assert "revision" in shown.stdout
    kept = northmoor("archive", "keep", "--library", root, "--runs", "1", "--no-last-of-year", "--remove")
    assert "1 runs are removed" in kept.stdout
    assert [run.id for run in LibraryDelivery(root).find(RunFilter())] == [names[0]]
    refused = northmoor("archive", "show", "1999", "--library", root)
    assert refused.returncode == 2
    both = northmoor("bundle", root / "reports" / "freight.moor")
    assert both.returncode == 2
    assert "A bundle is of the records of a for-each or of a query" in both.stderr
