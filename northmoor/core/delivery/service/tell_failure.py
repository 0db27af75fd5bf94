"""A mail to those who want to know that a run has failed for good."""

import logging
from datetime import UTC, datetime
from pathlib import Path

from northmoor.core.delivery.destinations.mail_message import mail_message, message_id
from northmoor.core.delivery.destinations.mail_transport import open_transport
from northmoor.core.delivery.destinations.settings import load_settings
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.service.ledger import Ledger, Wanted
from northmoor.core.errors import NorthmoorError
from northmoor.core.sources.drivers.credentials import Secrets

_log = logging.getLogger(__name__)
TOLD = -1
"""The number by which these mails are noted, which no destination has."""


def tell_failure(root: Path, ledger: Ledger, wanted: Wanted, order: StandingOrder, reason: str) -> None:
    """Send the mail, once to each; that it cannot be sent is logged."""
    units = ledger.units(wanted.run_id, TOLD)
    try:
        server = load_settings(root).mail_server(order.mail_server)
        transport = open_transport(server, root, Secrets())
        try:
            for to in order.tell:
                if units.of(to) is not None:
                    continue
                subject = f"Failed: {order.title}"
                text = f"{order.title} has failed.\n\n{reason}\n\nIt was asked for because: {wanted.request.because}.\n"
                identity = message_id(f"{wanted.run_id} told {to}", server.sender)
                message = mail_message(server.sender, to, subject, text, datetime.now(UTC), identity, ())
                transport.send(message, server.sender, to, lambda to=to: units.note(to, "begun"))  # type: ignore[misc]
                units.note(to, "done")
        finally:
            transport.close()
    except NorthmoorError as error:
        _log.warning("Nobody could be told that %s failed: %s", wanted.order, error)
