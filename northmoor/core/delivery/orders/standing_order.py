"""A standing order: what makes runs of a report, with what, and where they go."""

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from northmoor.core.delivery.destinations.destination import Destination, MailAddress
from northmoor.core.delivery.orders.triggers import GIVEN_BY, Trigger
from northmoor.core.delivery.runs.run_request import DEFAULT_FILE_NAME, BundleRequest, RunCondition
from northmoor.core.model.base import Identifier, Part, Title
from northmoor.core.model.kinds.output_formats import FormatName
from northmoor.core.model.output_options import OutputOptions

ORDER_VERSION = 1


class StandingOrder(Part):
    """A standing order."""

    northmoor_order: Annotated[int, Field(ge=1)] = ORDER_VERSION
    """The version of this form."""
    title: Title
    """What it is called."""
    report: str
    """The report's file, from the library's folder on, or its name in reports/."""
    when: Trigger
    """When runs are made."""
    edition: str | None = None
    """The edition; without one, that which the report chooses."""
    values: dict[Identifier, Any] = Field(default_factory=dict)
    """Values for its parameters; relative ones, such as last full month, are resolved with each run."""
    value_set: str | None = None
    """A preset of the report, under these values."""
    from_trigger: dict[Identifier, str] = Field(default_factory=dict)
    """What the trigger gives to parameters, such as {"vessel": "object", "voyage": "id"}."""
    formats: Annotated[tuple[FormatName, ...], Field(min_length=1, max_length=16)] = ("pdf",)
    """What is made."""
    options: OutputOptions | None = None
    """Choices of the formats; without them, those of the edition."""
    file_name: str = DEFAULT_FILE_NAME
    """Template for the names of its files, such as {report_title()} {data_time(); yyyy-MM-dd}."""
    bundle: BundleRequest | None = None
    """Whether there is one output for each record."""
    only_if: RunCondition = RunCondition()
    """When nothing is made."""
    destinations: Annotated[tuple[Destination, ...], Field(max_length=20)] = ()
    """Where its runs go; without any, only into the archive."""
    missed: Literal["once", "each", "not_at_all"] = "once"
    """What becomes of times that were missed while nothing ran: one run for all, one for each, or none."""
    tries: Annotated[int, Field(ge=1, le=20)] = 3
    """How often a run that fails is tried."""
    wait_minutes: Annotated[float, Field(ge=0, le=1_440)] = 15
    """How long after a failure it is tried again."""
    failures_to: Annotated[tuple[MailAddress, ...], Field(max_length=20)] = ()
    """Who gets a mail when a run has failed for good."""
    mail_server: str = ""
    """The mail server for that, if the library has several."""
    paused: bool = False
    """Whether it makes no runs for now."""
    keep_rows: bool = False
    """Whether the archive keeps the rows too."""
    seconds: Annotated[int, Field(ge=1, le=7 * 86_400)] = 3_600
    """How long a run may take."""
    memory_mb: Annotated[int, Field(ge=256, le=1_000_000)] | None = None
    """Memory that a run may use."""

    @model_validator(mode="after")
    def _trigger_gives_what_is_asked(self) -> "StandingOrder":
        known = GIVEN_BY[self.when.kind]
        for parameter, given in self.from_trigger.items():
            if self.when.kind != "called" and given not in known:
                listed = ", ".join(known) or "nothing"
                raise ValueError(f"the trigger gives no {given!r} for {parameter}; it gives {listed}")
        return self
