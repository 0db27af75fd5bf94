"""Timetables of orders, run by APScheduler: its store is the ledger, and its executor enters runs there.

A time that is due is entered before it counts as seen: the scheduler hands due times to the executor first, which
enters them under keys of their own, and notes the next one after.
"""

import logging
import sqlite3
import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from pathlib import Path

from apscheduler.executors.base import BaseExecutor
from apscheduler.job import Job
from apscheduler.jobstores.base import BaseJobStore, ConflictingIdError, JobLookupError
from apscheduler.schedulers.background import BackgroundScheduler
from apscheduler.triggers.base import BaseTrigger

from northmoor.core.base.phrases import phrase
from northmoor.core.delivery.orders.order_request import order_request
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.orders.timetable import Timetable, times_after
from northmoor.core.delivery.service.ledger import Ledger
from northmoor.core.errors import NorthmoorError

_log = logging.getLogger(__name__)
GRACE = 60
"""Seconds by which a time may be past and not count as missed."""
_PAUSE = 2
"""Seconds before what could not be entered is tried again."""
_MOST_MISSED = 500
"""Times that are made up for at most, where each that was missed is wanted."""


class TimetableTrigger(BaseTrigger):  # type: ignore[misc]  # it has no types
    """A timetable, as the scheduler asks for it: time after time, of which many may have been missed."""

    def __init__(self, table: Timetable) -> None:
        self.table = table
        self._last: datetime | None = None
        self._times: Iterator[datetime] = iter(())

    def get_next_fire_time(self, previous: datetime | None, now: datetime) -> datetime | None:
        """The first time after the previous one, or from now on."""
        if previous is None or previous != self._last:
            self._times = times_after(self.table, previous or now)
        self._last = next(self._times, None)
        return self._last


def due() -> None:
    """What a job would do; the executor enters its times in place of calling it."""


class LedgerStore(BaseJobStore):  # type: ignore[misc]  # it has no types
    """The scheduler's store: one job for each order with a timetable, whose next time is in the ledger.

    Nothing is pickled: a job is made of its order, so that a library from a stranger can run nothing.
    """

    def __init__(self, ledger: Ledger) -> None:
        super().__init__()
        self._ledger = ledger
        self._jobs: dict[str, Job] = {}
        self._times: dict[str, datetime | None] = {}
        self.not_entered: set[str] = set()
        """Orders whose due times could not be entered: they are due still."""

    def lookup_job(self, job_id: str) -> Job | None:
        """The job of an order."""
        return self._jobs.get(job_id)

    def get_due_jobs(self, now: datetime) -> list[Job]:
        """The jobs whose time has come, the earliest first."""
        return [job for job in self.get_all_jobs() if job.next_run_time is not None and job.next_run_time <= now]

    def get_next_run_time(self) -> datetime | None:
        """When the next job is due."""
        return min((job.next_run_time for job in self._jobs.values() if job.next_run_time is not None), default=None)

    def get_all_jobs(self) -> list[Job]:
        """All jobs, those without a time last."""
        last = datetime.max.replace(tzinfo=UTC)
        return sorted(self._jobs.values(), key=lambda job: job.next_run_time or last)

    def add_job(self, job: Job) -> None:
        """Add a job, with the next time that is noted for its timetable, if it is the same."""
        if job.id in self._jobs:
            raise ConflictingIdError(job.id)
        known = self._ledger.jobs().get(job.id)
        schedule = job.trigger.table.model_dump_json()
        if known is not None and known[1] == schedule and known[0] is not None:
            job._modify(next_run_time=datetime.fromtimestamp(known[0], UTC))
        self._jobs[job.id] = job
        self._put(job)

    def update_job(self, job: Job) -> None:
        """Note a job's next time."""
        if job.id not in self._jobs:
            raise JobLookupError(job.id)
        if job.id in self.not_entered:
            self.not_entered.discard(job.id)
            job._modify(next_run_time=self._times[job.id])
            return
        self._jobs[job.id] = job
        self._put(job)

    def _put(self, job: Job) -> None:
        self._times[job.id] = job.next_run_time
        moment = job.next_run_time.timestamp() if job.next_run_time is not None else None
        self._ledger.put_job(job.id, moment, job.trigger.table.model_dump_json())

    def remove_job(self, job_id: str) -> None:
        """Let go of a job."""
        if self._jobs.pop(job_id, None) is None:
            raise JobLookupError(job_id)
        self._ledger.remove_job(job_id)

    def remove_all_jobs(self) -> None:
        """Let go of all jobs."""
        for job_id in list(self._jobs):
            self.remove_job(job_id)


class EnteringExecutor(BaseExecutor):  # type: ignore[misc]  # it has no types
    """The scheduler's executor: it enters the times of a job as runs that are wanted."""

    def __init__(self, enter: Callable[[str, list[datetime]], None], store: LedgerStore) -> None:
        super().__init__()
        self._enter, self._store = enter, store

    def _do_submit_job(self, job: Job, run_times: list[datetime]) -> None:
        try:
            self._enter(job.id, run_times)
        except (OSError, sqlite3.Error):
            _log.exception("The times of %s could not be entered; they are due still", job.id)
            self._store.not_entered.add(job.id)
            time.sleep(_PAUSE)
        self._run_job_success(job.id, [])


class Schedule:
    """The timetables of a library's orders."""

    def __init__(
        self, ledger: Ledger, root: Path, entered: Callable[[], None], fault: Callable[[str, str], None]
    ) -> None:
        self._ledger, self._root, self._entered, self._fault = ledger, root, entered, fault
        self._orders: dict[str, StandingOrder] = {}
        store = LedgerStore(ledger)
        executor = EnteringExecutor(self._enter, store)
        self._scheduler = BackgroundScheduler(
            jobstores={"default": store}, executors={"default": executor}, timezone=UTC
        )

    def start(self, orders: dict[str, StandingOrder]) -> None:
        """Begin with some orders."""
        self.set_orders(orders)
        self._scheduler.start()

    def set_orders(self, orders: dict[str, StandingOrder]) -> None:
        """Go on with other orders; one whose timetable is the same keeps its next time."""
        wanted = {name: order for name, order in _timed(orders) if not order.paused}
        known = {job.id: job for job in self._scheduler.get_jobs()}
        self._orders = wanted
        for name, job in known.items():
            order = wanted.get(name)
            if order is None or job.trigger.table != order.when or job.coalesce != (order.missed != "each"):
                self._scheduler.remove_job(name)
        left = {job.id for job in self._scheduler.get_jobs()}
        for name, order in wanted.items():
            if name not in left:
                self._scheduler.add_job(
                    due, TimetableTrigger(order.when), id=name, coalesce=order.missed != "each",  # type: ignore[arg-type]
                    misfire_grace_time=None, max_instances=1_000_000,
                )  # fmt: skip

    def next_times(self) -> dict[str, datetime]:
        """When each order is due next."""
        return {job.id: job.next_run_time for job in self._scheduler.get_jobs() if job.next_run_time is not None}

    def wake(self) -> None:
        """Look at the clock again."""
        self._scheduler.wakeup()

    def stop(self) -> None:
        """End it."""
        if self._scheduler.running:
            self._scheduler.shutdown(wait=False)

    def _enter(self, name: str, times: list[datetime]) -> None:
        order, now = self._orders.get(name), datetime.now(UTC)
        if order is None:
            return
        for moment in times[-_MOST_MISSED:]:
            if order.missed == "not_at_all" and (now - moment).total_seconds() > GRACE:
                continue
            self._enter_one(name, order, moment)
        self._entered()

    def _enter_one(self, name: str, order: StandingOrder, moment: datetime) -> None:
        assert isinstance(order.when, Timetable)
        local = moment.astimezone(order.when.zone)
        key = f"{name} {moment.astimezone(UTC):%Y-%m-%dT%H:%M:%SZ}"
        try:
            given = {"due": local.replace(tzinfo=None).isoformat()}
            because = phrase(f"due {local:%Y-%m-%d %H:%M}")
            self._ledger.enter(order_request(self._root, name, order, given, key, because))
        except NorthmoorError as error:
            self._fault(name, error.message)


def _timed(orders: dict[str, StandingOrder]) -> Iterator[tuple[str, StandingOrder]]:
    yield from ((name, order) for name, order in orders.items() if isinstance(order.when, Timetable))
