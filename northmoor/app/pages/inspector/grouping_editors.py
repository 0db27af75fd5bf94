"""What a level's form offers for dates and numbers: the periods of the one, ranges of the other."""

from collections.abc import Callable, Mapping

from northmoor.app.document_controller import ReportEdit
from northmoor.app.language.translation import tr
from northmoor.app.pages.inspector.form import InspectorForm
from northmoor.app.pages.inspector.form_rows import choice_row, line_row
from northmoor.app.widgets.property_editors import PERIOD_NAMES
from northmoor.core.expr.binning import PERIODS, in_period, in_ranges, period_of, range_of
from northmoor.core.expr.language import bare_column
from northmoor.core.model.kinds.value_kinds import KIND_OF_NAME, KindName


def show_period(form: InspectorForm, kinds: Mapping[str, KindName], by: str, choose: Callable[[str], object]) -> None:
    """Offer the periods of a date."""
    period, inner = period_of(by)
    kind = kinds.get(bare_column(inner) or "", "text")
    if period == "value" and not KIND_OF_NAME[kind].is_moment:
        return
    names = {name: PERIOD_NAMES[name] for name in PERIODS if name != "hour" or kind != "date"}
    tip = tr("The period of the date that makes a group")
    form.labelled(tr("Period"), choice_row("period", names, period, choose, tip))


def show_range(
    form: InspectorForm, kinds: Mapping[str, KindName], by: str, choose: Callable[[str | None], object]
) -> None:
    """Offer ranges of a number."""
    size, inner = range_of(by)
    if size is None and not KIND_OF_NAME[kinds.get(bare_column(inner) or "", "text")].is_number:
        return
    tip = tr("How wide a range of numbers is that makes a group, such as 100")
    row = line_row("range", size or "", lambda text: choose(text.strip() or None), tip, tr("each number"))
    form.labelled(tr("Range width"), row)


def show_regrouping(
    form: InspectorForm, kinds: Mapping[str, KindName], by: str, change: Callable[..., ReportEdit]
) -> None:
    """Offer the periods of a date, or ranges of a number, for a grouping whose format follows from the period."""

    def to_period(period: str) -> None:
        form.edit(tr("Change the period"), change(by=in_period(by, period), format=PERIODS[period]))

    def to_ranges(size: str | None) -> None:
        form.edit(tr("Change the range"), lambda r, e: change(by=in_ranges(by, size))(r, e))

    show_period(form, kinds, by, to_period)
    show_range(form, kinds, by, to_ranges)
