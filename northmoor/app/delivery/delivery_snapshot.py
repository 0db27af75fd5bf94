"""What the Delivery workspace shows, read at one moment from the archive, the ledger and the orders."""

from collections.abc import Mapping
from datetime import UTC, date, datetime, time, timedelta
from functools import lru_cache
from pathlib import Path

from msgspec import Struct, field

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.time_left import time_left_words
from northmoor.app.language.timetable_text import when_text
from northmoor.app.language.translation import moment_text, tr, tr_count
from northmoor.core.delivery.archive.archive_index import IndexedRun, RunFilter
from northmoor.core.delivery.archive.run_folder import RunUnderWay, handed_over
from northmoor.core.delivery.archive.run_record import RUN_STATES
from northmoor.core.delivery.library_delivery import LibraryDelivery
from northmoor.core.delivery.orders.order_files import OrderFile
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.orders.timetable import Timetable, next_times
from northmoor.core.delivery.runs.make_run import PICTURE
from northmoor.core.delivery.service.ledger import Wanted
from northmoor.core.delivery.service.service_state import ServiceState

MOST_RUNS = 200
_MOST_MARKS = 60
DAYS_BEFORE, DAYS_AFTER = 4, 2
TONES = {
    "done": "good", "done_with_findings": "warning", "failed": "fault", "stopped": "warning", "interrupted": "fault",
    "left_out": "quiet", "running": "busy",
}  # fmt: skip
"""How each state is coloured."""
TRIGGER_ICONS = {
    "timetable": "clock", "span_ends": "anchor", "file": "file-input", "query": "database",
    "after_order": "chevron-right", "called": "radio",
}  # fmt: skip


class RunLine(Struct, frozen=True):
    """A run of the list: in words, with the tone of its state, and how far it is from 0 to 1 if it is being made."""

    id: str
    title: str
    asked: str
    state: str
    tone: str
    result: str
    went: str
    picture: Path | None = None
    share: float | None = None
    run: IndexedRun | None = None

    @property
    def words(self) -> str:
        """All of it in one line, to be read aloud."""
        return ", ".join(part for part in (self.title, self.asked, self.state, self.result, self.went) if part)


class OrderLine(Struct, frozen=True):
    """An order of the list."""

    name: str
    title: str
    icon: str
    when: str
    state: str
    tone: str
    order: StandingOrder | None


class DayMarks(Struct, frozen=True):
    """A day of the strip: the times of day of its runs from 0 to 1, with their tones, and of those to come."""

    day: date
    past: tuple[tuple[float, str], ...] = ()
    coming: tuple[float, ...] = ()


class DeliverySnapshot(Struct, frozen=True):
    """What there is."""

    runs: tuple[RunLine, ...] = ()
    count: int = 0
    orders: tuple[OrderLine, ...] = ()
    reports: Mapping[str, int] = field(default_factory=dict)
    days: tuple[DayMarks, ...] = ()
    service: ServiceState = field(default_factory=lambda: ServiceState(is_running=False))
    today: tuple[int, int] = (0, 0)
    """How many runs there were today, and how many of them failed."""
    next_due: tuple[str, datetime] | None = None


def read_snapshot(delivery: LibraryDelivery, wanted: RunFilter, now: datetime) -> DeliverySnapshot:
    """What there is of the runs that are wanted, and of orders. Raises NorthmoorError."""
    zone = now.astimezone().tzinfo
    asked = delivery.wanted(most=MOST_RUNS)
    resumed = {each.run_id for each in asked if each.state in ("waiting", "running", "handing")}
    under_way = [run for run in delivery.under_way() if run.is_held or run.id not in resumed]
    orders = delivery.orders()
    service = delivery.service()
    titles = {file.name: file.order.title for file in orders if file.order is not None}
    is_narrowed = wanted != RunFilter()
    running = [] if is_narrowed else [_running_line(run, titles, now) for run in under_way]
    retried = {each.run_id for each in asked if each.state == "waiting"}
    found = delivery.find(wanted, MOST_RUNS)
    lines = [_line(delivery, run, titles, now) for run in found]
    waiting = [] if is_narrowed else [_waiting_line(each, titles) for each in asked if each.run_id in retried]
    begin = datetime.combine(now.astimezone(zone).date(), time(), zone)
    todays = RunFilter(since=begin)
    return DeliverySnapshot(
        (*running, *waiting, *lines),
        delivery.archive.index.count(wanted),
        tuple(_order_line(file, asked, service, now) for file in orders),
        delivery.archive.index.reports(),
        tuple(_days(delivery, orders, begin, now)),
        service,
        (
            delivery.archive.index.count(todays),
            delivery.archive.index.count(RunFilter(since=begin, states=("failed",))),
        ),
        _next_due(orders, now),
    )


def _running_line(run: RunUnderWay, titles: Mapping[str, str], now: datetime) -> RunLine:
    title = titles.get(run.order, Path(run.report).stem)
    because = core_text(run.because) or tr("by hand")
    share = run.done / run.of if run.of else None
    result = tr("{done:,} of {of:,}").format(done=run.done, of=run.of) if run.of else run.text
    left = time_left_words((now - run.started).total_seconds(), run.done, run.of)
    result = f"{result} · {left}" if left else result
    if not run.is_held:
        return RunLine(run.id, title, because, tr("interrupted"), TONES["interrupted"], result, "")
    return RunLine(run.id, title, because, tr("running"), "busy", result, "", None, share or 0.0)


def _waiting_line(each: Wanted, titles: Mapping[str, str]) -> RunLine:
    title, due = titles.get(each.order, each.order), each.next_try.astimezone()
    if each.tries:
        state = tr("failed, tries again {due:%H:%M}").format(due=due)
        return RunLine(each.run_id, title, core_text(each.request.because), state, "fault", core_text(each.reason), "")
    return RunLine(each.run_id, title, core_text(each.request.because), tr("waiting"), "quiet", "", "")


def _line(delivery: LibraryDelivery, run: IndexedRun, titles: Mapping[str, str], now: datetime) -> RunLine:
    folder = delivery.archive.folder(run)
    kinds, went, picture = _kept_facts(folder, folder.stat().st_mtime_ns if folder.is_dir() else 0)
    title = run.title if not run.order else titles.get(run.order, run.title)
    pages = tr_count(run.pages, "{count} page", "{count} pages")
    result = f"{pages} · {kinds}" if run.pages and kinds else core_text(run.reason)
    return RunLine(
        run.id, title, f"{moment_words(run.started, now)} · {_why(run)}", tr(RUN_STATES[run.state]),
        TONES[run.state], result, went, picture, run=run,
    )  # fmt: skip


def _why(run: IndexedRun) -> str:
    """Why a run was made, as short as it can be."""
    if run.asked_by == "order":
        return tr("standing order") if run.because.startswith("due ") else core_text(run.because)
    return core_text(run.because) or (tr("by hand") if run.asked_by == "person" else tr("asked for by a program"))


@lru_cache(maxsize=4_096)
def _kept_facts(folder: Path, changed: int) -> tuple[str, str, Path | None]:  # noqa: ARG001  # it tells when to look again
    """What of a run is in its folder: the kinds of its files, where it went, and its picture."""
    kinds = ", ".join(dict.fromkeys(Path(name).suffix[1:].upper() for name in _file_names(folder)))
    picture = folder / PICTURE
    return kinds, _went(folder), picture if picture.is_file() else None


def _file_names(folder: Path) -> list[str]:
    files = folder / "files"
    names = sorted(path.name for path in files.iterdir()) if files.is_dir() else []
    return [name for name in names if not name.startswith("manifest.")] or names


def _went(folder: Path) -> str:
    handed = handed_over(folder)
    words = dict.fromkeys(f"{core_text(each.destination)}{tr(': failed') if each.failed else ''}" for each in handed)
    return " · ".join(words)


def moment_words(moment: datetime, now: datetime) -> str:
    """A moment as short as it can be understood, on the clock of this machine."""
    local, today = moment.astimezone(), now.astimezone().date()
    if local.date() == today:
        return f"{local:%H:%M}"
    if local.date() == today - timedelta(1):
        return tr("yesterday {local:%H:%M}").format(local=local)
    if abs((local.date() - today).days) < 7:
        return moment_text(local, "%a %H:%M")
    return moment_text(local, "%-d %b %Y %H:%M")


def _order_line(file: OrderFile, asked: list[Wanted], service: ServiceState, now: datetime) -> OrderLine:
    if file.order is None:
        fault = core_text(file.fault)
        return OrderLine(file.name, file.name, "triangle-alert", fault, tr("cannot be read"), "fault", None)
    order, own = file.order, [each for each in asked if each.order == file.name]
    state, tone = _order_state(file.name, order, own, service, now)
    return OrderLine(file.name, order.title, TRIGGER_ICONS[order.when.kind], when_text(order.when), state, tone, order)


def _order_state(
    name: str, order: StandingOrder, own: list[Wanted], service: ServiceState, now: datetime
) -> tuple[str, str]:
    if order.paused:
        return tr("paused"), "quiet"
    if any(each.state in ("running", "handing") for each in own):
        return tr("running"), "busy"
    if name in service.faults:
        return core_text(service.faults[name]), "fault"
    if own and (own[0].state == "failed" or (own[0].state == "waiting" and own[0].tries)):
        return tr("failed"), "fault"
    if isinstance(order.when, Timetable):
        coming = next_times(order.when, now)
        return (until_words(coming[0] - now) if coming else tr("never due")), "quiet"
    return tr("waiting"), "quiet"


def until_words(left: timedelta) -> str:
    """How long something takes yet."""
    minutes = int(left.total_seconds() // 60)
    if minutes < 1:
        return tr("now")
    if minutes >= 1440:
        return tr_count(minutes // 1440, "in {count} day", "in {count} days")
    if minutes >= 60:
        return tr_count(minutes // 60, "in {count} hour", "in {count} hours")
    return tr_count(minutes, "in {count} minute", "in {count} minutes")


def _days(delivery: LibraryDelivery, orders: list[OrderFile], begin: datetime, now: datetime) -> list[DayMarks]:
    first = begin - timedelta(days=DAYS_BEFORE)
    end = begin + timedelta(days=DAYS_AFTER + 1)
    past: dict[date, list[tuple[float, str]]] = {}
    for run in delivery.find(RunFilter(since=first), 2_000):
        local = run.started.astimezone()
        past.setdefault(local.date(), []).append((_share_of_day(local), TONES[run.state]))
    coming: dict[date, list[float]] = {}
    for file in orders:
        if file.order is None or file.order.paused or not isinstance(file.order.when, Timetable):
            continue
        for moment in next_times(file.order.when, now.astimezone(UTC), _MOST_MARKS):
            if moment < end:
                local = moment.astimezone()
                coming.setdefault(local.date(), []).append(_share_of_day(local))
    days = [(first + timedelta(days=number)).date() for number in range(DAYS_BEFORE + DAYS_AFTER + 1)]
    return [
        DayMarks(day, tuple(sorted(past.get(day, ()))[:_MOST_MARKS]), tuple(sorted(coming.get(day, ()))[:_MOST_MARKS]))
        for day in days
    ]


def _share_of_day(local: datetime) -> float:
    return (local.hour * 60 + local.minute) / 1440


def _next_due(orders: list[OrderFile], now: datetime) -> tuple[str, datetime] | None:
    found = [
        (coming[0], file.order.title)
        for file in orders
        if file.order is not None and not file.order.paused and isinstance(file.order.when, Timetable)
        and (coming := next_times(file.order.when, now))
    ]  # fmt: skip
    return (min(found)[1], min(found)[0]) if found else None
