"""What a chart shows, in words and as rows: for those who do not see it, and for programs that calculate with it."""

from collections.abc import Iterator

import numpy as np
from msgspec import Struct

from northmoor.core.compute.chart.evaluation import mark_texts
from northmoor.core.expr.language import bare_column
from northmoor.core.layout.chart.facets import ChartView, Facet, SeriesMeasure

MOST_FIGURES = 2_000
"""Charts of more marks than these give their extremes only: nobody reads them one by one."""


class ChartFigures(Struct, frozen=True):
    """The figures of a chart: titles of columns, and rows of texts. None are given where there are too many."""

    titles: tuple[str, ...]
    rows: tuple[tuple[str, ...], ...]


def chart_words(view: ChartView) -> str:
    """What a chart shows, in a sentence or two: its own words if it has some, else its kind, title, axes, and the
    least and greatest value of each series."""
    own = view.text_of(view.chart.description)
    if own:
        return own
    title = view.text_of(view.chart.title)
    kind = view.chart.mark.label.lower()
    begin = f"{title}: a chart of {kind}" if title else f"A chart of {kind}"
    ranges = [words for series in view.series_measures for words in _extremes(view, series)]
    along = _along(view)
    return ". ".join([f"{begin}{along}", *ranges]) + "."


def chart_figures(view: ChartView) -> ChartFigures | None:
    """The figures of a chart; None for one of too many marks."""
    marks = sum(len(facet.rows) for facet in view.facets) * max(len(view.series_measures), 1)
    if marks > MOST_FIGURES or not view.series_measures:
        return None
    has_panels = any(facet.title for facet in view.facets)
    names = tuple(series.name for series in view.series_measures)
    category = view.chart.category
    first = (category.name if category is not None else "",)
    titles = (*(("",) if has_panels else ()), *first, *names)
    rows = []
    for facet in view.facets:
        for row in _facet_rows(view, facet):
            rows.append((facet.title, *row) if has_panels else row)
    return ChartFigures(titles, tuple(rows))


def _facet_rows(view: ChartView, facet: Facet) -> Iterator[tuple[str, ...]]:
    columns = [_shown(view, facet, series) for series in view.series_measures]
    for at, lane in enumerate(facet.lane.tolist()):
        yield (facet.texts[lane] if facet.texts else "", *(column[at] for column in columns))


def _shown(view: ChartView, facet: Facet, series: SeriesMeasure) -> list[str]:
    value = mark_texts(view.chart, series.measure)[0]
    return view.shown(facet, series, value, series.measure.format or view.axis_pattern(series.measure))


def _along(view: ChartView) -> str:
    """From which category to which it goes."""
    texts = [text for facet in view.facets for text in facet.texts if text]
    if len(texts) < 2 or view.chart.category is None:
        return ""
    along = view.text_of(view.chart.across.title) or bare_column(view.chart.category.by)
    return f", {len(set(texts)):,}{f' along {along}' if along else ''} from {texts[0]} to {texts[-1]}"


def _extremes(view: ChartView, series: SeriesMeasure) -> Iterator[str]:
    """The least and the greatest value of a series, with where they are."""
    value = mark_texts(view.chart, series.measure)[0]
    found: list[tuple[float, str, str]] = []
    for facet in view.facets:
        numbers = view.values_of(facet, series, value)
        sound = np.flatnonzero(np.isfinite(numbers))
        if not len(sound):
            continue
        texts = _shown(view, facet, series)
        for at in {int(sound[numbers[sound].argmin()]), int(sound[numbers[sound].argmax()])}:
            where = " ".join(filter(None, (facet.title, facet.texts[facet.lane[at]] if facet.texts else "")))
            found.append((float(numbers[at]), texts[at], where))
    if found:
        (_, low, low_at), (_, high, high_at) = min(found), max(found)
        name = series.name or "values"
        yield f"{name} from {low}{_at(low_at)} to {high}{_at(high_at)}" if low != high else f"{name} {low}"


def _at(where: str) -> str:
    return f" ({where})" if where else ""
