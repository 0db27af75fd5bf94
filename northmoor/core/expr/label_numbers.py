"""Whole numbers that are names rather than amounts: keys, codes, years and other ordinals, by what they are called.

They are written without a thousands separator where nothing else is said.
"""

import re

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
