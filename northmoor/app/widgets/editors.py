"""Editors for single properties, made from the model's own declarations: type, limits and help come from there."""

import types
import typing
from collections.abc import Callable
from typing import Any

from pydantic.fields import FieldInfo
from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QColor, QIcon, QKeyEvent, QPainter, QPixmap, QWheelEvent
from PyQt6.QtWidgets import (
    QCheckBox,
    QColorDialog,
    QComboBox,
    QHBoxLayout,
    QLineEdit,
    QPlainTextEdit,
    QSpinBox,
    QToolButton,
    QWidget,
)

from northmoor.app.widgets.theme import PAPER, STONE
from northmoor.app.widgets.widget_tools import reapply_style
from northmoor.core.model.base import Part
from northmoor.core.model.kinds.aggregates import NO_TOTAL, TOTALS
from northmoor.core.model.kinds.mark_types import MARK_TYPES
from northmoor.core.model.lengths import format_length, in_millimetres, parse_length

Commit = Callable[[Any], object]
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
    "keep_rows": "Rows kept if",
    "show_head": "Show titles",
    "title": "Title", "padding": "Padding", "inset": "Inset", "page_break": "New page", "odd_page": "On an odd page",
    "foot_of_page": "Totals at foot", "on": "On pages",
    "stepped": "Keys stepped", "members": "All keys from",
    "subtotal": "Subtotal", "subtotal_text": "Called",
    "row_total": "Total row", "row_total_text": "Called", "column_total": "Total column", "column_total_text": "Called",
    "totals": "Totals", "scale_over": "Compares", "measures_stand": "Measures", "show_measures": "Measure titles",
    "no_rows": "Without rows", "sheets": "Pages go", "smallest": "Not below", "even_widths": "Even widths",
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
        return choice_editor({name: name for name in choices}, value, commit, "none" if optional else None)
    if typing.get_origin(inner) is typing.Literal:
        names = {option: CHOICES.get(field, {}).get(option, str(option)) for option in typing.get_args(inner)}
        unset = {
            "stands": "As usual",
            "align": "By the value",
            "total": "Not set",
            "draw": "As the chart",
            "orientation": "As before",
        }.get(field, "As styled")
        return choice_editor(names, value, commit, unset if optional else None)
    if inner is bool:
        return _tristate(value, commit) if optional else switch_editor(bool(value), commit)
    if "color" in field or field in ("fill", "low", "middle", "high", "negative", "heat_low", "heat_high"):
        return ColorEditor(value, commit)
    if inner is int and _is_length(info):
        return LengthEditor(
            value, commit, optional, points=field in ("size", "padding", "inset") or field.startswith("rule_")
        )
    if inner is int and not optional and field not in _COUNTS:
        return _number(int(value), info, commit)
    if inner is float and not optional:
        return _percent(float(value), commit)
    if field in _LONG:
        return TextEditor(value or "", commit)
    return _line(field, value, commit, optional)


_COUNTS = ("rows_per_page", "first_groups")
"""Numbers that may be expressions as well."""
_LENGTHS = ("guides_across", "guides_down")
"""Lists of lengths."""


def _line(field: str, value: Any, commit: Commit, optional: bool) -> "LineEditor":
    """A line of text for a text, a number that may be an expression, or a list of texts."""

    def read(text: str) -> Any:
        if field in _COUNTS and text.strip().isdigit():
            return int(text)
        if field in _LENGTHS:
            return tuple(f"{part}mm" if part[-1:].isdigit() else part for part in _parts(text))
        if field == "listed":
            return _parts(text)
        return text if text or not optional else None

    if field in _LENGTHS:
        value = tuple(f"{in_millimetres(length, 1)} mm" for length in value)
    shown = ", ".join(value) if isinstance(value, tuple) else f"{value:g}" if isinstance(value, float) else value
    line = LineEditor(str(shown or ""), lambda text: commit(read(text)))
    line.setPlaceholderText(_UNSET.get(field, ""))
    return line


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


class LineEditor(QLineEdit):
    """A line of text; Enter or leaving it commits, Esc takes the typing back."""

    def __init__(self, text: str, commit: Commit) -> None:
        super().__init__(text)
        self._before = text
        self._commit = commit
        self.setCursorPosition(0)
        self.editingFinished.connect(self._finish)

    def _finish(self) -> None:
        if self.text() != self._before:
            self._before = self.text()
            self._commit(self.text())

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Esc takes the typing back."""
        if event is not None and event.key() == Qt.Key.Key_Escape and self.text() != self._before:
            self.setText(self._before)
        else:
            super().keyPressEvent(event)


class TextEditor(QPlainTextEdit):
    """Several lines of text; Ctrl+Enter or leaving it commits."""

    def __init__(self, text: str, commit: Commit) -> None:
        super().__init__(text)
        self._before = text
        self._commit = commit
        self.setTabChangesFocus(True)
        self.setFixedHeight(64)
        self.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Commit on leaving and on Ctrl+Enter."""
        if event is not None and event.type() == QEvent.Type.FocusOut:
            self._finish()
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            if enter and not event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
                self._finish()
                return True
        return super().eventFilter(watched, event)

    def _finish(self) -> None:
        text = self.toPlainText()
        if text != self._before:
            self._before = text
            self._commit(text)


class LengthEditor(QLineEdit):
    """A length. Millimetres where the page is meant, points where type is; any unit may be typed."""

    def __init__(self, value: int | None, commit: Commit, optional: bool, points: bool) -> None:
        super().__init__("" if value is None else self._shown(value, points))
        self.setPlaceholderText("by content" if optional and not points else "as styled" if optional else "")
        self._points, self._optional, self._commit = points, optional, commit
        self._before = self.text()
        self.editingFinished.connect(self._finish)

    @staticmethod
    def _shown(value: int, points: bool) -> str:
        return format_length(value) if points else f"{in_millimetres(value, 1)} mm"

    def _finish(self) -> None:
        text = self.text().strip()
        if text == self._before:
            return
        if not text and self._optional:
            self._before = text
            self._commit(None)
            return
        try:
            value = parse_length(f"{text}{'pt' if self._points else 'mm'}" if text[-1:].isdigit() else text)
        except ValueError:
            self._mark(True)
            return
        self._mark(False)
        self._before = self._shown(value, self._points)
        self.setText(self._before)
        self._commit(value)

    def _mark(self, invalid: bool) -> None:
        self.setProperty("invalid", invalid)
        if invalid:
            self.setToolTip("That is no length. Write for example 32mm, 9pt or 1.5in.")
        reapply_style(self)


def _swatch(color: str | None) -> QIcon:
    """A square in a colour; an empty one where none is set."""
    pixmap = QPixmap(16, 16)
    pixmap.fill(QColor(STONE))
    painter = QPainter(pixmap)
    painter.fillRect(1, 1, 14, 14, QColor(color or PAPER))
    painter.end()
    return QIcon(pixmap)


class ColorEditor(QWidget):
    """A colour: its code, a button that shows it and opens a chooser, and one that takes it away."""

    def __init__(self, value: str | None, commit: Commit) -> None:
        super().__init__()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        self._value, self._commit = value, commit
        line = LineEditor(value or "", lambda text: commit(text or None))
        line.setPlaceholderText("as styled")
        button = QToolButton()
        button.setIcon(_swatch(value))
        button.setToolTip("Choose a colour")
        button.setAccessibleName("Choose a colour")
        button.clicked.connect(self._choose)
        layout.addWidget(line, 1)
        layout.addWidget(button)
        self.setFocusProxy(line)

    def _choose(self) -> None:
        color = QColorDialog.getColor(QColor(self._value or "#000000"), self, "Choose a colour")
        if color.isValid():
            self._commit(color.name().upper())


class _Box(QComboBox):
    """A drop-down that scrolling past does not change."""

    def wheelEvent(self, event: QWheelEvent | None) -> None:
        """Leave the wheel to the panel."""
        if event is not None:
            event.ignore()


def choice_editor(names: dict[Any, str], value: Any, commit: Commit, unset: str | None) -> QComboBox:
    """A drop-down of options with their names; `unset` names having none."""
    box = _Box()
    box.setMinimumContentsLength(6)
    box.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
    if unset is not None:
        box.addItem(unset, None)
    for option, name in names.items():
        box.addItem(name, option)
    box.setCurrentIndex(max(box.findData(value), 0))
    box.activated.connect(lambda at: commit(box.itemData(at)))
    return box


def switch_editor(value: bool, commit: Commit) -> QCheckBox:
    """A switch."""
    box = QCheckBox()
    box.setChecked(value)
    box.toggled.connect(commit)
    return box


def _tristate(value: bool | None, commit: Commit) -> QComboBox:
    return choice_editor({True: "Yes", False: "No"}, value, commit, "As styled")


def _number(value: int, info: FieldInfo, commit: Commit) -> QSpinBox:
    box = QSpinBox()
    limits = {type(m).__name__: m for m in info.metadata}
    box.setRange(getattr(limits.get("Ge"), "ge", 0), min(getattr(limits.get("Le"), "le", 999), 999))
    box.setValue(value)
    box.editingFinished.connect(lambda: commit(box.value()))
    return box


def _percent(value: float, commit: Commit) -> QSpinBox:
    box = QSpinBox()
    box.setRange(0, 100)
    box.setSuffix(" %")
    box.setValue(round(value * 100))
    box.editingFinished.connect(lambda: commit(box.value() / 100))
    return box
