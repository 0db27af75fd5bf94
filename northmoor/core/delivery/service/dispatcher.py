"""Takes runs that are wanted, makes them in processes of their own, so many at once, and hands them over.

Each step is noted in the ledger before and after. A run that was made is in the archive under its name, so that whoever
goes on after an interruption finds it there, and hands over only what has not gone yet.
"""

import logging
import threading
import time
from collections.abc import Callable, Mapping
from pathlib import Path

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.delivery.archive.archive import Archive
from northmoor.core.delivery.archive.run_record import RunRecord
from northmoor.core.delivery.destinations.destination import destination_number
from northmoor.core.delivery.destinations.hand_over import hand_over
from northmoor.core.delivery.orders.order_request import order_request
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.orders.triggers import AfterOrder
from northmoor.core.delivery.runs.run_process import RunProcess, keep_ended
from northmoor.core.delivery.runs.run_request import RunRequest
from northmoor.core.delivery.service.failure_mail import mail_failure
from northmoor.core.delivery.service.ledger import Ledger, Wanted
from northmoor.core.errors import Cancelled, NorthmoorError, mistakes_caught

_log = logging.getLogger(__name__)
_WAIT = 1.0
_WHOLE = ""
"""The unit that says that a destination has all of a run."""


class Dispatcher:
    """Makes and hands over what the ledger says is wanted."""

    def __init__(
        self, root: Path, archive: Archive, ledger: Ledger, orders: Callable[[], Mapping[str, StandingOrder]]
    ) -> None:
        self._root, self._archive, self._ledger, self._orders = root, archive, ledger, orders
        self._wake = threading.Condition()
        self._stop = CancelToken()
        self._processes: set[RunProcess] = set()
        self._threads: list[threading.Thread] = []

    def start(self, at_once: int) -> None:
        """Begin, with so many runs at once."""
        for number in range(at_once):
            thread = threading.Thread(target=self._work, name=f"dispatch-{number}", daemon=True)
            thread.start()
            self._threads.append(thread)

    def wake(self) -> None:
        """Look again what is wanted."""
        with self._wake:
            self._wake.notify_all()

    def stop(self) -> None:
        """End it; runs that are being made are left as they are, and go on with the next start."""
        self._stop.cancel()
        for process in list(self._processes):
            process.kill()
        self.wake()
        for thread in self._threads:
            thread.join(timeout=10)

    def _work(self) -> None:
        while not self._stop.is_cancelled():
            try:
                wanted = self._ledger.take()
                if wanted is not None:
                    self.do(wanted)
                    continue
            except Exception:  # noqa: BLE001  # the last place of this thread, which must go on
                _log.exception("The ledger cannot be used")
            with self._wake:
                self._wake.wait(_WAIT)

    def do(self, wanted: Wanted) -> None:
        """Make a run and hand it over; what goes wrong is noted, and tried again if the order says so."""
        order = self._orders().get(wanted.order)
        try:
            with mistakes_caught(f"making a run of {wanted.order}"):
                record = self._made(wanted)
                if self._stop.is_cancelled():
                    return
                self._go_on(wanted, order, record)
        except Cancelled:
            return  # the next start goes on
        except NorthmoorError as error:
            self._failed(wanted, order, str(error), is_new_run=False)

    def _made(self, wanted: Wanted) -> RunRecord:
        """The run, which may be there from before an interruption."""
        known = self._archive.index.run(wanted.run_id)
        if known is not None:
            return self._archive.record(known)
        request = wanted.request.but(run_id=wanted.run_id, library=str(self._root))
        process = RunProcess(request)
        self._processes.add(process)
        try:
            process.wait()
        except NorthmoorError as error:
            if self._stop.is_cancelled():
                raise Cancelled from None
            return keep_ended(self._archive, request, error.message)
        finally:
            self._processes.discard(process)
        return self._archive.record(self._archive.run(wanted.run_id))

    def _go_on(self, wanted: Wanted, order: StandingOrder | None, record: RunRecord) -> None:
        if record.state == "failed":
            self._failed(wanted, order, record.reason, is_new_run=True)
        elif record.state == "left_out":
            self._ledger.change(wanted.key, "left_out", record.reason)
        elif not record.is_whole:
            self._ledger.change(wanted.key, "stopped", record.reason)
        elif order is None:
            self._ledger.change(wanted.key, "failed", "The order is gone; its run is in the archive.")
        else:
            self._ledger.change(wanted.key, "handing")
            faults = self._hand_over(wanted, order)
            if faults:
                self._failed(wanted, order, " ".join(faults[:3]), is_new_run=False)
            else:
                self._ledger.change(wanted.key, "done", following=self._following(wanted))

    def _hand_over(self, wanted: Wanted, order: StandingOrder) -> list[str]:
        """Hand a run to all destinations of its order that do not have it; what did not go."""
        folder = self._archive.folder(self._archive.run(wanted.run_id))
        faults: list[str] = []
        for destination in order.destinations:
            units = self._ledger.units(wanted.run_id, destination_number(destination))
            whole = units.of(_WHOLE)
            if whole is not None and whole.state == "done":
                continue
            handed = hand_over(self._root, folder, destination, units, self._stop)
            if handed.faults:
                faults += handed.faults
            else:
                units.note(_WHOLE, "done")
        return faults

    def _following(self, wanted: Wanted) -> list[RunRequest]:
        """The runs of orders that come after this one."""
        found = []
        for name, order in self._orders().items():
            if isinstance(order.when, AfterOrder) and order.when.order == wanted.order and not order.paused:
                key, because = f"{name} after {wanted.run_id}", phrase(f"{wanted.order} was done")
                try:
                    found.append(order_request(self._root, name, order, {"run": wanted.run_id}, key, because))
                except NorthmoorError:
                    _log.exception("The order %s cannot follow", name)
        return found

    def _failed(self, wanted: Wanted, order: StandingOrder | None, reason: str, is_new_run: bool) -> None:
        tries = order.tries if order is not None else 1
        if wanted.tries + 1 < tries:
            wait = order.wait_minutes * 60 if order is not None else 0
            self._ledger.try_again(wanted.key, time.time() + wait, reason, is_new_run)
            return
        self._ledger.change(wanted.key, "failed", reason)
        if order is not None and order.failures_to:
            mail_failure(self._root, self._ledger, wanted, order, reason)
