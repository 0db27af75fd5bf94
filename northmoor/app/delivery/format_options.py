"""The choices of formats, in words."""

from collections.abc import Sequence

from northmoor.app.delivery.part_form import Changed, PartForm, PropertyWords
from northmoor.app.language.translation import tr
from northmoor.core.model.output_options import OutputOptions

FORMAT_WORDS = {
    "tagged": PropertyWords(tr("Accessible (tagged)")),
    "archive": PropertyWords(
        tr("Archiving"),
        {"no": tr("As any PDF"), "pages": tr("For an archive (PDF/A)"), "pages_and_data": tr("With its rows (PDF/A)")},
    ),
    "allowed": PropertyWords(
        tr("Permissions"),
        {
            "everything": tr("Do everything"),
            "no_changes": tr("Print and copy"),
            "printing": tr("Print only"),
            "reading": tr("Read only"),
        },
    ),
    "password": PropertyWords(tr("Password"), empty=tr("none, or the name of one")),
    "sheets": PropertyWords(tr("Sheets"), {"as_seen": tr("As on the pages"), "rows": tr("The rows of the queries")}),
    "sheet_for": PropertyWords(
        tr("A sheet for"),
        {
            "edition": tr("All together"),
            "block": tr("Each table"),
            "record": tr("Each record, or page break between blocks"),
            "group": tr("Each group of a table"),
        },
    ),
    "columns": PropertyWords(tr("Rows"), {"as_seen": tr("Cells, with totals"), "rows": tr("The rows of the queries")}),
    "numbers": PropertyWords(tr("Numbers"), {"exact": tr("Exact"), "printed": tr("As printed")}),
    "resolution": PropertyWords(tr("Pixels per inch")),
    "colors": PropertyWords(
        tr("Colours"), {"color": tr("Colour"), "gray": tr("Greyscale"), "black": tr("Black and white")}
    ),
    "quality": PropertyWords(tr("Quality")),
    "glyphs": PropertyWords(tr("Texts"), {"text": tr("Texts, with their fonts"), "outlines": tr("Outlines")}),
    "interactive": PropertyWords(tr("Collapsible groups")),
}
"""The choices, by their names."""


class FormatOptions(PartForm):
    """The choices of some formats."""

    def __init__(self, options: OutputOptions, names: Sequence[str], changed: Changed) -> None:
        words = {name: FORMAT_WORDS[name] for name in names}
        super().__init__(OutputOptions, {name: getattr(options, name) for name in names}, words, changed)
