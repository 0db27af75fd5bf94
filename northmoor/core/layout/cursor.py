"""Where the next block begins: the page, or column or label, and what is used of it; and what stands there so far."""

from northmoor.core.layout.paginate import Body
from northmoor.core.layout.parts import FixedPart, TableRun
from northmoor.core.layout.placed import Begun, Entry, Placed, Stand
from northmoor.core.layout.shelf import Room


class Cursor:
    """Goes down the pages of a room, and notes what is placed."""

    def __init__(self, room: Room) -> None:
        self.room = room
        self.placed = Placed()
        self.page = 0
        self.used = 0
        self._bottom = 0
        self._count = 0
        """How many parts have been placed."""
        self._awaited: list[Entry | Begun] = []
        """Entries of lists and records for what is placed next, which may be on the next page."""

    @property
    def height(self) -> int:
        """How much is used, without the space after the last block."""
        return self._bottom

    @property
    def index(self) -> int:
        """The index of the page in the document."""
        return self.room.first + self.page // self.room.areas

    @property
    def body(self) -> Body:
        """The room that is left for rows, on this page and those after it."""
        areas = self.room.areas
        return Body(self.room.height, self.used, self.index + 1, self.page % areas, areas)

    @property
    def stand(self) -> Stand:
        """Where it stands."""
        return Stand(self.page, self.used, self._bottom, tuple(self._awaited))

    def begin_at(self, stand: Stand) -> None:
        """Go to where another one stood."""
        self.page, self.used, self._bottom = stand.page, stand.used, stand.bottom
        self._awaited = [*stand.awaited]

    def _make_room(self, height: int) -> None:
        if self.used and self.used + height > self.room.height:
            self._next_area()

    def _go_on(self, in_column: bool) -> None:
        if in_column:
            self._next_area()
        else:
            self._next_page()

    def _next_area(self) -> None:
        """Go on in the next column or label, or on the next page."""
        if self.used and not self.room.is_endless:
            self.page, self.used = self.page + 1, 0

    def _next_page(self) -> None:
        """Go on on the next page, unless nothing stands on this one."""
        areas = self.room.areas
        if (self.used or self.page % areas) and not self.room.is_endless:
            self.page, self.used = (self.page // areas + 1) * areas, 0

    def _go_to(self, page: int, used: int) -> None:
        self.page, self.used = page, used
        self.placed.pages = max(self.placed.pages, page + 1)

    def _mark(self, page: int, y: int) -> None:
        """Let the entries that wait lead to where something begins."""
        for each in self._awaited:
            if isinstance(each, Begun):
                self.placed.begun.append(Begun(each.name, each.record, page, y))
            else:
                self.placed.entries.append(Entry(page, y, each.title, each.depth, each.list))
        self._awaited.clear()

    def _add_run(self, run: TableRun) -> None:
        self._count += 1
        self.placed.add_run(run)

    def _add(self, part: FixedPart) -> None:
        self._mark(self.page, part.y)
        self._count += 1
        self.placed.lines.setdefault(self.page, []).append(part)
        self.placed.blocks.setdefault(part.name, (self.page, part.y))
        self.placed.pages = max(self.placed.pages, self.page + 1)
