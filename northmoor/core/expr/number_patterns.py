"""CLDR number patterns (Unicode TS 35, part 3) to the letter: read once, then applied to single numbers.

Text in apostrophes is literal, and so are signs in it; only outside of them do ``%`` and ``‰`` multiply and ``¤`` stand
for the currency. Significant digits (``@``), rounding increments (digits other than 0), exponents, padding (``*`` and a
character) and a pattern of its own for negative numbers follow the paper. Where it leaves something open, such as the
digits of ``##0.#E0``, it is done as ICU does it. Rounding is half to even.

What CLDR has no sign for is a word before the pattern: ``thousands:#,##0.0`` writes 12,345 as 12.3; ``millions:`` too.
"""

import re
import unicodedata
from collections.abc import Callable
from decimal import ROUND_HALF_EVEN, Context, Decimal
from functools import lru_cache

from babel import Locale
from babel.numbers import get_currency_name, get_currency_symbol
from msgspec import Struct

from northmoor.core.base.replace import replace
from northmoor.core.errors import ExpressionError

_ANY = Context(prec=800, rounding=ROUND_HALF_EVEN, Emax=99_999, Emin=-99_999)
_NUMBER = re.compile(
    r"(?P<whole>[#,]*[0-9,]*|[#,]*@[@,]*[#,]*)(?:\.(?P<places>[0-9]*#*))?(?:E(?P<plus>\+?)(?P<exponent>0+))?"
)
_EXPONENT = re.compile(r"E\+?0+")
_IN_NUMBER = frozenset("#0123456789@,.")
_MOST_ENGINEERING = 8
_SCALES = {"thousands": -3, "millions": -6}
"""Words before a pattern, with the power of ten that numbers are multiplied by."""
_Token = tuple[str, str]
"""A kind and a text: ("text", literal), or ("sign", one of - + % ‰ or up to three ¤)."""
Affix = tuple[_Token, ...]


class DigitPattern(Struct, frozen=True):
    """What the digits of a pattern say. Numbers of digits are 0 where they say nothing of them."""

    fewest_whole: int
    all_whole: int
    fewest_places: int
    most_places: int
    group: int = 0
    outer_group: int = 0
    fewest_significant: int = 0
    most_significant: int = 0
    increment: Decimal | None = None
    exponent_digits: int = 0
    exponent_plus: bool = False


class NumberPattern(Struct, frozen=True):
    """A pattern, taken apart: what is before and after the digits of a number and of a negative one, and these."""

    prefix: Affix
    suffix: Affix
    negative_prefix: Affix
    negative_suffix: Affix
    digits: DigitPattern
    scale: int = 0
    """By which power of ten a number is multiplied."""
    pad: str = ""
    pad_place: int = 0
    """Where padding goes: 0 before the prefix, 1 after it, 2 before the suffix, 3 after it."""
    width: int = 0

    @property
    def has_currency(self) -> bool:
        """Whether a currency is written."""
        return any(sign.startswith("¤") for kind, sign in (*self.prefix, *self.suffix) if kind == "sign")


@lru_cache(maxsize=512)
def read_number_pattern(pattern: str) -> NumberPattern:
    """A text as a pattern. Raises ExpressionError for a text that is none."""
    word, _, rest = pattern.partition(":")
    scale = _SCALES.get(word, 0)
    try:
        read = _Reader(rest if scale else pattern).read()
        return replace(read, scale=read.scale + scale) if scale else read
    except (ValueError, IndexError) as error:
        raise ExpressionError(f"{pattern!r} is no pattern for numbers; write for example #,##0.00.") from error


class _Reader:
    """Reads a pattern from its beginning. Raises ValueError and IndexError."""

    def __init__(self, text: str) -> None:
        self._text, self._at = text, 0
        self._pads: list[tuple[int, str]] = []

    def read(self) -> NumberPattern:
        prefix, number, suffix, width = self._part()
        pads, self._pads = self._pads, []
        negative_prefix, negative_suffix = (("sign", "-"), *prefix), suffix
        if self._peek() == ";":
            self._at += 1
            if self._peek():
                own_prefix, _, own_suffix, _ = self._part()
                if (own_prefix, own_suffix) != (prefix, suffix):
                    negative_prefix, negative_suffix = own_prefix, own_suffix
        if self._peek() or len(pads) > 1 or self._pads:
            raise ValueError(self._text)
        signs = [sign for kind, sign in (*prefix, *suffix) if kind == "sign"]
        place, pad = pads[0] if pads else (0, "")
        return NumberPattern(
            prefix, suffix, negative_prefix, negative_suffix, _digits(number),
            2 if "%" in signs else 3 if "‰" in signs else 0, pad, place, width if pads else 0,
        )  # fmt: skip

    def _peek(self) -> str:
        return self._text[self._at : self._at + 1]

    def _part(self) -> tuple[Affix, str, Affix, int]:
        """One of the two parts: what is before its digits, these, what is after them, and how wide all that is."""
        self._pad(0)
        prefix = self._affix()
        self._pad(1)
        begin = self._at
        while self._peek() and self._peek() in _IN_NUMBER:
            self._at += 1
        exponent = _EXPONENT.match(self._text, self._at)
        self._at = exponent.end() if exponent else self._at
        if self._peek() == "E":
            raise ValueError(self._text)
        number = self._text[begin : self._at]
        self._pad(2)
        suffix = self._affix()
        self._pad(3)
        return prefix, number, suffix, len(number) + sum(len(text) for _, text in (*prefix, *suffix))

    def _pad(self, place: int) -> None:
        if self._peek() != "*":
            return
        self._at += 1
        char = self._peek()
        if char == "'":
            char = self._quoted()
        else:
            self._at += 1
        if len(char) != 1:
            raise ValueError(self._text)
        self._pads.append((place, char))

    def _affix(self) -> Affix:
        tokens: list[_Token] = []
        while (char := self._peek()) and char not in _IN_NUMBER and char not in ";*":
            if char == "'":
                tokens.append(("text", self._quoted()))
                continue
            count = 1
            while char == "¤" and count < 3 and self._text[self._at + count : self._at + count + 1] == "¤":
                count += 1
            self._at += count
            tokens.append(("sign" if char in "-+%‰¤" else "text", char * count))
        return tuple(tokens)

    def _quoted(self) -> str:
        """A literal text; two apostrophes are one of them, inside and outside of it."""
        end = self._at + 1
        if self._text[end] == "'":
            self._at += 2
            return "'"
        found = ""
        while True:
            if self._text[end] != "'":
                found += self._text[end]
                end += 1
            elif self._text[end + 1 : end + 2] == "'":
                found += "'"
                end += 2
            else:
                self._at = end + 1
                return found


def _digits(number: str) -> DigitPattern:
    """What the digits of a pattern say."""
    match = _NUMBER.fullmatch(number)
    if match is None or not re.search("[#0-9@]", number):
        raise ValueError(number)
    whole, places = match["whole"], match["places"] or ""
    groups = [len(part) for part in whole.split(",")]
    if len(groups) > 1 and (groups[-1] == 0 or 0 in groups[1:-1]):
        raise ValueError(number)
    bare = whole.replace(",", "")
    ats = bare.count("@")
    fixed, fixed_places = len(re.findall("[0-9]", bare)), len(re.findall("[0-9]", places))
    exponent = match["exponent"] or ""
    fewest_whole, fewest_places = fixed, fixed_places
    if not bare and places:
        fewest_places = max(1, fixed_places)
    elif not exponent and not fixed and not fixed_places:
        fewest_whole = 1
    step = Decimal(f"{re.sub('[#,@]', '', whole) or '0'}.{places.replace('#', '') or '0'}")
    if exponent and len(groups) > 1:
        raise ValueError(number)
    return DigitPattern(
        fewest_whole, len(bare), fewest_places, max(len(places), fewest_places),
        groups[-1] if len(groups) > 1 else 0, groups[-2] if len(groups) > 2 else 0,
        ats, len(bare) - bare.index("@") if ats else 0, step if step and not ats else None,
        len(exponent), bool(match["plus"]),
    )  # fmt: skip


class NumberSigns(Struct, frozen=True):
    """The signs of a locale and a currency that numbers are written with."""

    decimal: str
    group: str
    minus: str
    plus: str
    percent: str
    per_mille: str
    exponential: str
    currencies: tuple[str, str, str]
    """The currency's symbol, its code and its name."""


@lru_cache(maxsize=64)
def signs_of(locale: str, currency: str, is_money: bool) -> NumberSigns:
    """The signs of a locale, with Latin digits; amounts of money may have points of their own."""
    known = Locale.parse(locale).number_symbols["latn"]
    return NumberSigns(
        known.get("currencyDecimal", known["decimal"]) if is_money else known["decimal"],
        known.get("currencyGroup", known["group"]) if is_money else known["group"],
        known["minusSign"], known["plusSign"], known["percentSign"], known["perMille"], known["exponential"],
        (get_currency_symbol(currency, locale), currency, get_currency_name(currency, locale=locale)),
    )  # fmt: skip


def affix_text(affix: Affix, signs: NumberSigns, before_digits: bool) -> str:
    """What is before or after the digits. Between a currency of letters and digits there is a space."""
    known = {"-": signs.minus, "+": signs.plus, "%": signs.percent, "‰": signs.per_mille}
    texts = [text if kind == "text" else known.get(text) or signs.currencies[len(text) - 1] for kind, text in affix]
    if affix:
        kind, sign = affix[-1] if before_digits else affix[0]
        if kind == "sign" and sign[0] == "¤":
            if before_digits and unicodedata.category(texts[-1][-1:])[0] not in "SZ":
                texts.append("\u00a0")
            elif not before_digits and unicodedata.category(texts[0][:1])[0] not in "SZ":
                texts.insert(0, "\u00a0")
    return "".join(texts)


def pattern_writer(pattern: NumberPattern, signs: NumberSigns) -> Callable[[Decimal], str]:
    """A function that writes a finite number. A value that rounds to zero is written without a sign."""
    affixes = [
        (affix_text(before, signs, True), affix_text(after, signs, False))
        for before, after in ((pattern.prefix, pattern.suffix), (pattern.negative_prefix, pattern.negative_suffix))
    ]

    write_digits = _exponential if pattern.digits.exponent_digits else _plain

    def write(value: Decimal) -> str:
        size = abs(value).scaleb(pattern.scale, _ANY) if value else Decimal(0)
        digits, is_zero = write_digits(pattern.digits, size, signs)
        before, after = affixes[value < 0 and not is_zero]
        return _padded(pattern, before, digits, after)

    return write


def _padded(pattern: NumberPattern, before: str, digits: str, after: str) -> str:
    missing = pattern.width - len(before) - len(digits) - len(after)
    parts = [before, digits, after]
    if pattern.pad and missing > 0:
        parts.insert(pattern.pad_place, pattern.pad * missing)
    return "".join(parts)


def _plain(pattern: DigitPattern, size: Decimal, signs: NumberSigns) -> tuple[str, bool]:
    """The digits of a number without an exponent, and whether it has become zero."""
    if pattern.most_significant:
        rounded, fewest = _significant(size, pattern.fewest_significant, pattern.most_significant)
    else:
        if pattern.increment is not None:
            size = _stepped(size, pattern.increment)
        rounded, fewest = size.quantize(Decimal(1).scaleb(-pattern.most_places), context=_ANY), pattern.fewest_places
    fewest_whole = max(pattern.fewest_whole, 1) if pattern.most_significant and not rounded else pattern.fewest_whole
    return _point(rounded, fewest_whole, fewest, pattern, signs), not rounded


def _stepped(size: Decimal, increment: Decimal) -> Decimal:
    """A number rounded to a whole number of increments."""
    return _ANY.multiply(_ANY.divide(size, increment).quantize(Decimal(1), context=_ANY), increment)


def _significant(size: Decimal, fewest: int, most: int) -> tuple[Decimal, int]:
    """A number rounded to significant digits, and the fewest places that show as many as there must be."""
    if size:
        size = size.quantize(Decimal(1).scaleb(size.adjusted() - most + 1), context=_ANY)
    return size, max(0, fewest - (size.adjusted() if size else 0) - 1)


def _point(size: Decimal, fewest_whole: int, fewest_places: int, pattern: DigitPattern, signs: NumberSigns) -> str:
    """Digits before and after the point."""
    whole, _, places = f"{size:f}".partition(".")
    whole = whole.lstrip("0").rjust(fewest_whole, "0")
    places = places.rstrip("0").ljust(fewest_places, "0")
    if not whole and not places:
        whole = "0"
    if pattern.group:
        whole = _in_groups(whole, pattern.group, pattern.outer_group or pattern.group, signs.group)
    return whole + (signs.decimal + places if places else "")


def _in_groups(digits: str, size: int, outer: int, separator: str) -> str:
    parts = [digits[-size:]]
    rest = digits[:-size]
    while rest:
        parts.append(rest[-outer:])
        rest = rest[:-outer]
    return separator.join(reversed(parts))


def _exponential(pattern: DigitPattern, size: Decimal, signs: NumberSigns) -> tuple[str, bool]:
    """The digits of a number with an exponent, and whether it is zero; as ICU reads what TS 35 leaves open."""
    fewest, interval = pattern.fewest_whole, pattern.all_whole
    if pattern.most_significant:
        fewest, interval = 1, -1
    shown_whole = fewest
    if interval > _MOST_ENGINEERING:
        interval = fewest
    elif interval > fewest > 1:
        shown_whole = 1

    def exponent_of(number: Decimal) -> int:
        magnitude = number.adjusted()
        shown = interval if interval == shown_whole else 1 if interval <= 1 else magnitude % interval + 1
        return magnitude - shown + 1

    mantissa, places, exponent, least = size, 0, 0, _fewest_digits(pattern)
    if pattern.increment is not None:
        places = pattern.fewest_places
        if size:
            exponent = exponent_of(size)
            mantissa = _stepped(size.scaleb(-exponent, _ANY), pattern.increment)
            if mantissa and mantissa.adjusted() + exponent > size.adjusted():
                exponent = exponent_of(mantissa.scaleb(exponent, _ANY))
                mantissa = _stepped(size.scaleb(-exponent, _ANY), pattern.increment)
    else:
        mantissa = _mantissa_rounded(pattern, size)
        exponent = exponent_of(mantissa) if mantissa else 0
        mantissa = mantissa.scaleb(-exponent, _ANY)
        shown = mantissa.adjusted() + 1 if mantissa else max(interval, 1) if interval == shown_whole else 1
        places = max(0, least - shown)
    if not mantissa and pattern.increment is None and least:
        shown_whole = max(shown_whole, 1)
    digits = _point(mantissa, shown_whole, places, pattern, signs)
    sign = signs.minus if exponent < 0 else signs.plus if pattern.exponent_plus else ""
    return f"{digits}{signs.exponential}{sign}{str(abs(exponent)).rjust(pattern.exponent_digits, '0')}", not mantissa


def _fewest_digits(pattern: DigitPattern) -> int:
    """The significant digits that a mantissa has at least; 0 where it has those of the number."""
    if pattern.most_significant:
        return pattern.fewest_significant
    if pattern.fewest_whole == 0 and pattern.fewest_places == 0:
        return 1 if pattern.most_places else 0
    fewest = 1 if pattern.all_whole > pattern.fewest_whole > 1 else pattern.fewest_whole
    return fewest + pattern.fewest_places


def _mantissa_rounded(pattern: DigitPattern, size: Decimal) -> Decimal:
    if pattern.most_significant:
        return _significant(size, 0, pattern.most_significant)[0]
    if pattern.fewest_whole == 0 and pattern.most_places == 0:
        return size
    has_zeros = pattern.fewest_whole or pattern.fewest_places
    return _significant(size, 0, pattern.most_places + (pattern.fewest_whole if has_zeros else 1))[0]
