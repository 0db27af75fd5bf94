"""What asks for a run beside a timetable: a span that ends, a file, a query's answer, another order, a call."""

from typing import Annotated, Literal

from pydantic import Field

from northmoor.core.delivery.orders.timetable import Timetable
from northmoor.core.model.base import Identifier, Name, Part
from northmoor.core.model.data.signal_queries import SpansQuery

PollSeconds = Annotated[int, Field(ge=1, le=86_400)]


class SpanEnds(Part):
    """A span of a signal log ends, such as a voyage. It gives object, id, start and end."""

    kind: Literal["span_ends"] = "span_ends"
    connection: Name
    """The connection that has the log."""
    spans: SpansQuery
    """The spans."""
    every_seconds: PollSeconds = 15
    """How often the log is looked at."""


class FileArrives(Part):
    """A file arrives or changes in a folder. It gives path and name."""

    kind: Literal["file"] = "file"
    folder: str
    """The folder, from the library's on."""
    pattern: str = "*"
    """Which files, such as dues*.xml."""
    on: Literal["arrives", "changes", "both"] = "both"
    """Whether new files count, changed ones, or both."""
    settled_seconds: Annotated[int, Field(ge=0, le=3_600)] = 2
    """How long a file must be left alone before it is taken to be complete."""


class QueryAnswers(Part):
    """The answer of a query of the report changes, or gets rows. It gives rows, the number of them."""

    kind: Literal["query"] = "query"
    query: Identifier
    """The query, which is one of the report's."""
    on: Literal["changes", "gets_rows"] = "changes"
    """Whether any change counts, or only that there are rows where there were none."""
    every_seconds: PollSeconds = 300
    """How often it is asked."""


class AfterOrder(Part):
    """Another standing order is done. It gives run, the name of its run."""

    kind: Literal["after_order"] = "after_order"
    order: Name
    """The other order."""


class Called(Part):
    """A program calls, with values of its own."""

    kind: Literal["called"] = "called"


Trigger = Annotated[
    Timetable | SpanEnds | FileArrives | QueryAnswers | AfterOrder | Called, Field(discriminator="kind")
]
GIVEN_BY: dict[str, tuple[str, ...]] = {
    "timetable": ("due",),
    "span_ends": ("object", "id", "start", "end"),
    "file": ("path", "name"),
    "query": ("rows",),
    "after_order": ("run",),
    "called": (),
}
"""What each kind of trigger gives to the values of a run."""
