"""What is kept of a run beside its files: what was asked for, with which values, and what came of it."""

from datetime import datetime
from typing import Annotated, Literal

from pydantic import AfterValidator, AwareDatetime, Field

from northmoor.core.model.base import Name, Part

RUN_VERSION = 1
RUN_FILE = "run.json"
RUN_ID = r"^[0-9]{8}-[0-9]{6}-[0-9a-f]{8}$"

RunState = Literal["running", "done", "done_with_findings", "left_out", "failed", "stopped", "interrupted"]
RUN_STATES: dict[RunState, str] = {
    "running": "running",
    "done": "done",
    "done_with_findings": "done, with findings",
    "left_out": "not made",
    "failed": "failed",
    "stopped": "stopped",
    "interrupted": "interrupted",
}
"""The states of runs as readers see them."""
AskedBy = Literal["person", "order", "program"]

ValueText = str | bool | tuple[str | None, ...] | None
"""A value as text, as it can be given again."""


def check_plain_name(name: str) -> str:
    """The name of a file in a folder, which leads nowhere else. Raises ValueError."""
    if not name or name in (".", "..") or set(name) & set("/\0"):
        raise ValueError(f"{name[:80]!r} is no name of a file")
    return name


class RunFile(Part):
    """A file that a run made."""

    name: Annotated[str, AfterValidator(check_plain_name)]
    """Its name in the run's folder of files."""
    size: int
    """Bytes."""
    sha256: str
    """The digest of its bytes."""
    record: str = ""
    """In a bundle: the record that it is of."""


class RunFinding(Part):
    """Something that was found wrong with the report as it was run."""

    rule: str
    """The rule that found it."""
    place: str = ""
    """Where in the report."""
    message: str
    """What is wrong, and what to do."""
    is_error: bool = True
    """Whether it is a fault, or only a weakness."""


class RecordCounts(Part):
    """What became of the records of a bundle."""

    made: int = 0
    """Records with a file."""
    failed: int = 0
    """Records whose file could not be made."""
    left_out: int = 0
    """Records without rows, where those are not wanted."""


class RunRecord(Part):
    """A run: what was asked for, and what came of it. It is written once, when the run has ended."""

    northmoor_run: Annotated[int, Field(ge=1)] = RUN_VERSION
    """The version of this form."""
    id: Annotated[str, Field(pattern=RUN_ID)]
    """When it began (UTC), and something that tells it from others of that second."""
    key: str = ""
    """What it was made for, once only: an order and its time, or what triggered it."""
    report: str
    """The report's file, from the library's folder on."""
    title: str
    """The report's title, with its values."""
    report_sha256: str
    """The digest of the report's file."""
    revision: str = ""
    """The report's revision, as its outputs say it."""
    edition: str = ""
    """The edition that was made."""
    values: dict[str, ValueText] = Field(default_factory=dict)
    """The values of its parameters, relative ones resolved."""
    shown_values: dict[str, str] = Field(default_factory=dict)
    """The same as readers see them: each parameter's label, and what it holds in words."""
    data_time: datetime | None = None
    """The moment the data were as of, wall time of the report's zone."""
    time_zone: str = ""
    """The report's time zone."""
    asked_by: AskedBy = "person"
    """Who asked for it."""
    order: Name | None = None
    """The standing order that asked for it."""
    because: str = ""
    """Why the order asked for it: the time, or what triggered it, in words."""
    started: AwareDatetime
    """When it began."""
    ended: AwareDatetime
    """When it ended."""
    state: RunState
    """How it ended."""
    reason: str = ""
    """Why it failed."""
    rows: int = 0
    """Rows that its queries returned."""
    pages: int = 0
    """Pages that it has."""
    files: tuple[RunFile, ...] = ()
    """What it made."""
    findings: tuple[RunFinding, ...] = ()
    """What was found wrong."""
    texts: dict[str, str] = Field(default_factory=dict)
    """What the templates of its destinations say, such as subjects of mails."""
    records: RecordCounts | None = None
    """In a bundle: what became of its records."""

    @property
    def seconds(self) -> float:
        """How long it took."""
        return (self.ended - self.started).total_seconds()

    @property
    def is_whole(self) -> bool:
        """Whether its outputs were made."""
        return self.state in ("done", "done_with_findings")


class HandedOver(Part):
    """That a run, or a record of its bundle, was handed to a destination."""

    northmoor_handed_over: Annotated[int, Field(ge=1)] = 1
    """The version of this form."""
    destination: str
    """Where it went, in words."""
    at: AwareDatetime
    """When."""
    recipients: tuple[str, ...] = ()
    """The people or records it went to."""
    files: tuple[str, ...] = ()
    """Where its files are now, if they are in a folder."""
    failed: str = ""
    """Why it was not taken; nothing if it was."""
