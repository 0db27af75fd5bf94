"""Editors for single properties, made from the model's own declarations: type, limits and help come from there."""

import types
import typing
from typing import Any

from pydantic.fields import FieldInfo
from PyQt6.QtWidgets import QWidget

from northmoor.app.widgets.color_editor import ColorEditor
from northmoor.app.widgets.picture_choices import PICTURED, PictureEditor
from northmoor.app.widgets.suggestions import SUGGESTED, SuggestionCompleter
from northmoor.app.widgets.value_editors import (
    ChoiceEditor,
    Commit,
    LengthEditor,
    LineEditor,
    NumberEditor,
    SwitchEditor,
    TextEditor,
)
from northmoor.core.model.base import Part
from northmoor.core.model.kinds.aggregates import NO_TOTAL, TOTALS
from northmoor.core.model.kinds.mark_types import MARK_TYPES
from northmoor.core.model.lengths import format_length, in_millimetres

NAMES = {
    "by": "Group by", "value": "Value", "rows_after_heading": "Rows with heading", "size": "Size",
    "rows_before_total": "Rows with total", "largest_gap": "Largest gap",
    "keep_together": "Keep together", "repeat_heading": "Repeat heading",
    "restart_page_number": "Restart numbers", "show_details": "Show rows", "repeat_head": "Repeat titles",
    "head_style": "Title style", "space_after": "Space after", "rule_above": "Top border",
    "rule_below": "Bottom border", "rule_color": "Border colour", "color": "Colour", "margin_top": "Top margin",
    "margin_right": "Right margin", "margin_bottom": "Bottom margin", "margin_left": "Left margin",
    "format": "Format", "visible": "Visible if", "when_empty": "If empty", "rows_per_page": "Rows per page",
    "shown_edition": "Edition shown", "listed": "Listed first", "when_wide": "When too wide",
    "folded": "Printed collapsed to", "repeat_across": "Repeat across", "others": "Others",
    "parent": "Parent", "indent": "Indent", "overflow": "When too wide", "rule_left": "Left border",
    "rule_right": "Right border", "rule_dash": "Border line", "based_on": "Based on", "low": "Minimum",
    "middle": "Middle", "high": "Maximum", "least": "From", "greatest": "To", "negative": "Below zero",
    "link": "Link to", "description": "In words", "anchor": "Link target",
    "when_null": "If missing", "when_zero": "If zero",
    "blank_repeats": "Hide repeated values", "order_by": "Sort by", "first_groups": "First groups",
    "keep_groups": "Group filter", "keep_rows": "Row filter", "count_ways": "Count parents",
    "show_head": "Column titles", "title": "Title", "padding": "Vertical padding", "inset": "Horizontal padding",
    "page_break": "Page break", "odd_page": "Start on odd page", "foot_of_page": "Totals at foot",
    "on": "On pages", "stepped": "Groups in one column", "members": "All groups from", "subtotal": "Subtotal",
    "subtotal_text": "Label", "row_total": "Total row", "row_total_text": "Label", "column_total": "Total column",
    "column_total_text": "Label", "totals": "Totals", "scale_over": "Compared over", "measures_stand": "Values in",
    "show_measures": "Value titles", "no_rows": "Text without rows", "sheets": "Page order",
    "smallest": "Smallest scale", "break_words": "Break words", "even_widths": "Equal widths", "draw": "Display as",
    "stack": "Series", "gap": "Space between", "lines": "Line shape", "gaps": "Missing values", "markers": "Markers",
    "places": "Category position", "along": "Position by", "bubble": "Bubble size by", "hole": "Hole",
    "bins": "Range width", "heat_low": "Lowest colour", "heat_high": "Highest colour", "labels": "Value labels",
    "label_text": "Label text", "legend": "Legend", "patterns": "Pattern fills", "title_style": "Title style",
    "columns": "Side by side", "height": "Height", "width": "Width", "scale": "Scale", "grid": "Grid lines",
    "shown": "Shown", "at": "At", "until": "Until", "axis": "Axis", "error_low": "Error from",
    "error_high": "Error to", "average": "Moving average", "trend": "Trend", "column_gap": "Column spacing",
    "row_gap": "Row spacing", "fill_first": "Fill order", "turned": "Diagonal", "fit": "Fitting",
    "crop_left": "Crop left", "crop_top": "Crop top", "crop_right": "Crop right", "crop_bottom": "Crop bottom",
    "file": "File", "marker": "List marker", "leader": "Leader", "by_content": "Fit to content", "x": "From the left",
    "y": "From the top", "when_full": "When full", "step": "Steps", "guides_across": "Vertical guides",
    "guides_down": "Horizontal guides", "locked": "Locked", "group": "Group", "key_style": "Group style",
    "total_style": "Total style", "stands": "Position", "turn": "Rotation", "span": "Columns", "rows": "Rows",
}  # fmt: skip
PERIOD_NAMES = {
    "value": "Each value", "year": "Year", "quarter": "Quarter", "month": "Month", "week": "Week", "day": "Day",
    "shift": "Shift of 8 hours", "hour": "Hour",
}  # fmt: skip
_SIDES = {"none": "None", "before": "Before", "after": "After"}
CHOICES = {
    "page_break": {
        "none": "Never",
        "between": "Between groups",
        "column": "In the next column or label",
        "before": "Before each group",
        "after": "After each group",
    },
    "without_rows": {"printed": "Show", "left_out": "Hide"},
    "background_on": {"every": "Every page", "first": "First pages", "later": "Later pages"},
    "on": {
        "every": "Every page",
        "first": "The first page",
        "later": "Later pages",
        "any": "Any page",
        "column": "The next column or label",
        "odd": "Odd pages",
        "even": "Even pages",
        "last": "The last page",
    },
    "difference": {"share": "As a share", "amount": "As an amount"},
    "good": {"more": "More", "less": "Less", "neither": "Neither"},
    "order": {"ascending": "Ascending", "descending": "Descending", "as_given": "As in the data"},
    "align": {"start": "Left", "center": "Centre", "end": "Right", "decimal": "Decimal"},
    "total": {**TOTALS, NO_TOTAL: "Nothing"},
    "turn": {"none": "None", "up": "90° upward", "down": "90° downward"},
    "break_words": {"never": "Never", "hyphenate": "Hyphenate", "anywhere": "Anywhere"},
    "overflow": {"wrap": "Wrap", "cut": "Truncate with …", "shrink": "Shrink to fit"},
    "rule_dash": {"solid": "Solid", "dashed": "Dashed", "dotted": "Dotted"},
    "stands": {
        "top": "At the top",
        "middle": "In the middle",
        "bottom": "At the bottom",
        "before": "Before its group",
        "after": "After its group",
    },
    "when_wide": {"narrow": "Fit columns", "across": "More pages", "shrink": "Scale to fit"},
    "fill": {
        "none": "As in the data",
        "data": "All values",
        "period": "Whole period",
        "list": "As listed",
    },
    "draw": {
        "line": "Line",
        "rectangle": "Rectangle",
        "ellipse": "Ellipse",
        "qr": "QR code",
        "barcode": "Barcode",
        **{mark.name: mark.label for mark in MARK_TYPES},
    },
    "stack": {"none": "Side by side", "values": "Stacked", "shares": "100 % stacked"},
    "lines": {"straight": "Straight", "steps": "In steps", "held": "Hold until next", "smooth": "Smooth"},
    "gaps": {"keep": "Leave gaps", "bridge": "Connect across"},
    "places": {"scale": "To scale", "even": "Evenly spaced"},
    "labels": {"none": "None", "inside": "Inside", "outside": "Outside"},
    "legend": {"none": "None", "above": "Above", "below": "Below", "right": "Right", "direct": "At the marks"},
    "scale": {"linear": "Linear", "log": "Logarithmic"},
    "axis": {"first": "First", "second": "Second", "across": "Across"},
    "subtotal": _SIDES,
    "row_total": _SIDES,
    "column_total": _SIDES,
    "fill_first": {"down": "Column by column", "across": "Row by row"},
    "trend_drawn": {"spark": "A line", "columns": "Columns"},
    "lists": {"contents": "Headings, records, groups", "captions": "Captions"},
    "listed": {"none": "No", "contents": "As a heading", "captions": "As a caption"},
    "fit": {"whole": "Fit inside", "fill": "Fill and crop", "stretch": "Stretch"},
    "marker": {"none": "None", "bullet": "Bullet", "dash": "Dash", "number": "Number"},
    "leader": {"none": "Nothing", "dots": "Dots"},
    "when_full": {"grow": "Grow", "cut": "Cut off"},
    "totals": {"both": "All", "rows": "Total rows", "columns": "Total columns", "none": "None"},
    "scale_over": {"all": "All cells", "row": "Each row", "column": "Each column"},
    "measures_stand": {"across": "Columns", "down": "Rows"},
    "sheets": {"across": "Side by side first", "down": "Downward first"},
    "orientation": {"portrait": "Portrait", "landscape": "Landscape"},
}
RARE = frozenset({
    "anchor", "when_zero", "when_null", "currency", "repeat_across", "break_words", "rule_dash", "rule_left",
    "rule_right", "turn", "rows_after_heading", "rows_before_total", "largest_gap", "odd_page", "bookmark",
    "indent", "parent", "count_ways", "members", "smallest", "even_widths", "error_low", "error_high", "average",
    "crop_left", "crop_top", "crop_right", "crop_bottom", "label_text", "along", "guides_across", "guides_down", "step",
    "author", "subject", "keywords",
    "foot_of_page", "others", "listed", "no_rows", "continued", "sheets", "until", "rows_per_page", "overflow",
})  # fmt: skip
"""Properties that are shown only with all others while they have no value of their own."""
_CODE = {
    "against",
    "value",
    "by",
    "format",
    "visible",
    "rows_per_page",
    "order_by",
    "first_groups",
    "keep_groups",
    "keep_rows",
    "parent",
    "currency",
    "shown_edition",
    "members",
    "along",
    "bubble",
    "at",
    "until",
    "error_low",
    "error_high",
}
_LONG = {"text"}
_UNSET = {
    "background": "none", "guides_across": "none, such as 20, 90", "guides_down": "none, such as 20, 90",
    "group": "none", "of": "the report", "trend": "nothing",
    "against": "nothing", "bookmark": "none", "fill": "none", "stroke": "none", "width": "all there is",
    "format": "automatic", "visible": "always", "rows_per_page": "as many as fit", "first_groups": "all",
    "keep_groups": "all", "keep_rows": "all", "order_by": "their key", "when_empty": "a sentence that names the values",
    "listed": "none, in order with commas", "others": "left out", "currency": "the report's",
    "parent": "no tree", "least": "the smallest shown",
    "greatest": "the largest shown", "continued": "nothing", "link": "nothing", "anchor": "none",
    "description": "not given", "file_name": "by the title and its number", "address": "none", "listed_total": "none",
    "members": "the rows", "no_rows": "nothing", "along": "their categories", "bubble": "all alike",
    "bins": "by the data", "label_text": "the value", "until": "none", "error_low": "none", "error_high": "none",
    "average": "none", "columns": "by the room",
    "when_null": "nothing", "when_zero": "as it is", "shown_edition": "the first",
}  # fmt: skip


_UNSET_CHOICES = {
    "stands": "Automatic", "align": "By the value", "total": "Not set", "draw": "As the chart",
    "orientation": "Unchanged",
}  # fmt: skip


_NAMES_IN = {
    ("PictureBlock", "value"): "Or from column", ("PictureBlock", "width"): "Width",
    ("ReadoutBlock", "trend"): "Trend of", ("ReadoutBlock", "trend_drawn"): "Display as",
    ("ReadoutBlock", "trend_height"): "Trend height", ("ReadoutBlock", "trend_color"): "Trend colour",
    ("Style", "stands"): "Vertical alignment", ("NamedStyle", "stands"): "Vertical alignment",
    ("RunningLine", "of"): "Group shown", ("TextBlock", "listed"): "In contents list",
    ("ContentsBlock", "lists"): "Lists", ("ContentsBlock", "depth"): "Levels listed",
    ("TextBlock", "heading"): "Heading level", ("TabStop", "at"): "From the left", ("TabStop", "align"): "Text",
    ("PageSetup", "columns"): "Columns", ("PageSetup", "rows"): "Labels per column",
    ("BreakBlock", "orientation"): "Orientation after", ("MatrixLevel", "fill"): "Groups shown",
    ("ChartLevel", "fill"): "Groups shown", ("GridCell", "rows"): "Rows covered",
    ("GridCell", "columns"): "Columns covered", ("GridCell", "fill"): "Background",
    ("ForEachBlock", "by"): "Record by", ("ForEachBlock", "keep_groups"): "Record filter",
    ("ForEachBlock", "first_groups"): "First records",
}  # fmt: skip
"""Names that a property has in one kind of part only."""


def property_label(field: str, kind: type[Part] | None = None) -> str:
    """A property's name as the inspector shows it."""
    own = _NAMES_IN.get((kind.__name__, field)) if kind is not None else None
    return own or NAMES.get(field) or field.replace("_", " ").capitalize()


def property_text(kind: type[Part], field: str, value: Any) -> str:
    """A property's value in words, as its editor shows it."""
    if isinstance(value, bool):
        return "Yes" if value else "No"
    if isinstance(value, int) and _is_length(kind.model_fields[field]):
        return format_length(value).replace("pt", " pt").replace("mm", " mm")
    return CHOICES.get(field, {}).get(value, str(value))


def editor_for(kind: type[Part], field: str, value: Any, commit: Commit, choices: list[str] | None = None) -> QWidget:
    """An editor for a property of a part; `commit` gets each new value. `choices` are names to choose from."""
    info = kind.model_fields[field]
    editor = _editor(field, info, value, commit, choices)
    help_text = kind.help_of(field)
    editor.setToolTip(help_text)
    editor.setAccessibleName(property_label(field, kind))
    editor.setAccessibleDescription(help_text)
    editor.setObjectName("expression" if field in _CODE else editor.objectName())
    editor.setProperty("field", field)
    return editor


def _editor(field: str, info: FieldInfo, value: Any, commit: Commit, choices: list[str] | None) -> QWidget:
    inner, optional = _unwrapped(info.annotation)
    if choices is not None:
        return ChoiceEditor({name: name for name in choices}, value, commit, "none" if optional else None)
    if typing.get_origin(inner) is typing.Literal:
        return _choice(field, typing.get_args(inner), optional, value, commit)
    if inner is bool and optional:
        return _choice(field, (True, False), optional, value, commit)
    if inner is bool:
        return SwitchEditor(bool(value), commit)
    if "color" in field or field in ("fill", "low", "middle", "high", "negative", "heat_low", "heat_high"):
        return ColorEditor(value, commit)
    if inner is int and _is_length(info):
        return LengthEditor(
            value, commit, optional, points=field in ("size", "padding", "inset") or field.startswith("rule_")
        )
    if inner is int and not optional and field not in _COUNTS:
        return NumberEditor(int(value), commit, _limits(info))
    if inner is float and not optional:
        return NumberEditor(float(value), commit, (0, 100), per=100)
    if field in _LONG:
        return TextEditor(value, commit)
    return _line(field, value, commit, optional)


def _choice(field: str, options: tuple[Any, ...], optional: bool, value: Any, commit: Commit) -> QWidget:
    """Pictures, where a property of a look has such, or a drop-down."""
    pictured = PICTURED.get(field, ())
    if optional and {choice.value for choice in pictured} == set(options):
        return PictureEditor(pictured, value, commit)
    known = {True: "Yes", False: "No"} | CHOICES.get(field, {})
    names = {option: known.get(option, str(option)) for option in options}
    return ChoiceEditor(names, value, commit, _UNSET_CHOICES.get(field, "From the style") if optional else None)


def _limits(info: FieldInfo) -> tuple[int, int]:
    """The least and the greatest number that a property declares."""
    limits = {type(m).__name__: m for m in info.metadata}
    return getattr(limits.get("Ge"), "ge", 0), min(getattr(limits.get("Le"), "le", 999), 999)


_COUNTS = ("rows_per_page", "first_groups")
"""Numbers that may be expressions as well."""
_LENGTHS = ("guides_across", "guides_down")
"""Lists of lengths."""


def _line(field: str, value: Any, commit: Commit, optional: bool) -> LineEditor:
    """A line of text for a text, a number that may be an expression, or a list of texts."""

    def read(text: str) -> Any:
        if field in _COUNTS and text.strip().isdigit():
            return int(text)
        if field in _LENGTHS:
            return tuple(f"{part}mm" if part[-1:].isdigit() else part for part in _parts(text))
        if field == "listed":
            return _parts(text)
        return text if text or not optional else None

    line = LineEditor(value, lambda text: commit(read(text)), _lengths_text if field in _LENGTHS else _value_text)
    line.setPlaceholderText(_UNSET.get(field, ""))
    if field in SUGGESTED:
        SuggestionCompleter(line, SUGGESTED[field])
    return line


def _lengths_text(value: tuple[int, ...]) -> str:
    return _value_text(tuple(f"{in_millimetres(length, 1)} mm" for length in value))


def _value_text(value: Any) -> str:
    if isinstance(value, tuple):
        return ", ".join(value)
    return f"{value:g}" if isinstance(value, float) else str(value or "")


def _parts(text: str) -> tuple[str, ...]:
    return tuple(part.strip() for part in text.split(",") if part.strip())


def _unwrapped(annotation: Any) -> tuple[Any, bool]:
    """The type inside Annotated and Optional, and whether None is allowed."""
    optional = False
    while True:
        origin = typing.get_origin(annotation)
        if origin is typing.Annotated:
            annotation = typing.get_args(annotation)[0]
        elif origin in (typing.Union, types.UnionType):
            inner = [a for a in typing.get_args(annotation) if a is not type(None)]
            optional, annotation = len(inner) < len(typing.get_args(annotation)), inner[0]
        else:
            return annotation, optional


def _is_length(info: FieldInfo) -> bool:
    return "parse_length" in repr(info.metadata) + repr(info.annotation)
