"""Looks: how text and its cell appear. A style is a look with a name, used everywhere by that name."""

from typing import Annotated, Literal

from msgspec import Struct
from pydantic import Field

from northmoor.core.model.base import Color, Name, Part
from northmoor.core.model.lengths import Length

Align = Literal["start", "center", "end"]
TextAlign = Literal["start", "center", "end", "decimal"]
VerticalAlign = Literal["top", "middle", "bottom"]
Turn = Literal["none", "up", "down"]
Overflow = Literal["wrap", "cut", "shrink"]
WordBreaks = Literal["never", "hyphenate", "anywhere"]
Dash = Literal["solid", "dashed", "dotted"]
FontFamily = Literal["Plex Sans", "Plex Serif", "Plex Mono", "Office Sans", "Office Serif", "Office Mono"]


class Style(Part):
    """How something appears; what is not set is taken from the style under it."""

    font: FontFamily | None = None
    """Font family, always one that ships with Northmoor."""
    size: Annotated[Length, Field(ge=1000, le=500_000)] | None = None
    """Font size, 1 pt to 500 pt."""
    bold: bool | None = None
    """Bold weight."""
    italic: bool | None = None
    """Italic shape."""
    color: Color | None = None
    """Colour of the text, as #rrggbb."""
    fill: Color | None = None
    """Colour behind the text, as #rrggbb."""
    align: TextAlign | None = None
    """Horizontal alignment; decimal aligns a table's column on the decimal sign. Without one, numbers are at the end
    and texts at the start."""
    vertical_align: VerticalAlign | None = None
    """Where the text is in a cell that is taller than it."""
    turn: Turn | None = None
    """Whether the text is rotated by 90°, to be read upward or downward; it stays in one line, and its row is as tall
    as it is long."""
    overflow: Overflow | None = None
    """What happens to a text that is wider than its cell: it continues in another line, is cut with an ellipsis, or is
    printed smaller."""
    break_words: WordBreaks | None = None
    """Whether a line may end within a word: never, with a hyphen where the report's language allows one, or anywhere in
    a word that is wider than the line. Numbers and dates are never broken."""
    format: Annotated[str, Field(max_length=100)] | None = None
    """CLDR pattern for values that have no format of their own."""
    padding: Annotated[Length, Field(ge=0, le=200_000)] | None = None
    """Space above and below the text."""
    inset: Annotated[Length, Field(ge=0, le=200_000)] | None = None
    """Space to the left and right of the text."""
    rule_above: Annotated[Length, Field(ge=0, le=20_000)] | None = None
    """Thickness of a rule above; 0pt for none."""
    rule_below: Annotated[Length, Field(ge=0, le=20_000)] | None = None
    """Thickness of a rule below; 0pt for none."""
    rule_left: Annotated[Length, Field(ge=0, le=20_000)] | None = None
    """Thickness of a rule at the left; 0pt for none."""
    rule_right: Annotated[Length, Field(ge=0, le=20_000)] | None = None
    """Thickness of a rule at the right; 0pt for none."""
    rule_dash: Dash | None = None
    """Whether the rules are solid, dashed or dotted."""
    rule_color: Color | None = None
    """Colour of the rules, as #rrggbb."""


class NamedStyle(Style):
    """A look with a name."""

    name: Name
    """The name by which blocks and cells use it."""
    based_on: Name | None = None
    """Another style whose look this one starts from."""


class ResolvedStyle(Struct, frozen=True):
    """A look with every property decided; lengths in millipoints. `align` None means: by the kind of value."""

    font: str = "Plex Sans"
    size: int = 9000
    bold: bool = False
    italic: bool = False
    color: str = "#1F1B16"
    fill: str | None = None
    align: TextAlign | None = None
    vertical_align: VerticalAlign = "top"
    turn: Turn = "none"
    overflow: Overflow = "wrap"
    break_words: WordBreaks = "never"
    format: str | None = None
    padding: int = 2000
    inset: int = 2000
    rule_above: int = 0
    rule_below: int = 0
    rule_left: int = 0
    rule_right: int = 0
    rule_dash: Dash = "solid"
    rule_color: str = "#1F1B16"

    @property
    def side(self) -> Align | None:
        """The side that texts are aligned at; decimal signs are counted from the end."""
        return "end" if self.align == "decimal" else self.align


class ConditionalFormat(Part):
    """A condition that changes a look where it holds."""

    when: str
    """Condition, such as delay_minutes > 15."""
    style: Name | None = None
    """The style that is added to the look."""
    look: Style | None = None
    """Changes on top of that."""
    stop: bool = False
    """Where it is true, later rules are skipped."""


Rules = Annotated[tuple[ConditionalFormat, ...], Field(max_length=60)]
"""Rules in the order they are asked."""


class ColorScale(Part):
    """A colour scale: the fill behind a number follows from the number."""

    low: Color = "#FFFFFF"
    """Colour of the smallest number."""
    middle: Color | None = None
    """Colour in the middle; without one, the scale goes straight from low to high."""
    high: Color = "#7B4B94"
    """Colour of the largest number."""
    minimum: float | None = None
    """The number that has the low colour; without one, the smallest that is shown."""
    maximum: float | None = None
    """The number that has the high colour; without one, the largest that is shown."""


def with_overrides(base: ResolvedStyle, *looks: Style | None) -> ResolvedStyle:
    """The base with each look laid over it in turn; a look's unset properties let what is below show."""
    values = {name: getattr(base, name) for name in ResolvedStyle.__struct_fields__}
    for look in looks:
        if look is not None:
            values |= {n: v for n in ResolvedStyle.__struct_fields__ if (v := getattr(look, n)) is not None}
    return ResolvedStyle(**values)


def style_chain(styles: tuple[NamedStyle, ...], name: str | None) -> tuple[NamedStyle, ...]:
    """The styles from the root of `based_on` down to the named one; empty for none."""
    by_name = {style.name: style for style in styles}
    chain: list[NamedStyle] = []
    while name is not None:
        style = by_name[name]
        chain.insert(0, style)
        name = style.based_on
    return tuple(chain)
