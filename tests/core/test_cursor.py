"""Where the next block begins: down the areas of pages, against a plain model; and what waits for what comes next."""

from hypothesis import given, settings
from hypothesis import strategies as st
from msgspec import Struct

from northmoor.core.layout.flow.cursor import Cursor
from northmoor.core.layout.flow.layout_pass import ENDLESS, Region
from northmoor.core.layout.flow.placement import OutlineEntry, RecordStart
from tests.helpers import examples

HEIGHT = 100
STEPS = st.lists(st.tuples(st.sampled_from(["reserve", "column", "page"]), st.integers(0, 130)), max_size=25)


class Plain(Struct):
    """The same in plain words: an area, and how much of it is used."""

    areas: int
    area: int = 0
    used: int = 0

    def step(self, kind: str, height: int) -> None:
        is_full = self.used > 0 and self.used + height > HEIGHT
        if (kind == "reserve" and is_full) or (kind == "column" and self.used):
            self.area, self.used = self.area + 1, 0
        elif kind == "page" and (self.used or self.area % self.areas):
            self.area, self.used = self.area + self.areas - self.area % self.areas, 0


@settings(max_examples=examples(100))
@given(STEPS, st.integers(1, 3), st.integers(0, 5))
def test_areas_and_pages_follow_one_another(steps: list[tuple[str, int]], areas: int, first: int) -> None:
    cursor, plain = Cursor(Region(0, 500, HEIGHT, areas, first)), Plain(areas)
    for kind, height in steps:
        cursor.reserve(height) if kind == "reserve" else cursor.advance(kind == "column")
        plain.step(kind, height)
        assert (cursor.page, cursor.used) == (plain.area, plain.used)
        assert cursor.index == first + plain.area // areas
        body = cursor.body
        assert (body.height, body.used, body.number, body.area) == (
            HEIGHT, plain.used, cursor.index + 1, plain.area % areas,
        )  # fmt: skip
        plain.used = min(plain.used + height, HEIGHT)
        cursor.go_to(cursor.page, plain.used)
        assert cursor.placement.pages > cursor.page


def test_what_has_no_pages_goes_on_for_ever() -> None:
    cursor = Cursor(Region(0, 500, ENDLESS))
    cursor.go_to(0, 5 * HEIGHT)
    cursor.advance(in_column=True)
    cursor.advance(in_column=False)
    assert (cursor.page, cursor.used) == (0, 5 * HEIGHT)


def test_entries_wait_for_what_comes_next_and_a_state_is_gone_back_to() -> None:
    cursor = Cursor(Region(0, 500, HEIGHT))
    cursor.go_to(2, 40)
    cursor.awaited = [OutlineEntry(0, 0, "Fares", 1), RecordStart("each", 7)]
    before = cursor.state
    cursor.resolve_awaited(3, 12)
    assert cursor.placement.entries == [OutlineEntry(3, 12, "Fares", 1)]
    assert [(start.record, start.page, start.y) for start in cursor.placement.record_starts] == [(7, 3, 12)]
    assert cursor.awaited == []
    cursor.go_to(5, 90)
    cursor.restore(before)
    assert (cursor.page, cursor.used, len(cursor.awaited)) == (2, 40, 2)
    assert cursor.state == before
