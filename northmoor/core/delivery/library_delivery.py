"""LibraryDelivery from a library, for programs: runs, bundles, the archive, standing orders and the service.

>>> delivery = LibraryDelivery(Path("demo-library"))                                              # doctest: +SKIP
>>> run = delivery.run(RunRequest(library="", report="board-sheet.moor", formats=("pdf",)))  # doctest: +SKIP
>>> run.state, [file.name for file in run.files]                                           # doctest: +SKIP
('done', ['Board sheet.pdf'])
"""

from collections.abc import Callable, Mapping
from datetime import UTC, datetime
from functools import cached_property
from pathlib import Path
from secrets import token_hex
from typing import Any

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.phrases import phrase
from northmoor.core.delivery.archive.archive import Archive
from northmoor.core.delivery.archive.archive_index import IndexedRun, RunFilter
from northmoor.core.delivery.archive.compare_runs import RunComparison, compare_runs
from northmoor.core.delivery.archive.keep_rules import KeepRules, runs_to_remove
from northmoor.core.delivery.archive.run_folder import (
    RunUnderWay,
    ask_to_stop,
    new_run_id,
    runs_under_way,
)
from northmoor.core.delivery.archive.run_record import RunRecord
from northmoor.core.delivery.destinations.destination import Destination
from northmoor.core.delivery.destinations.hand_over import hand_over
from northmoor.core.delivery.destinations.handing import Handed
from northmoor.core.delivery.orders.order_files import OrderFile, load_order, load_orders, save_order
from northmoor.core.delivery.orders.order_request import order_request
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.orders.timetable import Timetable, next_times
from northmoor.core.delivery.orders.triggers import Called
from northmoor.core.delivery.runs.run_process import RunProcess, RunProgress, keep_ended, make_in_process
from northmoor.core.delivery.runs.run_request import RunRequest
from northmoor.core.delivery.service.ledger import Ledger, Wanted
from northmoor.core.delivery.service.service_state import ServiceState, read_state
from northmoor.core.errors import NorthmoorError, ParameterError

_MOST_RUNS = 10_000_000
_BY_HAND = 2**50
"""What is added to the numbers of destinations of what is handed over by hand, apart from those of orders."""


class LibraryDelivery:
    """LibraryDelivery from one library."""

    def __init__(self, root: Path) -> None:
        """Open the library's archive. Raises OutputError where it cannot be used."""
        self.root = root.resolve()
        self.archive = Archive(self.root)

    @cached_property
    def ledger(self) -> Ledger:
        """What orders have asked for."""
        return Ledger(self.archive.root)

    # runs

    def run(self, request: RunRequest, report_progress: Callable[[RunProgress], None] = lambda _: None) -> RunRecord:
        """Make a run, or a bundle, in a process of its own and keep it. Whatever goes wrong with it is in what comes
        back. Raises OutputError where the archive cannot be written."""
        return make_in_process(self.archive, self.prepared(request), report_progress)

    def start(self, request: RunRequest) -> RunProcess:
        """Begin a run; `finished` waits for it."""
        return RunProcess(self.prepared(request))

    def finished(
        self, process: RunProcess, report_progress: Callable[[RunProgress], None] = lambda _: None
    ) -> RunRecord:
        """Wait for a run that was begun. Raises OutputError where the archive cannot be written."""
        try:
            run_id = process.wait(report_progress)
        except NorthmoorError as error:
            return keep_ended(self.archive, process.request, error.message)
        return self.archive.record(self.archive.run(run_id))

    def prepared(self, request: RunRequest) -> RunRequest:
        """A request for a run of this library, with a name of its own."""
        return request.but(library=str(self.root), run_id=request.run_id or new_run_id(datetime.now(UTC)))

    def under_way(self) -> list[RunUnderWay]:
        """The runs that are being made, or whose maker was ended."""
        return runs_under_way(self.archive.root)

    def stop(self, run_id: str) -> bool:
        """Ask for a run to be stopped, whoever makes it; whether it is being made."""
        return ask_to_stop(self.archive.root, run_id)

    def settle_interrupted(self) -> list[str]:
        """Note runs as interrupted whose maker is gone and that no order goes on with; their names. Raises
        OutputError."""
        wanted = {each.run_id for each in self.ledger.wanted(("waiting", "running", "handing"), most=_MOST_RUNS)}
        found = []
        for run in self.under_way():
            if not run.is_held and run.id not in wanted:
                request = RunRequest(library=str(self.root), report=run.report, run_id=run.id)
                keep_ended(self.archive, request, "Whoever made it was ended.", "interrupted")
                found.append(run.id)
        return found

    # the archive

    def find(self, wanted: RunFilter | None = None, most: int = 200) -> list[IndexedRun]:
        """Runs, the newest first."""
        return self.archive.find(wanted or RunFilter(), most)

    def compare(self, before: str, after: str) -> RunComparison:
        """What differs between two runs. Raises ParameterError for runs that are not there."""
        return compare_runs(*(self.archive.folder(self.archive.run(name)) for name in (before, after)))

    def not_kept(self, rules: KeepRules) -> list[IndexedRun]:
        """The runs that some rules would not keep."""
        return runs_to_remove(self.find(most=_MOST_RUNS), rules, datetime.now(UTC))

    def deliver(self, run: str, destination: Destination, stop: CancelToken | None = None) -> Handed:
        """Hand a run of the archive to a destination, by hand: again, if it has gone there before. Raises
        ParameterError for a run that is not there, and Cancelled."""
        found = self.archive.run(run)
        number = _BY_HAND + int(token_hex(6), 16)
        return hand_over(self.root, self.archive.folder(found), destination, self.ledger.units(found.id, number), stop)

    # standing orders

    def orders(self) -> list[OrderFile]:
        """All standing orders, or why one cannot be read."""
        return load_orders(self.root)

    def order(self, name: str) -> StandingOrder:
        """A standing order. Raises ParameterError and ReportFileError."""
        return load_order(self.root, name)

    def save_order(self, name: str, order: StandingOrder) -> None:
        """Write a standing order. Raises ParameterError and ReportFileError."""
        save_order(self.root, name, order)

    def next_times(self, name: str, count: int = 5) -> list[datetime]:
        """The next times of an order with a timetable, in its zone; none for another. Raises like `order`."""
        when = self.order(name).when
        if not isinstance(when, Timetable):
            return []
        return [moment.astimezone(when.zone) for moment in next_times(when, datetime.now(UTC), count)]

    def try_order(
        self,
        name: str,
        given: Mapping[str, Any] | None = None,
        report_progress: Callable[[RunProgress], None] = lambda _: None,
    ) -> RunRecord:
        """Make a run of an order now, and send it nowhere. `given` is what its trigger would give; without it, an order
        that takes values from its trigger has those of its last run. Raises ParameterError and OutputError."""
        order = self.order(name)
        last = self.wanted(name, 1) if not given and order.from_trigger else []
        if last:
            request = last[0].request.but(key="", because=phrase("tried out"))
        else:
            request = order_request(self.root, name, order, given or {}, "", "tried out")
        return self.run(request.but(asked_by="person"), report_progress)

    def call_order(self, name: str, values: Mapping[str, Any], key: str = "") -> bool:
        """Ask for a run of an order that waits for calls; the service makes it. With a key, only once for it; whether
        it is new. Raises ParameterError for an order that is not called."""
        order = self.order(name)
        if not isinstance(order.when, Called):
            raise ParameterError(f"The order {name} waits for no calls; its trigger is {order.when.kind}.")
        own = f"{name} called {key or token_hex(16)}"
        return self.ledger.enter(order_request(self.root, name, order, values, own, "called"))

    def wanted(self, order: str | None = None, most: int = 200) -> list[Wanted]:
        """The runs that orders have asked for, the newest first."""
        return self.ledger.wanted(order=order, most=most)

    def service(self) -> ServiceState:
        """How the library's service is."""
        return read_state(self.root)

    def close(self) -> None:
        """Close the archive."""
        self.archive.close()
        if "ledger" in self.__dict__:
            self.ledger.close()
