"""A run to one of its destinations, and what came of it, noted beside the run."""

from collections.abc import Callable
from datetime import UTC, datetime
from importlib import import_module
from pathlib import Path

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.delivery.archive.run_folder import FILES, add_handed_over, read_run
from northmoor.core.delivery.archive.run_record import HandedOver, RunRecord
from northmoor.core.delivery.destinations.destination import DESTINATION_MODULES, Destination, destination_words
from northmoor.core.delivery.destinations.handing import Handed, Handing, UnitNotes
from northmoor.core.delivery.destinations.settings import load_settings
from northmoor.core.delivery.runs.manifest import read_manifest
from northmoor.core.errors import Cancelled, NorthmoorError, mistakes_caught

_MOST_LISTED = 20_000


def hand_over(
    root: Path,
    folder: Path,
    destination: Destination,
    notes: UnitNotes,
    stop: CancelToken | None = None,
    at: datetime | None = None,
) -> Handed:
    """Hand the run in a folder of the archive to a destination; what did not go is among the faults. It is noted as of
    a moment, which is now if none is given.

    Raises Cancelled, and ReportFileError for a run that cannot be read.
    """
    record = read_run(folder)
    handed = Handed()
    try:
        records = tuple(read_manifest(folder / FILES)) if record.records is not None else ()
        with mistakes_caught("handing it over"):
            handing = Handing(
                root, folder, record, records, load_settings(root), notes, _texts_of(record), stop or CancelToken()
            )
            deliver: Callable[[Handing, Destination], Handed] = import_module(
                DESTINATION_MODULES[destination.kind]
            ).deliver
            handed = deliver(handing, destination)
    except Cancelled:
        raise
    except NorthmoorError as error:
        handed = Handed(faults=(str(error),))
    add_handed_over(folder, _note(destination, handed, at or datetime.now(UTC)))
    return handed


def _texts_of(record: RunRecord) -> Callable[[str], str]:
    """What templates say of a run: they were filled when it was made, since its data are gone now."""
    return lambda template: record.texts.get(template, template)


def _note(destination: Destination, handed: Handed, at: datetime) -> HandedOver:
    faults = list(handed.faults)
    if handed.uncertain:
        listed = ", ".join(handed.uncertain[:5])
        faults.append(f"It may have gone already, and is not sent again: {listed}.")
    return HandedOver(
        destination=destination_words(destination), at=at, recipients=handed.recipients[:_MOST_LISTED],
        files=handed.files[:_MOST_LISTED], failed=" ".join(faults[:5]),
    )  # fmt: skip
