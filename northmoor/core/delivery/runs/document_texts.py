"""Templates and conditions over a whole document: names of files, subjects of mails, whether a run is worth sending."""

from northmoor.core.base.cancellation import CancelToken
from northmoor.core.compute.evaluate.per_page import PER_PAGE, compute_page_expressions
from northmoor.core.document import Document
from northmoor.core.errors import ExpressionError, OutputError
from northmoor.core.expr.formats import FormatLocale, format_one
from northmoor.core.expr.templates import Slot, parse_template


def document_text(document: Document, template: str, stop: CancelToken) -> str:
    """What a template says of a document. Raises OutputError, which names the template."""
    try:
        parts = parse_template(template)
    except ExpressionError as error:
        raise OutputError(f"The template {template[:80]!r} is not complete: {error.message}") from error
    slots = [part for part in parts if isinstance(part, Slot)]
    values = _computed(document, [slot.expression.text for slot in slots], template, stop)
    report = document.report
    locale = FormatLocale(report.locale, report.currency, report.time_zone)
    return "".join(
        format_one(values[part.expression.text], part.pattern, locale) if isinstance(part, Slot) else part
        for part in parts
    )


def condition_holds(document: Document, expression: str, stop: CancelToken) -> bool:
    """Whether a condition is true of a document. Raises OutputError where it is neither true nor false."""
    found = _computed(document, [expression], expression, stop)[expression]
    if not isinstance(found, bool):
        raise OutputError(f"The condition {expression!r} is {found}, neither true nor false; write a comparison.")
    return found


def _computed(document: Document, wanted: list[str], text: str, stop: CancelToken) -> dict[str, object]:
    if not wanted:
        return {}
    values = document.values
    own = {**PER_PAGE, **values.of_document}
    computed = compute_page_expressions(list(dict.fromkeys(wanted)), document.rows, values, own, (1,), (1,), stop)
    for each in computed.values():
        fault = each.fault or next(iter(each.faults.values()), None)
        if fault is not None:
            raise OutputError(f"{text[:80]!r} cannot be computed: {getattr(fault, 'message', fault)}")
    return {name: each.values[0].as_py() for name, each in computed.items()}
