"""What a destination is given, and the notes by which nothing goes to it twice.

A unit is what goes or does not go as one: a file into a folder, a mail to one person, a job for a printer. It is noted
as begun before, and as done after it has gone. Where it was begun and not done, whoever handed it over was ended in
between: a destination that can see whether it has the unit looks; one that cannot, does not get it again.
"""

from collections.abc import Callable
from pathlib import Path
from typing import Literal, Protocol

from msgspec import Struct, field

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.delivery.archive.run_folder import FILES
from northmoor.core.delivery.archive.run_record import RunRecord
from northmoor.core.delivery.destinations.settings import DeliverySettings
from northmoor.core.delivery.runs.bundle_journal import RecordResult

UnitState = Literal["begun", "done", "failed", "unknown"]


class UnitNote(Struct, frozen=True):
    """What is noted of a unit: its state, and a text such as where it goes or why it did not."""

    state: UnitState
    text: str = ""


class UnitNotes(Protocol):
    """The notes of one run and one destination, which outlive this process."""

    def of(self, unit: str) -> UnitNote | None:
        """What is noted of a unit."""

    def note(self, unit: str, state: UnitState, text: str = "") -> None:
        """Note something, durably, in one step."""


class UnitNotesInMemory(Struct):
    """Notes that end with this process, for what is handed over once by hand."""

    notes: dict[str, UnitNote] = field(default_factory=dict)

    def of(self, unit: str) -> UnitNote | None:
        """What is noted of a unit."""
        return self.notes.get(unit)

    def note(self, unit: str, state: UnitState, text: str = "") -> None:
        """Note something."""
        self.notes[unit] = UnitNote(state, text)


class Handing(Struct, frozen=True):
    """A run that is handed to a destination."""

    root: Path
    """The library's folder."""
    folder: Path
    """The run's folder."""
    record: RunRecord
    records: tuple[RecordResult, ...]
    """The records of a bundle."""
    settings: DeliverySettings
    notes: UnitNotes
    text: Callable[[str], str]
    """What a template says of the run."""
    stop: CancelToken = field(default_factory=CancelToken)

    @property
    def files(self) -> list[Path]:
        """The files of the run, for a bundle its records' and its list."""
        names = [name for record in self.records for name in record.files]
        own = [file.name for file in self.record.files]
        found = [self.folder / FILES / name for name in (*names, *own)]
        return [path for path in found if path.is_file()]

    def path(self, text: str) -> Path:
        """The path that a destination names, from the library's folder on."""
        return (self.root / Path(text).expanduser()).resolve()


class Handed(Struct, frozen=True):
    """What came of a handing: who got it, where files are now, and why something did not go."""

    recipients: tuple[str, ...] = ()
    files: tuple[str, ...] = ()
    faults: tuple[str, ...] = ()
    uncertain: tuple[str, ...] = ()
    """What may have gone, since whoever handed it over was ended just then; it is not sent again."""
