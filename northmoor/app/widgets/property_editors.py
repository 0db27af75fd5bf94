"""Editors for single properties, made from the model's own declarations: type, limits and help come from there."""

import types
import typing
from typing import Any

from pydantic.fields import FieldInfo
from PyQt6.QtWidgets import QWidget

from northmoor.app.widgets.value_editors import (
    ChoiceEditor,
    ColorEditor,
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
from northmoor.core.model.lengths import in_millimetres

NAMES = {
    "by": "Group by", "value": "Value", "rows_after_heading": "Rows kept after", "size": "Size",
    "rows_before_total": "Rows kept before", "largest_gap": "Largest gap", "keep_together": "Keep together",
    "repeat_heading": "Repeat heading", "restart_page_number": "Restart numbers", "show_details": "Show rows",
    "repeat_head": "Repeat head", "head_style": "Head style", "space_after": "Space after", "rule_above": "Rule above",
    "rule_below": "Rule below", "rule_color": "Rule colour", "color": "Colour", "margin_top": "Top margin",
    "margin_right": "Right margin", "margin_bottom": "Bottom margin", "margin_left": "Left margin",
    "format": "Shown as", "visible": "Visible if", "when_empty": "When empty", "rows_per_page": "Rows a page",
    "shown_edition": "Edition shown", "listed": "Listed first", "when_wide": "If too wide", "folded": "Printed folded",
    "repeat_across": "On every sheet", "others": "The rest as", "parent": "Parent",
    "indent": "Indent inside", "overflow": "If too wide", "rule_left": "Rule left", "rule_right": "Rule right",
    "rule_dash": "Rules", "based_on": "Based on", "low": "Least", "middle": "Middle", "high": "Greatest",
    "least": "From", "greatest": "To", "negative": "Below zero", "link": "Opens", "anchor": "Place name",
    "when_null": "When missing", "when_zero": "When zero", "blank_repeats": "Blank repeats",
    "order_by": "Ordered by", "first_groups": "First groups", "keep_groups": "Groups kept if",
    "keep_rows": "Rows kept if", "count_ways": "Count parents",
    "show_head": "Show titles",
    "title": "Title", "padding": "Padding", "inset": "Inset", "page_break": "New page", "odd_page": "On an odd page",
    "foot_of_page": "Totals at foot", "on": "On pages",
    "stepped": "Keys stepped", "members": "All keys from",
    "subtotal": "Subtotal", "subtotal_text": "Called",
    "row_total": "Total row", "row_total_text": "Called", "column_total": "Total column", "column_total_text": "Called",
    "totals": "Totals", "scale_over": "Compares", "measures_stand": "Measures", "show_measures": "Measure titles",
    "no_rows": "Without rows", "sheets": "Pages go", "smallest": "Not below", "break_words": "Within words",
    "even_widths": "Even widths",
    "draw": "Drawn as", "stack": "Series", "gap": "Space between", "lines": "Lines go", "gaps": "Gaps",
    "markers": "Dots", "places": "Categories stand", "along": "Along by", "bubble": "Area by", "hole": "Hole",
    "bins": "Range width", "heat_low": "Least colour", "heat_high": "Greatest colour", "labels": "Values",
    "label_text": "Written as", "legend": "Legend", "patterns": "Hatching", "title_style": "Title style",
    "columns": "Side by side", "height": "Height", "width": "Width", "scale": "Scale", "grid": "Fine lines",
    "shown": "Shown", "at": "At", "until": "Until", "axis": "Axis", "error_low": "Error from", "error_high": "Error to",
    "average": "Moving average", "trend": "Trend",
    "column_gap": "Between columns", "row_gap": "Between rows", "fill_first": "Filled", "turned": "Corner to corner",
    "fit": "Fitting", "crop_left": "Cut at the left", "crop_top": "Cut at the top", "crop_right": "Cut at the right",
    "crop_bottom": "Cut at the bottom", "file": "File", "marker": "Each line has", "leader": "Led to by",
    "by_content": "By content", "x": "From the left", "y": "From the top", "when_full": "When full", "step": "Steps",
    "guides_across": "Upright guides", "guides_down": "Level guides", "locked": "Locked", "group": "Group",
    "key_style": "Key style", "total_style": "Total style",
    "stands": "Stands", "span": "Columns", "rows": "Rows",
}  # fmt: skip
PERIOD_NAMES = {
    "value": "Different value", "year": "Year", "quarter": "Quarter", "month": "Month", "week": "Week", "day": "Day",
    "shift": "Shift of 8 hours", "hour": "Hour",
}  # fmt: skip
_SIDES = {"none": "None", "before": "Before", "after": "After"}
CHOICES = {
    "page_break": {
        "none": "Never",
        "between": "Between each",
        "column": "In the next column or label",
        "before": "Before each",
        "after": "After each",
    },
    "without_rows": {"printed": "Printed", "left_out": "Left out"},
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
    "order": {"ascending": "A to Z", "descending": "Z to A", "as_given": "As the query gives it"},
    "align": {"start": "Left", "center": "Centre", "end": "Right", "decimal": "At the decimal sign"},
    "total": {**TOTALS, NO_TOTAL: "Nothing"},
    "turn": {"none": "Level", "up": "Reads upward", "down": "Reads downward"},
    "break_words": {"never": "No line ends", "hyphenate": "Hyphens", "anywhere": "Anywhere, if need be"},
    "overflow": {"wrap": "Goes on below", "cut": "Is cut …", "shrink": "Is smaller"},
    "rule_dash": {"solid": "Solid", "dashed": "Dashed", "dotted": "Dotted"},
    "stands": {
        "top": "At the top",
        "middle": "In the middle",
        "bottom": "At the bottom",
        "before": "Before its group",
        "after": "After its group",
    },
    "when_wide": {"narrow": "Narrower", "across": "More pages", "shrink": "Smaller print"},
    "fill": {
        "none": "As found",
        "data": "All there are",
        "period": "From first to last",
        "list": "Those listed",
    },
    "draw": {
        "line": "Line",
        "rectangle": "Rectangle",
        "ellipse": "Ellipse",
        "qr": "QR code",
        "barcode": "Barcode",
        **{mark.name: mark.label for mark in MARK_TYPES},
    },
    "stack": {"none": "Side by side", "values": "Piled up", "shares": "To 100 %"},
    "lines": {"straight": "Straight", "steps": "In steps", "smooth": "Smooth"},
    "gaps": {"keep": "Stay open", "bridge": "Are bridged"},
    "places": {"scale": "Where they are", "even": "Evenly"},
    "labels": {"none": "None", "inside": "In the marks", "outside": "Beside the marks"},
    "legend": {"none": "None", "above": "Above", "below": "Below", "right": "At the right", "direct": "At the marks"},
    "scale": {"linear": "Linear", "log": "Logarithmic"},
    "axis": {"first": "First", "second": "Second", "across": "Across"},
    "subtotal": _SIDES,
    "row_total": _SIDES,
    "column_total": _SIDES,
    "fill_first": {"down": "Column by column", "across": "Row by row"},
    "trend_drawn": {"spark": "A line", "columns": "Columns"},
    "lists": {"contents": "Headings, records, groups", "captions": "Captions"},
    "listed": {"none": "No", "contents": "As a heading", "captions": "As a caption"},
    "fit": {"whole": "All of it is seen", "fill": "The place is filled", "stretch": "It is stretched"},
    "marker": {"none": "None", "bullet": "A dot", "dash": "A dash", "number": "Its number"},
    "leader": {"none": "Nothing", "dots": "Dots"},
    "when_full": {"grow": "It grows", "cut": "The rest is left out"},
    "totals": {"both": "All", "rows": "Rows of totals", "columns": "Columns of totals", "none": "None"},
    "scale_over": {"all": "All cells", "row": "Each row", "column": "Each column"},
    "measures_stand": {"across": "Side by side", "down": "One below the other"},
    "sheets": {"across": "Side by side first", "down": "Downward first"},
    "orientation": {"portrait": "Portrait", "landscape": "Landscape"},
}
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
    "format": "by the type", "visible": "always", "rows_per_page": "as many as fit", "first_groups": "all",
    "keep_groups": "all", "keep_rows": "all", "order_by": "their key", "when_empty": "a sentence that names the values",
    "listed": "none, in order with commas", "others": "left out", "currency": "the report's",
    "parent": "no tree", "least": "the least shown",
    "greatest": "the greatest shown", "continued": "nothing", "link": "nothing", "anchor": "none",
    "members": "the rows", "no_rows": "nothing", "along": "their categories", "bubble": "all alike",
    "bins": "by the data", "label_text": "the value", "until": "none", "error_low": "none", "error_high": "none",
    "average": "none", "columns": "by the room",
    "when_null": "nothing", "when_zero": "as it is", "shown_edition": "the first",
}  # fmt: skip


_UNSET_CHOICES = {
    "stands": "As usual", "align": "By the value", "total": "Not set", "draw": "As the chart",
    "orientation": "As before",
}  # fmt: skip


_NAMES_IN = {
    ("PictureBlock", "value"): "Or the column", ("PictureBlock", "width"): "Width",
    ("ReadoutBlock", "trend"): "Small trend of", ("ReadoutBlock", "trend_drawn"): "Drawn as",
    ("ReadoutBlock", "trend_height"): "Its height", ("ReadoutBlock", "trend_color"): "Its colour",
    ("RunningLine", "of"): "Speaks of", ("TextBlock", "listed"): "Listed", ("ContentsBlock", "lists"): "Lists",
    ("ContentsBlock", "depth"): "Steps listed",
    ("TextBlock", "heading"): "Heading step", ("TabStop", "at"): "From the left", ("TabStop", "align"): "Text",
    ("PageSetup", "columns"): "Columns", ("PageSetup", "rows"): "Labels high", ("BreakBlock", "orientation"): "Then",
    ("MatrixLevel", "fill"): "Keys shown", ("ChartLevel", "fill"): "Keys shown", ("GridCell", "rows"): "Rows high",
    ("GridCell", "columns"): "Columns wide", ("GridCell", "fill"): "Ground", ("ForEachBlock", "by"): "Record by",
    ("ForEachBlock", "keep_groups"): "Records kept if", ("ForEachBlock", "first_groups"): "First records",
}  # fmt: skip
"""Names that a property has in one kind of part only."""


def property_label(field: str, kind: type[Part] | None = None) -> str:
    """A property's name as the inspector shows it."""
    own = _NAMES_IN.get((kind.__name__, field)) if kind is not None else None
    return own or NAMES.get(field) or field.replace("_", " ").capitalize()


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
        names = {option: CHOICES.get(field, {}).get(option, str(option)) for option in typing.get_args(inner)}
        return ChoiceEditor(names, value, commit, _UNSET_CHOICES.get(field, "As styled") if optional else None)
    if inner is bool and optional:
        return ChoiceEditor({True: "Yes", False: "No"}, value, commit, "As styled")
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
