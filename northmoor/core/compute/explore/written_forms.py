"""How the texts of a column are written: their forms, such as ``AA-99`` for *TQ-12*, among which a slip is seen."""

import numpy as np
import pyarrow as pa
import pyarrow.compute as pc
from msgspec import Struct

from northmoor.core.base.arrays import Bools

MOST_FORMS = 8
MOST_KEPT_TEXTS = 100
_LETTERS = ((r"[\p{Ll}\p{Lt}\p{Lm}\p{Lo}]+", "a…"), (r"\p{Lu}", "A"), (r"\p{Nd}", "9"), (r"^\s+|\s+$", "␣"))
_RUNS = ((r"A{2,}", "A…"), (r"9{2,}", "9…"))


class WrittenForm(Struct, frozen=True):
    """A form that texts have: ``A`` is a capital, ``a…`` other letters, ``9`` a digit, ``…`` more of the same, ``␣``
    blanks at an end; all else is as it is. With one text of the form, and how many rows have it.

    `values` are all its texts, None where there are more than `MOST_KEPT_TEXTS`; `rest` is true of the last, which is
    all forms that are not named by themselves.
    """

    form: str
    example: str
    count: int
    values: tuple[str, ...] | None
    rest: bool = False


def written_forms(values: pa.Array, counts: pa.Array) -> tuple[WrittenForm, ...]:
    """The forms of distinct texts, each of which so many rows have, the commonest first. How many capitals and digits
    there are counts as long as there are few forms, up to `MOST_FORMS`. None where most texts, such as sentences, have
    a form of their own."""
    known = pc.is_valid(values)
    values, counts = values.filter(known), counts.filter(known)
    if not len(values):
        return ()
    forms = _replaced(values, _LETTERS)
    if pc.count_distinct(forms).as_py() > MOST_FORMS:
        forms = _replaced(forms, _RUNS)
    encoded = forms.dictionary_encode()
    codes = encoded.indices.to_numpy(zero_copy_only=False)
    weights = counts.to_numpy(zero_copy_only=False)
    rows = np.bincount(codes, weights).astype(np.int64)
    order = np.argsort(-rows, kind="stable")
    named = order if len(order) <= MOST_FORMS else order[: MOST_FORMS - 1]
    if 2 * rows[named].sum() < rows.sum():
        return ()
    found = [_form(encoded.dictionary[int(code)].as_py(), values, codes == code, int(rows[code])) for code in named]
    left = ~np.isin(codes, named)
    if left.any():
        found.append(_form("", values, left, int(weights[left].sum()), rest=True))
    return tuple(found)


def _replaced(texts: pa.Array, steps: tuple[tuple[str, str], ...]) -> pa.Array:
    for pattern, by in steps:
        texts = pc.replace_substring_regex(texts, pattern, by)
    return texts


def _form(form: str, values: pa.Array, has_it: Bools, count: int, rest: bool = False) -> WrittenForm:
    own = values.filter(pa.array(has_it))
    kept = tuple(own.to_pylist()) if len(own) <= MOST_KEPT_TEXTS else None
    return WrittenForm(form, own[0].as_py(), count, kept, rest)
