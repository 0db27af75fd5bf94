"""Whole numbers that are names rather than amounts: keys, codes, years and other ordinals, by what they are called, and
years by their values.

They are written without a thousands separator where nothing else is said.
"""

import re

import pyarrow as pa
import pyarrow.compute as pc

KEY_WORDS = frozenset({
    "id", "key", "no", "nr", "num", "number", "code", "ref", "reference", "uuid", "pin", "zip", "postcode", "phone",
    "isbn", "imo", "mmsi", "barcode", "account",
})  # fmt: skip
ORDINAL_WORDS = frozenset({
    "year", "month", "day", "week", "quarter", "hour", "minute", "weekday", "dow", "doy", "rank", "position",
    "ordinal", "seq", "sequence", "sort", "priority", "version", "revision", "decade", "period", "season", "floor",
    "page", "line", "step", "deck", "level", "grade",
})  # fmt: skip
LABEL_PATTERN = "0"
_MANY = 20
"""Values from which on they alone say that they are years."""
_YEARS = range(1900, 2101)
_LONGEST_SPAN = 60
"""Years that whole numbers between 1900 and 2100 are apart at most where they are taken for years."""
_NAME = re.compile(r':?(?:[\w.]+|"[^"]+")')
_YEAR = re.compile(r"(?:year|isoyear)\s*\(|(?:date_part\s*\(\s*'|extract\s*\(\s*)(?:iso)?year\b", re.IGNORECASE)


def words_of(name: str) -> list[str]:
    """The words of a name: unit_price, UnitPrice and Unit price are the same ones."""
    apart = re.sub(r"(?<=[a-z0-9])(?=[A-Z])", " ", name)
    return [word.lower() for word in re.findall(r"[^\W\d_]+", apart)]


def is_label_number(expression: str) -> bool:
    """Whether whole numbers that an expression gives are names: a column, or a parameter, that is called so, or a
    year."""
    text = expression.strip()
    if _YEAR.match(text):
        return True
    words = words_of(text) if _NAME.fullmatch(text) else []
    return bool(words) and words[-1] in KEY_WORDS | ORDINAL_WORDS


def are_years(values: pa.Array | pa.ChunkedArray, are_keys: bool = False) -> bool:
    """Whether whole numbers are years, by their values: many that repeat, or the keys of groups."""
    if not pa.types.is_integer(values.type) or len(values) < (2 if are_keys else _MANY):
        return False
    bounds = pc.min_max(values)
    low, high = bounds["min"].as_py(), bounds["max"].as_py()
    if low not in _YEARS or high not in _YEARS or high - low > _LONGEST_SPAN:
        return False
    return are_keys or pc.count_distinct(values).as_py() < len(values)
