"""What is asked of a run: which report, with which values, into which formats, for whom."""

from typing import Annotated, Any, Literal

from pydantic import Field, model_validator

from northmoor.core.delivery.archive.run_record import RUN_ID, AskedBy
from northmoor.core.model.base import Identifier, Name, Part
from northmoor.core.model.kinds.output_formats import FormatName
from northmoor.core.model.output_options import OutputOptions

DEFAULT_FILE_NAME = "{report_title()}"


class BundleRequest(Part):
    """One output for each record: of a for-each of the edition, whose pages are made together, or of a query, whose
    columns give the values that the report is made with, record by record."""

    for_each: Name | None = None
    """The for-each whose records these are; it is on the edition's pages themselves."""
    query: Identifier | None = None
    """The query whose rows these are, if the report is made for each of them."""
    values: dict[Identifier, str] = Field(default_factory=dict)
    """With a query: the column that gives each parameter its value."""
    file_name: str | None = None
    """Template for the name of each record's file; without it, that of the for-each, or of the run with a number."""
    address: str | None = None
    """Template for the mail address of each record; without it, that of the for-each."""
    listed_total: str | None = None
    """Template for what the list says of each record; without it, that of the for-each."""
    only_with_rows: bool = True
    """Whether records without rows are left out."""
    pack: Literal["files", "zip"] = "files"
    """Whether there is a file for each record, or one ZIP with all of them."""

    @model_validator(mode="after")
    def _has_records(self) -> "BundleRequest":
        if (self.for_each is None) == (self.query is None):
            raise ValueError("a bundle is of the records of a for-each or of a query; name one of them")
        if self.query is not None and not self.values:
            raise ValueError(f"say which parameters the columns of {self.query} give their values to")
        return self


class RunCondition(Part):
    """When a run is not worth making."""

    has_rows: bool = False
    """Only if its queries return rows."""
    no_errors: bool = False
    """Only if Preflight finds no errors."""
    holds: str | None = None
    """Only if this expression is true, such as sum(sailings.delay) > 60."""


class RunRequest(Part):
    """A run that is wanted."""

    library: str
    """The library's folder."""
    report: str
    """The report's file, from the library's folder on."""
    edition: str | None = None
    """The edition; without one, that which the report chooses."""
    values: dict[str, Any] = Field(default_factory=dict)
    """Values for its parameters, as they are typed; relative ones are resolved when it is made."""
    value_set: str | None = None
    """A preset of the report, under these values."""
    formats: Annotated[tuple[FormatName, ...], Field(min_length=1, max_length=16)] = ("pdf",)
    """What is made."""
    options: OutputOptions | None = None
    """Choices of the formats; without them, those of the edition."""
    file_name: str = DEFAULT_FILE_NAME
    """Template for the names of its files."""
    bundle: BundleRequest | None = None
    """Whether it is made for each record."""
    only_if: RunCondition = RunCondition()
    """When it is not made."""
    texts: Annotated[tuple[str, ...], Field(max_length=100)] = ()
    """Templates that its destinations need filled, such as subjects of mails."""
    keep_rows: bool = False
    """Whether the rows of its queries are kept too."""
    run_id: Annotated[str, Field(pattern=rf"{RUN_ID}|^$")] = ""
    """The run's name, if it has one already."""
    key: str = ""
    """What it is made for, once only."""
    asked_by: AskedBy = "person"
    """Who asks for it."""
    order: Name | None = None
    """The standing order that asks for it."""
    because: str = ""
    """Why the order asks for it, in words."""
    memory_mb: Annotated[int, Field(ge=256, le=1_000_000)] | None = None
    """Memory that it may use; without it, three quarters of the machine's."""
    seconds: Annotated[int, Field(ge=1, le=7 * 86_400)] = 3_600
    """How long it may take."""
    processes: Annotated[int, Field(ge=1, le=256)] = 1
    """How many processes make the files of a bundle."""
