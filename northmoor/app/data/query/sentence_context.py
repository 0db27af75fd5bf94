"""What a sentence can refer to: its connection's tables, the report's parameters, and a way to ask the data."""

from collections.abc import Callable
from dataclasses import dataclass, field

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.sources.builder.edits import all_columns, column_kinds
from northmoor.core.sources.builder.operands import OperandKind
from northmoor.core.sources.builder.select_model import Keyword, SelectModel
from northmoor.core.sources.drivers.catalog import Catalog

AskRows = Callable[[str, Callable[[object], None]], CancelToken]
"""Asks the rows of an SQL text of the query's connection; the answer, `Rows` or an error, is given to the function
later. What is returned stops the asking; then no answer comes."""


@dataclass(frozen=True)
class SentenceContext:
    """What a sentence can refer to: its connection's catalog, the SQL dialect, the report's parameters."""

    catalog: Catalog = field(default_factory=Catalog)
    dialect: str = "sqlite"
    parameters: tuple[str, ...] = ()
    ask: AskRows | None = field(default=None, compare=False)
    keyword: Keyword = str
    """Writes a keyword as the query does."""

    def columns(self, sentence: SelectModel) -> list[str]:
        """The columns of a sentence's tables, as SQL."""
        return all_columns(sentence, self.catalog, self.dialect)

    def kinds(self, sentence: SelectModel) -> dict[str, OperandKind]:
        """The columns of a sentence's tables, as SQL, with how a value to compare each with is written."""
        return column_kinds(sentence, self.catalog, self.dialect)
