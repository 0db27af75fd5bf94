"""A chart as it is drawn: its panels with their categories, and its stripes, which a legend tells apart."""

from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

import numpy as np
import pyarrow as pa

from northmoor.core.compute.cells import Computed
from northmoor.core.compute.chart import mark_texts
from northmoor.core.compute.chartdata import ArrangedChart, Floats, as_numbers
from northmoor.core.compute.crossed import Crossing
from northmoor.core.compute.groups import Ints
from northmoor.core.errors import ExpressionError, Place
from northmoor.core.expr.formats import format_values
from northmoor.core.expr.language import bare_column, columns_in
from northmoor.core.expr.templates import parse_template
from northmoor.core.layout.celltext import template_texts, whole_fault
from northmoor.core.layout.context import FAULT_MARK, Setting
from northmoor.core.layout.display import Origin
from northmoor.core.layout.hatching import HATCHINGS
from northmoor.core.layout.palette import OTHERS_COLOR, color_of, field_of, mixed
from northmoor.core.layout.scales import Scale
from northmoor.core.model.charts import Chart, ChartLevel, ChartMeasure
from northmoor.core.model.links import is_sound


@dataclass(frozen=True, eq=False)
class Stripe:
    """A measure of a series: what is drawn in one way and has an entry in the legend."""

    measure: ChartMeasure
    series: int
    name: str
    color: str
    hatch: int
    draw: str


@dataclass(frozen=True, eq=False)
class Panel:
    """A small chart: its title, its categories (their keys and texts), and its marks' numbers, each with the place of
    its category among those."""

    title: str
    categories: Ints
    keys: pa.Array
    texts: tuple[str, ...]
    rows: Ints
    lane: Ints

    @cached_property
    def numbers(self) -> Floats:
        """The keys of its categories as numbers, where they are numbers, dates or timestamps."""
        return as_numbers(self.keys)


@dataclass(eq=False)
class View:
    """A chart of one host, as it is drawn. `origin` is where all it draws comes from."""

    chart: Chart
    arranged: ArrangedChart
    query: str
    host: int
    origin: Origin
    setting: Setting

    def values(self, panel: Panel, text: str) -> Floats:
        """An expression's values of a panel: marks by series."""
        return self.arranged.numbers(self.arranged.depths.marks, text)[panel.rows]

    def of_stripe(self, panel: Panel, stripe: Stripe, text: str | None) -> Floats:
        """An expression's values of a panel for a stripe: one a mark; all missing for no expression."""
        if text is None:
            return np.full(len(panel.rows), np.nan)
        return self.values(panel, text)[:, stripe.series]

    def lists(self, panel: Panel, stripe: Stripe, text: str) -> list[Floats]:
        """The numbers in the lists of a stripe's marks; none where there is no list."""
        computed = self.arranged.computed(self.arranged.depths.marks, text).values
        width = self.arranged.sides.columns.size(self.arranged.depths.series)
        found = []
        for row in panel.rows.tolist():
            value = computed[row * width + stripe.series] if pa.types.is_list(computed.type) else None
            numbers = as_numbers(value.values) if value is not None and value.is_valid else np.zeros(0)
            found.append(numbers[np.isfinite(numbers)])
        return found

    def shown(self, panel: Panel, stripe: Stripe, text: str, pattern: str | None) -> list[str]:
        """An expression's values of a stripe as texts."""
        computed = self.arranged.computed(self.arranged.depths.marks, text)
        return self._formatted(computed.values.take(self._cells(panel, stripe)), pattern)

    def labels(self, panel: Panel, stripe: Stripe) -> list[str]:
        """What is written at the marks of a stripe."""
        if self.chart.label_text is None:
            value = mark_texts(self.chart, stripe.measure)[0]
            return self.shown(panel, stripe, value, stripe.measure.format or self.axis_pattern(stripe.measure))
        texts = self.of_marks(self.chart.label_text)
        return [texts[int(cell)] for cell in self._cells(panel, stripe).to_pylist()]

    def of_marks(self, template: str) -> list[str]:
        """A template over the rows of each mark: its text for every mark there is."""
        at = self.arranged.depths.marks
        return self._templated(template, at, int(np.prod(self.arranged.sides.shape(at))))

    def link_targets(self) -> list[str]:
        """What each mark opens; nothing where that is no address that a page may open."""
        texts = self.of_marks(self.chart.link or "")
        return [text if is_sound(text) else "" for text in texts]

    def cell(self, row: int, series: int) -> int:
        """The number of a mark among all."""
        return row * self.arranged.sides.columns.size(self.arranged.depths.series) + series

    def _cells(self, panel: Panel, stripe: Stripe) -> pa.Array:
        return pa.array(panel.rows * self.arranged.sides.columns.size(self.arranged.depths.series) + stripe.series)

    def axis_pattern(self, measure: ChartMeasure) -> str | None:
        """The pattern for values on a measure's axis; without one, that of the column it is or totals."""
        axis = self.chart.first if measure.axis == "first" else self.chart.second
        return axis.format or measure.format or self.column_pattern(measure.value)

    def column_pattern(self, text: str) -> str | None:
        """The pattern that the query's settings give to the one column of an expression."""
        columns = {c.name.lower(): c.format for c in self.setting.report.query(self.query).columns}
        used = columns_in(text)
        return columns.get(next(iter(used))) if len(used) == 1 and "count(" not in text.lower() else None

    @cached_property
    def piles(self) -> dict[tuple[int, str], list[tuple[Stripe, Floats, Floats]]]:
        """Where stripes begin and end, by the number of the panel and the axis, as far as that has been asked."""
        return {}

    @cached_property
    def extents(self) -> dict[str, Floats]:
        """The values that each axis has to hold, by its name, as far as that has been asked."""
        return {}

    @cached_property
    def scales(self) -> dict[tuple[str, int], Scale | None]:
        """The scale of each axis of values, by its name and length, as far as that has been asked."""
        return {}

    # texts over all rows of the host

    def said(self, template: str | None) -> str:
        """A template over all rows."""
        return self._templated(template, Crossing(self.arranged.depths.host, 0), 0)[self.host] if template else ""

    def number(self, text: str | None) -> float | None:
        """The number that an expression over all rows says; None where it says none."""
        if text is None:
            return None
        value = self.arranged.numbers(Crossing(self.arranged.depths.host, 0), text)[self.host, 0]
        return float(value) if np.isfinite(value) else None

    def _templated(self, text: str, at: Crossing, count: int) -> list[str]:
        key = ("chart texts", self.arranged, text, at, self.setting.customs)
        return self.setting.kept.get(key, lambda: self._templated_anew(text, at, count))

    def _templated_anew(self, text: str, at: Crossing, count: int) -> list[str]:
        count = count or self.arranged.sides.rows.size(at.rows)
        try:
            template = parse_template(text)
        except ExpressionError as error:
            return [str(whole_fault(1, error).text(0))] * count
        slots = {
            s.expression.text: self.arranged.computed(at, s.expression.text) for s in template if not isinstance(s, str)
        }
        texts = template_texts(template, slots, None, count, self.setting, None)
        return [texts.text(row) for row in range(count)]

    # levels

    @cached_property
    def panels(self) -> tuple[Panel, ...]:
        """Its small charts, or the one."""
        depths = self.arranged.depths
        groups = self.arranged.inside(depths.panel, depths.host, self.host)
        titles = self._key_texts(self.chart.panels, depths.panel, groups)
        return tuple(self._panel(int(group), title) for group, title in zip(groups, titles, strict=True))

    def _panel(self, group: int, title: str) -> Panel:
        depths, rows = self.arranged.depths, self.arranged.sides.rows
        categories = self.arranged.inside(depths.category, depths.panel, group)
        marks = self.arranged.inside(depths.mark, depths.panel, group)
        if self.chart.draw == "histogram":  # what has no value is in none of its ranges
            categories = categories[rows.groups[depths.category - 1].keys.is_valid().to_numpy(False)[categories]]
            marks = marks[np.isin(marks, categories)]
        if depths.mark == depths.category:
            lane = np.arange(len(marks))
        else:
            lane = np.searchsorted(categories, self.arranged.around(depths.mark, depths.category)[marks])
        keys = pa.nulls(len(categories))
        if self.chart.category is not None:
            keys = rows.groups[depths.category - 1].keys.take(pa.array(categories))
        texts = self._key_texts(self.chart.category, depths.category, categories)
        return Panel(title, categories, keys, tuple(texts), marks, lane)

    def _key_texts(self, level: ChartLevel | None, depth: int, groups: Ints) -> list[str]:
        if level is None:
            return [""] * len(groups)
        own = self.arranged.sides.rows.groups[depth - 1]
        if self.chart.draw == "histogram" and level is self.chart.category:
            return [str(key) for key in own.keys.take(pa.array(groups)).to_pylist()]
        pattern = self.key_pattern(level)
        key = ("chart keys", self.arranged, depth, pattern, self.setting.customs)
        texts = self.setting.kept.get(key, lambda: self._formatted(own.keys, pattern))
        return [own.words.get(group) or texts[group] or "–" for group in groups.tolist()]

    def key_pattern(self, level: ChartLevel) -> str | None:
        """The pattern for the keys of a level."""
        columns = {c.name: c.format for c in self.setting.report.query(self.query).columns}
        return level.format or columns.get(bare_column(level.by) or "")

    def _formatted(self, values: pa.Array, pattern: str | None) -> list[str]:
        try:
            found = format_values(values, pattern, self.setting.customs)
        except ExpressionError as error:
            self.setting.find("format", Place(block=self.origin.block), error.message)
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
        own = self.arranged.sides.columns.groups[0]
        texts = self._formatted(own.keys, self.key_pattern(self.chart.series))
        return tuple(own.words.get(group) or text or "–" for group, text in enumerate(texts))

    @cached_property
    def stripes(self) -> tuple[Stripe, ...]:
        """What it draws, measure by measure and series by series."""
        chart = self.chart
        found: list[Stripe] = []
        for number, measure in enumerate(chart.measures):
            title = self.said(measure.title) or measure.name
            for series, text in enumerate(self.series_texts):
                name = f"{text} · {title}" if text and len(chart.measures) > 1 else text or title
                color = self._color(measure, number, series)
                hatch = (len(found) % HATCHINGS + 1) * (
                    chart.patterns and len(self.series_texts) * len(chart.measures) > 1
                )
                found.append(Stripe(measure, series, name, color, hatch, measure.draw or chart.draw))
        return tuple(found)

    def _color(self, measure: ChartMeasure, number: int, series: int) -> str:
        if self.chart.series is None:
            return measure.color or color_of(number)
        own = self.arranged.sides.columns.groups[0]
        if series in own.words:
            return OTHERS_COLOR
        color = color_of(self.setting.colors.get((field_of(self.chart.series.by), str(own.key(series))), series))
        return mixed(color, "#FFFFFF", 0.45) if number % 2 and len(self.chart.measures) > 1 else color

    def category_color(self, panel: Panel, place: int) -> str:
        """The colour of a category, where those have colours."""
        assert self.chart.category is not None
        group = int(panel.categories[place])
        own = self.arranged.sides.rows.groups[self.arranged.depths.category - 1]
        if group in own.words:
            return OTHERS_COLOR
        return color_of(self.setting.colors.get((field_of(self.chart.category.by), str(own.key(group))), place))

    def mark_origin(self, row: int, stripe: Stripe) -> Origin:
        """Where a mark comes from: the keys of its groups and of its series, and its measure."""
        depths, sides = self.arranged.depths, self.arranged.sides
        across = sides.columns.keys(depths.series, stripe.series)
        keys = (*self.origin.keys, *map(plain, self.arranged.keys(row)))
        ordinal = row if depths.mark > depths.category else None
        return Origin(
            self.origin.block, "mark", self.origin.level, keys, ordinal, stripe.measure.name, self.origin.number,
            tuple(map(plain, across)),
        )  # fmt: skip

    def mark_texts(self, row: int, series: int) -> Iterator[tuple[ChartLevel, str]]:
        """The groups that a mark is in, and what they are called."""
        depths = self.arranged.depths
        for level, depth in ((self.chart.panels, depths.panel), (self.chart.category, depths.category)):
            if level is not None:
                group = self.arranged.around(depths.mark, depth)[row]
                yield level, self._key_texts(level, depth, np.array([group]))[0]
        if self.chart.series is not None:
            yield self.chart.series, self.series_texts[series]

    @cached_property
    def faults(self) -> tuple[tuple[str, str], ...]:
        """What cannot be computed: which part of it, and why."""
        found: dict[str, str] = {}
        values: Mapping[Any, Computed] = self.arranged.crossings.values
        for want, computed in sorted(values.items(), key=lambda each: each[0]):
            if computed.fault is not None:
                found.setdefault(want.expression, computed.fault.message)
            elif computed.faults:
                found.setdefault(want.expression, next(iter(computed.faults.values())).message)
        return tuple(found.items())


def plain(key: Any) -> Any:
    """A key as an origin holds it."""
    return key if isinstance(key, str | int | float | bool) or key is None else str(key)
