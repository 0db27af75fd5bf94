"""When an order makes runs, in words."""

from northmoor.core.base.phrases import phrase
from northmoor.core.delivery.orders.timetable import Timetable
from northmoor.core.delivery.orders.timetable_words import timetable_words
from northmoor.core.delivery.orders.triggers import AfterOrder, FileArrives, QueryAnswers, SpanEnds, Trigger


def when_words(when: Trigger) -> str:
    """A trigger in words."""
    if isinstance(when, Timetable):
        return timetable_words(when)
    if isinstance(when, SpanEnds):
        what = when.spans.by or when.spans.condition or "a span"
        return phrase(f"when {what.removesuffix('_id').replace('_', ' ')} ends in {when.spans.log}")
    if isinstance(when, FileArrives):
        if when.on == "both":
            return phrase(f"when {when.pattern} arrives or changes in {when.folder}")
        if when.on == "arrives":
            return phrase(f"when {when.pattern} arrives in {when.folder}")
        return phrase(f"when {when.pattern} changes in {when.folder}")
    if isinstance(when, QueryAnswers):
        if when.on == "changes":
            return phrase(f"when {when.query} changes")
        return phrase(f"when {when.query} gets rows")
    if isinstance(when, AfterOrder):
        return phrase(f"after {when.order}")
    return phrase("when it is called")
