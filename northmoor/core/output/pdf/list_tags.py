"""The elements of a list in a tagged PDF: lists in items of lists, from page to page."""

from msgspec import Struct, field

from northmoor.core.output.pdf.file_structure import PdfFile, reference


class TaggedItem(Struct, eq=False):
    """An item of a list, or the rest of one that began on the page before: its depth, and the contents of its marker,
    if it has one, and of its text, by their numbers on the page."""

    depth: int
    goes_on: bool
    marker: int | None = None
    content: int | None = None


class _Node(Struct, eq=False):
    """An element that is not yet written."""

    number: int
    kind: bytes
    parent: int
    kids: list[bytes] = field(default_factory=list)


class ListElements:
    """Writes the elements of one list; what is open may get more items from the next page."""

    def __init__(self, file: PdfFile, parent: int) -> None:
        self._file = file
        self._lists = [_Node(file.number(), b"L", parent)]
        self._items: list[_Node] = []
        self._bodies: list[_Node | None] = []
        """The open list, and its last item with its body, of each depth."""
        self.number = self._lists[0].number

    def add(self, item: TaggedItem, marker: bytes | None, content: bytes | None) -> tuple[int, int]:
        """Add an item, with its contents as kids of elements; the numbers of the elements that they are in."""
        if not item.goes_on or not self._items:
            self._begin_item(item.depth)
        label = 0
        if marker is not None:
            label = self._file.add(b"<</S/Lbl/P %b/K[%b]>>" % (reference(self._items[-1].number), marker))
            self._items[-1].kids.append(reference(label))
        return label, self.add_content(content) if content is not None else 0

    def add_content(self, kid: bytes) -> int:
        """Add to the text of the last item; the number of its element."""
        body = self._body()
        body.kids.append(kid)
        return body.number

    def write(self) -> None:
        """Write all that is open: the list is at its end."""
        self._close_to(0)
        self._write(self._lists.pop())

    def _begin_item(self, depth: int) -> None:
        self._close_to(depth)
        while len(self._items) < depth:  # a list that begins within one: items without a text hold it
            self._open_item()
            self._open_list()
        if len(self._lists) <= depth:
            self._open_list()
        self._open_item()

    def _open_item(self) -> None:
        around = self._lists[-1]
        item = _Node(self._file.number(), b"LI", around.number)
        around.kids.append(reference(item.number))
        self._items.append(item)
        self._bodies.append(None)

    def _open_list(self) -> None:
        body = self._body()
        inner = _Node(self._file.number(), b"L", body.number)
        body.kids.append(reference(inner.number))
        self._lists.append(inner)

    def _body(self) -> _Node:
        """The body of the last item."""
        found = self._bodies[-1]
        if found is None:
            item = self._items[-1]
            found = self._bodies[-1] = _Node(self._file.number(), b"LBody", item.number)
            item.kids.append(reference(found.number))
        return found

    def _close_to(self, depth: int) -> None:
        """Write the items from a depth on, with the lists in them."""
        while len(self._items) > depth:
            if len(self._lists) > len(self._items):
                self._write(self._lists.pop())
            item, body = self._items.pop(), self._bodies.pop()
            for node in (body, item):
                if node is not None:
                    self._write(node)
        while len(self._lists) > depth + 1:
            self._write(self._lists.pop())

    def _write(self, node: _Node) -> None:
        kids = b" ".join(node.kids)
        self._file.add(b"<</S/%b/P %b/K[%b]>>" % (node.kind, reference(node.parent), kids), node.number)
