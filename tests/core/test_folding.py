"""Folding: what is folded shows its headings and totals, the rest stays, and figures do not change."""

from collections.abc import Callable
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.document import Document
from northmoor.core.layout.page.hit_testing import hit_map
from northmoor.core.layout.table.collapsing import Fold
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.report import Report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from tests.core.test_levels import SALES
from tests.core.test_trees import CENTRES, tree
from tests.helpers import examples, level_of, lines_of, report_of, row_of, table_of

MakeLibrary = Callable[[str], Library]


def report(**more: Any) -> Report:
    inner = level_of("month", heading=row_of(route="{month}"), total=row_of(v="sum(v)"))
    outer = level_of("route", heading=row_of(route="{route}"), total=row_of(v="sum(v)"))
    table = table_of(
        "route", "v", levels=(outer, inner), total=row_of(v="sum(v)"), page_total=row_of(v="count(*)"), **more
    )
    return report_of(table, page=PageSetup(size="A5"))


def shown(made: Report, library: Library, **folds: Fold) -> Document:
    session = Session(library)
    return session.render_resolved(session.resolve_parameters(made), None, CancelToken(), folds=folds)


def kinds(document: Document) -> set[tuple[str, str | None]]:
    return {(line.kind, line.level) for line in lines_of(document) if line.kind != "head"}


def test_a_level_folded_as_a_whole_shows_its_totals_only(library: MakeLibrary) -> None:
    made = library(SALES)
    whole, by_month, by_route = (shown(report(), made, table=Fold(level)) for level in (None, 2, 1))
    assert ("detail", None) in kinds(whole)
    rest = {("heading", "route"), ("total", "route"), ("total", None), ("total", "page")}
    assert kinds(by_month) == {*rest, ("heading", "month"), ("total", "month")}
    assert kinds(by_route) == rest
    totals = [
        [(li.level, li.keys, li.cells["v"]) for li in lines_of(d) if li.kind == "total" and li.level != "page"]
        for d in (whole, by_route)
    ]
    assert [t for t in totals[0] if t[0] != "month"] == totals[1]
    counted = [sum(int(li.cells["v"]) for li in lines_of(d) if li.level == "page") for d in (whole, by_month, by_route)]
    assert counted == [240, 240, 240]


@settings(max_examples=examples(20))
@given(
    groups=st.frozensets(st.tuples(st.integers(0, 7), st.integers(0, 6)), max_size=6),
    level=st.sampled_from([None, 1, 2]),
)
def test_single_groups_fold_and_open(
    library: MakeLibrary, groups: frozenset[tuple[int, int]], level: int | None
) -> None:
    """A month of 0 represents the route as a whole."""
    named = frozenset((2 if m else 1, (f"r{r}", m) if m else (f"r{r}",)) for r, m in groups)
    document = shown(report(), library(SALES), table=Fold(level, named))

    def is_folded(number: int, keys: tuple[Any, ...]) -> bool:
        return (level == number) != ((number, keys) in named)

    lines = lines_of(document)
    for r in (f"r{n}" for n in range(8)):
        months = {line.keys[1] for line in lines if line.level == "month" and line.keys[0] == r}
        assert months == (set() if is_folded(1, (r,)) else {1 + i % 6 for i in range(240) if f"r{i * 7 % 8}" == r})
        for month in months:
            details = [line for line in lines if line.kind == "detail" and line.keys == (r, month)]
            assert bool(details) != is_folded(2, (r, month))
    brackets = {
        (b.depth + 1, b.keys): b.is_folded
        for p in range(len(document))
        for b in hit_map(document.composition, p).brackets
    }
    assert all(folded == is_folded(*place) for place, folded in brackets.items())


def test_a_table_is_printed_folded_when_set(library: MakeLibrary) -> None:
    made = library(SALES)
    assert kinds(Session(made).render(report(folded="month"))) == kinds(shown(report(), made, table=Fold(2)))
    with pytest.raises(ValueError, match="which it does not have"):
        report(folded="week")


def test_a_tree_folds_with_all_that_lies_in_it(library: MakeLibrary) -> None:
    table = table_of("v", levels=(tree(order_by="name", heading=row_of(v="{name}"), total=row_of(v="sum(v)")),))
    document = shown(report_of(table), library(CENTRES), table=Fold(None, frozenset({(1, (3,))})))
    found = [(line.kind[0], " ".join(line.cells.values())) for line in lines_of(document)[1:]]
    assert found[:8] == [
        ("h", "Ferries"), ("d", "1"), ("h", "Crew"), ("d", "20"), ("t", "20"), ("h", "Fuel"), ("t", "434"), ("t", "455"),
    ]  # fmt: skip
