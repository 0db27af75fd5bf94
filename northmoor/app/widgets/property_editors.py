"""Editors for single properties, made from the model's own declarations: type, limits and help come from there."""

import types
import typing
from typing import Any

from pydantic.fields import FieldInfo
from PyQt6.QtWidgets import QWidget

from northmoor.app.language.length_unit import shown_unit, type_length_text
from northmoor.app.language.translation import tr
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
from northmoor.core.model.lengths import is_length

NAMES = {
    "by": tr("Group by"), "value": tr("Value"), "rows_after_heading": tr("Rows with heading"), "size": tr("Size"),
    "rows_before_total": tr("Rows with total"), "largest_gap": tr("Largest gap"),
    "keep_together": tr("Keep together"), "repeat_heading": tr("Repeat heading"),
    "restart_page_number": tr("Restart numbers"), "show_details": tr("Show rows"), "repeat_head": tr("Repeat titles"),
    "head_style": tr("Title style"), "space_after": tr("Space after"), "rule_above": tr("Top border"),
    "rule_below": tr("Bottom border"), "rule_color": tr("Border colour"), "color": tr("Colour"),
    "margin_top": tr("Top margin"),
    "margin_right": tr("Right margin"), "margin_bottom": tr("Bottom margin"), "margin_left": tr("Left margin"),
    "format": tr("Format"), "visible": tr("Visible if"), "when_empty": tr("If empty"),
    "rows_per_page": tr("Rows per page"),
    "shown_edition": tr("Edition shown"), "listed": tr("Listed first"), "when_wide": tr("When too wide"),
    "folded": tr("Printed collapsed to"), "repeat_across": tr("Repeat across"), "others": tr("Others"),
    "parent": tr("Parent"), "indent": tr("Indent"), "overflow": tr("When too wide"), "rule_left": tr("Left border"),
    "rule_right": tr("Right border"), "rule_dash": tr("Border line"), "based_on": tr("Based on"), "low": tr("Minimum"),
    "middle": tr("Middle"), "high": tr("Maximum"), "minimum": tr("From"), "maximum": tr("To"),
    "negative": tr("Below zero"),
    "link": tr("Link to"), "description": tr("Alternative text"), "anchor": tr("Link target"),
    "when_null": tr("If missing"), "when_zero": tr("If zero"),
    "blank_repeats": tr("Hide repeated values"), "order_by": tr("Sort by"), "first_groups": tr("First groups"),
    "keep_groups": tr("Group filter"), "keep_rows": tr("Row filter"), "count_ways": tr("Count parents"),
    "show_head": tr("Column titles"), "title": tr("Title"), "padding": tr("Vertical padding"),
    "inset": tr("Horizontal padding"),
    "page_break": tr("Page break"), "odd_page": tr("Start on odd page"), "foot_of_page": tr("Totals at foot"),
    "on": tr("On pages"), "stepped": tr("Groups in one column"), "members": tr("All groups from"),
    "subtotal": tr("Subtotal"),
    "subtotal_text": tr("Label"), "row_total": tr("Total row"), "row_total_text": tr("Label"),
    "column_total": tr("Total column"),
    "column_total_text": tr("Label"), "totals": tr("Totals"), "scale_over": tr("Compared over"),
    "measures_in": tr("Values in"),
    "show_measures": tr("Value titles"), "no_rows": tr("Text without rows"), "sheets": tr("Page order"),
    "minimum_scale": tr("Smallest scale"), "break_words": tr("Break words"), "even_widths": tr("Equal widths"),
    "draw": tr("Display as"),
    "stack": tr("Series"), "gap": tr("Space between"), "lines": tr("Line shape"), "gaps": tr("Missing values"),
    "markers": tr("Markers"),
    "places": tr("Category position"), "along": tr("Position by"), "bubble": tr("Bubble size by"), "hole": tr("Hole"),
    "bins": tr("Range width"), "heat_low": tr("Lowest colour"), "heat_high": tr("Highest colour"),
    "labels": tr("Value labels"),
    "label_text": tr("Label text"), "legend": tr("Legend"), "patterns": tr("Pattern fills"),
    "title_style": tr("Title style"),
    "columns": tr("Side by side"), "height": tr("Height"), "width": tr("Width"), "scale": tr("Scale"),
    "grid": tr("Grid lines"),
    "shown": tr("Shown"), "at": tr("Value"), "until": tr("End"), "axis": tr("Axis"), "error_low": tr("Error from"),
    "error_high": tr("Error to"), "average": tr("Moving average"), "trend": tr("Trend"),
    "column_gap": tr("Column spacing"), "minimum_row_height": tr("Minimum row height"),
    "row_gap": tr("Row spacing"), "fill_first": tr("Fill order"), "turned": tr("Diagonal"), "fit": tr("Fitting"),
    "crop_left": tr("Crop left"), "crop_top": tr("Crop top"), "crop_right": tr("Crop right"),
    "crop_bottom": tr("Crop bottom"),
    "against": tr("Compared with"), "good": tr("Good when"),
    "file": tr("File"), "marker": tr("List marker"), "leader": tr("Leader"), "by_content": tr("Fit to content"),
    "x": tr("From the left"),
    "y": tr("From the top"), "when_full": tr("When full"), "step": tr("Steps"), "guides_across": tr("Vertical guides"),
    "guides_down": tr("Horizontal guides"), "locked": tr("Locked"), "group": tr("Group"),
    "key_style": tr("Group style"),
    "total_style": tr("Total style"), "position": tr("Position"), "turn": tr("Rotation"), "span": tr("Columns covered"),
    "rows": tr("Rows covered"), "fill": tr("Background"), "align": tr("Alignment"),
    "vertical_align": tr("Vertical alignment"),
}  # fmt: skip
PERIOD_NAMES = {
    "value": tr("Each value"), "year": tr("Year"), "quarter": tr("Quarter"), "month": tr("Month"), "week": tr("Week"),
    "day": tr("Day"),
    "shift": tr("Shift of 8 hours"), "hour": tr("Hour"),
}  # fmt: skip
_SIDES = {"none": tr("None"), "before": tr("Before"), "after": tr("After")}
CHOICES = {
    "page_break": {
        "none": tr("Never"),
        "between": tr("Between groups"),
        "column": tr("In the next column or label"),
        "before": tr("Before each group"),
        "after": tr("After each group"),
    },
    "without_rows": {"printed": tr("Show"), "left_out": tr("Hide")},
    "background_on": {"every": tr("Every page"), "first": tr("First pages"), "later": tr("Later pages")},
    "on": {
        "every": tr("Every page"),
        "first": tr("The first page"),
        "later": tr("Later pages"),
        "any": tr("Any page"),
        "column": tr("The next column or label"),
        "odd": tr("Odd pages"),
        "even": tr("Even pages"),
        "last": tr("The last page"),
    },
    "difference": {"share": tr("As a share"), "amount": tr("As an amount")},
    "good": {"more": tr("Higher"), "less": tr("Lower"), "neither": tr("Neither")},
    "order": {"ascending": tr("Ascending"), "descending": tr("Descending"), "as_given": tr("As in the data")},
    "align": {"start": tr("Left"), "center": tr("Centre"), "end": tr("Right"), "decimal": tr("Decimal")},
    "total": {**{name: tr(label) for name, label in TOTALS.items()}, NO_TOTAL: tr("Nothing")},
    "turn": {"none": tr("None"), "up": tr("90° upward"), "down": tr("90° downward")},
    "break_words": {"never": tr("Never"), "hyphenate": tr("Hyphenate"), "anywhere": tr("Anywhere")},
    "overflow": {"wrap": tr("Wrap"), "cut": tr("Truncate with …"), "shrink": tr("Shrink to fit")},
    "rule_dash": {"solid": tr("Solid"), "dashed": tr("Dashed"), "dotted": tr("Dotted")},
    "vertical_align": {"top": tr("At the top"), "middle": tr("In the middle"), "bottom": tr("At the bottom")},
    "position": {"before": tr("Before its group"), "after": tr("After its group")},
    "when_wide": {"narrow": tr("Fit columns"), "across": tr("More pages"), "shrink": tr("Scale to fit")},
    "fill": {
        "none": tr("As in the data"),
        "data": tr("All values"),
        "period": tr("Whole period"),
        "list": tr("As listed"),
    },
    "draw": {
        "line": tr("Line"),
        "rectangle": tr("Rectangle"),
        "ellipse": tr("Ellipse"),
        "qr": tr("QR code"),
        "barcode": tr("Barcode"),
        **{mark.name: tr(mark.label) for mark in MARK_TYPES},
    },
    "stack": {"none": tr("Side by side"), "values": tr("Stacked"), "shares": tr("100 % stacked")},
    "lines": {
        "straight": tr("Straight"),
        "steps": tr("In steps"),
        "held": tr("Hold until next"),
        "smooth": tr("Smooth"),
    },
    "gaps": {"keep": tr("Leave gaps"), "bridge": tr("Connect across")},
    "places": {"scale": tr("To scale"), "even": tr("Evenly spaced")},
    "labels": {"none": tr("None"), "inside": tr("Inside"), "outside": tr("Outside")},
    "legend": {
        "none": tr("None"),
        "above": tr("Above"),
        "below": tr("Below"),
        "right": tr("Right"),
        "direct": tr("At the marks"),
    },
    "scale": {"linear": tr("Linear"), "log": tr("Logarithmic")},
    "axis": {"first": tr("First"), "second": tr("Second"), "across": tr("Across")},
    "subtotal": _SIDES,
    "row_total": _SIDES,
    "column_total": _SIDES,
    "fill_first": {"down": tr("Column by column"), "across": tr("Row by row")},
    "trend_drawn": {"spark": tr("A line"), "columns": tr("Columns")},
    "lists": {"contents": tr("Headings, records, groups"), "captions": tr("Captions")},
    "listed": {"none": tr("No"), "contents": tr("As a heading"), "captions": tr("As a caption")},
    "fit": {"whole": tr("Fit inside"), "fill": tr("Fill and crop"), "stretch": tr("Stretch")},
    "marker": {"none": tr("None"), "bullet": tr("Bullet"), "dash": tr("Dash"), "number": tr("Number")},
    "leader": {"none": tr("Nothing"), "dots": tr("Dots")},
    "when_full": {"grow": tr("Grow"), "cut": tr("Cut off")},
    "totals": {"both": tr("All"), "rows": tr("Total rows"), "columns": tr("Total columns"), "none": tr("None")},
    "scale_over": {"all": tr("All cells"), "row": tr("Each row"), "column": tr("Each column")},
    "measures_in": {"columns": tr("Columns"), "rows": tr("Rows")},
    "sheets": {"across": tr("Side by side first"), "down": tr("Downward first")},
    "orientation": {"portrait": tr("Portrait"), "landscape": tr("Landscape")},
}
RARE = frozenset({
    "anchor", "when_zero", "when_null", "currency", "repeat_across", "break_words", "rule_dash", "rule_left",
    "rule_right", "turn", "rows_after_heading", "rows_before_total", "largest_gap", "odd_page", "bookmark",
    "indent", "parent", "count_ways", "members", "minimum_scale", "even_widths", "error_low", "error_high", "average",
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
    "background": tr("none"), "guides_across": tr("none, such as 20, 90"), "guides_down": tr("none, such as 20, 90"),
    "group": tr("none"), "of": tr("the report"), "trend": tr("nothing"),
    "against": tr("nothing"), "bookmark": tr("none"), "fill": tr("none"), "stroke": tr("none"),
    "width": tr("all there is"),
    "format": tr("automatic"), "visible": tr("always"), "rows_per_page": tr("as many as fit"),
    "first_groups": tr("all"),
    "keep_groups": tr("all"), "keep_rows": tr("all"), "order_by": tr("their key"),
    "when_empty": tr("a sentence that names the values"),
    "listed": tr("none, in order with commas"), "others": tr("left out"), "currency": tr("the report's"),
    "parent": tr("no tree"), "minimum": tr("the smallest shown"),
    "maximum": tr("the largest shown"), "continued": tr("nothing"), "link": tr("nothing"), "anchor": tr("none"),
    "description": tr("not given"), "file_name": tr("by the title and its number"), "address": tr("none"),
    "listed_total": tr("none"),
    "members": tr("the rows"), "no_rows": tr("nothing"), "along": tr("their categories"), "bubble": tr("all alike"),
    "bins": tr("by the data"), "label_text": tr("the value"), "until": tr("none"), "error_low": tr("none"),
    "error_high": tr("none"),
    "average": tr("none"), "columns": tr("by the room"),
    "when_null": tr("nothing"), "when_zero": tr("as it is"), "shown_edition": tr("the first"),
}  # fmt: skip


_UNSET_CHOICES = {
    "position": tr("Automatic"), "vertical_align": tr("Automatic"),
    "align": tr("By the value"), "total": tr("Not set"), "draw": tr("As the chart"),
    "orientation": tr("Unchanged"),
}  # fmt: skip


_NAMES_IN = {
    ("PictureBlock", "file"): tr("Picture"), ("PicturePiece", "file"): tr("Picture"),
    ("PictureBlock", "value"): tr("Or from column"), ("PictureBlock", "width"): tr("Width"),
    ("ReadoutBlock", "trend"): tr("Trend of"), ("ReadoutBlock", "trend_drawn"): tr("Display as"),
    ("ReadoutBlock", "trend_height"): tr("Trend height"), ("ReadoutBlock", "trend_color"): tr("Trend colour"),
    ("RunningLine", "of"): tr("Group shown"), ("TextBlock", "listed"): tr("In contents list"),
    ("ContentsBlock", "lists"): tr("Lists"), ("ContentsBlock", "depth"): tr("Levels listed"),
    ("TextBlock", "heading"): tr("Heading level"), ("TabStop", "at"): tr("From the left"),
    ("Running", "rule"): tr("Dividing line"),
    ("PageSetup", "columns"): tr("Text columns"), ("PageSetup", "rows"): tr("Labels per column"),
    ("BreakBlock", "orientation"): tr("Orientation after"), ("MatrixLevel", "fill"): tr("Groups shown"),
    ("ChartLevel", "fill"): tr("Groups shown"), ("ReferenceLine", "until"): tr("Second value"),
    ("GridCell", "columns"): tr("Columns covered"), ("ShapeBlock", "fill"): tr("Fill"),
    ("ForEachBlock", "by"): tr("Record by"), ("ForEachBlock", "keep_groups"): tr("Record filter"),
    ("ForEachBlock", "first_groups"): tr("First records"),
}  # fmt: skip
"""Names that a property has in one kind of part only."""


def property_label(field: str, kind: type[Part] | None = None) -> str:
    """A property's name as the inspector shows it."""
    own = _NAMES_IN.get((kind.__name__, field)) if kind is not None else None
    return own or NAMES.get(field) or tr(field.replace("_", " ").capitalize())


def property_text(kind: type[Part], field: str, value: Any) -> str:
    """A property's value in words, as its editor shows it."""
    if isinstance(value, bool):
        return tr("Yes") if value else tr("No")
    if isinstance(value, int) and is_length(kind.model_fields[field]):
        return type_length_text(value) if _is_in_points(field) else shown_unit().text(value)
    return CHOICES.get(field, {}).get(value, str(value))


def editor_for(kind: type[Part], field: str, value: Any, commit: Commit, choices: list[str] | None = None) -> QWidget:
    """An editor for a property of a part; `commit` gets each new value. `choices` are names to choose from."""
    info = kind.model_fields[field]
    return described(_editor(field, info, value, commit, choices), kind, field)


def described(editor: QWidget, kind: type[Part], field: str) -> QWidget:
    """An editor that says what it edits: to the eye, to a screen reader, and by its property `field`."""
    help_text = tr(kind.help_of(field))
    editor.setToolTip(help_text)
    editor.setAccessibleName(property_label(field, kind))
    editor.setAccessibleDescription(help_text)
    editor.setObjectName("expression" if field in _CODE else editor.objectName())
    editor.setProperty("field", field)
    return editor


def _editor(field: str, info: FieldInfo, value: Any, commit: Commit, choices: list[str] | None) -> QWidget:
    inner, optional = _unwrapped(info.annotation)
    if choices is not None:
        return ChoiceEditor({name: name for name in choices}, value, commit, tr("none") if optional else None)
    if typing.get_origin(inner) is typing.Literal:
        return _choice(field, typing.get_args(inner), optional, value, commit)
    if inner is bool and optional:
        return _choice(field, (True, False), optional, value, commit)
    if inner is bool:
        return SwitchEditor(bool(value), commit)
    if "color" in field or field in ("fill", "low", "middle", "high", "negative", "heat_low", "heat_high"):
        return ColorEditor(value, commit)
    if inner is int and is_length(info):
        return LengthEditor(value, commit, optional, points=_is_in_points(field))
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
    known = {True: tr("Yes"), False: tr("No")} | CHOICES.get(field, {})
    names = {option: known.get(option, str(option)) for option in options}
    return ChoiceEditor(names, value, commit, _UNSET_CHOICES.get(field, tr("From the style")) if optional else None)


def _is_in_points(field: str) -> bool:
    """Whether a length is one of type, which is given in points in any unit of the window."""
    return field in ("size", "padding", "inset") or field.startswith("rule_")


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
    return _value_text(tuple(map(shown_unit().in_list, value)))


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
