"""The records of a for-each: what is said of each, and which rows of other blocks belong to each."""

from collections.abc import Sequence
from dataclasses import dataclass, field

import pyarrow as pa
import pyarrow.compute as pc

from northmoor.core.compute.cells import Computed
from northmoor.core.compute.groups import Groups, Ints, Wanted
from northmoor.core.compute.hosting import Tie, matched
from northmoor.core.compute.table import ArrangedTable
from northmoor.core.errors import ExpressionError, LayoutError, Place
from northmoor.core.expr.language import parse
from northmoor.core.expr.templates import parse_template
from northmoor.core.layout.celltext import CellTexts, as_array, report_faults, template_texts, whole_fault
from northmoor.core.layout.context import Setting
from northmoor.core.layout.fonts import font_file
from northmoor.core.model.blocks import ForEachBlock
from northmoor.core.model.looks import FullLook


@dataclass(eq=False)
class Records:
    """The records of a for-each, arranged: groups of the level at a `scope`."""

    block: ForEachBlock
    arranged: ArrangedTable
    scope: int
    setting: Setting
    _texts: dict[str, CellTexts] = field(default_factory=dict)
    _measured: set[tuple[str, str]] = field(default_factory=set)

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
        computed = self.computed(expression)
        fault = computed.fault or computed.faults.get(index)
        return (None, fault.message) if fault is not None else (computed.values[index], None)

    def keys(self, index: int) -> tuple[object, ...]:
        """The key of a record, with those of the records around it, outermost first."""
        return self.arranged.keys(int(self.groups.starts[index]), self.scope)

    def texts(self, template: str, block: str) -> CellTexts:
        """A template's text for each record; its faults are told of the block that it belongs to."""
        if template not in self._texts:
            self._texts[template] = self._written(template)
            report_faults(self._texts[template], Place(block=block), self.setting)
        return self._texts[template]

    def measure(self, template: str, look: FullLook) -> None:
        """Measure a template's texts for all records at once, since each by itself takes long."""
        file = font_file(look.font, look.bold, look.italic)
        if (template, file) not in self._measured and template in self._texts:
            self._measured.add((template, file))
            texts = pc.unique(as_array(self._texts[template].texts)).to_pylist()
            self.setting.shapers.of(file).add([line for text in texts for line in (text or "").split("\n")])

    def _written(self, template: str) -> CellTexts:
        try:
            parts = parse_template(template)
        except ExpressionError as error:
            return whole_fault(len(self), error)
        slots = {
            part.expression.text: self.arranged.cells[Wanted(self.scope, part.expression.text)]
            for part in parts
            if not isinstance(part, str)
        }
        return template_texts(parts, slots, None, len(self), self.setting)

    def groups_of(self, ties: Sequence[Tie], levels: Sequence[Groups], block: str) -> Ints:
        """For each record, the group of another block's rows that belong to it, or −1. Raises LayoutError."""
        columns = []
        for tie in ties:
            computed = self.computed(tie.record)
            fault = computed.fault or next(iter(computed.faults.values()), None)
            if fault is not None:
                message = f"Which rows belong to a record cannot be told: {fault.message}"
                raise LayoutError(message, Place(block=block))
            columns.append(computed.values.to_pylist())
        return matched(list(zip(*columns, strict=True)), levels, len(ties))
