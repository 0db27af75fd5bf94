"""The service of a library: it watches timetables and triggers, and has runs made and handed over, until it is stopped.

It can be ended at any moment: the ledger and the archive hold all that it needs to go on.
"""

import logging
import os
import threading
import time
from datetime import UTC, datetime
from pathlib import Path

from northmoor.core.delivery.archive.archive import Archive
from northmoor.core.delivery.archive.archive_index import RunFilter
from northmoor.core.delivery.archive.keep_rules import runs_to_remove
from northmoor.core.delivery.destinations.settings import SETTINGS_FILE, DeliverySettings, load_settings
from northmoor.core.delivery.orders.order_files import ORDERS_FOLDER, load_orders
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.service.dispatcher import Dispatcher
from northmoor.core.delivery.service.failure_mail import mail_trigger_failure
from northmoor.core.delivery.service.ledger import Ledger
from northmoor.core.delivery.service.schedule import Schedule
from northmoor.core.delivery.service.service_state import ServiceLock, ServiceState, write_state
from northmoor.core.delivery.service.watchers import Watchers
from northmoor.core.errors import NorthmoorError

_log = logging.getLogger(__name__)
_TICK = 1.0
_JUMP = 30.0
"""Seconds by which the clock may differ from time that has passed before that is a jump."""
_KEEP_EVERY = 3_600.0
_STATE_EVERY = 10.0
_ALL = 10_000_000


class Service:
    """The service of one library."""

    def __init__(self, root: Path) -> None:
        """Take the library's place for it. Raises OutputError where another has it, or the archive cannot be used."""
        self.root = root
        self._lock = ServiceLock(root)
        self.archive = Archive(root)
        self.ledger = Ledger(self.archive.root)
        self._orders: dict[str, StandingOrder] = {}
        self._faults: dict[str, str] = {}
        self._started = datetime.now(UTC)
        self._note = ""
        self._stamp: object = None
        self.dispatcher = Dispatcher(root, self.archive, self.ledger, lambda: self._orders)
        self.schedule = Schedule(self.ledger, root, self.dispatcher.wake, self._note_fault)
        self.watchers = Watchers(root, self.ledger, self.dispatcher.wake, self._report_trigger)

    def run(self, stop: threading.Event) -> None:
        """Go on until it is stopped."""
        resumed = self.ledger.resume()
        if resumed:
            _log.info("%d runs go on that were interrupted", resumed)
        self._load_orders()
        self.schedule.start(self._orders)
        self.watchers.set_orders(self._orders)
        self.dispatcher.start(self._settings().runs_at_once or os.cpu_count() or 1)
        offset, kept, stated = time.time() - time.monotonic(), 0.0, 0.0
        try:
            while True:
                offset = self._see_clock(offset)
                self._reload_orders()
                self.watchers.look()
                now = time.monotonic()
                if now - kept > _KEEP_EVERY or not kept:
                    kept = now
                    self.apply_keep_rules()
                if now - stated > _STATE_EVERY or not stated:
                    stated = now
                    self._write_state()
                if stop.wait(_TICK):
                    return
        finally:
            self.close()

    def close(self) -> None:
        """Stop all parts."""
        self.schedule.stop()
        self.watchers.close()
        self.dispatcher.stop()
        self.ledger.close()
        self.archive.close()
        self._lock.release()

    def _see_clock(self, before: float) -> float:
        """Look at timetables again where the clock has jumped, as after sleep or when it was set."""
        offset = time.time() - time.monotonic()
        if abs(offset - before) > _JUMP:
            moment = f"{datetime.now(UTC):%Y-%m-%d %H:%M}"
            self._note = f"The clock jumped by {offset - before:+,.0f} seconds at {moment} UTC."
            _log.warning(self._note)
            self.schedule.wake()
            self._write_state()
        return offset

    def _load_orders(self) -> None:
        files = load_orders(self.root)
        self._orders = {file.name: file.order for file in files if file.order is not None}
        self._faults = {file.name: file.fault for file in files if file.order is None}

    def _reload_orders(self) -> None:
        folder = self.root / ORDERS_FOLDER
        paths = sorted(folder.glob("*.json")) if folder.is_dir() else []
        try:
            stamp = [(path.name, path.stat().st_mtime_ns, path.stat().st_size) for path in paths]
        except OSError:
            return  # one was just removed: the next look sees it
        if self._stamp is not None and stamp != self._stamp:
            self._load_orders()
            self.schedule.set_orders(self._orders)
            self.watchers.set_orders(self._orders)
            self._write_state()
        self._stamp = stamp

    def apply_keep_rules(self) -> int:
        """Remove the runs that are not kept any more; how many."""
        try:
            rules = self._settings().keep
            if rules.runs is None and rules.days is None:
                return 0
            gone = runs_to_remove(self.archive.find(RunFilter(), _ALL), rules, datetime.now(UTC))
            self.archive.remove(gone)
        except NorthmoorError as error:
            self._note_fault("keep rules", error.message)
            return 0
        return len(gone)

    def _settings(self) -> DeliverySettings:
        """How the library delivers; the usual way where that cannot be read, which is noted."""
        try:
            return load_settings(self.root)
        except NorthmoorError as error:
            self._note_fault(SETTINGS_FILE, error.message)
            return DeliverySettings()

    def _report_trigger(self, name: str, order: StandingOrder, reason: str) -> None:
        """Say at once, and by mail if wished, that an order's trigger cannot be looked at."""
        _log.warning("The trigger of %s cannot be looked at: %s", name, reason)
        self._write_state()
        if order.failures_to:
            mail_trigger_failure(self.root, self.ledger, name, order, reason)

    def _note_fault(self, name: str, message: str) -> None:
        self._faults[name] = message

    def _write_state(self) -> None:
        faults = {**self._faults, **self.watchers.faults}
        write_state(
            self.root,
            ServiceState(True, self._started, os.getpid(), self.schedule.next_times(), faults, self._note),
        )
