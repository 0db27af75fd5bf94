"""When an order makes runs, in words."""

from northmoor.core.delivery.orders.timetable import Timetable
from northmoor.core.delivery.orders.timetable_words import timetable_words
from northmoor.core.delivery.orders.triggers import AfterOrder, FileArrives, QueryAnswers, SpanEnds, Trigger


def when_words(when: Trigger) -> str:
    """A trigger in words."""
    if isinstance(when, Timetable):
        return timetable_words(when)
    if isinstance(when, SpanEnds):
        what = when.spans.by or when.spans.condition or "a span"
        return f"when {what.removesuffix('_id').replace('_', ' ')} ends in {when.spans.log}"
    if isinstance(when, FileArrives):
        verb = {"arrives": "arrives", "changes": "changes", "both": "arrives or changes"}[when.on]
        return f"when {when.pattern} {verb} in {when.folder}"
    if isinstance(when, QueryAnswers):
        return f"when {when.query} {'changes' if when.on == 'changes' else 'gets rows'}"
    if isinstance(when, AfterOrder):
        return f"after {when.order}"
    return "when it is called"
