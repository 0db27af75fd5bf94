"""What differs between two runs of a report: figures, texts, rows and pages.

Runs are compared by what each text on their pages is of: the block, the row with its keys, and the column. Rows of
details have no keys of their own; within their group they are the same where all their texts that are no figures are.
"""

import re
from collections import Counter
from collections.abc import Iterator, Mapping
from decimal import Decimal
from pathlib import Path
from typing import Any

import pyarrow as pa
from babel.numbers import NumberFormatError, parse_decimal
from msgspec import Struct, field

from northmoor.core.delivery.archive.run_texts import read_texts
from northmoor.core.errors import NorthmoorError
from northmoor.core.store.report_files import load_report

_OF_LINES = ("text", "head", "heading", "detail", "total", "title")
"""What has texts of several lines."""
_FURNITURE = ("header", "footer", "watermark")
"""What is on each page; changes of it are those of pages."""
_UNITS = re.compile(r"[^\d.,'’\s\u00a0\u202f+\-−]+")
_HAS_DIGIT = re.compile(r"\d")
_LETTERS = re.compile(r"[^\W\d_]{4,}")

_RowKey = tuple[str, str, str, str, int | None, int]
_CellKey = tuple[str, str, int]


class TextBox(Struct, frozen=True):
    """Where a text is on a page: its number, from 1, and millipoints from the upper left."""

    page: int
    x: int
    y: int
    width: int
    height: int


TextBoxes = tuple[TextBox, ...]


class CellChange(Struct, frozen=True):
    """A text that is different: what it is of, what it was and is, the difference if it is a figure, the pages, and
    where it was and is on them, as far as the runs tell."""

    block: str
    row: str
    column: str
    before: str
    after: str
    page_before: int
    page_after: int
    difference: Decimal | None = None
    boxes_before: TextBoxes = ()
    boxes_after: TextBoxes = ()


class RowChange(Struct, frozen=True):
    """A row that is only in one of the two."""

    block: str
    row: str
    texts: tuple[str, ...]
    page: int
    boxes: TextBoxes = ()


class RunComparison(Struct, frozen=True):
    """What differs between two runs, in the order of the pages."""

    figures: tuple[CellChange, ...] = ()
    texts: tuple[CellChange, ...] = ()
    rows_gone: tuple[RowChange, ...] = ()
    rows_come: tuple[RowChange, ...] = ()
    pages: tuple[int, int] = (0, 0)

    @property
    def is_same(self) -> bool:
        """Whether nothing differs."""
        return not (self.figures or self.texts or self.rows_gone or self.rows_come) and self.pages[0] == self.pages[1]


class _Cell(Struct):
    text: str
    page: int
    boxes: list[TextBox] = field(default_factory=list)


class _Row(Struct):
    key: _RowKey
    cells: dict[_CellKey, _Cell] = field(default_factory=dict)


def compare_runs(before: Path, after: Path) -> RunComparison:
    """What differs between the runs in two folders of the archive."""
    locale = _locale_of(after)
    rows_before, rows_after = (_rows(read_texts(folder)) for folder in (before, after))
    pages = _last_page(rows_before), _last_page(rows_after)
    old, new = (_matched(rows, locale) for rows in (rows_before, rows_after))
    figures: list[CellChange] = []
    texts: list[CellChange] = []
    for key, row in new.items():
        if key in old:
            for change in _cell_changes(old[key], row, locale):
                (figures if _is_change_of_figure(change, locale) else texts).append(change)
    gone = tuple(_row_change(row) for key, row in old.items() if key not in new)
    come = tuple(_row_change(row) for key, row in new.items() if key not in old)
    return RunComparison(tuple(figures), tuple(texts), gone, come, pages)


def _locale_of(folder: Path) -> str:
    try:
        return load_report(folder / "report.moor").locale.replace("-", "_")
    except NorthmoorError:
        return "en"


def _rows(texts: pa.Table) -> list[_Row]:
    """The rows on pages, in order, without what is repeated on each page; the lines of a text are one."""
    found: dict[_RowKey, _Row] = {}
    for each in texts.to_pylist():
        if each["block"] in _FURNITURE or each["row"] in (*_FURNITURE, "tick"):
            continue
        key = (each["block"], each["row"], each["level"] or "", each["keys"], each["ordinal"], each["number"] or 0)
        if each["ordinal"] is not None:
            key = (*key[:5], 0)  # the number tells its lines
        _add(found.setdefault(key, _Row(key)), each)
    return list(found.values())


def _add(row: _Row, each: Mapping[str, Any]) -> None:
    """Add a text to its row: the lines of a paragraph or cell are one text, other texts are apart."""
    column = each["column"] or ""
    is_line = each["row"] in _OF_LINES
    key = (column, each["across"], 0 if is_line else len(row.cells))
    cell = row.cells.get(key)
    if cell is None:
        cell = row.cells[key] = _Cell(each["text"], each["page"])
    elif cell.page == each["page"]:
        cell.text += f" {each['text']}"
    if each["x"] is not None:
        cell.boxes.append(TextBox(each["page"], each["x"], each["y"], each["width"], each["height"]))


def _last_page(rows: list[_Row]) -> int:
    return max((cell.page for row in rows for cell in row.cells.values()), default=0)


def _matched(rows: list[_Row], locale: str) -> dict[tuple[object, ...], _Row]:
    """Rows by what makes them the same in two runs."""
    seen: Counter[tuple[object, ...]] = Counter()
    found: dict[tuple[object, ...], _Row] = {}
    for row in rows:
        block, kind, level, keys, ordinal, number = row.key
        if ordinal is None or kind not in ("detail", "rows"):
            own: tuple[object, ...] = (block, kind, level, keys, number)
        else:
            labels = tuple((key, cell.text) for key, cell in row.cells.items() if _number(cell.text, locale) is None)
            own = (block, kind, keys, labels)
        seen[own] += 1
        found[*own, seen[own]] = row
    return found


def _cell_changes(old: _Row, new: _Row, locale: str) -> Iterator[CellChange]:
    for key in dict.fromkeys((*old.cells, *new.cells)):
        before, after = old.cells.get(key, _Cell("", 0)), new.cells.get(key, _Cell("", 0))
        if before.text != after.text:
            numbers = _number(before.text, locale), _number(after.text, locale)
            difference = numbers[1] - numbers[0] if numbers[0] is not None and numbers[1] is not None else None
            column = " · ".join(part for part in (key[0], _words(key[1])) if part)
            where = (before.page, after.page, difference, tuple(before.boxes), tuple(after.boxes))
            yield CellChange(new.key[0], _row_words(new), column, before.text, after.text, *where)


def _is_change_of_figure(change: CellChange, locale: str) -> bool:
    """Whether a figure changed, came or went."""
    return all(not text or _number(text, locale) is not None for text in (change.before, change.after))


def _row_change(row: _Row) -> RowChange:
    cells = row.cells.values()
    boxes = tuple(box for cell in cells for box in cell.boxes)
    return RowChange(row.key[0], _row_words(row), tuple(c.text for c in cells), min(c.page for c in cells), boxes)


def _row_words(row: _Row) -> str:
    """Which row it is, for readers."""
    _, kind, level, keys, ordinal, _ = row.key
    words = " ".join(part for part in (kind, level, _words(keys)) if part)
    labels = [cell.text for cell in row.cells.values() if not _HAS_DIGIT.search(cell.text)]
    return f"{words}: {labels[0]}" if labels and ordinal is not None else words


def _words(keys: str) -> str:
    return keys.strip("[]").replace('"', "")


def _number(text: str, locale: str) -> Decimal | None:
    """The number that a text shows, whatever unit is beside it; None for a text that is more than a number."""
    if not _HAS_DIGIT.search(text) or _LETTERS.search(text):
        return None
    plain = _UNITS.sub("", text).replace("−", "-").strip()
    try:
        found = Decimal(parse_decimal(plain, locale=locale))
    except (NumberFormatError, ValueError, ArithmeticError):
        return None
    is_negative = text.strip().startswith("(") and text.strip().endswith(")")  # as accounts write it
    return -found if is_negative else found


def comparison_entries(found: RunComparison) -> Mapping[str, object]:
    """A comparison as JSON can hold it."""

    def cell(change: CellChange) -> dict[str, object]:
        return {
            "block": change.block, "row": change.row, "column": change.column, "before": change.before,
            "after": change.after, "pages": [change.page_before, change.page_after],
            "difference": None if change.difference is None else str(change.difference),
        }  # fmt: skip

    def row(change: RowChange) -> dict[str, object]:
        return {"block": change.block, "row": change.row, "texts": list(change.texts), "page": change.page}

    return {
        "figures": [cell(each) for each in found.figures],
        "texts": [cell(each) for each in found.texts],
        "rows_gone": [row(each) for each in found.rows_gone],
        "rows_come": [row(each) for each in found.rows_come],
        "pages": list(found.pages),
    }
