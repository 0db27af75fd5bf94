"""What a report asks its data for: queries and their columns."""

from typing import Annotated

from pydantic import Field, model_validator

from northmoor.core.base.readable_names import readable_name
from northmoor.core.model.base import Identifier, Name, Part, unique_names
from northmoor.core.model.data.signal_logs import SignalLog
from northmoor.core.model.data.signal_queries import SignalQuery
from northmoor.core.model.kinds.aggregates import TotalName
from northmoor.core.model.kinds.value_types import TypeName


class QueryColumn(Part):
    """What is known of one column of a query beyond what the database says."""

    name: str
    """The column's name in the query's result."""
    type: TypeName | None = None
    """Type of its values. Without one it follows from the database's own declarations."""
    label: str | None = None
    """What readers see instead of the name."""
    total: TotalName | None = None
    """How new levels total it; without one, they do not."""
    format: str | None = None
    """CLDR pattern for its values, such as #,##0.00."""
    hidden: bool = False
    """Whether it is kept from the lists of fields. Expressions can still use it."""

    @property
    def shown_name(self) -> str:
        """Its name as readers see it."""
        return self.label or readable_name(self.name)


class LinkedColumns(Part):
    """A pair of columns that must be equal."""

    own: str
    """The column of the query that has the link."""
    other: str
    """The column of the query it is a detail of."""


class Link(Part):
    """How a query's rows belong to the records of another query."""

    query: Identifier
    """The query whose records own the rows."""
    columns: Annotated[tuple[LinkedColumns, ...], Field(min_length=1, max_length=8)]
    """Columns that are equal in a row and in the record that owns it."""


class Query(Part):
    """Rows for the report: SQL run on one connection, or over other queries of the report."""

    name: Identifier
    """The name by which blocks use it."""
    connection: Name | None = None
    """A name from the library's connections file; without one, the SQL runs over other queries of the report."""
    sql: Annotated[str, Field(max_length=1_000_000)] = ""
    """One statement that reads, in the connection's dialect; :name is the value of a parameter."""
    signals: SignalQuery | None = None
    """Spans or measurements that are read from a signal log of its connection, in place of SQL; without a connection,
    the log is another query."""
    log: SignalLog | None = None
    """What its columns mean where its rows are the readings of signals."""
    shared: Name | None = None
    """A query of the library's queries folder, from which connection and SQL are taken."""
    columns: tuple[QueryColumn, ...] = ()
    """Settings for some or all of its columns."""
    detail_of: Link | None = None
    """Makes it a detail of another query: only rows that belong to that query's records are kept."""
    sample: str | None = None
    """Path of a Parquet file with saved rows, from the library's folder; it cannot lead out of it."""
    use_sample: bool = False
    """Whether the saved rows are used in place of the connection."""

    @model_validator(mode="after")
    def _parts_fit_together(self) -> "Query":
        unique_names([column.name for column in self.columns], "column")
        if self.use_sample and self.sample is None:
            raise ValueError(f"query {self.name!r} is to use saved rows, and has none")
        if self.signals is not None and (self.sql.strip() or self.shared is not None):
            raise ValueError(f"query {self.name!r} reads a signal log and has SQL as well; keep one of them")
        return self

    @property
    def is_combined(self) -> bool:
        """Whether it runs over other queries of the report."""
        return self.connection is None and self.shared is None and self.signals is None


class SharedQuery(Part):
    """The content of a file in the library's queries folder."""

    northmoor_query: int = 1
    """Version of the file's form."""
    connection: Name
    """A name from the library's connections file."""
    sql: Annotated[str, Field(max_length=1_000_000)]
    """One statement that reads, in the connection's dialect."""
    columns: tuple[QueryColumn, ...] = ()
    """Settings for some or all of its columns; a report's own settings come before them."""
