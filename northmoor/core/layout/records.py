"""The records of a for-each: what is said of each, and which rows of other blocks belong to each."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import pyarrow as pa

from northmoor.core.compute.cells import Computed
from northmoor.core.compute.groups import Groups, Wanted
from northmoor.core.compute.hosting import Tie
from northmoor.core.compute.table import ArrangedTable, template_of
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.language import parse
from northmoor.core.layout.celltext import CellTexts, report_faults, template_texts, whole_fault
from northmoor.core.layout.chartview import plain
from northmoor.core.layout.context import Setting
from northmoor.core.layout.paragraph import Paragraphs
from northmoor.core.model.blocks import ForEachBlock
from northmoor.core.model.looks import FullLook
from northmoor.core.model.tables import Content


@dataclass(eq=False)
class Records:
    """The records of a for-each, arranged: groups of the level at a `scope`."""

    block: ForEachBlock
    arranged: ArrangedTable
    scope: int
    setting: Setting
    _texts: dict[Content, CellTexts] = field(default_factory=dict)
    _paragraphs: dict[tuple[Content, FullLook, int], Paragraphs] = field(default_factory=dict)

    @property
    def groups(self) -> Groups:
        """The groups of rows that are its records."""
        return self.arranged.levels[self.scope - 1]

    def __len__(self) -> int:
        return len(self.groups)

    def computed(self, expression: str) -> Computed:
        """An expression's value for each record."""
        return self.arranged.cells[Wanted(self.scope, parse(expression).text)]

    def value(self, expression: str, index: int) -> tuple[pa.Scalar | None, str | None]:
        """An expression's value for a record, or why it has none."""
        return value_of(self.computed(expression), index)

    def keys(self, index: int) -> tuple[object, ...]:
        """The key of a record, with those of the records around it, outermost first."""
        return self.arranged.keys(int(self.groups.starts[index]), self.scope)

    @cached_property
    def plain_keys(self) -> list[tuple[object, ...]]:
        """The keys of each record, as its origins tell them."""
        return [tuple(map(plain, self.keys(index))) for index in range(len(self))]

    def texts(self, content: Content, block: str) -> CellTexts:
        """A content's text for each record; its faults are told of the block that it belongs to."""
        if content not in self._texts:
            key = ("record texts", self.arranged, self.scope, content, self.setting.customs)
            self._texts[content] = self.setting.kept.get(
                key, lambda: written(content, self._computed, len(self), self.setting)
            )
            report_faults(self._texts[content], Place(block=block), self.setting)
        return self._texts[content]

    @cached_property
    def _computed(self) -> Mapping[str, Computed]:
        return {want.expression: found for want, found in self.arranged.cells.items() if want.scope == self.scope}

    def paragraphs(self, content: Content, block: str, look: FullLook, width: int) -> Paragraphs:
        """A content's text for each record as a paragraph; its faults are told of the block that it belongs to."""
        key = (content, look, width)
        if key not in self._paragraphs:
            texts, setting = self.texts(content, block), self.setting
            self._paragraphs[key] = setting.kept.get(
                ("record paragraphs", texts, look, width), lambda: Paragraphs(texts, look, width, setting)
            )
        return self._paragraphs[key]

    def wanted(self, ties: Sequence[Tie], block: str) -> list[tuple[object, ...]]:
        """For each record, the keys of the group of another block's rows that belong to it. Raises LayoutError."""
        columns = []
        for tie in ties:
            computed = self.computed(tie.record)
            fault = computed.fault or next(iter(computed.faults.values()), None)
            if fault is not None:
                message = f"Which rows belong to a record cannot be told: {fault.message}"
                raise LayoutError(message, Place(block=block))
            columns.append(computed.values.to_pylist())
        return list(zip(*columns, strict=True))


def written(content: Content, computed: Mapping[str, Computed], count: int, setting: Setting) -> CellTexts:
    """A content's texts, its expressions being computed; marked where it cannot be read."""
    try:
        template = template_of(content)
    except ExpressionError as error:
        return whole_fault(count, error)
    return template_texts(template, computed, None, count, setting)


def value_of(computed: Computed, index: int) -> tuple[pa.Scalar | None, str | None]:
    """An expression's value, or why it has none."""
    fault = computed.fault or computed.faults.get(index)
    return (None, fault.message) if fault is not None else (computed.values[index], None)
