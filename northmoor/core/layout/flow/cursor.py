"""Where the next block begins: the page, or column or label, and what is used of it; and what is there so far."""

from northmoor.core.base.replace import replace
from northmoor.core.layout.flow.fragments import FixedPart, TableFragments
from northmoor.core.layout.flow.layout_pass import Region
from northmoor.core.layout.flow.placement import CursorState, OutlineEntry, Placement, RecordStart
from northmoor.core.layout.table.pagination import Body


class Cursor:
    """Goes down the pages of a room, and notes what is placed."""

    def __init__(self, room: Region) -> None:
        self.region = room
        self.placement = Placement()
        self.page = 0
        self.used = 0
        self._bottom = 0
        self.count = 0
        """How many parts have been placed."""
        self.awaited: list[OutlineEntry | RecordStart] = []
        """Entries of lists and records for what is placed next, which may be on the next page."""

    @property
    def height(self) -> int:
        """How much is used, without the space after the last block."""
        return self._bottom

    @property
    def index(self) -> int:
        """The index of the page in the document."""
        return self.region.first + self.page // self.region.areas

    @property
    def body(self) -> Body:
        """The room that is left for rows, on this page and those after it."""
        areas = self.region.areas
        return Body(self.region.height, self.used, self.index + 1, self.page % areas, areas)

    @property
    def state(self) -> CursorState:
        """Where it is."""
        return CursorState(self.page, self.used, self._bottom, tuple(self.awaited))

    def restore(self, state: CursorState) -> None:
        """Go to where another one is."""
        self.page, self.used, self._bottom = state.page, state.used, state.bottom
        self.awaited = [*state.awaited]

    def reserve(self, height: int) -> None:
        if self.used and self.used + height > self.region.height:
            self._next_area()

    def advance(self, in_column: bool) -> None:
        if in_column:
            self._next_area()
        else:
            self._next_page()

    def _next_area(self) -> None:
        """Go on in the next column or label, or on the next page."""
        if self.used and not self.region.is_endless:
            self.page, self.used = self.page + 1, 0

    def _next_page(self) -> None:
        """Go on on the next page, unless nothing is on this one."""
        areas = self.region.areas
        if (self.used or self.page % areas) and not self.region.is_endless:
            self.page, self.used = (self.page // areas + 1) * areas, 0

    def go_to(self, page: int, used: int) -> None:
        self.page, self.used = page, used
        self.placement.pages = max(self.placement.pages, page + 1)

    def resolve_awaited(self, page: int, y: int) -> None:
        """Let the entries that wait lead to where something begins."""
        for each in self.awaited:
            if isinstance(each, RecordStart):
                self.placement.record_starts.append(replace(each, page=page, y=y))
            else:
                self.placement.entries.append(OutlineEntry(page, y, each.title, each.depth, each.list))
        self.awaited.clear()

    def add_run(self, run: TableFragments) -> None:
        self.count += 1
        self.placement.add_run(run)

    def add(self, part: FixedPart, page: int | None = None) -> None:
        """Place a part on this page or another."""
        page = self.page if page is None else page
        self.resolve_awaited(page, part.y)
        self.count += 1
        self.placement.lines.setdefault(page, []).append(part)
        self.placement.blocks.setdefault(part.name, (page, part.y))
        self.placement.pages = max(self.placement.pages, page + 1)
