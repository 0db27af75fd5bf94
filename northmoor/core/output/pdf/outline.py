"""The outline of a PDF: what a reader shows as bookmarks beside the pages."""

from northmoor.core.layout.graphics.display_list import Page
from northmoor.core.output.pdf.destinations import destination
from northmoor.core.output.pdf.file_structure import PdfFile, dictionary, reference, string


class PdfOutline:
    """The document's outline (ISO 32000-1, 12.3.3): its entries in order, each with its depth and its place."""

    def __init__(self) -> None:
        self.marks: list[tuple[int, str, bytes]] = []

    def add(self, page: Page, number: int) -> None:
        """Add a page's bookmarks; none is more than one level below the one before."""
        for mark in page.bookmarks:
            deepest = self.marks[-1][0] + 1 if self.marks else 0
            self.marks.append((min(mark.depth, deepest), mark.title, destination(page, number, mark.y)))

    def write(self, file: PdfFile) -> int:
        """Write the outline, closed; its number."""
        root = file.number()
        numbers = [file.number() for _ in self.marks]
        links: list[dict[str, bytes]] = [{} for _ in self.marks]
        children: list[list[int]] = [[] for _ in self.marks]
        roots: list[int] = []
        open_: list[int] = []
        for at, (depth, _, _) in enumerate(self.marks):
            del open_[depth:]
            siblings = children[open_[-1]] if open_ else roots
            if siblings:
                links[at]["Prev"] = reference(numbers[siblings[-1]])
                links[siblings[-1]]["Next"] = reference(numbers[at])
            links[at]["Parent"] = reference(numbers[open_[-1]] if open_ else root)
            siblings.append(at)
            open_.append(at)
        for at, (_, title, place) in enumerate(self.marks):
            entries = {
                "Title": string(title),
                "Dest": place,
                **links[at],
                **_ends(children[at], numbers, is_open=False),
            }
            file.add(dictionary(entries), numbers[at])
        return file.add(dictionary({"Type": b"/Outlines", **_ends(roots, numbers, is_open=True)}), root)


def _ends(children: list[int], numbers: list[int], is_open: bool) -> dict[str, bytes]:
    """The entries that say which an entry's children are."""
    if not children:
        return {}
    count = len(children) if is_open else -len(children)
    first, last = (reference(numbers[children[at]]) for at in (0, -1))
    return {"First": first, "Last": last, "Count": b"%d" % count}
