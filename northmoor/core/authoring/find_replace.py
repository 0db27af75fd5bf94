"""Finding and replacing across a report: any text of it, or a field wherever expressions name it."""

import re
from collections.abc import Sequence

from msgspec import Struct

from northmoor.core.analysis.references import column_spans, in_slots, with_ranges_replaced
from northmoor.core.analysis.report_texts import ReportText, texts_of, with_texts
from northmoor.core.model.report import Report


class SearchTerm(Struct, frozen=True):
    """What is looked for: a text anywhere, or a field (of a query, or of any) where expressions name it."""

    text: str
    is_field: bool = False
    query: str | None = None
    match_case: bool = False


def find_occurrences(report: Report, wanted: SearchTerm) -> list[ReportText]:
    """Every property that has what is wanted, in the order of the report; queries' own texts come first."""
    if not wanted.text:
        return []
    return [found for found in texts_of(report) if _changed(found, wanted, wanted.text + "\0") is not None]


def replace_occurrences(report: Report, wanted: SearchTerm, by: str, chosen: Sequence[ReportText]) -> Report:
    """The report with what is wanted replaced in some occurrences. Raises ValidationError where that cannot be."""
    changes = {found.path: new for found in chosen if (new := _changed(found, wanted, by)) is not None}
    made: Report = with_texts(report, changes)
    return made


def _changed(found: ReportText, wanted: SearchTerm, by: str) -> str | None:
    """The text with what is wanted replaced; none where it has none of it."""
    if wanted.is_field:
        new = _with_field(found, wanted, by)
    elif found.kind == "reference":
        return None
    else:
        flags = 0 if wanted.match_case else re.IGNORECASE
        new = re.sub(re.escape(wanted.text), lambda _: by, found.text, flags=flags)
    return None if new == found.text else new


def _with_field(found: ReportText, wanted: SearchTerm, by: str) -> str:
    owner = found.scope.query

    def rewrite(text: str) -> str:
        return with_ranges_replaced(text, column_spans(text, wanted.text, wanted.query, owner), by)

    if found.kind == "reference":
        is_own = wanted.query in (None, owner) and found.text.lower() == wanted.text.lower()
        return by if is_own and found.field in ("own", "name") else found.text
    if found.kind == "expression":
        return rewrite(found.text)
    return in_slots(found.text, rewrite) if found.kind == "template" else found.text
