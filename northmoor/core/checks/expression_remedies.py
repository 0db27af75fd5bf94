"""What puts an expression right, where a finding says that it cannot be computed."""

from collections.abc import Iterator
from functools import partial

from northmoor.core.analysis.report_texts import PropertyPath, texts_of, with_texts
from northmoor.core.authoring.expression_check import check_expression, known_names
from northmoor.core.base.replace import replace
from northmoor.core.document import Document
from northmoor.core.model.findings import Finding, Remedy

RULES_OF_EXPRESSIONS = frozenset({"faulty cell", "faulty block", "faulty condition", "undecided"})
"""Findings of expressions that cannot be computed."""
_LONGEST = 40


def with_expression_remedies(finding: Finding, document: Document) -> Finding:
    """The finding with what was probably meant; as it is where it is about something else, or nothing is near."""
    if finding.rule not in RULES_OF_EXPRESSIONS or finding.place.block is None:
        return finding
    meant = dict(_corrections(finding, document))
    if not meant:
        return finding
    first = next(iter(meant.values()))
    shown = first if len(first) <= _LONGEST else f"{first[: _LONGEST - 1]}…"
    remedy = Remedy(f"Correct: {shown}", partial(with_texts, changes=meant))
    return replace(finding, remedies=(*finding.remedies, remedy))


def _corrections(finding: Finding, document: Document) -> Iterator[tuple[PropertyPath, str]]:
    """The texts of the finding's block with a fault that it names, and what they should be."""
    for text in texts_of(document.report):
        if (text.scope.edition, text.scope.block) != (document.edition.name, finding.place.block):
            continue
        if text.kind not in ("expression", "template"):
            continue
        rows = document.rows.get(text.scope.query or "")
        kinds = {} if rows is None else {name: own.kind for name, own in zip(rows.names, rows.types, strict=True)}
        fault = check_expression(text.text, known_names(document.report, kinds), text.kind == "template")
        if fault is None or fault.corrected is None:
            continue
        if text.text[fault.position : fault.position + fault.length].strip('"') in finding.message:
            yield text.path, fault.corrected
