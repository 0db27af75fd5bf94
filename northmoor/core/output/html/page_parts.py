"""What the parts of a web page share while it is written: looks, fonts, names of places, and links."""

from collections.abc import Mapping
from html import escape
from itertools import chain, count
from urllib.parse import quote

from msgspec import Struct, field

from northmoor.core.layout.text.fonts import font_file
from northmoor.core.model.styles import ResolvedStyle
from northmoor.core.output.html.looks import Looks
from northmoor.core.output.output_document import OutputDocument

_CONTROLS = dict.fromkeys(n for n in range(32) if n not in (9, 10, 13))
_OUTWARD = ("http://", "https://", "mailto:")


def as_html(text: str) -> str:
    """A text as HTML writes it, its own line breaks kept."""
    return escape(text.translate(_CONTROLS), quote=False).replace("\r\n", "\n").replace("\n", "<br>")


def as_attribute(text: str) -> str:
    """A text as an attribute's value."""
    return escape(" ".join(text.translate(_CONTROLS).split()))


class PageParts(Struct):
    """A web page that is being written."""

    document: OutputDocument
    looks: Looks
    used: dict[str, set[str]] = field(default_factory=dict)
    """The characters that are used of each font file."""
    headings: list[tuple[int, str, str]] = field(default_factory=list)
    """The level, name and text of each heading."""
    _places: set[str] = field(default_factory=set)
    _regions: set[str] = field(default_factory=set)
    _drawings: int = 0

    @property
    def is_interactive(self) -> bool:
        """Whether groups open and close, and looks are classes."""
        return not self.looks.inline

    def use(self, look: ResolvedStyle, text: str) -> None:
        """Note that a text is written in a look."""
        self.used.setdefault(font_file(look.font, look.bold, look.italic), set()).update(text)

    def use_all(self, used: Mapping[str, set[str]]) -> None:
        """Note the characters that a drawing uses of fonts."""
        for file, characters in used.items():
            self.used.setdefault(file, set()).update(characters)

    def drawing_prefix(self) -> str:
        """What the names of a new drawing's parts begin with."""
        self._drawings += 1
        return f"d{self._drawings}-"

    def place(self, name: str) -> str:
        """The attribute by which links reach an element; nothing where another one has the name already."""
        made = place_name(name)
        if not name or made in self._places:
            return ""
        self._places.add(made)
        return f' id="{made}"'

    def region_name(self, name: str) -> str:
        """The name that a table is announced by: that of its block, told apart by the heading above it, or counted."""
        words = name.replace("-", " ")
        heading = f"{words}, {self.headings[-1][2]}" if self.headings else words
        counted = (f"{heading}, {number}" for number in count(2))
        made = next(each for each in chain((words, heading), counted) if each not in self._regions)
        self._regions.add(made)
        return made

    def linked(self, target: str | None, inner: str) -> str:
        """What is inside a link, if a web page can follow it: to other places, or to one of its own."""
        if not target or not inner:
            return inner
        if target.startswith(_OUTWARD):
            return f'<a href="{escape(target)}">{inner}</a>'
        if target.startswith("#"):
            return f'<a href="#{place_name(target[1:])}">{inner}</a>'
        return inner


def place_name(name: str) -> str:
    """The name of a place as an address holds it."""
    return "p-" + quote(name, safe="")
