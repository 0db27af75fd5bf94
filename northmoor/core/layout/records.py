"""The records of a for-each: what is said of each, and which rows of other blocks belong to each."""

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property

import pyarrow as pa
import pyarrow.compute as pc

from northmoor.core.compute.cells import Computed
from northmoor.core.compute.groups import Groups, Wanted
from northmoor.core.compute.hosting import Tie
from northmoor.core.compute.table import ArrangedTable, template_of
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.language import parse
from northmoor.core.layout.celltext import CellTexts, as_array, report_faults, template_texts, whole_fault
from northmoor.core.layout.context import Setting
from northmoor.core.layout.fonts import font_file
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
    _measured: set[tuple[Content, str]] = field(default_factory=set)

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

    def texts(self, content: Content, block: str) -> CellTexts:
        """A content's text for each record; its faults are told of the block that it belongs to."""
        if content not in self._texts:
            self._texts[content] = written(content, self._computed, len(self), self.setting)
            report_faults(self._texts[content], Place(block=block), self.setting)
        return self._texts[content]

    @cached_property
    def _computed(self) -> Mapping[str, Computed]:
        return {want.expression: found for want, found in self.arranged.cells.items() if want.scope == self.scope}

    def measure(self, content: Content, look: FullLook) -> None:
        """Measure a content's texts for all records at once, since each by itself takes long."""
        file = font_file(look.font, look.bold, look.italic)
        if (content, file) not in self._measured and content in self._texts:
            self._measured.add((content, file))
            texts = pc.unique(as_array(self._texts[content].texts)).to_pylist()
            self.setting.shapers.of(file).add([line for text in texts for line in (text or "").split("\n")])

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
