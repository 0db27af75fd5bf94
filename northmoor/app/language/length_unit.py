"""The unit in which the window shows lengths, and takes those that are typed without one."""

import re
from decimal import Decimal

from msgspec import Struct

from northmoor.app.language.translation import number_text
from northmoor.core.model.lengths import MILLIPOINTS, format_length, in_unit, parse_length


class LengthUnit(Struct, frozen=True):
    """A unit: its name, how many decimal places it is shown with, and by what step of it a length changes."""

    name: str
    places: int
    step: Decimal

    def number(self, length: int) -> str:
        """A length in it, without its name, as the language of the window writes numbers."""
        return number_text(in_unit(length, self.name, self.places), "f")

    def text(self, length: int) -> str:
        """A length in it."""
        return f"{self.number(length)} {self.name}"

    def in_list(self, length: int) -> str:
        """A length in it between others, which commas part: with a point in any language."""
        return f"{in_unit(length, self.name, self.places)} {self.name}"

    def stepped(self, length: float, steps: int = 0) -> int:
        """The whole step that is nearest to a length, or so many steps further."""
        whole = round(Decimal(length) / MILLIPOINTS[self.name] / self.step) + steps
        return parse_length(f"{whole * self.step}{self.name}")


UNITS = {
    unit.name: unit
    for unit in (
        LengthUnit("mm", 1, Decimal(1)),
        LengthUnit("cm", 2, Decimal("0.1")),
        LengthUnit("in", 2, Decimal("0.05")),
        LengthUnit("pt", 1, Decimal(1)),
    )
}
"""What can be chosen."""
_shown = [UNITS["mm"]]


def use_unit(name: str) -> None:
    """Show lengths in a unit from here on."""
    _shown[0] = UNITS[name]


def shown_unit() -> LengthUnit:
    """The unit of the window."""
    return _shown[0]


def type_length_text(length: int) -> str:
    """A length of type, such as 9 pt: in any unit of the window it is given in points, where it has few places."""
    number, unit = re.split(r"(?<=\d)(?=[a-z])", format_length(length))
    return f"{number_text(Decimal(number), 'f')} {unit}"
