"""Preflight: what should be looked at before a report goes out.

Rules are small functions in one list; each looks at a rendered document and yields findings. What went wrong while the
document was made is found by the stages themselves and comes first.
"""

from collections.abc import Callable, Iterator
from difflib import get_close_matches

from northmoor.core.document import Document
from northmoor.core.errors import Place
from northmoor.core.layout.context import Finding

Rule = Callable[[Document], Iterator[Finding]]


def preflight(document: Document) -> tuple[Finding, ...]:
    """All findings about a document, each once."""
    found = [*document.findings]
    for rule in RULES:
        found += [finding for finding in rule(document) if finding not in found]
    return tuple(found)


def unused_parameters(document: Document) -> Iterator[Finding]:
    """Parameters that can be changed and nothing happens, because nothing uses them."""
    report = document.report
    used = _parameters_used(document)
    for parameter in report.parameters:
        if parameter.name not in used:
            near = get_close_matches(parameter.name, [c.name for q in report.queries for c in q.columns], 1)
            hint = f"; {near[0]} = :{parameter.name} in a where clause would" if near else ""
            message = f"Nothing uses it{hint}. Use it as :{parameter.name}, or take it out."
            yield Finding("unused parameter", Place(parameter=parameter.name), message, is_error=False)


def missing_characters(document: Document) -> Iterator[Finding]:
    """Characters that no shipped font has; they print as an empty box."""
    missing = document.missing_characters()
    if missing:
        message = f"No font has a glyph for {' '.join(missing[:12])}; an empty box is printed. Replace it in the data."
        yield Finding("missing character", Place(), message, is_error=False)


def empty_queries(document: Document) -> Iterator[Finding]:
    """Queries that returned no row for these values."""
    chosen = ", ".join(f"{name} = {label}" for name, label in document.values.labels.items())
    for name, rows in document.rows.items():
        if rows.table.num_rows == 0:
            for_values = f" for {chosen}" if chosen else ""
            message = f"It returns no rows{for_values}; the pages show heads and totals only."
            yield Finding("no rows", Place(query=name), message, is_error=False)


def data_notes(document: Document) -> Iterator[Finding]:
    """What was noticed about the data while they were read, such as saved rows that stand in for a connection."""
    for name, rows in document.rows.items():
        for note in rows.notes:
            yield Finding("data note", Place(query=name), note, is_error=False)


RULES: tuple[Rule, ...] = (unused_parameters, missing_characters, empty_queries, data_notes)


def _parameters_used(document: Document) -> frozenset[str]:
    text = "".join(edition.model_dump_json() for edition in document.report.editions)
    written = {p.name for p in document.report.parameters if f":{p.name}" in text}
    return document.parameters_bound | written
