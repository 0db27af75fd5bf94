"""Two changes of one report as one: nothing of either is lost, and what contradicts is reported."""

from collections.abc import Callable

import pytest
from hypothesis import given
from hypothesis import strategies as st

from northmoor.core.model import edits
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.merging import merge_reports
from northmoor.core.model.report import Report
from northmoor.core.model.serialization import report_text
from northmoor.demo.reports.fares_by_route import fares_by_route

TABLE = ("full", "fares-table")
BASE = fares_by_route()
EDITS: dict[str, Callable[[Report], Report]] = {
    "title": lambda r: r.but(title="Fares"),
    "a query": lambda r: edits.change_query(r, "fares", sql="select 1 as fares"),
    "a column's title": lambda r: edits.change_column(r, *TABLE, "tickets", title="Sold"),
    "another column's width": lambda r: edits.change_column(r, *TABLE, "fares", width=90_000),
    "a column less": lambda r: edits.remove_column(r, *TABLE, "sailings"),
    "a block more": lambda r: edits.insert_blocks(
        r, "full", [TextBlock(name="note", text="New")], edits.Target("title")
    ),
    "a block moved": lambda r: edits.move_block(r, "full", "fares-table", -1),
    "a style": lambda r: edits.change_style(r, "total", bold=False),
    "paper": lambda r: edits.change_edition(r, "full", page=r.edition("full").page.but(orientation="landscape")),
}


@given(st.sets(st.sampled_from(sorted(EDITS))), st.sets(st.sampled_from(sorted(EDITS))))
def test_what_either_changed_is_in_the_whole(mine: set[str], theirs: set[str]) -> None:
    def changed(names: set[str]) -> Report:
        report = BASE
        for name in sorted(names):
            report = EDITS[name](report)
        return report

    merged, conflicts = merge_reports(BASE, changed(mine), changed(theirs))
    assert conflicts == ()
    assert report_text(merged) == report_text(changed(mine | theirs))


def test_what_both_changed_is_reported_and_mine_is_kept() -> None:
    mine = edits.change_column(BASE, *TABLE, "fares", title="Mine")
    theirs = edits.change_column(BASE.but(title="Theirs"), *TABLE, "fares", title="Theirs")
    merged, (conflict,) = merge_reports(BASE, mine, theirs)
    assert merged == mine.but(title="Theirs")
    assert conflict.place == "editions, full, blocks, fares-table, columns, fares, title"
    assert (conflict.mine, conflict.theirs) == ("Mine", "Theirs")


@pytest.mark.parametrize("is_mine", [True, False])
def test_what_one_took_away_and_the_other_changed_stays_and_is_reported(is_mine: bool) -> None:
    gone = edits.remove_blocks(BASE, "full", ["fares-table"])
    changed = edits.change_column(BASE, *TABLE, "fares", title="Changed")
    pair = (gone, changed) if is_mine else (changed, gone)
    merged, conflicts = merge_reports(BASE, *pair)
    assert edits.table_of(merged, *TABLE) == edits.table_of(changed, *TABLE)
    assert [conflict.place for conflict in conflicts] == ["editions, full, blocks, fares-table"]


def test_changes_that_do_not_go_together_leave_mine() -> None:
    note = TextBlock(name="note", text="One")
    mine = edits.insert_blocks(BASE, "full", [note], edits.Target("fares-table"))
    theirs = edits.insert_blocks(BASE, "full", [note.but(text="Another")], edits.Target("fares-table"))
    merged, (conflict,) = merge_reports(BASE, mine, theirs)
    assert merged == mine
    assert conflict.place == "editions, full, blocks, note, text" or conflict.place == "editions, full, blocks, note"
