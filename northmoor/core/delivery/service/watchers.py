"""What watches for the triggers of orders: each is looked at now and then, and enters the runs that it finds due."""

from collections.abc import Callable, Mapping
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path
from time import monotonic
from typing import Any, Protocol

from msgspec import Struct

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.delivery.orders.order_request import order_request
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.orders.triggers import FileArrives, QueryAnswers, SpanEnds
from northmoor.core.delivery.runs.run_request import RunRequest
from northmoor.core.delivery.service.file_watch import FileWatch
from northmoor.core.delivery.service.ledger import Ledger
from northmoor.core.delivery.service.occasion import Occasion
from northmoor.core.delivery.service.query_watch import QueryWatch
from northmoor.core.delivery.service.span_watch import SpanWatch
from northmoor.core.errors import Cancelled, NorthmoorError, mistakes_caught

_AT_ONCE = 4
_AFTER_A_FAULT = 30
"""Seconds after which something that failed is looked at again, at the earliest."""


class Watch(Protocol):
    """Looks whether an order's trigger asks for runs."""

    @property
    def every_seconds(self) -> float:
        """How often it is to look."""

    def look(self, seen: Any, stop: CancelToken) -> tuple[Any, list[Occasion]]:
        """What there is now, to be given back as `seen` the next time (None at first), and what asks for runs. Raises
        NorthmoorError."""

    def close(self) -> None:
        """Be done with it."""


def watch_for(root: Path, name: str, order: StandingOrder) -> Watch | None:
    """What watches for an order's trigger; None for one that nothing needs to watch for."""
    when = order.when
    if isinstance(when, SpanEnds):
        return SpanWatch(root, when)
    if isinstance(when, FileArrives):
        return FileWatch(root, when)
    if isinstance(when, QueryAnswers):
        return QueryWatch(root, name, order, when)
    return None


class _Watched(Struct):
    order: StandingOrder
    watch: Watch
    next_look: float = 0.0
    is_looking: bool = False


class Watchers:
    """All that is watched for a library's orders."""

    def __init__(
        self,
        root: Path,
        ledger: Ledger,
        entered: Callable[[], None] = lambda: None,
        failed: Callable[[str, StandingOrder, str], None] = lambda _name, _order, _why: None,
    ) -> None:
        """Call `entered` when runs were entered, and `failed` with an order whose trigger cannot be looked at, when
        that begins, and why."""
        self.root, self.ledger, self.entered, self.failed = root, ledger, entered, failed
        self.faults: dict[str, str] = {}
        """Why an order's trigger cannot be looked at."""
        self._watched: dict[str, _Watched] = {}
        self._stop = CancelToken()
        self._pool = ThreadPoolExecutor(_AT_ONCE, "watch")

    def set_orders(self, orders: Mapping[str, StandingOrder]) -> None:
        """Watch for other orders; one that has not changed goes on."""
        for name, known in list(self._watched.items()):
            order = orders.get(name)
            if order is None or order.paused or order != known.order:
                known.watch.close()
                del self._watched[name]
                self.faults.pop(name, None)
        for name, order in orders.items():
            if name not in self._watched and not order.paused:
                watch = watch_for(self.root, name, order)
                if watch is not None:
                    self._watched[name] = _Watched(order, watch)

    def look(self) -> None:
        """Look at what is due to be looked at, in the background."""
        now = monotonic()
        for name, watched in self._watched.items():
            if not watched.is_looking and now >= watched.next_look:
                watched.is_looking = True
                self._pool.submit(self._look_at, name, watched)

    def look_at_once(self, name: str) -> list[RunRequest]:
        """Look at the trigger of one order now; the runs that are new. Raises NorthmoorError."""
        watched = self._watched[name]
        seen, occasions = watched.watch.look(self.ledger.seen(name, "trigger"), self._stop)
        requests = [
            order_request(self.root, name, watched.order, each.given, f"{name} {each.name}", each.because)
            for each in occasions
        ]
        return self.ledger.see(name, "trigger", seen, requests)

    def _look_at(self, name: str, watched: _Watched) -> None:
        wait = watched.watch.every_seconds
        try:
            with mistakes_caught(f"looking at the trigger of {name}"):
                new = self.look_at_once(name)
            self.faults.pop(name, None)
            if new:
                self.entered()
        except Cancelled:
            return
        except NorthmoorError as error:
            is_new = self.faults.get(name) != str(error)
            self.faults[name] = str(error)
            if is_new:
                self.failed(name, watched.order, str(error))
            wait = max(wait, _AFTER_A_FAULT)
        finally:
            watched.next_look = monotonic() + wait
            watched.is_looking = False

    def close(self) -> None:
        """Stop all."""
        self._stop.cancel()
        self._pool.shutdown(wait=False, cancel_futures=True)
        for watched in self._watched.values():
            watched.watch.close()
