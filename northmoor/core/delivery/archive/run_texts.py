"""What is on the pages of a run, as rows: each text with its page and what of the report it is.

Of these the index is made, and by these two runs are compared.
"""

import json
from collections.abc import Iterable, Iterator
from pathlib import Path
from typing import Any

import pyarrow as pa
import pyarrow.parquet as pq

from northmoor.core.layout.graphics.display_list import Page, Texts, TurnedTexts, layer_items

TEXTS_FILE = "texts.parquet"
MOST_TEXTS = 400_000
"""Texts that are kept of a run: of the first pages, if there are more."""
_SCHEMA = pa.schema(
    [
        ("page", pa.int32()),
        ("block", pa.string()),
        ("row", pa.string()),
        ("level", pa.string()),
        ("keys", pa.string()),
        ("ordinal", pa.int64()),
        ("column", pa.string()),
        ("number", pa.int32()),
        ("across", pa.string()),
        ("text", pa.string()),
        *((side, pa.int64()) for side in ("x", "y", "width", "height")),
    ]
)
"""Where a text is, is in millipoints from the page's upper left; it is missing in runs of before that was kept."""


class TextCollector:
    """Collects the texts of pages as they pass."""

    def __init__(self) -> None:
        self._columns: dict[str, list[Any]] = {name: [] for name in _SCHEMA.names}
        self.pages = 0

    @property
    def is_full(self) -> bool:
        """Whether no more texts are kept."""
        return len(self._columns["text"]) >= MOST_TEXTS

    def passing(self, pages: Iterable[Page]) -> Iterator[Page]:
        """Pages, whose texts are collected on their way."""
        for page in pages:
            self.add(page)
            yield page

    def add(self, page: Page) -> None:
        """Take the texts of a page."""
        self.pages += 1
        if self.is_full:
            return
        into = self._columns
        for layer in page.layers:
            if not isinstance(layer, Texts | TurnedTexts):
                continue
            for item in layer_items(layer):
                origin = item.origin
                into["page"].append(self.pages)
                into["block"].append(origin.block)
                into["row"].append(origin.row)
                into["level"].append(origin.level)
                into["keys"].append(_key_text(origin.keys))
                into["ordinal"].append(origin.ordinal)
                into["column"].append(origin.column)
                into["number"].append(origin.number)
                into["across"].append(_key_text(origin.across))
                into["text"].append(item.text)
                for side in ("x", "y", "width", "height"):
                    into[side].append(getattr(item, side))

    def table(self) -> pa.Table:
        """What was collected."""
        return pa.table(self._columns, schema=_SCHEMA)

    def write(self, folder: Path) -> None:
        """Write what was collected into a run's folder."""
        pq.write_table(self.table(), folder / TEXTS_FILE, compression="zstd")


def read_texts(folder: Path) -> pa.Table:
    """The texts of a run; none where it has none that can be read."""
    try:
        return pq.read_table(folder / TEXTS_FILE, schema=_SCHEMA)
    except (OSError, pa.ArrowInvalid):
        return _SCHEMA.empty_table()


def _key_text(keys: tuple[Any, ...]) -> str:
    return json.dumps([None if key is None else str(key) for key in keys], ensure_ascii=False) if keys else ""
