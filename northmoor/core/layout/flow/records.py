"""The records of a for-each: what is printed of each, and which rows of other blocks belong to each."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import pyarrow as pa

from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.compute.evaluate.slots import template_of
from northmoor.core.compute.groups.boundaries import Groups, ScopedExpression
from northmoor.core.compute.report.correlation import JoinKey
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.language import parse
from northmoor.core.layout.context import LayoutContext
from northmoor.core.layout.inline.formatting import CellTexts, report_faults, template_texts, whole_fault
from northmoor.core.layout.inline.paragraph import Paragraphs
from northmoor.core.layout.inline.plain import plain_key
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.table import Content
from northmoor.core.model.styles import ResolvedStyle


@dataclass(eq=False)
class Records:
    """The records of a for-each, arranged: groups of the level at a `scope`."""

    block: ForEachBlock
    data: TableData
    scope: int
    context: LayoutContext
    _texts: dict[Content, CellTexts] = field(default_factory=dict)
    _paragraphs: dict[tuple[Content, ResolvedStyle, int], Paragraphs] = field(default_factory=dict)

    @property
    def groups(self) -> Groups:
        """The groups of rows that are its records."""
        return self.data.levels[self.scope - 1]

    def __len__(self) -> int:
        return len(self.groups)

    def computed(self, expression: str) -> Computed:
        """An expression's value for each record."""
        return self.data.cells[ScopedExpression(self.scope, parse(expression).text)]

    def value(self, expression: str, index: int) -> tuple[pa.Scalar | None, str | None]:
        """An expression's value for a record, or why it has none."""
        return value_of(self.computed(expression), index)

    def keys(self, index: int) -> tuple[object, ...]:
        """The key of a record, with those of the records around it, outermost first."""
        return self.data.keys(int(self.groups.starts[index]), self.scope)

    @cached_property
    def plain_keys(self) -> list[tuple[object, ...]]:
        """The keys of each record, as its origins tell them."""
        return [tuple(map(plain_key, self.keys(index))) for index in range(len(self))]

    def texts(self, content: Content, block: str) -> CellTexts:
        """A content's text for each record; its faults are reported for the block that it belongs to."""
        if content not in self._texts:
            key = ("record texts", self.data, self.scope, content, self.context.locale)
            self._texts[content] = self.context.cache.get(
                key, lambda: formatted(content, self._computed, len(self), self.context)
            )
            report_faults(self._texts[content], Place(block=block), self.context)
        return self._texts[content]

    @cached_property
    def _computed(self) -> Mapping[str, Computed]:
        return {want.expression: found for want, found in self.data.cells.items() if want.scope == self.scope}

    def paragraphs(self, content: Content, block: str, look: ResolvedStyle, width: int) -> Paragraphs:
        """A content's text for each record as a paragraph; its faults are reported for the block that it belongs to."""
        key = (content, look, width)
        if key not in self._paragraphs:
            texts, context = self.texts(content, block), self.context
            self._paragraphs[key] = context.cache.get(
                ("record paragraphs", texts, look, width), lambda: Paragraphs(texts, look, width, context)
            )
        return self._paragraphs[key]

    def expressions(self, ties: Sequence[JoinKey], block: str) -> list[tuple[object, ...]]:
        """For each record, the keys of the group of another block's rows that belong to it. Raises LayoutError."""
        columns = []
        for tie in ties:
            computed = self.computed(tie.of_record)
            fault = computed.fault or next(iter(computed.faults.values()), None)
            if fault is not None:
                message = f"Which rows belong to a record cannot be determined: {fault.message}"
                raise LayoutError(message, Place(block=block))
            columns.append(computed.values.to_pylist())
        return list(zip(*columns, strict=True))


def formatted(content: Content, computed: Mapping[str, Computed], count: int, context: LayoutContext) -> CellTexts:
    """A content's texts, its expressions being computed; marked where it cannot be read."""
    try:
        template = template_of(content)
    except ExpressionError as error:
        return whole_fault(count, error)
    return template_texts(template, computed, None, count, context)


def value_of(computed: Computed, index: int) -> tuple[pa.Scalar | None, str | None]:
    """An expression's value, or why it has none."""
    fault = computed.fault or computed.faults.get(index)
    return (None, fault.message) if fault is not None else (computed.values[index], None)
