"""Random documents: columns, turned pages, frames, lists and replaced names, each held to what must always be so."""

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import pytest
from hypothesis import HealthCheck, Phase, given, settings
from hypothesis import strategies as st

from northmoor.core.authoring.find_replace import SearchTerm, find_occurrences, replace_occurrences
from northmoor.core.document import Document
from northmoor.core.layout.graphics.display_list import items
from northmoor.core.model.blocks.containers import FrameBlock, FrameItem
from northmoor.core.model.blocks.simple import BreakBlock, ContentsBlock, ShapeBlock, SpacerBlock
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.data.connections import Connections
from northmoor.core.model.pages import PageSetup
from northmoor.core.model.report import Report
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from tests.helpers import examples, report_of, table_of

RENDERED = settings(
    max_examples=examples(25),
    phases=[Phase.generate],
    deadline=None,
    suppress_health_check=[HealthCheck.function_scoped_fixture],
)
MARGIN = 56_693


@pytest.fixture
def session(tmp_path: Path) -> Session:
    """Renders reports that ask no data."""
    return Session(Library(tmp_path, Connections()))


def document_of(session: Session, blocks: list[Any], **more: Any) -> Document:
    return session.render(report_of(*blocks, queries=[], **more))


def texts(document: Document) -> Iterator[tuple[int, Any]]:
    """Every text with the index of its page, in painting order."""
    for index in range(len(document)):
        yield from ((index, item) for item in items(document.page(index)) if item.kind == "text")


PARAGRAPHS = st.lists(st.tuples(st.integers(1, 60), st.integers(0, 40_000)), min_size=1, max_size=25)


@RENDERED
@given(paragraphs=PARAGRAPHS, columns=st.integers(1, 4), gap=st.integers(0, 30_000))
def test_texts_flow_through_columns_in_order_and_stay_in_them(
    session: Session, paragraphs: list[tuple[int, int]], columns: int, gap: int
) -> None:
    words = [f"w{at}_{n}" for at, (count, _) in enumerate(paragraphs) for n in range(count)]
    blocks = [
        TextBlock(name=f"t{at}", text=" ".join(f"w{at}_{n}" for n in range(count)), space_after=space)
        for at, (count, space) in enumerate(paragraphs)
    ]
    page = PageSetup(size="A5", columns=columns, column_gap=gap, margin_bottom=150_000)
    document = document_of(session, blocks, page=page)
    width = (page.paper[0] - 2 * MARGIN - (columns - 1) * gap) // columns
    found: list[str] = []
    last = (-1, -1, -1)
    for index, item in texts(document):
        column = (item.x - MARGIN) // (width + gap)
        left = MARGIN + column * (width + gap)
        assert left <= item.x
        assert item.x + item.width <= left + width + 1
        assert item.y + item.height <= page.paper[1] - 150_000
        place = (index, column, item.y)
        assert place > last
        last = place
        found += str(item.text).split()
    assert found == words


STEPS = st.lists(st.sampled_from(["text", "portrait", "landscape", "any"]), min_size=1, max_size=14)


def stands_on(steps: list[str]) -> dict[str, tuple[int, str]]:
    """A plain reference: the page and the way it is turned that each text is on."""
    found: dict[str, tuple[int, str]] = {}
    page, used, way, is_begun = 0, False, "portrait", False
    for at, step in enumerate(steps):
        if step == "text":
            found[f"t{at}"] = (page, way)
            used = is_begun = True
        elif step in ("any", way):
            page, used, is_begun = page + used, False, True
        else:
            page, used, way, is_begun = page + is_begun, False, step, False
    return found


@RENDERED
@given(steps=STEPS)
def test_turned_pages_are_those_of_a_plain_reference(session: Session, steps: list[str]) -> None:
    blocks: list[Any] = []
    for at, step in enumerate(steps):
        turn = step if step in ("portrait", "landscape") else None
        blocks.append(
            TextBlock(name=f"t{at}", text=f"t{at}") if step == "text" else BreakBlock(name=f"b{at}", orientation=turn)
        )
    document = document_of(session, [*blocks, TextBlock(name="end", text="end")])
    pages = [document.page(index) for index in range(len(document))]
    ways = ["portrait" if page.width < page.height else "landscape" for page in pages]
    found = {item.text: (index, ways[index]) for index, item in texts(document) if item.text != "end"}
    assert found == stands_on(steps)


ITEMS = st.lists(
    st.tuples(st.integers(0, 300_000), st.integers(0, 150_000), st.integers(20_000, 150_000), st.integers(12_000, 90_000),
              st.integers(1, 40)), min_size=1, max_size=6)  # fmt: skip


@RENDERED
@given(places=ITEMS)
def test_a_frame_that_cuts_draws_nothing_outside_its_items(session: Session, places: list[tuple[int, ...]]) -> None:
    made = tuple(
        FrameItem(x=x, y=y, width=width, height=height, blocks=(
            TextBlock(name=f"t{at}", text=" ".join(["word"] * words)), ShapeBlock(name=f"s{at}", height=8_000),
        ))
        for at, (x, y, width, height, words) in enumerate(places)
    )  # fmt: skip
    frame = FrameBlock(name="frame", height=200_000, when_full="cut", items=made)
    document = document_of(session, [frame, TextBlock(name="below", text="below")])
    for item in items(document.page(0)):
        if item.origin.block in ("frame", "below"):
            continue
        x, y, width, height, _ = places[int(item.origin.block[1:])]
        room = min(height, 200_000 - y)
        assert MARGIN + x <= item.x
        assert item.x + item.width <= MARGIN + x + max(width, 1_000)
        assert MARGIN + y <= item.y
        if item.y + item.height > MARGIN + y + room:  # one line of text is always printed, however little room it has
            assert item.kind == "text"
            assert item.y <= MARGIN + y + 2_000
    (below,) = [item for item in items(document.page(0)) if item.origin.block == "below"]
    assert below.y == MARGIN + 200_000 + 2_000


@RENDERED
@given(
    heights=st.lists(st.tuples(st.integers(0, 500_000), st.integers(1, 3)), min_size=1, max_size=60),
    first=st.booleans(),
)
def test_listed_numbers_are_those_of_the_pages_that_headings_are_on(
    session: Session, heights: list[tuple[int, int]], first: bool
) -> None:
    blocks: list[Any] = []
    for at, (height, step) in enumerate(heights):
        blocks += [TextBlock(name=f"h{at}", text=f"Heading-{at}", listed="contents", heading=step),
                   SpacerBlock(name=f"s{at}", height=height)]  # fmt: skip
    contents = ContentsBlock(name="list", leader="none")
    document = document_of(session, [contents, *blocks] if first else [*blocks, contents])
    stands = {item.text: index + 1 for index, item in texts(document) if item.origin.block != "list"}
    listed = [item.text for _, item in texts(document) if item.origin.block == "list"]
    assert listed[::2] == [f"Heading-{at}" for at in range(len(heights))]
    assert dict(zip(listed[::2], map(int, listed[1::2]), strict=True)) == stands


NAMES = st.sampled_from(["fare", "sum", "route", "fare_2", "max"])
PARTS: dict[str, Callable[[str], str]] = {
    "bare": lambda name: name, "summed": lambda name: f"sum({name})", "qualified": lambda name: f"max(rows.{name})",
    "other": lambda name: f"min(others.{name})", "value": lambda name: f":{name}", "quoted": lambda name: f"'{name}'",
    "called": lambda name: f"{name}(1)",
}  # fmt: skip


@given(parts=st.lists(st.tuples(st.sampled_from(sorted(PARTS)), NAMES), min_size=1, max_size=6))
def test_a_field_is_replaced_where_it_is_meant_and_back_again(parts: list[tuple[str, str]]) -> None:
    def report(name: Callable[[str, str], str]) -> Report:
        value = " + ".join(PARTS[part](name(part, field)) for part, field in parts)
        return report_of(table_of("fare").but(keep_rows=value))

    before = report(lambda _, field: field)
    wanted = SearchTerm("fare", is_field=True, query="rows")
    meant = ("bare", "summed", "qualified")
    table = report(lambda part, field: "charge" if field == "fare" and part in meant else field).editions[0].blocks[0]
    changed = replace_occurrences(before, wanted, "charge", find_occurrences(before, wanted))
    assert changed.editions[0].blocks[0].keep_rows == table.keep_rows  # type: ignore[union-attr]  # it is a table
    back = SearchTerm("charge", is_field=True, query="rows")
    assert replace_occurrences(changed, back, "fare", find_occurrences(changed, back)) == before
