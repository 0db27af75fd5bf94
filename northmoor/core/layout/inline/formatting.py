"""A cell definition's texts: one for each row or group it represents, with faulty ones marked."""

from collections.abc import Mapping

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from babel.numbers import is_currency
from msgspec import Struct, field

from northmoor.core.base.replace import replace
from northmoor.core.compute.evaluate.scope_cells import Computed, Fault
from northmoor.core.compute.evaluate.slots import template_of
from northmoor.core.compute.groups.boundaries import ScopedExpression
from northmoor.core.compute.table.evaluation import TableData
from northmoor.core.errors import ExpressionError, Place, ended
from northmoor.core.expr.formats import FormatLocale, even_pattern, format_values
from northmoor.core.expr.label_numbers import LABEL_PATTERN, are_years, is_label_number
from northmoor.core.expr.language import bare_column, parse
from northmoor.core.expr.lazy_texts import LazyTexts, lazy_texts
from northmoor.core.expr.templates import Slot, Template
from northmoor.core.expr.text_concat import concat, scalar
from northmoor.core.layout.context import FAULT_MARK, LayoutContext
from northmoor.core.model.blocks.table import Content

FAULT_TEXT = f"{FAULT_MARK} error"
LONGEST_TEXT = 1_000_000
"""Bytes of one text: some three hundred pages."""


class CellTexts(Struct, frozen=True, eq=False):
    """Texts of a cell in the order of its scope's rows; `faulty` are the rows that show a fault. `is_number` tells
    how to align them where nothing else is given; texts that are `whole`, as numbers and dates are, are never broken
    into lines."""

    texts: pa.StringArray | pa.DictionaryArray | LazyTexts
    is_number: bool = False
    faulty: frozenset[int] = frozenset()
    messages: tuple[str, ...] = field(default=())
    is_whole: bool = False
    pattern: str | None = None
    """The format of its values, where it shows one value each and a format is given or found."""

    def text(self, row: int) -> str:
        """The text in a row."""
        return self.texts.text(row) if isinstance(self.texts, LazyTexts) else str(self.texts[row].as_py())


NO_TEXTS = pa.array([], pa.string())


class PageTotalValues(Struct, frozen=True, eq=False):
    """What a table's rows that belong to pages show: one value a page."""

    cells: Mapping[ScopedExpression, Computed]


Source = TableData | PageTotalValues


def cell_texts(
    content: Content, pattern: str | None, scope: int, source: Source, count: int, context: LayoutContext
) -> CellTexts:
    """The texts of a table's cell; `pattern` is the format used where the cell has none of its own."""
    written = (content.value, content.text, content.format, content.when_null, content.when_zero, content.currency)
    key = (source, written, pattern, scope, context.locale, content.blank_repeats)
    return context.cache.get(("texts", key), lambda: _cell_texts(content, pattern, scope, source, count, context))


def _cell_texts(
    content: Content, pattern: str | None, scope: int, source: Source, count: int, context: LayoutContext
) -> CellTexts:
    try:
        template = template_of(content)
    except ExpressionError as error:
        return whole_fault(count, error)
    computed = {
        part.expression.text: source.cells[ScopedExpression(scope, part.expression.text)]
        for part in template
        if isinstance(part, Slot)
    }
    currencies = None
    if content.currency is not None:
        currencies = _currencies(content.currency, scope, source)
        if isinstance(currencies, ExpressionError):
            return whole_fault(count, currencies)
    pattern = pattern if content.value is not None else None
    if content.value is not None and content.format is None and currencies is None:
        pattern = pattern or _pattern_of(content.value, ScopedExpression(scope, next(iter(computed))), source)
    if content.value is not None and currencies is None and not content.blank_repeats:
        later = _deferred(next(iter(computed.values())), pattern or content.format, context.locale)
        if later is not None:
            return replace(later, pattern=pattern or content.format)
    texts = template_texts(template, computed, pattern, count, context, currencies)
    (values,) = computed.values() if content.value is not None and len(computed) == 1 else (None,)
    if values is None:
        return texts
    return replace(_with_messages(texts, values, content), pattern=content.format or pattern)


def _pattern_of(expression: str, want: ScopedExpression, source: Source) -> str | None:
    """The pattern that suits all of a cell's values, also where those of a part of a table are written."""
    if not isinstance(source, TableData):
        return even_pattern([source.cells[want].values])
    values = source.whole.cells[want].values
    are_keys = want.scope > 0 and values.equals(source.whole.levels[want.scope - 1].keys)
    return label_pattern(expression, values, are_keys) or even_pattern([values])


def _deferred(computed: Computed, pattern: str | None, format_locale: FormatLocale) -> CellTexts | None:
    """Texts that are written when they are looked at, where that is possible and worth it."""
    if computed.fault is not None or computed.faults or computed.labels:
        return None
    try:
        later = lazy_texts(computed.values, pattern, format_locale)
    except ExpressionError:
        return None  # reported where they are written
    kind = computed.values.type
    return CellTexts(later, is_numeric(kind), is_whole=_is_whole(kind)) if later is not None else None


def _with_messages(cell: CellTexts, computed: Computed, content: Content) -> CellTexts:
    """A cell's texts with its words for missing values and zeros; faulty ones stay marked."""
    values = computed.values
    words = [(content.when_null, pc.is_null(values))] if content.when_null is not None else []
    if content.when_zero is not None and is_numeric(values.type):
        words.append((content.when_zero, pc.fill_null(pc.equal(values, pa.scalar(0, values.type)), False)))
    if not words or len(cell.texts) != len(values):
        return cell
    sound = np.ones(len(values), bool)
    sound[[*cell.faulty, *computed.labels]] = False
    texts = decoded_texts(cell.texts)
    for word, where in words:
        texts = pc.if_else(pc.and_(where, pa.array(sound)), word, texts)
    return replace(cell, texts=texts)


def _currencies(text: str, scope: int, source: Source) -> pa.Array | ExpressionError:
    """The code of each value's currency."""
    try:
        parse(text)
    except ExpressionError as error:
        return error
    found = source.cells[ScopedExpression(scope, text)]
    if found.fault is not None:
        return found.fault
    codes = pc.fill_null(found.values.cast(pa.string()), "")
    wrong = [code for code in pc.unique(codes).to_pylist() if code and not is_currency(code)]
    if wrong:
        return ExpressionError(f"{wrong[0]!r} is no code of a currency in ISO 4217; write for example EUR.")
    return codes


def _with_currencies(values: pa.Array, pattern: str | None, codes: pa.Array, format_locale: FormatLocale) -> pa.Array:
    """The texts of values, each in its own currency; without a code, in the report's."""
    texts = decoded_texts(format_values(values, pattern, format_locale))
    for code in pc.unique(codes).to_pylist():
        if code:
            own = format_values(values, pattern, replace(format_locale, currency=code))
            texts = pc.if_else(pc.equal(codes, code), decoded_texts(own), texts)
    return texts


def whole_fault(count: int, error: ExpressionError) -> CellTexts:
    """A cell that cannot be computed at all: every instance is marked."""
    return CellTexts(pa.repeat(FAULT_TEXT, count), False, frozenset(range(count)), (error.message,))


def template_texts(
    template: Template,
    computed: Mapping[str, Computed],
    pattern: str | None,
    count: int,
    context: LayoutContext,
    currencies: pa.Array | None = None,
) -> CellTexts:
    """Texts of a template whose slots are computed; `pattern` serves slots without one of their own, `currencies` are
    the codes of each value's currency where that is not the report's."""
    pieces: list[pa.Array | pa.Scalar] = []
    faulty: dict[int, Fault] = {}
    for part in template:
        if isinstance(part, str):
            pieces.append(scalar(part))
            continue
        values = computed[part.expression.text]
        if values.fault is not None:
            return whole_fault(count, values.fault)
        faulty = {**values.faults, **faulty}
        try:
            own = part.pattern or pattern or _named_label_pattern(part.expression.text, values.values.type)
            if currencies is None:
                texts = format_values(values.values, own, context.locale)
            else:
                texts = _with_currencies(values.values, own, currencies, context.locale)
            pieces.append(_fault_texts(texts, values))
        except ExpressionError as error:
            return whole_fault(count, error)
    kind = _kind_of(template, computed)
    is_number, is_whole = (kind is not None and holds(kind) for holds in (is_numeric, _is_whole))
    texts = concatenated(pieces, count)
    return with_faults_marked(CellTexts(texts, is_number, is_whole=is_whole), {**_endless(texts), **faulty})


def _endless(texts: pa.StringArray | pa.DictionaryArray) -> dict[int, Fault]:
    """The texts that are too long to be broken into lines before one loses patience."""
    if texts.nbytes < LONGEST_TEXT:
        return {}
    lengths = pc.binary_length(decoded_texts(texts)).to_numpy(zero_copy_only=False)
    return {
        row: Fault(f"It is {lengths[row] / 1e6:,.1f} MB of text, and {LONGEST_TEXT // 1_000_000} MB is the most.")
        for row in np.flatnonzero(lengths > LONGEST_TEXT).tolist()
    }


def with_faults_marked(cell: CellTexts, faulty: Mapping[int, Fault]) -> CellTexts:
    """A cell's texts with those marked that cannot be computed."""
    if not faulty:
        return cell
    texts = as_array(cell.texts).to_pylist()
    for row, fault in faulty.items():
        texts[row] = FAULT_TEXT if fault.values is None else f"{FAULT_MARK} {fault.values:,} values"
    messages = tuple(dict.fromkeys(fault.message for fault in faulty.values()))
    return replace(cell, texts=pa.array(texts, pa.string()), faulty=frozenset(faulty), messages=messages)


def _fault_texts(texts: pa.Array, computed: Computed) -> pa.Array:
    """Texts with the words in place of single values."""
    if not computed.labels:
        return texts
    found = decoded_texts(texts).to_pylist()
    for row, word in computed.labels.items():
        found[row] = word
    return pa.array(found, pa.string())


def concatenated(pieces: list[pa.Array | pa.Scalar], count: int) -> pa.StringArray:
    """Texts put together, each from an array of texts or one text for all."""
    arrays = [piece for piece in pieces if not isinstance(piece, pa.Scalar)]
    if not arrays:
        return pa.repeat("".join(piece.as_py() for piece in pieces), count)
    return arrays[0] if len(pieces) == 1 else concat(*map(decoded_texts, pieces))


def with_suffix(cell: CellTexts, suffix: str) -> CellTexts:
    """A cell's texts with another text after each."""
    return replace(cell, texts=concat(decoded_texts(cell.texts), suffix), is_number=False, is_whole=False)


def as_array(texts: pa.StringArray | pa.DictionaryArray | LazyTexts) -> pa.StringArray | pa.DictionaryArray:
    """Texts, written now where they are not yet."""
    return texts.slice(0, len(texts)) if isinstance(texts, LazyTexts) else texts


def decoded_texts(texts: pa.Array | pa.Scalar | LazyTexts) -> pa.Array | pa.Scalar:
    """Texts of a dictionary, or such as are not written yet, as an array of their own."""
    texts = as_array(texts)
    return texts.dictionary_decode() if isinstance(texts, pa.DictionaryArray) else texts


def label_pattern(expression: str, values: pa.Array, are_keys: bool = False) -> str | None:
    """The pattern of whole numbers that are names, such as years and keys; none for all else."""
    named = _named_label_pattern(expression, values.type)
    if named is None and bare_column(expression) is not None and are_years(values, are_keys):
        return LABEL_PATTERN
    return named


def _named_label_pattern(expression: str, kind: pa.DataType) -> str | None:
    """The same by names alone, where only a part of the values is known."""
    return LABEL_PATTERN if pa.types.is_integer(kind) and is_label_number(expression) else None


def _kind_of(template: Template, computed: Mapping[str, Computed]) -> pa.DataType | None:
    """The engine's type of the one value that a template shows; None for all others."""
    if len(template) != 1 or not isinstance(template[0], Slot):
        return None
    return computed[template[0].expression.text].values.type


def _is_whole(kind: pa.DataType) -> bool:
    """Whether texts of values of an engine's type are never broken: numbers, dates and times."""
    return is_numeric(kind) or pa.types.is_temporal(kind)


def is_numeric(kind: pa.DataType) -> bool:
    """Whether values of an engine's type are numbers."""
    return bool(pa.types.is_integer(kind) or pa.types.is_floating(kind) or pa.types.is_decimal(kind))


def report_faults(cell: CellTexts, place: Place, context: LayoutContext) -> None:
    """Note a cell's faults as one finding: the first one's reason, and how many cells it marks."""
    if not cell.messages:
        return
    message = cell.messages[0].rstrip(".")

    def message_of(count: int) -> str:
        return f"{message} ({count:,} cells)." if count > 1 else ended(message)

    context.count("faulty cell", place, len(cell.faulty), message_of)
