"""The run that a standing order asks for, given what triggered it."""

from collections.abc import Mapping
from pathlib import Path
from typing import Any

from northmoor.core.delivery.destinations.destination import MailDestination
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.runs.run_request import RunRequest
from northmoor.core.errors import ParameterError


def order_request(
    root: Path, name: str, order: StandingOrder, given: Mapping[str, Any], key: str, because: str
) -> RunRequest:
    """A request for a run of an order. Raises ParameterError where the trigger lacks what the order takes from it."""
    values = dict(order.values)
    for parameter, part in order.from_trigger.items():
        if part not in given:
            raise ParameterError(f"The order {name} takes {part!r} from its trigger, which gives no such value.")
        values[parameter] = given[part]
    if order.when.kind == "called":
        values |= {part: value for part, value in given.items() if part not in order.from_trigger.values()}
    return RunRequest(
        library=str(root), report=order.report, edition=order.edition, values=values, value_set=order.value_set,
        formats=order.formats, options=order.options, file_name=order.file_name, bundle=order.bundle,
        only_if=order.only_if, keep_rows=order.keep_rows, key=key, asked_by="order", order=name, because=because,
        memory_mb=order.memory_mb, seconds=order.seconds, texts=_templates(order),
    )  # fmt: skip


def _templates(order: StandingOrder) -> tuple[str, ...]:
    """The templates that its destinations need filled."""
    mails = [each for each in order.destinations if isinstance(each, MailDestination)]
    return tuple(dict.fromkeys(text for mail in mails for text in (mail.subject, mail.text) if text))
