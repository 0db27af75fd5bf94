"""The service: what is due is made and handed over once, whatever is ended, missing, full or wrong meanwhile."""

import json
import os
import random
import shutil
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.delivery.archive.archive_index import RunFilter
from northmoor.core.delivery.library_delivery import LibraryDelivery
from northmoor.core.delivery.orders.order_files import load_order, load_orders
from northmoor.core.delivery.runs.run_process import RunProgress
from northmoor.core.delivery.service.ledger import Ledger, Wanted
from northmoor.core.delivery.service.schedule import Schedule
from northmoor.core.delivery.service.service import Service
from northmoor.core.delivery.service.systemd_unit import unit_text
from northmoor.core.delivery.service.watchers import watch_for
from northmoor.core.errors import NorthmoorError, OutputError, ParameterError
from northmoor.demo.data.telemetry import entries_after
from tests.core.test_cli import northmoor
from tests.delivery_helpers import bundle, delivery_library, execute, request, write_order, write_settings

pytestmark = pytest.mark.slow

CALLED = {"kind": "called"}
PATIENCE = 60


@pytest.fixture
def root(tmp_path: Path) -> Path:
    found = delivery_library(tmp_path / "library")
    write_settings(found, [{"name": "desk", "sender": "reports@tarrow.example", "folder": "mail"}])
    return found


@contextmanager
def serving(root: Path) -> Iterator[Service]:
    """The service, in this process."""
    service, stop = Service(root), threading.Event()
    thread = threading.Thread(target=service.run, args=(stop,))
    thread.start()
    try:
        yield service
    finally:
        stop.set()
        thread.join()


def until(holds: Callable[[], object], seconds: float = PATIENCE) -> None:
    end = time.monotonic() + seconds
    while not holds():
        assert time.monotonic() < end, "it did not come"
        time.sleep(0.1)


def states(delivery: LibraryDelivery) -> dict[str, str]:
    return {each.key: each.state for each in delivery.wanted(most=10_000)}


def settled(delivery: LibraryDelivery, count: int) -> Callable[[], bool]:
    return lambda: (
        len(found := states(delivery)) == count and not set(found.values()) & {"waiting", "running", "handing"}
    )


# triggers end to end


def test_a_call_is_made_once_and_what_follows_it_too(root: Path, tmp_path: Path) -> None:
    write_order(
        root, "first", CALLED, destinations=[{"kind": "folder", "path": "out"}, {"kind": "mail", "to": ["a@b.example"]}]
    )
    write_order(root, "second", {"kind": "after_order", "order": "first"}, report="freight.moor",
                bundle={"for_each": "route"}, destinations=[{"kind": "mail", "to_records": True}])  # fmt: skip
    write_order(root, "third", {"kind": "after_order", "order": "gone"})
    (root / "orders" / "broken.json").write_text("{", encoding="utf-8")
    delivery = LibraryDelivery(root)
    assert delivery.call_order("first", {"least": "1"}, "monday")
    assert not delivery.call_order("first", {"least": "2"}, "monday")
    with pytest.raises(ParameterError, match="waits for no calls"):
        delivery.call_order("second", {})
    with serving(root):
        until(settled(delivery, 2))
        state = delivery.service()
        assert state.is_running
        assert "is not whole JSON" in state.faults["broken"]
        with pytest.raises(OutputError, match="is running already"):
            Service(root)
    assert set(states(delivery).values()) == {"done"}
    assert [path.name for path in (root / "out").iterdir()] == ["Listing.pdf"]
    assert len(list((root / "mail").glob("*.eml"))) == 4
    runs = {run.order: run for run in delivery.find()}
    assert runs["first"].given == "least 1"
    assert runs["second"].because == "first was done"
    assert [each.destination for each in delivery.archive.handed_over(runs["first"])] == [
        "folder out",
        "mail to a@b.example",
    ]
    assert not delivery.service().is_running


def test_what_fails_is_tried_again_and_reported_and_the_others_go_on(root: Path) -> None:
    """A report that is gone, values that do not fit, a folder that is not there, a command nobody has listed."""
    tell = {"failures_to": ["desk@tarrow.example"], "tries": 2, "wait_minutes": 0.01}
    write_order(root, "gone", CALLED, report="gone.moor", **tell)
    write_order(root, "values", CALLED, values={"least": "much"}, **tell)
    write_order(root, "folder", CALLED, destinations=[{"kind": "folder", "path": "deep/er"}], **tell)
    write_order(root, "command", CALLED, destinations=[{"kind": "command", "command": "quay"}], **tell)
    write_order(root, "empty", CALLED, values={"least": "1000"}, only_if={"has_rows": True}, **tell)
    write_order(root, "good", CALLED)
    delivery = LibraryDelivery(root)
    for file in load_orders(root):
        delivery.call_order(file.name, {}, "1")
    with serving(root):
        until(settled(delivery, 6))
    found = {each.order: each for each in delivery.wanted()}
    assert {name: each.state for name, each in found.items()} == {
        "gone": "failed", "values": "failed", "folder": "failed", "command": "failed", "empty": "left_out", "good": "done",
    }  # fmt: skip
    assert "The library has no report 'gone.moor'." in found["gone"].reason
    assert "'much' is no decimal" in found["values"].reason
    assert "make it, or mount what it is on" in found["folder"].reason
    assert "No command 'quay' is listed" in found["command"].reason
    assert {each.tries for each in found.values()} == {0, 1}
    mails = [path.read_text() for path in (root / "mail").glob("*.eml")]
    assert sorted(mail.partition("Subject: ")[2].splitlines()[0] for mail in mails) == [
        "Failed: Command", "Failed: Folder", "Failed: Gone", "Failed: Values",
    ]  # fmt: skip
    assert len(delivery.find(RunFilter(order="folder"))) == 1  # it was made once, and handed over twice
    assert len(delivery.find(RunFilter(order="gone"))) == 2


def test_a_timetable_makes_up_for_what_was_missed_as_its_order_says(root: Path) -> None:
    now = datetime.now(UTC).replace(second=0, microsecond=0)
    half_hours = {"kind": "timetable", "every_minutes": 30, "since": f"00:{(now.minute + 15) % 30:02}"}  # none is near
    last = now - timedelta(hours=2, minutes=15)
    ledger, entered = Ledger(root / "archive"), []
    for name, missed in (("once", "once"), ("each", "each"), ("none", "not_at_all")):
        write_order(root, name, half_hours, missed=missed)
        ledger.put_job(name, last.timestamp(), load_order(root, name).when.model_dump_json())
    write_order(root, "new", half_hours, missed="each")
    orders = {file.name: file.order for file in load_orders(root) if file.order is not None}
    schedule = Schedule(ledger, root, lambda: entered.append(1), lambda _, fault: pytest.fail(fault))
    schedule.start(orders)
    until(lambda: len(entered) == 3)
    counts = {name: len(ledger.wanted(order=name)) for name in orders}
    schedule.stop()
    assert counts["once"] == 1
    assert counts["each"] == 5
    assert counts["none"] == counts["new"] == 0
    times = ledger.jobs()
    schedule = Schedule(ledger, root, lambda: None, lambda _, fault: pytest.fail(fault))
    schedule.start(orders)
    assert {name: job[0] for name, job in ledger.jobs().items()} == {name: job[0] for name, job in times.items()}
    schedule.stop()
    ledger.close()


def test_a_time_that_cannot_be_entered_is_due_still(root: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    """A disk that is full for a while loses no run."""
    ledger = Ledger(root / "archive")
    write_order(root, "order", {"kind": "timetable", "every_minutes": 30})
    past = datetime.now(UTC).timestamp() - 3600
    ledger.put_job("order", past, load_order(root, "order").when.model_dump_json())
    real, refused = Ledger.enter, []

    def full(self: Ledger, *arguments: object) -> bool:
        if len(refused) < 2:
            refused.append(1)
            raise sqlite3.OperationalError("database or disk is full")
        return real(self, *arguments)  # type: ignore[arg-type]

    monkeypatch.setattr(Ledger, "enter", full)
    schedule = Schedule(ledger, root, lambda: None, lambda _, __: None)
    schedule.start({"order": load_order(root, "order")})
    until(lambda: ledger.wanted())
    schedule.stop()
    assert len(refused) == 2
    assert len(ledger.wanted()) == 1
    ledger.close()


def looked(root: Path, name: str, seen: object) -> tuple[object, list[dict[str, object]]]:
    """What an order's trigger finds, given what it has seen."""
    watch = watch_for(root, name, load_order(root, name))
    assert watch is not None
    now, occasions = watch.look(json.loads(json.dumps(seen)), CancelToken())
    watch.close()
    return now, [dict(each.given) for each in occasions]


def test_a_query_that_answers_otherwise(root: Path) -> None:
    write_order(root, "changes", {"kind": "query", "query": "rows"}, values={"least": "1"})
    write_order(root, "rows", {"kind": "query", "query": "rows", "on": "gets_rows"}, values={"least": "500"})
    seen = {name: looked(root, name, None)[0] for name in ("changes", "rows")}
    found: dict[str, list[object]] = {"changes": [], "rows": []}
    for change in ("", "update lines set charge = 0.5 where goods = 'salt'", "update lines set charge = 9 where goods = 'salt'",
                   "insert into lines values ('Oxholm', 'car', 800, '')", "delete from lines where goods = 'car'"):  # fmt: skip
        execute(root, change)
        for name, own in found.items():
            seen[name], given = looked(root, name, seen[name])
            own.append(given)
    assert found["changes"] == [[], [], [{"rows": 5}], [{"rows": 6}], [{"rows": 5}]]
    assert found["rows"] == [[], [], [], [{"rows": 1}], []]
    write_order(root, "bad", {"kind": "query", "query": "nothing"})
    with pytest.raises(NorthmoorError):
        looked(root, "bad", None)


def test_files_count_when_nobody_writes_to_them_any_more(root: Path) -> None:
    (root / "in").mkdir()
    for on in ("arrives", "changes", "both"):
        write_order(root, on, {"kind": "file", "folder": "in", "pattern": "dues*.xml", "on": on, "settled_seconds": 1})
    (root / "in" / "dues-1.xml").write_text("old", encoding="utf-8")
    time.sleep(1.1)
    seen = {name: looked(root, name, None)[0] for name in ("arrives", "changes", "both")}
    (root / "in" / "dues-1.xml").write_text("newer", encoding="utf-8")
    (root / "in" / "dues-2.xml").write_text("new", encoding="utf-8")
    (root / "in" / "other.xml").write_text("new", encoding="utf-8")
    assert looked(root, "both", seen["both"]) == (seen["both"], [])  # still being written
    time.sleep(1.1)
    found = {name: [each["name"] for each in looked(root, name, seen[name])[1]] for name in seen}
    assert found == {"arrives": ["dues-2.xml"], "changes": ["dues-1.xml"], "both": ["dues-1.xml", "dues-2.xml"]}
    shutil.rmtree(root / "in")
    with pytest.raises(NorthmoorError, match="make it, or mount what it is on"):
        looked(root, "both", seen["both"])


def test_a_voyage_that_ends_is_found_once(demo: Path, tmp_path: Path) -> None:
    """Against the log itself: the vessels' next voyages are written, and each end gives its vessel, id and times."""
    root = tmp_path / "demo"
    shutil.copytree(demo, root, ignore=shutil.ignore_patterns("archive", "tarrow.sqlite", "pictures"))
    spans = {"log": "log", "by": "voyage_id", "condition": "underway = 1"}
    when = {"kind": "span_ends", "connection": "telemetry", "spans": spans}
    write_order(root, "voyage", when, report="voyage-report.moor", from_trigger={"vessel": "object", "voyage": "id"})
    seen, found = looked(root, "voyage", None)
    assert found == []
    log = sqlite3.connect(root / "data" / "telemetry.sqlite")
    (last,) = log.execute("select max(at) from log").fetchone()
    begun = datetime.fromisoformat(last)
    ended, ids, under_way = [], dict[str, str](), dict[str, str]()
    for tag, value in log.execute("select tag, value from (select tag, value, max(at) from log group by tag)"):
        vessel, _, signal_name = tag.partition(".")
        (ids if signal_name == "voyage_id" else under_way if signal_name == "underway" else {})[vessel] = str(value)
    for tag, at, value in entries_after(begun, 2):
        if at > begun + timedelta(hours=12):
            break
        vessel, _, signal_name = tag.partition(".")
        log.execute("insert into log values (?, ?, ?)", (tag, at.strftime("%Y-%m-%dT%H:%M:%SZ"), value))
        if signal_name == "voyage_id":
            ids[vessel] = str(value)
        elif signal_name == "underway":
            if under_way.get(vessel) == "1" and str(value) == "0":
                ended.append((vessel, ids[vessel]))
            under_way[vessel] = str(value)
    log.commit()
    log.close()
    moment = (begun + timedelta(hours=12)).timestamp()
    os.utime(root / "data" / "telemetry.sqlite", (moment, moment))
    now, found = looked(root, "voyage", seen)
    assert len(ended) > 5
    assert [(each["object"], each["id"]) for each in found] == ended
    assert looked(root, "voyage", now)[0] == now
    given = found[-1]
    record = LibraryDelivery(root).try_order("voyage", given)
    assert record.is_whole, record.reason
    assert record.values["voyage"] in (given["id"], (given["id"],))


# being ended


def test_a_service_that_is_killed_again_and_again_loses_nothing_and_sends_nothing_twice(root: Path) -> None:
    """Services and their workers are killed at random moments, while runs with known keys are made and handed over."""
    kills = int(os.environ.get("NORTHMOOR_KILLS", "6"))
    to = [{"kind": "folder", "path": "out"}, {"kind": "mail", "to": ["quay@tarrow.example"]},
          {"kind": "printer", "printer": "folder:prints"}, {"kind": "published", "path": "site"}]  # fmt: skip
    write_order(root, "one", CALLED, file_name="one {:least}", destinations=to, tries=20, wait_minutes=0)
    write_order(root, "many", CALLED, report="freight.moor", bundle={"for_each": "route"}, tries=20, wait_minutes=0,
                destinations=[{"kind": "mail", "to_records": True}])  # fmt: skip
    delivery, chance = LibraryDelivery(root), random.Random(2025)
    keys = [f"k{number}" for number in range(kills // 2 + 3)]
    for number, key in enumerate(keys):
        delivery.call_order("one", {"least": f"0.{number:03}"}, key)
        delivery.call_order("many", {"least": "0"}, key)
    command = [sys.executable, "-m", "northmoor", "service", "run", str(root)]
    for number in range(kills):
        service = subprocess.Popen(command, stderr=subprocess.DEVNULL, start_new_session=True)
        time.sleep(chance.uniform(1.0, 7.0))
        if number % 3 == 2:  # only a worker, whose service goes on
            workers = subprocess.run(["pgrep", "-P", str(service.pid)], capture_output=True, text=True).stdout.split()
            for worker in workers[:1]:
                os.kill(int(worker), signal.SIGKILL)
            time.sleep(chance.uniform(0.2, 2.0))
        service.send_signal(signal.SIGKILL)
        service.wait()
        assert half_files(root) == []
    with serving(root):
        until(settled(delivery, 2 * len(keys)), 120 + 10 * len(keys))
    assert set(states(delivery).values()) == {"done"}
    assert sorted(path.name for path in (root / "out").iterdir()) == [f"one 0.{n:03}.pdf" for n in range(len(keys))]
    assert len(list((root / "prints").iterdir())) == len(keys)
    assert len(list((root / "mail").iterdir())) == 4 * len(keys)
    assert len(list((root / "site" / "listing").iterdir())) == min(len(keys), 50)  # so many are kept there
    whole = [run for run in delivery.find(most=10_000) if run.state == "done"]
    assert sorted(run.key for run in whole) == sorted(states(delivery))
    assert delivery.archive.rebuild() == []
    assert {run.id for run in delivery.find(most=10_000) if run.state == "done"} == {run.id for run in whole}
    assert delivery.under_way() == []


def half_files(root: Path) -> list[str]:
    """Files under final names that are not whole."""
    found = []
    for folder, ending, begin, end in (("out", "pdf", b"%PDF", b"%%EOF"), ("prints", "pdf", b"%PDF", b"%%EOF"),
                                       ("mail", "eml", b"From:", b"--")):  # fmt: skip
        for path in (root / folder).glob(f"[!.]*.{ending}"):
            data = path.read_bytes()
            found += [] if data.startswith(begin) and end in data[-8:] else [path.name]
    for path in (root / "archive").glob("[!.]*/*/*/"):
        found += [] if (path / "run.json").is_file() else [path.name]
    return found


def test_a_run_can_be_stopped_and_has_limits(tmp_path: Path) -> None:
    rows = ", ".join(f"('Route {n:05}', 'goods', {n}, '')" for n in range(4_000))
    script = f"create table lines (route text, goods text, charge decimal(10,2), mail text); insert into lines values {rows};"
    delivery = LibraryDelivery(delivery_library(tmp_path / "library", script))
    process = delivery.start(bundle(tmp_path))
    seen: list[RunProgress] = []

    def stop_when_begun(progress: RunProgress) -> None:
        seen.append(progress)
        if progress.done and not any(each.done for each in seen[:-1]):
            until(lambda: [(each.is_held, each.of) for each in delivery.under_way()] == [(True, 4_000)])
            assert delivery.stop(process.request.run_id)

    record = delivery.finished(process, stop_when_begun)
    assert (record.state, record.files) == ("stopped", ())
    assert 0 < seen[-1].done < 4_000
    late = delivery.run(bundle(tmp_path, seconds=2))
    assert late.reason == "It took longer than 2 seconds and was ended; narrow it, or raise its limit."
    small = delivery.run(request(tmp_path, memory_mb=256))
    assert small.state == "failed"
    assert "memory" in small.reason
    killed = delivery.start(bundle(tmp_path))
    killed.kill()
    assert "ended from outside" in delivery.finished(killed).reason


# the command line, and the unit


def test_orders_from_the_command_line(root: Path) -> None:
    new = ("order", "new", "board", "--library", root, "--report", "listing.moor", "--set", "least=1")
    done = northmoor(
        *new, "--when", "the last working day of the month at 18:00", "--zone", "Europe/Dublin", "--folder", "out"
    )
    assert done.stdout.startswith("board: the last working day of the month at 18:00 in Europe/Dublin\nNext: ")
    assert northmoor(*new, "--when", "daily at 6").returncode == 2  # it is there already
    bad = northmoor("order", "new", "x", "--library", root, "--report", "listing.moor", "--when", "now and then")
    assert bad.stderr.startswith("'now and then' is no timetable")
    (entry,) = json.loads(northmoor("order", "list", "--library", root, "--json").stdout)
    assert len(entry["next"]) == 5
    assert entry["order"]["when"]["kind"] == "timetable"
    assert "order" in northmoor("order", "try", "board", "--library", root, "--json").stdout
    northmoor("order", "pause", "board", "--library", root)
    assert load_order(root, "board").paused
    northmoor("order", "pause", "board", "--resume", "--library", root)
    assert not load_order(root, "board").paused
    assert northmoor("order", "call", "board", "--library", root).returncode == 2
    status = northmoor("service", "status", "--library", root, "--json")
    assert (status.returncode, json.loads(status.stdout)["running"]) == (3, False)
    northmoor("order", "remove", "board", "--library", root)
    assert "no standing order 'board'" in northmoor("order", "show", "board", "--library", root).stderr


@pytest.mark.parametrize(
    ("entries", "why"),
    [
        ({"when": {"kind": "moon"}}, "when"), ({"when": {"kind": "timetable", "time_zone": "Tarrow"}}, "no time zone 'Tarrow'"),
        ({"when": CALLED, "destinations": [{"kind": "mail"}]}, "mail goes to fixed people or to the addresses of records"),
        ({"when": {"kind": "timetable"}, "from_trigger": {"least": "object"}}, "the trigger gives no 'object'"),
        ({"when": CALLED, "failures_to": ["a@b\nc"]}, "is no mail address"), ({"when": CALLED, "shell": "rm"}, "there is no such entry"),
        ({"when": CALLED, "bundle": {}}, "a bundle is of the records of a for-each or of a query"),
    ],
)  # fmt: skip
def test_an_order_that_is_wrong_says_where(root: Path, entries: dict[str, object], why: str) -> None:
    write_order(root, "wrong", **entries)
    (file,) = load_orders(root)
    assert file.order is None
    assert file.fault.startswith("wrong.json: ")
    assert why in file.fault


def test_the_unit_starts_the_service_of_its_library(tmp_path: Path) -> None:
    root = tmp_path / "100 % quay's"
    text = unit_text(root)
    (line,) = [line for line in text.splitlines() if line.startswith("ExecStart=")]
    assert line.endswith(f'"-m" "northmoor" "service" "run" "{tmp_path}/100 %% quay\'s"')
    assert "Restart=always" in text
    if shutil.which("systemd-analyze"):
        path = tmp_path / "northmoor.service"
        path.write_text(text, encoding="utf-8")
        environment = os.environ | {"XDG_RUNTIME_DIR": str(tmp_path)}
        verify = ["systemd-analyze", "verify", "--user", str(path)]
        done = subprocess.run(verify, capture_output=True, text=True, env=environment, check=False)
        assert "northmoor" not in done.stderr, done.stderr


def test_a_wanted_run_is_entered_once_by_many_at_once(root: Path) -> None:
    ledgers = [Ledger(root / "archive") for _ in range(4)]
    wanted = [request(root).but(key=f"k{n}", order="x") for n in range(25)]
    new: list[bool] = []
    threads = [
        threading.Thread(target=lambda own=own: new.extend(own.enter(each) for each in wanted)) for own in ledgers
    ]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sum(new) == 25
    taken: list[Wanted] = []
    threads = [threading.Thread(target=lambda own=own: taken.extend(iter(own.take, None))) for own in ledgers]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()
    assert sorted(each.key for each in taken) == sorted(each.key for each in wanted)
    for ledger in ledgers:
        ledger.close()


def test_a_clock_that_jumps_is_noted_and_the_times_are_looked_at_again(
    root: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    service, woken = Service(root), []
    monkeypatch.setattr(service.schedule, "wake", lambda: woken.append(1))
    offset = time.time() - time.monotonic()
    assert abs(service._see_clock(offset) - offset) < 1
    assert woken == []
    service._see_clock(offset - 7_200)
    assert woken == [1]
    service.schedule.start({})
    service._write_state()
    assert "The clock jumped by +7,200 seconds" in LibraryDelivery(root).service().note
    service.close()


def test_triggers_that_fail_say_why_and_are_reported_once_and_the_others_go_on(root: Path) -> None:
    tell = {"failures_to": ["desk@tarrow.example"]}
    write_order(root, "query", {"kind": "query", "query": "gone", "every_seconds": 1}, **tell)
    write_order(root, "file", {"kind": "file", "folder": "nowhere"}, **tell)
    write_order(root, "span", {"kind": "span_ends", "connection": "quay", "spans": {"log": "log", "by": "id"}}, **tell)
    write_order(root, "arrives", {"kind": "file", "folder": "in", "settled_seconds": 0}, from_trigger={"least": "name"})
    (root / "in").mkdir()
    delivery = LibraryDelivery(root)
    with serving(root) as service:
        until(lambda: service.ledger.seen("arrives", "trigger") is not None)
        (root / "in" / "7").touch()
        until(settled(delivery, 1))
        until(lambda: len(list((root / "mail").glob("*.eml"))) == 3)
        service.watchers.faults.clear()  # they fail again, and again
        until(lambda: len(delivery.service().faults) == 3)
        faults = delivery.service().faults
    assert "The report has no query 'gone'" in faults["query"]
    assert "make it, or mount what it is on" in faults["file"]
    assert "has no connection of that name" in faults["span"]
    assert [(run.order, run.given, run.because) for run in delivery.find()] == [("arrives", "least 7", "7 arrived")]
    assert len(list((root / "mail").glob("*.eml"))) == 3


def test_the_order_of_the_documentation_can_be_read(root: Path) -> None:
    text = (Path(__file__).parents[2] / "docs" / "delivery.md").read_text(encoding="utf-8")
    begin = text.index('    {"northmoor_order"')
    (root / "orders").mkdir()
    (root / "orders" / "voyage.json").write_text(text[begin : text.index("\n\n", begin)], encoding="utf-8")
    assert load_order(root, "voyage").from_trigger == {"vessel": "object", "voyage": "id"}


def test_an_order_may_be_changed_while_its_run_is_tried_again(root: Path) -> None:
    """A folder that is put right gets the run; the mail that went already does not go again."""
    mail = {"kind": "mail", "to": ["quay@tarrow.example"], "subject": "one"}
    again = {"tries": 9, "wait_minutes": 0.02}
    write_order(root, "order", CALLED, destinations=[mail, {"kind": "folder", "path": "no/such"}], **again)
    delivery = LibraryDelivery(root)
    delivery.call_order("order", {}, "1")
    with serving(root):
        until(lambda: any(each.tries for each in delivery.wanted()))
        to = [{"kind": "folder", "path": "right"}, {**mail, "subject": "two"}]
        write_order(root, "order", CALLED, destinations=to, **again)
        until(settled(delivery, 1))
    assert set(states(delivery).values()) == {"done"}
    assert [path.name for path in (root / "right").iterdir()] == ["Listing.pdf"]
    assert len(list((root / "mail").glob("*.eml"))) == 1
    (run,) = delivery.find()
    assert run.report == "reports/listing.moor"  # however the order names it
