"""Pages to the dump: the display list in readable JSON, lengths in points. docs/page-dump.md describes it."""

import json
from collections.abc import Iterable
from typing import Any, BinaryIO

from northmoor.core.layout.graphics.display_list import Item, Page, items
from northmoor.core.output.output_document import OutputDocument, OutputFile

DUMP_VERSION = 1


def output_files(document: OutputDocument) -> list[OutputFile]:
    """The one file that the dump is."""

    def write(target: BinaryIO) -> None:
        target.write(write_dump(document.pages(), document.metadata.title))

    return [OutputFile(write)]


def write_dump(pages: Iterable[Page], title: str) -> bytes:
    """The dump of pages as UTF-8 JSON."""
    dump = {"northmoor_pages": DUMP_VERSION, "title": title, "pages": [_page(page) for page in pages]}
    return (json.dumps(dump, ensure_ascii=False, indent=1) + "\n").encode()


def _page(page: Page) -> dict[str, Any]:
    return {
        "number": page.number,
        "width": page.width / 1000,
        "height": page.height / 1000,
        "items": [_item(item) for item in items(page)],
        "bookmarks": [{"title": b.title, "depth": b.depth, "y": b.y / 1000} for b in page.bookmarks],
        "anchors": [{"name": a.name, "y": a.y / 1000} for a in page.anchors],
    }


def _item(item: Item) -> dict[str, Any]:
    place = {name: getattr(item, name) / 1000 for name in ("x", "y", "width", "height")}
    entry: dict[str, Any] = {"kind": item.kind} | place
    if item.turn is not None:
        entry["turn"] = item.turn
    if item.baseline is not None:
        entry["baseline"] = item.baseline / 1000
    if item.face is not None:
        entry |= {
            "text": item.text,
            "font": item.face.font,
            "size": item.face.size / 1000,
        }
    if item.path is not None:
        entry["points"] = [[x / 1000, y / 1000] for x, y in item.path.points]
        if any(len(step) > 2 for step in item.path.steps):
            entry["steps"] = [[length / 1000 for length in step] for step in item.path.steps]
    if item.target is not None:
        entry["target"] = item.target
    if item.color is not None:
        entry["color"] = item.color.lower()
    origin = item.origin
    entry["origin"] = {
        "block": origin.block,
        "row": origin.row,
        "level": origin.level,
        "keys": list(origin.keys),
        "ordinal": origin.ordinal,
        "column": origin.column,
        "number": origin.number,
        "across": list(origin.across),
    }
    return entry
