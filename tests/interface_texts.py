"""All texts of the window: those that its code goes through `tr` with, those that the core's records hold for it, and
the sentences that the core writes.

`python -m tests.interface_texts` brings the catalogues up to date (as `scripts/texts` does): new texts are added without
a translation, those that are no longer used are dropped.
"""

from collections.abc import Iterator
from datetime import date
from pathlib import Path

import pyarrow as pa
from babel.messages.catalog import Catalog
from babel.messages.extract import extract_from_dir
from babel.messages.pofile import read_po, write_po

from northmoor import app
from northmoor.app.language.period_text import PERIOD_MARK, PERIOD_PHRASES
from northmoor.app.language.timetable_text import PHRASE_MARK, PHRASES
from northmoor.app.language.translation import CORE
from northmoor.app.widgets.property_editors import property_label
from northmoor.core.authoring.completions import COMPLETION_KINDS, COMPLETION_WORDS
from northmoor.core.authoring.derived_columns import DERIVED_COLUMNS
from northmoor.core.authoring.format_choices import format_choices
from northmoor.core.authoring.starters.block_starters import BLOCK_STARTERS
from northmoor.core.authoring.starters.report_layouts import REPORT_LAYOUTS
from northmoor.core.authoring.starters.starter_query import OPERATOR_WORDS
from northmoor.core.delivery.archive.run_record import RUN_STATES
from northmoor.core.delivery.destinations.destination import MailDestination
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.expr.function_help import FUNCTION_HELP
from northmoor.core.model.base import Part
from northmoor.core.model.blocks.block_types import BLOCK_TYPES
from northmoor.core.model.data.connections import CONNECTION_KINDS
from northmoor.core.model.edits import TABLE_LOOKS
from northmoor.core.model.kinds.aggregates import TOTALS
from northmoor.core.model.kinds.mark_types import MARK_TYPES
from northmoor.core.model.kinds.output_formats import FORMAT_OF_SUFFIX
from northmoor.core.model.kinds.signal_natures import SIGNAL_NATURES
from northmoor.core.model.kinds.signal_statistics import SIGNAL_STATISTICS
from northmoor.core.model.kinds.value_kinds import VALUE_KINDS
from northmoor.core.sources.builder.computing import DATE_PARTS, TEXT_FORMS, WINDOW_FORMS
from tests.core_sentences import core_sentences

Text = str | tuple[str, str]
"""A text, or what it is about one thing and about many."""
WINDOW = Path(app.__file__).parent
CATALOGUES = WINDOW / "language"
_KEYWORDS = {"tr": None, "tr_count": (2, 3)}
_NAMES_SHOWN = ("header", "footer", "top", "right", "bottom", "left", "and", "or", "first", "last")
"""Names in reports and queries that are words of the window as well."""
_DAYS = [date(2024, month, 1) for month in range(1, 13)] + [date(2024, 1, day) for day in range(1, 8)]
"""Days of all names of months and of weekdays."""
_MODEL = "northmoor.core.model."
_WITH_FORMS = (
    *(f"{_MODEL}{name}" for name in ("blocks", "pages", "styles", "report", "output_options", "data.connections")),
    StandingOrder.__module__,
    MailDestination.__module__,
)
"""Where the parts are whose properties a form shows."""
_FORMATTED = (pa.bool_(), pa.timestamp("us"), pa.date32(), pa.time64("us"), pa.int64(), pa.string())


def interface_texts() -> list[Text]:
    """Every text once, in the order of the code."""
    written = (message for _, _, message, _, _ in extract_from_dir(WINDOW, keywords=_KEYWORDS))
    return list(dict.fromkeys([*written, *_labels(), *sorted(_of_properties())]))


def _labels() -> Iterator[str]:
    """What the core's records are called in the window."""
    labelled = (*BLOCK_TYPES, *MARK_TYPES, *VALUE_KINDS, *DERIVED_COLUMNS, *SIGNAL_STATISTICS, *SIGNAL_NATURES)
    yield from (each.label for each in (*labelled, *FORMAT_OF_SUFFIX.values(), *BLOCK_STARTERS.values()))
    yield from (nature.help for nature in SIGNAL_NATURES)
    yield from (role for starter in BLOCK_STARTERS.values() for role in starter.roles.values())
    yield from (text for layout in REPORT_LAYOUTS for text in (layout.name, layout.needs))
    yield from (each.help for each in DERIVED_COLUMNS)
    yield from (f"{PHRASE_MARK}{phrase}" for phrase in (*PHRASES, "nth"))
    yield from (f"{PERIOD_MARK}{phrase}" for phrase in PERIOD_PHRASES)
    yield from (text for kind in CONNECTION_KINDS for text in (kind.choice_label or kind.label, kind.tag))
    yield from (look.title for look in TABLE_LOOKS.values())
    yield from (*TOTALS.values(), *OPERATOR_WORDS.values(), *RUN_STATES.values(), *_NAMES_SHOWN)
    yield from (*COMPLETION_KINDS, *COMPLETION_WORDS, *(each.sentence for each in FUNCTION_HELP.values()))
    yield from (*DATE_PARTS.values(), *TEXT_FORMS.values(), *WINDOW_FORMS.values())
    yield from (f"{day:{name}}" for day in _DAYS for name in ("%a", "%b", "%B"))
    for kind in _FORMATTED:
        yield from (text for choice in format_choices(kind, "en_IE") for text in (choice.label, choice.group) if text)


def _of_properties() -> Iterator[str]:
    """Names and help of the properties of all parts of a report."""
    for kind in _below(Part):
        if kind.__module__.startswith(_WITH_FORMS):
            for field in kind.model_fields:
                yield from filter(None, (property_label(field, kind), kind.help_of(field)))


def _below(kind: type[Part]) -> Iterator[type[Part]]:
    for each in kind.__subclasses__():
        yield each
        yield from _below(each)


def update(catalogue: Path) -> None:
    """Write a catalogue with the translations that it has, of the texts that there are."""
    with catalogue.open("rb") as file:
        known = {(entry.id, entry.context): entry.string for entry in read_po(file)}
    made = Catalog(locale=catalogue.stem)
    for text in interface_texts():
        made.add(text, known.get((text, None), ("", "") if isinstance(text, tuple) else ""))
    for sentence in core_sentences():
        made.add(sentence, known.get((sentence, CORE), ""), context=CORE)
    with catalogue.open("wb") as file:
        write_po(file, made, width=0, omit_header=True)


if __name__ == "__main__":
    for found in sorted(CATALOGUES.glob("*.po")):
        update(found)
