"""What is asked for in the Deliver dialog, as a run that is kept or as a standing order."""

from collections.abc import Mapping
from typing import Any

from northmoor.app.delivery.deliver_dialog import DeliverDialog
from northmoor.core.delivery.destinations.destination import FolderDestination
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.orders.timetable import Timetable
from northmoor.core.delivery.runs.run_request import BundleRequest, RunRequest
from northmoor.core.delivery.runs.value_texts import given_again, value_texts
from northmoor.core.document import Document


def requested_run(dialog: DeliverDialog, document: Document, report: str) -> RunRequest:
    """The run of a report, given by its path in the library, with the values of the document."""
    name = dialog.delivery.paths[0].stem.replace("{", "{{").replace("}", "}}")
    return RunRequest(library="", file_name=name, values=_values(document), **_made(dialog, document, report))


def requested_order(dialog: DeliverDialog, document: Document, report: str, given: Mapping[str, Any]) -> StandingOrder:
    """The order, with the values that were chosen: what nobody chose, such as today, is resolved with each run."""
    typed = {name: value for name, value in given.items() if isinstance(value, str)}
    chosen = {name: value for name, value in _values(document).items() if name in document.resolved.given} | typed
    return StandingOrder(
        title=document.title, when=Timetable(days="weekdays", weekdays=(0,)), values=chosen,
        destinations=(FolderDestination(path=str(dialog.delivery.paths[0].parent)),),
        **_made(dialog, document, report),
    )  # fmt: skip


def _values(document: Document) -> dict[str, Any]:
    return given_again(value_texts(document.resolved))


def _made(dialog: DeliverDialog, document: Document, report: str) -> dict[str, Any]:
    wanted = dialog.delivery
    return {
        "report": report, "edition": document.edition.name, "options": wanted.options,
        "bundle": BundleRequest(for_each=wanted.each) if wanted.each else None,
        "formats": tuple(each.suffix for each in dialog.ticked),
    }  # fmt: skip
