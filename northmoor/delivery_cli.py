"""The command line of deliveries: archive, bundles, standing orders and the service."""

import json
import signal
import sys
import threading
from collections.abc import Mapping
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from typing import TYPE_CHECKING, Annotated, Any

import typer
from msgspec import structs

from northmoor.core.errors import OutputError, ParameterError
from northmoor.exit_codes import ExitCode

if TYPE_CHECKING:
    from northmoor.core.delivery.archive.archive_index import IndexedRun
    from northmoor.core.delivery.archive.compare_runs import RunComparison
    from northmoor.core.delivery.archive.run_record import RunRecord
    from northmoor.core.delivery.library_delivery import LibraryDelivery
    from northmoor.core.delivery.orders.standing_order import StandingOrder
    from northmoor.core.delivery.runs.run_process import RunProgress
    from northmoor.core.delivery.runs.run_request import RunRequest

# What a command needs is imported in its body, as in `cli`.

archive_app = typer.Typer(no_args_is_help=True, help="Runs that are kept: find, show and compare them.")
order_app = typer.Typer(no_args_is_help=True, help="Standing orders: what makes runs by itself.")
service_app = typer.Typer(no_args_is_help=True, help="The service that makes the runs of standing orders.")

_MOST_CHANGES = 40
LibraryFolder = Annotated[Path, typer.Option("--library", help="The library's folder, or one in it.")]
AsJson = Annotated[bool, typer.Option("--json", help="Write JSON, for programs.")]
Here = Path()
Assign = Annotated[
    list[str] | None,
    typer.Option("--set", help="The value of a parameter, as name=value; repeated for each value of a list."),
]
Formats = Annotated[list[str] | None, typer.Option("--format", help="A format, such as pdf or xlsx; may be repeated.")]


def delivery_of(folder: Path) -> "LibraryDelivery":
    """LibraryDelivery from the library that a folder or file is in. Raises ReportFileError and OutputError."""
    from northmoor.core.delivery.library_delivery import LibraryDelivery
    from northmoor.core.sources.library import Library

    if not folder.exists():
        raise ParameterError(f"There is no {folder}; name a library's folder.")
    return LibraryDelivery(Library.around(folder).root)


def _out(text: str) -> None:
    sys.stdout.write(text + "\n")


def _json(entries: object) -> None:
    _out(json.dumps(entries, ensure_ascii=False, indent=1, default=str))


def _show_progress(progress: "RunProgress") -> None:
    if sys.stderr.isatty():
        sys.stderr.write(f"\r\x1b[K{progress.text}")


def run_request_of(
    report: Path, assign: list[str], values: Path | None, value_set: str | None, **entries: Any
) -> "RunRequest":
    """A request as it is typed. Raises ParameterError and ReportFileError."""
    from pydantic import ValidationError

    from northmoor.core.delivery.runs.run_request import RunRequest
    from northmoor.core.model.base import refusal
    from northmoor.core.sources.library import Library
    from northmoor.core.store.report_files import load_report
    from northmoor.core.values.given import given_values

    given = given_values(load_report(report), assign, values)
    root = Library.around(report).root.resolve()
    name = report.resolve().relative_to(root).as_posix()
    own = {key: value for key, value in entries.items() if value is not None}
    try:
        return RunRequest(library=str(root), report=name, values=given, value_set=value_set, **own)
    except ValidationError as error:
        where = " ".join(map(str, error.errors()[0]["loc"]))
        raise ParameterError(f"{where}: {refusal(error)}" if where else refusal(error)) from error


def show_run(record: "RunRecord", as_json: bool) -> None:
    """Say what came of a run, and end as it ended."""
    if as_json:
        _json(record.model_dump(mode="json"))
    elif record.is_whole:
        if record.records is not None:
            counts = record.records
            _out(f"{record.id}: {counts.made:,} made, {counts.failed:,} failed, {counts.left_out:,} left out")
        else:
            _out(f"{record.id}: {', '.join(file.name for file in record.files)}")
    else:
        sys.stderr.write(f"{record.id}: {record.reason}\n")
    has_failed = record.records is not None and record.records.failed
    if record.state == "done_with_findings" or has_failed:
        raise typer.Exit(ExitCode.FAULTY)
    if record.state not in ("done", "left_out"):
        raise typer.Exit(ExitCode.NOT_WRITTEN)


def bundle(
    report: Annotated[Path, typer.Argument(help="A .moor file.")],
    for_each: Annotated[str | None, typer.Option(help="The for-each whose records are parted.")] = None,
    query: Annotated[str | None, typer.Option(help="The query for each of whose rows the report is made.")] = None,
    value: Annotated[list[str] | None, typer.Option(help="With a query: parameter=column; may be repeated.")] = None,
    assign: Assign = None,
    values: Annotated[Path | None, typer.Option("--values", help="A JSON file with values.")] = None,
    value_set: Annotated[str | None, typer.Option("--value-set", help="A preset of the report.")] = None,
    edition: Annotated[str | None, typer.Option(help="The edition.")] = None,
    formats: Formats = None,
    file_name: Annotated[str | None, typer.Option(help="Template for each record's file, such as {shipper}.")] = None,
    total: Annotated[str | None, typer.Option(help="Template for what the list says of each record.")] = None,
    pack: Annotated[bool, typer.Option("--zip", help="Pack all files into one ZIP.")] = False,
    all_records: Annotated[bool, typer.Option("--all", help="Records without rows too.")] = False,
    to: Annotated[Path | None, typer.Option(help="A folder that gets the files too.")] = None,
    resume: Annotated[str | None, typer.Option(help="The run that was interrupted, to go on with it.")] = None,
    processes: Annotated[int, typer.Option(min=1, help="How many processes make the files.")] = 1,
    as_json: AsJson = False,
) -> None:
    """Make one output for each record, with a list of them, and keep them in the archive."""
    columns = dict(_pair(text) for text in value or [])
    entries: dict[str, Any] = {"for_each": for_each, "query": query, "values": columns, "file_name": file_name,
                               "listed_total": total, "only_with_rows": not all_records,
                               "pack": "zip" if pack else "files"}  # fmt: skip
    request = run_request_of(
        report, assign or [], values, value_set, bundle=entries, edition=edition, formats=formats or None,
        processes=processes, run_id=resume, asked_by="program",
    )  # fmt: skip
    delivery = delivery_of(report)
    record = delivery.run(request, _show_progress)
    if to is not None and record.is_whole:
        _into_folder(delivery, record.id, to)
    show_run(record, as_json)


def _into_folder(delivery: "LibraryDelivery", run: str, folder: Path) -> None:
    from northmoor.core.delivery.destinations.destination import FolderDestination

    handed = delivery.deliver(run, FolderDestination(path=str(folder.resolve()), if_exists="replace"))
    for fault in handed.faults:
        sys.stderr.write(fault + "\n")
    if handed.faults:
        raise typer.Exit(ExitCode.NOT_WRITTEN)


def _pair(text: str) -> tuple[str, str]:
    name, sign, value = text.partition("=")
    if not sign:
        raise ParameterError(f"{text!r} has no equals sign; write parameter=column.")
    return name.strip(), value.strip()


# the archive


def _run_entries(run: "IndexedRun") -> dict[str, Any]:
    return {**structs.asdict(run), "started": run.started.isoformat(), "ended": run.ended.isoformat()}


def _moment(text: str | None, option: str) -> datetime | None:
    if text is None:
        return None
    try:
        found = datetime.fromisoformat(text)
    except ValueError as error:
        example = "2025-11-01 or 2025-11-01T06:00"
        raise ParameterError(f"{option} {text!r} is no moment; write for example {example}.") from error
    return found.astimezone() if found.tzinfo is None else found


@archive_app.command("list")
def list_runs(
    words: Annotated[str, typer.Argument(help="Words of titles, values and pages.")] = "",
    library: LibraryFolder = Here,
    report: Annotated[str | None, typer.Option(help="Only of this report, by its path in the library.")] = None,
    state: Annotated[list[str] | None, typer.Option(help="Only in this state; may be repeated.")] = None,
    order: Annotated[str | None, typer.Option(help="Only of this standing order.")] = None,
    since: Annotated[str | None, typer.Option(help="Only begun from this moment on.")] = None,
    until: Annotated[str | None, typer.Option(help="Only begun before this moment.")] = None,
    most: Annotated[int, typer.Option(min=1, help="How many at most.")] = 50,
    as_json: AsJson = False,
) -> None:
    """List runs, the newest first."""
    from northmoor.core.delivery.archive.archive_index import RunFilter

    delivery = delivery_of(library)
    with suppress(OutputError, OSError):  # an archive that is only read is listed as it is
        delivery.settle_interrupted()
    wanted = RunFilter(words, report, tuple(state or ()), order, _moment(since, "--since"), _moment(until, "--until"))
    found = delivery.find(wanted, most)
    if as_json:
        _json([_run_entries(run) for run in found])
        return
    from northmoor.core.delivery.archive.run_record import RUN_STATES

    for run in found:
        _out(f"{run.id}  {RUN_STATES[run.state]:<19} {run.pages:>6,} p.  {run.title}  {run.given}"[:160])
    count = delivery.archive.index.count(wanted)
    _out(f"{count:,} runs" if count != 1 else "1 run")


@archive_app.command("show")
def show_archived(
    run: Annotated[str, typer.Argument(help="The run, or how its name begins or ends.")],
    library: LibraryFolder = Here,
    as_json: AsJson = False,
) -> None:
    """Show what is kept of a run."""
    delivery = delivery_of(library)
    found = delivery.archive.run(run)
    record, handed = delivery.archive.record(found), delivery.archive.handed_over(found)
    folder = delivery.archive.folder(found)
    if as_json:
        went = [each.model_dump(mode="json") for each in handed]
        _json(record.model_dump(mode="json") | {"folder": str(folder), "handed_over": went})
        return
    from northmoor.core.delivery.archive.archive_index import given_text
    from northmoor.core.delivery.archive.run_record import RUN_STATES

    lines = [
        ("Report", f"{record.title} ({record.report}, {record.edition}, revision {record.revision})"),
        ("State", f"{RUN_STATES[record.state]} {record.reason}".strip()),
        ("Values", given_text(record) or "none"),
        ("Data time", f"{record.data_time} {record.time_zone}" if record.data_time else "unknown"),
        ("Began", f"{record.started:%Y-%m-%d %H:%M:%S} UTC, took {record.seconds:.1f} s"),
        ("Asked by", f"{record.asked_by} {record.order or ''} {record.because}".strip()),
        ("Result", f"{record.pages:,} pages of {record.rows:,} rows"),
        ("Folder", str(folder)),
        *(("File", f"{file.name}, {file.size:,} bytes") for file in record.files),
        *(("Finding", f"{finding.place}: {finding.message}") for finding in record.findings),
        *(("Sent to", f"{each.destination}, {each.failed or 'done'}") for each in handed),
    ]
    for name, text in lines:
        _out(f"{name:<10} {text}")


@archive_app.command("compare")
def compare_archived(
    before: Annotated[str, typer.Argument(help="The earlier run.")],
    after: Annotated[str, typer.Argument(help="The later run.")],
    library: LibraryFolder = Here,
    as_json: AsJson = False,
) -> None:
    """Show what differs between two runs; the exit code is 3 where something does."""
    from northmoor.core.delivery.archive.compare_runs import comparison_entries

    found = delivery_of(library).compare(before, after)
    if as_json:
        _json(comparison_entries(found))
    else:
        _show_comparison(found)
    if not found.is_same:
        raise typer.Exit(ExitCode.FAULTY)


def _show_comparison(found: "RunComparison") -> None:
    for what, changes in (("figures", found.figures), ("texts", found.texts)):
        _out(f"{len(changes):,} {what} changed")
        for change in changes[:_MOST_CHANGES]:
            by = f" ({change.difference:+f})" if change.difference is not None else ""
            place = " · ".join(part for part in (change.block, change.row, change.column) if part)
            _out(f"  page {change.page_after or change.page_before}, {place}: {change.before} → {change.after}{by}")
    for what, rows in (("went", found.rows_gone), ("came", found.rows_come)):
        _out(f"{len(rows):,} rows {what}")
        for row in rows[:_MOST_CHANGES]:
            _out(f"  page {row.page}, {row.block} · {' · '.join(row.texts)}")
    _out(f"{found.pages[0]:,} pages before, {found.pages[1]:,} after")


@archive_app.command("send")
def send_archived(
    run: Annotated[str, typer.Argument(help="The run.")],
    to: Annotated[Path, typer.Option(help="The folder that gets its files.")],
    library: LibraryFolder = Here,
) -> None:
    """Put the files of a run into a folder."""
    _into_folder(delivery_of(library), run, to)


@archive_app.command("rebuild")
def rebuild_index(library: LibraryFolder = Here) -> None:
    """Make the index of the runs' folders again."""
    delivery = delivery_of(library)
    faults = delivery.archive.rebuild()
    for fault in faults:
        sys.stderr.write(fault + "\n")
    from northmoor.core.delivery.archive.archive_index import RunFilter

    _out(f"{delivery.archive.index.count(RunFilter()):,} runs are in the index")
    if faults:
        raise typer.Exit(ExitCode.FAULTY)


@archive_app.command("keep")
def keep_runs(
    library: LibraryFolder = Here,
    runs: Annotated[int | None, typer.Option(min=1, help="How many of each report, at most.")] = None,
    days: Annotated[int | None, typer.Option(min=1, help="How many days.")] = None,
    last_of_year: Annotated[bool, typer.Option(help="Keep the last of each report and year.")] = True,
    remove: Annotated[bool, typer.Option("--remove", help="Remove the others; without it, they are listed.")] = False,
) -> None:
    """List or remove the runs that are not to be kept; without options, by the library's delivery.json."""
    from northmoor.core.delivery.archive.keep_rules import KeepRules
    from northmoor.core.delivery.destinations.settings import load_settings

    delivery = delivery_of(library)
    own = KeepRules(runs=runs, days=days, last_of_year=last_of_year)
    rules = own if runs or days else load_settings(delivery.root).keep
    gone = delivery.not_kept(rules)
    if remove:
        delivery.archive.remove(gone)
    else:
        for run in gone:
            _out(f"{run.id}  {run.title}")
    _out(f"{len(gone):,} runs {'are removed' if remove else 'would be removed'}")


@archive_app.command("stop")
def stop_run(run: Annotated[str, typer.Argument(help="The run.")], library: LibraryFolder = Here) -> None:
    """Ask for a run that is being made to be stopped."""
    delivery = delivery_of(library)
    if not delivery.stop(run):
        under_way = ", ".join(each.id for each in delivery.under_way()) or "none"
        raise ParameterError(f"No run {run!r} is being made; these are: {under_way}.")


# standing orders


def _order_entries(name: str, order: "StandingOrder", delivery: "LibraryDelivery") -> dict[str, Any]:
    from northmoor.core.delivery.orders.when_words import when_words
    from northmoor.core.model.serialization import part_text

    return {
        "name": name,
        "title": order.title,
        "when": when_words(order.when),
        "next": [moment.isoformat() for moment in delivery.next_times(name)],
        "paused": order.paused,
        "order": json.loads(part_text(order, "northmoor_order", order.northmoor_order)),
    }


@order_app.command("list")
def list_orders(library: LibraryFolder = Here, as_json: AsJson = False) -> None:
    """List standing orders with their next times."""
    delivery = delivery_of(library)
    entries: list[dict[str, Any]] = []
    for file in delivery.orders():
        if file.order is None:
            entries.append({"name": file.name, "fault": file.fault})
        else:
            entries.append(_order_entries(file.name, file.order, delivery))
    if as_json:
        _json(entries)
        return
    for each in entries:
        if "fault" in each:
            _out(f"{each['name']}: {each['fault']}")
        else:
            after = "paused" if each["paused"] else (each["next"] or [""])[0]
            _out(f"{each['name']:<24} {each['when']}  {after}".rstrip())


@order_app.command("new")
def new_order(
    name: Annotated[str, typer.Argument(help="Its name.")],
    report: Annotated[str, typer.Option(help="The report, by its path in the library.")],
    when: Annotated[str, typer.Option(help="When, such as: each working day at 06:00 in Europe/Dublin.")],
    library: LibraryFolder = Here,
    title: Annotated[str | None, typer.Option(help="What it is called.")] = None,
    assign: Assign = None,
    formats: Formats = None,
    folder: Annotated[list[str] | None, typer.Option(help="A folder that gets its files; may be repeated.")] = None,
    mail: Annotated[list[str] | None, typer.Option(help="An address that gets a mail; may be repeated.")] = None,
    zone: Annotated[str, typer.Option(help="The time zone, where the words name none.")] = "UTC",
) -> None:
    """Write a standing order with a timetable; `called` in place of one waits for programs."""
    from pydantic import ValidationError

    from northmoor.core.delivery.orders.order_files import order_path
    from northmoor.core.delivery.orders.standing_order import StandingOrder
    from northmoor.core.delivery.orders.timetable_words import read_timetable, timetable_words
    from northmoor.core.delivery.orders.triggers import Called
    from northmoor.core.model.base import refusal
    from northmoor.core.sources.library import Library
    from northmoor.core.store.report_files import load_report
    from northmoor.core.values.given import given_values

    delivery = delivery_of(library)
    path = Library.around(delivery.root).report_path(report)
    trigger = Called() if when.strip() == "called" else read_timetable(when, zone)
    to: list[dict[str, Any]] = [{"kind": "folder", "path": path} for path in folder or []]
    to += [{"kind": "mail", "to": mail}] if mail else []
    if order_path(delivery.root, name).exists():
        raise ParameterError(f"There is an order {name} already; choose another name.")
    try:
        order = StandingOrder(
            title=title or name, report=path.relative_to(delivery.root).as_posix(), when=trigger,
            values=given_values(load_report(path), assign or []), formats=tuple(formats or ["pdf"]), destinations=to,
        )  # fmt: skip  # destinations are checked here
    except ValidationError as error:
        raise ParameterError(refusal(error)) from error
    delivery.save_order(name, order)
    if isinstance(trigger, Called):
        _out(f"{name}: when it is called")
        return
    times = ", ".join(f"{moment:%a %d %b %Y %H:%M}" for moment in delivery.next_times(name))
    _out(f"{name}: {timetable_words(trigger)}\nNext: {times or 'never'}")


@order_app.command("show")
def show_order(
    name: Annotated[str, typer.Argument(help="The order.")],
    library: LibraryFolder = Here,
    as_json: AsJson = False,
) -> None:
    """Show an order: when, its next times, and what became of its last runs."""
    delivery = delivery_of(library)
    order = delivery.order(name)
    entries = _order_entries(name, order, delivery)
    last = [
        {"key": each.key, "state": each.state, "run": each.run_id, "reason": each.reason, "tries": each.tries,
         "next_try": each.next_try.isoformat() if each.state == "waiting" else None}
        for each in delivery.wanted(name, 20)
    ]  # fmt: skip
    if as_json:
        _json(entries | {"last": last})
        return
    from northmoor.core.delivery.destinations.destination import destination_words

    _out(f"{order.title}: {entries['when']}{' (paused)' if order.paused else ''}")
    for destination in order.destinations:
        _out(f"To     {destination_words(destination)}")
    for moment in entries["next"]:
        _out(f"Next   {moment}")
    for run in last:
        _out(f"Last   {run['state']:<8} {run['key']} {run['reason']}".rstrip())


@order_app.command("try")
def try_order(
    name: Annotated[str, typer.Argument(help="The order.")],
    library: LibraryFolder = Here,
    assign: Annotated[
        list[str] | None, typer.Option("--given", help="What its trigger would give, as name=value.")
    ] = None,
    as_json: AsJson = False,
) -> None:
    """Make a run of an order now, and send it nowhere."""
    given = dict(_pair(text) for text in assign or [])
    show_run(delivery_of(library).try_order(name, given, _show_progress), as_json)


@order_app.command("call")
def call_order(
    name: Annotated[str, typer.Argument(help="The order.")],
    library: LibraryFolder = Here,
    assign: Annotated[list[str] | None, typer.Option("--set", help="A value, as name=value; may be repeated.")] = None,
    values: Annotated[Path | None, typer.Option("--values", help="A JSON file with values.")] = None,
    key: Annotated[str, typer.Option(help="What tells this call from others: the same is made once.")] = "",
) -> None:
    """Ask for a run of an order that waits for calls; the service makes it."""
    from northmoor.core.values.given import read_values

    given: Mapping[str, Any] = {**(read_values(values) if values else {}), **dict(_pair(t) for t in assign or [])}
    is_new = delivery_of(library).call_order(name, given, key)
    _out("The run is asked for." if is_new else "That run was asked for before.")


@order_app.command("pause")
def pause_order(
    name: Annotated[str, typer.Argument(help="The order.")],
    library: LibraryFolder = Here,
    resume: Annotated[bool, typer.Option("--resume", help="Let it go on.")] = False,
) -> None:
    """Let an order make no runs for now, or go on."""
    delivery = delivery_of(library)
    delivery.save_order(name, delivery.order(name).but(paused=not resume))


@order_app.command("remove")
def remove_order_file(name: Annotated[str, typer.Argument(help="The order.")], library: LibraryFolder = Here) -> None:
    """Remove an order; its runs stay in the archive."""
    from northmoor.core.delivery.orders.order_files import remove_order

    delivery = delivery_of(library)
    delivery.order(name)
    remove_order(delivery.root, name)


@order_app.command("words")
def words_of_timetable(
    words: Annotated[str, typer.Argument(help="A timetable, such as: Mondays at 06:00 in Europe/Dublin.")],
    zone: Annotated[str, typer.Option(help="The time zone, where the words name none.")] = "UTC",
    count: Annotated[int, typer.Option(min=1, max=1000, help="How many times.")] = 5,
    after: Annotated[str | None, typer.Option(help="A moment after which they are.")] = None,
    as_json: AsJson = False,
) -> None:
    """Show how a timetable is understood, and its next times."""
    from northmoor.core.delivery.orders.timetable import next_times
    from northmoor.core.delivery.orders.timetable_words import read_timetable, timetable_words

    table = read_timetable(words, zone)
    since = _moment(after, "--after") or datetime.now(UTC)
    times = [moment.astimezone(table.zone) for moment in next_times(table, since, count)]
    if as_json:
        _json({"words": timetable_words(table), "next": [moment.isoformat() for moment in times]})
        return
    _out(timetable_words(table))
    for moment in times:
        _out(f"  {moment:%a %d %b %Y %H:%M %Z}")


# the service


@service_app.command("run")
def run_service(library: Annotated[Path, typer.Argument(help="The library's folder.")] = Here) -> None:
    """Run the service until it is stopped."""
    import logging

    from northmoor.core.delivery.service.service import Service
    from northmoor.core.sources.library import Library

    if not library.is_dir():
        raise ParameterError(f"There is no folder {library}; name a library's.")
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(levelname)s %(message)s")
    logging.getLogger("apscheduler").setLevel(logging.WARNING)
    stop = threading.Event()
    for number in (signal.SIGTERM, signal.SIGINT):
        signal.signal(number, lambda *_: stop.set())
    Service(Library.around(library).root.resolve()).run(stop)


@service_app.command("status")
def service_status(library: LibraryFolder = Here, as_json: AsJson = False) -> None:
    """Show whether the service runs, and what comes next; the exit code is 3 where it does not run."""
    state = delivery_of(library).service()
    if as_json:
        _json({
            "running": state.is_running, "pid": state.pid,
            "started": state.started.isoformat() if state.started else None,
            "next": {name: moment.isoformat() for name, moment in state.next_times.items()},
            "faults": state.faults, "note": state.note,
        })  # fmt: skip
    elif not state.is_running:
        _out("The service does not run.")
    else:
        since = f" since {state.started:%Y-%m-%d %H:%M} UTC" if state.started else ""
        _out(f"The service runs{since}.")
        for name, moment in sorted(state.next_times.items(), key=lambda pair: pair[1]):
            _out(f"Next   {moment:%Y-%m-%d %H:%M} UTC  {name}")
        for name, fault in state.faults.items():
            _out(f"Fault  {name}: {fault}")
    if not state.is_running:
        raise typer.Exit(ExitCode.FAULTY)


@service_app.command("install")
def install_service(library: LibraryFolder = Here) -> None:
    """Let the service start with your session, by systemd."""
    from northmoor.core.delivery.service.systemd_unit import install_unit

    _, words = install_unit(delivery_of(library).root)
    _out(words)


@service_app.command("uninstall")
def uninstall_service(library: LibraryFolder = Here) -> None:
    """Stop the service and let it start no more."""
    from northmoor.core.delivery.service.systemd_unit import remove_unit

    _out(remove_unit(delivery_of(library).root))
