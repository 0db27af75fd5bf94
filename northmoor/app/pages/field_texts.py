"""What is written of a field where one is chosen."""

from northmoor.app.language.translation import tr
from northmoor.core.authoring.queries.field_choices import FieldChoice
from northmoor.core.model.kinds.aggregates import TOTALS


def total_text(field: FieldChoice) -> str:
    """What the total of a field is called."""
    return tr("{total} of {field}").format(total=tr(TOTALS[field.total]), field=field.shown_name)
