"""Charts of a spreadsheet's own, over their figures on a sheet at the end, where it has the kind; else pictures."""

from typing import Any

import numpy as np
from xlsxwriter.worksheet import Worksheet

from northmoor.core.compute.chart.evaluation import mark_texts
from northmoor.core.layout.chart.facets import ChartView
from northmoor.core.output.spreadsheet.sheet import Book

_KINDS = {"columns": "column", "bars": "bar", "lines": "line", "areas": "area", "shares": "pie"}
_STACKS = {"none": None, "values": "stacked", "shares": "percent_stacked"}
_MOST_CATEGORIES = 32_000
"""A series of more is a picture: programs take no more (ECMA-376 sets none)."""
FIGURES = "Figures of charts"


class ChartSheet:
    """The sheet with the figures of a workbook's charts."""

    def __init__(self, book: Book) -> None:
        self._book = book
        self._sheet: Worksheet | None = None
        self._row = 0

    def chart(self, view: ChartView) -> Any | None:
        """A chart over its figures, which are written; None for a kind that spreadsheets do not have."""
        kind = _KINDS.get(view.chart.draw)
        if kind is None or len(view.facets) != 1 or any(s.mark is not view.chart.mark for s in view.series_measures):
            return None
        (facet,) = view.facets
        is_even = len(facet.rows) == len(facet.categories) > 0
        if (
            not is_even
            or len(facet.categories) > _MOST_CATEGORIES
            or len({s.measure.axis for s in view.series_measures}) > 1
        ):
            return None
        subtype = _STACKS[view.chart.stack] if kind not in ("pie", "line") else None
        options = {"type": "doughnut" if kind == "pie" and view.chart.hole else kind}
        chart = self._book.workbook.add_chart(options | ({"subtype": subtype} if subtype else {}))
        self._series(chart, view)
        title = view.text_of(view.chart.title)
        chart.set_title({"name": title, "name_font": {"size": 10}} if title else {"none": True})
        if len(view.series_measures) == 1 and kind != "pie":
            chart.set_legend({"none": True})
        if kind == "bar":
            chart.set_y_axis({"reverse": True})
        return chart

    def _series(self, chart: Any, view: ChartView) -> None:
        """Write the figures and give them to a chart."""
        sheet = self._figures()
        (facet,) = view.facets
        first, last = self._row + 1, self._row + len(facet.categories)
        for at, text in enumerate(facet.texts):
            sheet.write_string(first + at, 0, text)
        for column, series in enumerate(view.series_measures, 1):
            sheet.write_string(self._row, column, series.name)
            numbers = view.values_of(facet, series, mark_texts(view.chart, series.measure)[0])
            for at, number in zip(facet.lane.tolist(), numbers.tolist(), strict=True):
                if np.isfinite(number):
                    sheet.write_number(first + at, column, number)
            own: dict[str, Any] = {
                "name": [sheet.name, self._row, column],
                "categories": [sheet.name, first, 0, last, 0],
                "values": [sheet.name, first, column, last, column],
            }
            color = {"color": series.color}
            if view.chart.draw == "shares":
                own["points"] = [
                    {"fill": {"color": view.category_color(facet, at)}} for at in range(len(facet.categories))
                ]
            else:
                own |= {"line": color | {"width": 1.5}} if view.chart.draw == "lines" else {"fill": color}
            chart.add_series(own)
        self._row = last + 2

    def _figures(self) -> Worksheet:
        if self._sheet is None:
            self._sheet = self._book.sheet(FIGURES)
        return self._sheet
