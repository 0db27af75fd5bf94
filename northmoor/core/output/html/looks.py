"""Looks as CSS: a class for each that is used, or, for mails, declarations in each element."""

from functools import lru_cache
from html import escape

from msgspec import Struct, field

from northmoor.core.layout.text.fonts import font_file
from northmoor.core.model.styles import ResolvedStyle
from northmoor.core.output.svg.drawing import svg_points

_GENERIC = {"Serif": "Georgia,serif", "Mono": "Consolas,monospace", "Sans": "system-ui,sans-serif"}
_SIDES = {"start": "left", "center": "center", "end": "right"}
_EDGES = {"top": "rule_above", "bottom": "rule_below", "left": "rule_left", "right": "rule_right"}
_VERTICAL = {"top": "top", "middle": "middle", "bottom": "bottom"}


def family_css(family: str, bold: bool, italic: bool) -> str:
    """The families of a font, the shipped one first."""
    generic = next(css for name, css in _GENERIC.items() if family.endswith(name))
    return f'"{font_file(family, bold, italic)}",{generic}'


@lru_cache(maxsize=4096)
def text_css(look: ResolvedStyle, align: str | None = None) -> str:
    """What a look makes of a text."""
    side = look.side or align
    found = [f"font-family:{family_css(look.font, look.bold, look.italic)}", f"font-size:{svg_points(look.size)}pt"]
    found.append(f"color:{look.color}")
    if look.bold:
        found.append("font-weight:bold")
    if look.italic:
        found.append("font-style:italic")
    if side and side != "start":
        found.append(f"text-align:{_SIDES[side]}")
    return ";".join(found)


@lru_cache(maxsize=4096)
def box_css(look: ResolvedStyle) -> str:
    """What a look makes of what is around a text: its fill, rules and paddings."""
    found = [f"padding:{svg_points(look.padding)}pt {svg_points(look.inset)}pt"]
    if look.fill:
        found.append(f"background:{look.fill}")
    if look.vertical_align != "top":
        found.append(f"vertical-align:{_VERTICAL[look.vertical_align]}")
    for side, name in _EDGES.items():
        if thickness := getattr(look, name):
            found.append(f"border-{side}:{svg_points(thickness)}pt {look.rule_dash} {look.rule_color}")
    return ";".join(found)


class Looks(Struct):
    """The looks of a page: as classes, which `rules` lists, or in the elements themselves."""

    inline: bool
    _classes: dict[str, str] = field(default_factory=dict)

    def of(self, css: str, *names: str) -> str:
        """The attributes of an element with a look and classes of the page's own."""
        classes = list(names)
        if not css:
            return f' class="{" ".join(classes)}"' if classes and not self.inline else ""
        if self.inline:
            return f' style="{escape(css)}"'
        classes.append(self._classes.setdefault(css, f"l{len(self._classes)}"))
        return f' class="{" ".join(classes)}"'

    def rules(self) -> str:
        """The rules of all classes."""
        return "".join(f".{name}{{{css}}}" for css, name in self._classes.items())
