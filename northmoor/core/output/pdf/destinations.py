"""Where links of a PDF lead: destinations, their names, and the annotations of links."""

from northmoor.core.layout.graphics.display_list import Item, Page
from northmoor.core.model.links import place_named
from northmoor.core.output.pdf.file_structure import PdfFile, dictionary, listed, points, reference, string


class NamedDestinations:
    """The tree of names (ISO 32000-1, 7.9.6): where links within the document lead."""

    def __init__(self) -> None:
        self.of_names: dict[bytes, bytes] = {}

    def add(self, page: Page, number: int) -> None:
        """Add the names on a page."""
        for anchor in page.anchors:
            self.of_names[anchor.name.encode()] = destination(page, number, anchor.y)

    def write(self, file: PdfFile) -> int:
        """Write one leaf, in the order of the names' bytes; its number."""
        names = (part for name, place in sorted(self.of_names.items()) for part in (_name(name), place))
        return file.add(dictionary({"Names": listed(names)}))


def _name(name: bytes) -> bytes:
    """A place's name as the tree of names holds it."""
    return b"<%b>" % name.hex().encode()


def destination(page: Page, number: int, y: int) -> bytes:
    """The destination of a place on a page."""
    return b"[%b /XYZ 0 %b 0]" % (reference(number), points(page.height - y))


def link_annotation(page: Page, item: Item, key: int | None = None, is_kept: bool = False) -> bytes:
    """The annotation of a link; in a tagged file, with its key in the parent tree and what it opens in words; in one
    that is kept, as is asked of it there."""
    corners = (item.x, page.height - item.y - item.height, item.x + item.width, page.height - item.y)
    address = item.target or ""
    place = place_named(address)
    to_place = {"S": b"/GoTo", "D": _name(place.encode())} if place is not None else None
    action = to_place or {"S": b"/URI", "URI": string(address)}
    rectangle = listed(points(corner) for corner in corners)
    entries = {"Type": b"/Annot", "Subtype": b"/Link", "Rect": rectangle, "Border": b"[0 0 0]", "A": dictionary(action)}
    if is_kept:
        entries["F"] = b"4"  # it is printed (ISO 19005-2, 6.3.2)
    if key is not None:
        words = f"Go to {place}" if place is not None else f"Open {address}"
        entries |= {"StructParent": b"%d" % key, "Contents": string(words), "F": b"4"}
    return dictionary(entries)
