"""A mail to those who want to know that a run has failed for good."""

import logging
from datetime import UTC, datetime
from hashlib import sha256
from pathlib import Path

from northmoor.core.delivery.destinations.mail_message import mail_message, message_id
from northmoor.core.delivery.destinations.mail_transport import open_transport
from northmoor.core.delivery.destinations.settings import load_settings
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.service.ledger import Ledger, LedgerUnits, Wanted
from northmoor.core.errors import NorthmoorError
from northmoor.core.sources.drivers.credentials import Secrets

_log = logging.getLogger(__name__)
FAILURE_MAIL = -1
"""The number by which these mails are noted, which no destination has."""


def mail_failure(root: Path, ledger: Ledger, wanted: Wanted, order: StandingOrder, reason: str) -> None:
    """Send the mail about a run, once to each; that it cannot be sent is logged."""
    because = f"It was asked for because: {wanted.request.because}."
    _send(root, ledger.units(wanted.run_id, FAILURE_MAIL), wanted.run_id, order, f"{reason}\n\n{because}")


def mail_trigger_failure(root: Path, ledger: Ledger, name: str, order: StandingOrder, reason: str) -> None:
    """Send a mail that an order's trigger cannot be looked at, at most once a day for the same reason."""
    today = f"{datetime.now(UTC):%Y-%m-%d}"
    what = f"trigger of {name} {today} {sha256(reason.encode()).hexdigest()[:12]}"
    _send(root, ledger.units(what, FAILURE_MAIL), what, order, f"Its trigger cannot be looked at: {reason}")


def _send(root: Path, units: LedgerUnits, what: str, order: StandingOrder, text: str) -> None:
    waiting = [to for to in order.failures_to if units.of(to) is None]
    if not waiting:
        return
    try:
        server = load_settings(root).mail_server(order.mail_server)
        transport = open_transport(server, root, Secrets())
        try:
            for to in waiting:
                identity = message_id(f"{what} failed {to}", server.sender)
                body = f"{order.title} has failed.\n\n{text}\n"
                message = mail_message(
                    server.sender, to, f"Failed: {order.title}", body, datetime.now(UTC), identity, ()
                )
                transport.send(message, server.sender, to, lambda to=to: units.note(to, "begun"))  # type: ignore[misc]
                units.note(to, "done")
        finally:
            transport.close()
    except NorthmoorError as error:
        _log.warning("Nobody got the mail that %s failed: %s", order.title, error)
