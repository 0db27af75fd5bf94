"""Looks as formats of cells, each made once for a workbook."""

from typing import Any

import xlsxwriter
from msgspec import Struct, field
from xlsxwriter.format import Format

from northmoor.core.model.styles import ResolvedStyle

_FAMILIES = {"Sans": "Arial", "Serif": "Times New Roman", "Mono": "Courier New"}
"""Fonts that are on every desk: a workbook has none of its own."""
_SIDES = {"start": "left", "center": "center", "end": "right"}
_VERTICAL = {"top": "top", "middle": "vcenter", "bottom": "bottom"}
_EDGES = {"top": "rule_above", "bottom": "rule_below", "left": "rule_left", "right": "rule_right"}
_INDENT = 9_000
"""Millipoints of an indent of one."""


class CellFormats(Struct):
    """The formats of a workbook."""

    workbook: xlsxwriter.Workbook
    is_streamed: bool = False
    """Whether rows are written as they are made, so that no cell can reach into later ones."""
    _made: dict[tuple[tuple[str, Any], ...], Format] = field(default_factory=dict)
    _of_looks: dict[tuple[Any, ...], Format] = field(default_factory=dict)

    def of(
        self,
        look: ResolvedStyle,
        align: str,
        number_format: str | None = None,
        shift: int = 0,
        wraps: bool = False,
        color: str | None = None,
    ) -> Format:
        """The format of a look, with a number format and an indent; texts of several lines wrap."""
        key = (look, align, number_format, shift, wraps, color)
        found = self._of_looks.get(key)
        if found is None:
            found = self._of_looks[key] = self._made_of(look, align, number_format, shift, wraps, color)
        return found

    def _made_of(
        self, look: ResolvedStyle, align: str, number_format: str | None, shift: int, wraps: bool, color: str | None
    ) -> Format:
        own: dict[str, Any] = {
            "font_name": next(name for end, name in _FAMILIES.items() if look.font.endswith(end)),
            "font_size": look.size / 1000, "font_color": color or look.color, "align": _SIDES[look.side or align],
            "valign": _VERTICAL[look.vertical_align],
        }  # fmt: skip
        for name, wanted in (("bold", look.bold), ("italic", look.italic), ("text_wrap", wraps)):
            if wanted:
                own[name] = True
        if look.fill:
            own["bg_color"] = look.fill
        if number_format:
            own["num_format"] = number_format
        if shift:
            own["indent"] = min(round(shift / _INDENT) or 1, 15)
        for side, rule in _EDGES.items():
            if thickness := getattr(look, rule):
                own[side], own[f"{side}_color"] = _border(thickness, look.rule_dash), look.rule_color
        return self.plain(**own)

    def plain(self, **own: Any) -> Format:
        """A format of properties as XlsxWriter names them."""
        key = tuple(sorted(own.items()))
        if key not in self._made:
            self._made[key] = self.workbook.add_format(own)
        return self._made[key]


def _border(thickness: int, dash: str) -> int:
    """The number of the border that is nearest to a rule."""
    if dash == "dotted":
        return 4
    if dash == "dashed":
        return 3
    return 7 if thickness < 400 else 1 if thickness < 1_200 else 2 if thickness < 2_500 else 5
