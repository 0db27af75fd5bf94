"""The choices of formats, in words."""

from collections.abc import Sequence

from northmoor.app.delivery.part_form import Changed, PartForm, PropertyWords
from northmoor.core.model.output_options import OutputOptions

FORMAT_WORDS = {
    "tagged": PropertyWords("Can be read aloud"),
    "archive": PropertyWords(
        "To be kept",
        {"no": "As any PDF", "pages": "For an archive (PDF/A)", "pages_and_data": "With its rows (PDF/A)"},
    ),
    "allowed": PropertyWords(
        "Readers may",
        {
            "everything": "Do everything", "no_changes": "Print and copy", "printing": "Print only",
            "reading": "Read only",
        },
    ),
    "password": PropertyWords("Password", empty="none, or the name of one"),
    "sheets": PropertyWords("Sheets", {"as_seen": "As on the pages", "rows": "The rows of the queries"}),
    "sheet_for": PropertyWords(
        "A sheet for",
        {"edition": "All together", "block": "Each table", "group": "Each page break between blocks"},
    ),
    "columns": PropertyWords("Rows", {"as_seen": "Cells, with totals", "rows": "The rows of the queries"}),
    "numbers": PropertyWords("Numbers", {"exact": "Exact", "printed": "As printed"}),
    "resolution": PropertyWords("Pixels an inch"),
    "colors": PropertyWords("Colours", {"color": "Colour", "gray": "Grays", "black": "Black and white"}),
    "quality": PropertyWords("Quality"),
    "glyphs": PropertyWords("Texts", {"text": "Texts, with their fonts", "outlines": "Outlines"}),
    "interactive": PropertyWords("Groups open and close"),
}  # fmt: skip
"""The choices, by their names."""


class FormatOptions(PartForm):
    """The choices of some formats."""

    def __init__(self, options: OutputOptions, names: Sequence[str], changed: Changed) -> None:
        words = {name: FORMAT_WORDS[name] for name in names}
        super().__init__(OutputOptions, {name: getattr(options, name) for name in names}, words, changed)
