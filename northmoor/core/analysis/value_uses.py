"""Which parameters and computed values a report uses beside its queries."""

import re

from northmoor.core.model.parameters import FromExpression
from northmoor.core.model.report import Report


def value_names_used(report: Report) -> frozenset[str]:
    """Names of values that editions, defaults and computed values use, beside those that queries do."""
    texts = [edition.model_dump_json() for edition in report.editions]
    texts += [value.model_dump_json() for value in report.named_values]
    texts += [p.default.expression for p in report.parameters if isinstance(p.default, FromExpression)]
    text = " ".join([*texts, report.shown_edition or ""])
    names = {*report.value_names, *(p.name for p in report.parameters)}
    return frozenset(name for name in names if re.search(rf":{name}\b", text))
