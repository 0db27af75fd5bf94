"""A chart as it is drawn: its panels with their categories, and its stripes, which a legend tells apart."""

import math
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from functools import cached_property, partial
from typing import Any

import numpy as np
import pyarrow as pa
from msgspec import Struct

from northmoor.core.base.arrays import Floats, Ints
from northmoor.core.compute.chart.evaluation import mark_texts
from northmoor.core.compute.crosstab.cell_values import CellLevel
from northmoor.core.compute.crosstab.chart_data import ChartData, as_numbers
from northmoor.core.compute.evaluate.scope_cells import Computed
from northmoor.core.errors import ExpressionError, Place
from northmoor.core.expr.formats import format_values
from northmoor.core.expr.language import bare_column, columns_in
from northmoor.core.expr.templates import parse_template
from northmoor.core.layout.chart.palette import OTHERS_COLOR, color_field, color_of, mixed
from northmoor.core.layout.chart.scales import AxisScale
from northmoor.core.layout.context import FAULT_MARK, LayoutContext
from northmoor.core.layout.graphics.display_list import SourceRef
from northmoor.core.layout.graphics.hatching import HATCHINGS
from northmoor.core.layout.inline.formatting import label_pattern, template_texts, whole_fault
from northmoor.core.layout.inline.plain import plain_key
from northmoor.core.model.blocks.chart import Chart, ChartLevel, ChartMeasure, ReferenceLine
from northmoor.core.model.kinds.mark_types import MarkType
from northmoor.core.model.links import is_sound


class SeriesMeasure(Struct, frozen=True, eq=False):
    """A measure of a series: what is drawn in one way and has an entry in the legend."""

    measure: ChartMeasure
    series: int
    name: str
    color: str
    hatch: int
    mark: MarkType


@dataclass(frozen=True, eq=False)
class Facet:
    """A small chart: its title, its categories (their keys, and what makes their texts), and its marks' numbers, each
    with the place of its category among those."""

    title: str
    categories: Ints
    keys: pa.Array
    make_texts: Callable[[], Sequence[str]]
    rows: Ints
    lane: Ints

    @cached_property
    def texts(self) -> Sequence[str]:
        """What its categories are called; made on first use, for a line has thousands and shows none."""
        return self.make_texts()

    @cached_property
    def numbers(self) -> Floats:
        """The keys of its categories as numbers, where they are numbers, dates or timestamps."""
        return as_numbers(self.keys)


@dataclass(eq=False)
class ChartView:
    """A chart of one host, as it is drawn. `origin` is where all it draws comes from."""

    chart: Chart
    data: ChartData
    query: str
    host: int
    origin: SourceRef
    context: LayoutContext

    def values(self, panel: Facet, text: str) -> Floats:
        """An expression's values of a panel: marks by series."""
        return self.data.numbers(self.data.depths.marks, text)[panel.rows]

    def values_of(self, panel: Facet, series_measure: SeriesMeasure, text: str | None) -> Floats:
        """An expression's values of a panel for a stripe: one a mark; all missing for no expression."""
        if text is None:
            return np.full(len(panel.rows), np.nan)
        return self.values(panel, text)[:, series_measure.series]

    def lists(self, panel: Facet, series_measure: SeriesMeasure, text: str) -> list[Floats]:
        """The numbers in the lists of a stripe's marks; none where there is no list."""
        computed = self.data.computed(self.data.depths.marks, text).values
        width = self.data.sides.columns.size(self.data.depths.series)
        found = []
        for row in panel.rows.tolist():
            value = computed[row * width + series_measure.series] if pa.types.is_list(computed.type) else None
            numbers = as_numbers(value.values) if value is not None and value.is_valid else np.zeros(0)
            found.append(numbers[np.isfinite(numbers)])
        return found

    def shown(self, panel: Facet, series_measure: SeriesMeasure, text: str, pattern: str | None) -> list[str]:
        """An expression's values of a stripe as texts."""
        computed = self.data.computed(self.data.depths.marks, text)
        return self._formatted(computed.values.take(self._cells(panel, series_measure)), pattern)

    def exact(self, panel: Facet, series_measure: SeriesMeasure, text: str) -> list[Any]:
        """An expression's values of a stripe as they were computed."""
        computed = self.data.computed(self.data.depths.marks, text)
        found: list[Any] = computed.values.take(self._cells(panel, series_measure)).to_pylist()
        return found

    def labels(self, panel: Facet, series_measure: SeriesMeasure) -> list[str]:
        """What is written at the marks of a stripe."""
        if self.chart.label_text is None:
            value = mark_texts(self.chart, series_measure.measure)[0]
            return self.shown(
                panel, series_measure, value, series_measure.measure.format or self.axis_pattern(series_measure.measure)
            )
        texts = self.of_marks(self.chart.label_text)
        return [texts[int(cell)] for cell in self._cells(panel, series_measure).to_pylist()]

    def of_marks(self, template: str) -> list[str]:
        """A template over the rows of each mark: its text for every mark there is."""
        at = self.data.depths.marks
        return self._templated(template, at, int(np.prod(self.data.sides.shape(at))))

    def link_targets(self) -> list[str]:
        """What each mark opens; nothing where that is no address that a page may open."""
        texts = self.of_marks(self.chart.link or "")
        return [text if is_sound(text) else "" for text in texts]

    def cell(self, row: int, series: int) -> int:
        """The number of a mark among all."""
        return row * self.data.sides.columns.size(self.data.depths.series) + series

    def _cells(self, panel: Facet, series_measure: SeriesMeasure) -> pa.Array:
        return pa.array(panel.rows * self.data.sides.columns.size(self.data.depths.series) + series_measure.series)

    def axis_pattern(self, measure: ChartMeasure) -> str | None:
        """The pattern for values on a measure's axis; without one, that of the column it is or totals."""
        axis = self.chart.first if measure.axis == "first" else self.chart.second
        return axis.format or measure.format or self.column_pattern(measure.value)

    def column_pattern(self, text: str) -> str | None:
        """The pattern that the query's settings give to the one column of an expression."""
        columns = {c.name.lower(): c.format for c in self.context.report.query(self.query).columns}
        used = columns_in(text)
        return columns.get(next(iter(used))) if len(used) == 1 and "count(" not in text.lower() else None

    @cached_property
    def stacks(self) -> dict[tuple[int, str], list[tuple[SeriesMeasure, Floats, Floats]]]:
        """Where stripes begin and end, by the number of the panel and the axis, as far as that has been asked."""
        return {}

    @cached_property
    def extents(self) -> dict[str, Floats]:
        """The values that each axis has to hold, by its name, as far as that has been asked."""
        return {}

    @cached_property
    def scales(self) -> dict[tuple[str, int], AxisScale | None]:
        """The scale of each axis of values, by its name and length, as far as that has been asked."""
        return {}

    # texts over all rows of the host

    def text_of(self, template: str | None) -> str:
        """A template over all rows."""
        return self._templated(template, CellLevel(self.data.depths.host, 0), 0)[self.host] if template else ""

    def number(self, text: str | None) -> float | None:
        """The number that an expression over all rows says; None where it says none."""
        if text is None:
            return None
        value = self.data.numbers(CellLevel(self.data.depths.host, 0), text)[self.host, 0]
        return float(value) if np.isfinite(value) else None

    def reference_ends(self, line: ReferenceLine) -> list[tuple[float, float]]:
        """The ends of a reference line or range, the smaller first; of several where its expressions are lists."""
        begins = self._numbers_of(line.at)
        ends = begins if line.until is None else self._numbers_of(line.until)
        pairs = zip(begins.tolist(), ends.tolist(), strict=False)
        return [(min(pair), max(pair)) for pair in pairs if math.isfinite(sum(pair))]

    def _numbers_of(self, text: str) -> Floats:
        """The number that an expression over all rows says, or those of its list."""
        computed = self.data.computed(CellLevel(self.data.depths.host, 0), text).values
        if not pa.types.is_list(computed.type):
            return as_numbers(computed)[self.host : self.host + 1]
        value = computed[self.host]
        return as_numbers(value.values) if value.is_valid else np.zeros(0)

    def _templated(self, text: str, at: CellLevel, count: int) -> list[str]:
        key = ("chart texts", self.data, text, at, self.context.locale)
        return self.context.cache.get(key, lambda: self._evaluate_template(text, at, count))

    def _evaluate_template(self, text: str, at: CellLevel, count: int) -> list[str]:
        count = count or self.data.sides.rows.size(at.rows)
        try:
            template = parse_template(text)
        except ExpressionError as error:
            return [str(whole_fault(1, error).text(0))] * count
        slots = {
            s.expression.text: self.data.computed(at, s.expression.text) for s in template if not isinstance(s, str)
        }
        texts = template_texts(template, slots, None, count, self.context, None)
        return [texts.text(row) for row in range(count)]

    # levels

    @cached_property
    def facets(self) -> tuple[Facet, ...]:
        """Its small charts, or the one."""
        depths = self.data.depths
        groups = self.data.inside(depths.panel, depths.host, self.host)
        titles = self._key_texts(self.chart.panels, depths.panel, groups)
        return tuple(self._panel(int(group), title) for group, title in zip(groups, titles, strict=True))

    def _panel(self, group: int, title: str) -> Facet:
        depths, rows = self.data.depths, self.data.sides.rows
        categories = self.data.inside(depths.category, depths.panel, group)
        marks = self.data.inside(depths.mark, depths.panel, group)
        if self.chart.mark.category_scale == "bin":  # what has no value is in none of its ranges
            categories = categories[rows.groups[depths.category - 1].keys.is_valid().to_numpy(False)[categories]]
            marks = marks[np.isin(marks, categories)]
        if depths.mark == depths.category:
            lane = np.arange(len(marks))
        else:
            lane = np.searchsorted(categories, self.data.around(depths.mark, depths.category)[marks])
        keys = pa.nulls(len(categories))
        if self.chart.category is not None:
            keys = rows.groups[depths.category - 1].keys.take(pa.array(categories))
        texts = partial(self._key_texts, self.chart.category, depths.category, categories)
        return Facet(title, categories, keys, texts, marks, lane)

    def _key_texts(self, level: ChartLevel | None, depth: int, groups: Ints) -> list[str]:
        if level is None:
            return [""] * len(groups)
        own = self.data.sides.rows.groups[depth - 1]
        if self.chart.mark.category_scale == "bin" and level is self.chart.category:
            return [str(key) for key in own.keys.take(pa.array(groups)).to_pylist()]
        pattern = self.key_pattern(level) or label_pattern(level.by, own.keys, True)
        key = ("chart keys", self.data, depth, pattern, self.context.locale)
        texts = self.context.cache.get(key, lambda: self._formatted(own.keys, pattern))
        return [own.labels.get(group) or texts[group] or "–" for group in groups.tolist()]

    def key_pattern(self, level: ChartLevel) -> str | None:
        """The pattern for the keys of a level."""
        columns = {c.name: c.format for c in self.context.report.query(self.query).columns}
        return level.format or columns.get(bare_column(level.by) or "")

    def _formatted(self, values: pa.Array, pattern: str | None) -> list[str]:
        try:
            found = format_values(values, pattern, self.context.locale)
        except ExpressionError as error:
            self.context.find("format", Place(block=self.origin.block), error.message)
            return [f"{FAULT_MARK} error"] * len(values)
        if isinstance(found, pa.DictionaryArray):
            texts = found.dictionary.to_pylist()
            return [texts[at] for at in found.indices.to_numpy().tolist()]
        return [text or "" for text in found.to_pylist()]

    @cached_property
    def series_texts(self) -> tuple[str, ...]:
        """What its series are called; one without a name where it has none."""
        if self.chart.series is None:
            return ("",)
        own = self.data.sides.columns.groups[0]
        texts = self._formatted(own.keys, self.key_pattern(self.chart.series))
        return tuple(own.labels.get(group) or text or "–" for group, text in enumerate(texts))

    @cached_property
    def series_measures(self) -> tuple[SeriesMeasure, ...]:
        """What it draws, measure by measure and series by series."""
        chart = self.chart
        found: list[SeriesMeasure] = []
        for number, measure in enumerate(chart.measures):
            title = self.text_of(measure.title) or measure.name
            for series, text in enumerate(self.series_texts):
                name = f"{text} · {title}" if text and len(chart.measures) > 1 else text or title
                color = self._color(measure, number, series)
                hatch = (len(found) % HATCHINGS + 1) * (
                    chart.patterns and len(self.series_texts) * len(chart.measures) > 1
                )
                found.append(SeriesMeasure(measure, series, name, color, hatch, chart.mark_of(measure)))
        return tuple(found)

    def _color(self, measure: ChartMeasure, number: int, series: int) -> str:
        if self.chart.series is None:
            return measure.color or color_of(number)
        own = self.data.sides.columns.groups[0]
        if series in own.labels:
            return OTHERS_COLOR
        color = color_of(self.context.colors.get((color_field(self.chart.series.by), str(own.key(series))), series))
        return mixed(color, "#FFFFFF", 0.45) if number % 2 and len(self.chart.measures) > 1 else color

    def category_color(self, panel: Facet, place: int) -> str:
        """The colour of a category, where those have colours."""
        assert self.chart.category is not None
        group = int(panel.categories[place])
        own = self.data.sides.rows.groups[self.data.depths.category - 1]
        if group in own.labels:
            return OTHERS_COLOR
        return color_of(self.context.colors.get((color_field(self.chart.category.by), str(own.key(group))), place))

    def mark_origin(self, row: int, series_measure: SeriesMeasure) -> SourceRef:
        """Where a mark comes from: the keys of its groups and of its series, and its measure."""
        depths, sides = self.data.depths, self.data.sides
        across = sides.columns.keys(depths.series, series_measure.series)
        keys = (*self.origin.keys, *map(plain_key, self.data.keys(row)))
        ordinal = row if depths.mark > depths.category else None
        return SourceRef(
            self.origin.block,
            "mark",
            self.origin.level,
            keys,
            ordinal,
            series_measure.measure.name,
            self.origin.number,
            tuple(map(plain_key, across)),
        )

    def mark_texts(self, row: int, series: int) -> Iterator[tuple[ChartLevel, str]]:
        """The groups that a mark is in, and what they are called."""
        depths = self.data.depths
        for level, depth in ((self.chart.panels, depths.panel), (self.chart.category, depths.category)):
            if level is not None:
                group = self.data.around(depths.mark, depth)[row]
                yield level, self._key_texts(level, depth, np.array([group]))[0]
        if self.chart.series is not None:
            yield self.chart.series, self.series_texts[series]

    @cached_property
    def faults(self) -> tuple[tuple[str, str], ...]:
        """What cannot be computed: which part of it, and why."""
        found: dict[str, str] = {}
        values: Mapping[Any, Computed] = self.data.crossings.values
        for want, computed in sorted(values.items(), key=lambda each: each[0]):
            if computed.fault is not None:
                found.setdefault(want.expression, computed.fault.message)
            elif computed.faults:
                found.setdefault(want.expression, next(iter(computed.faults.values())).message)
        return tuple(found.items())
