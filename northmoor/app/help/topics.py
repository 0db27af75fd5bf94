"""The texts of the help: the documentation that ships with the program, section by section."""

import re
from collections.abc import Sequence
from functools import cache
from importlib.resources import files
from pathlib import Path

from msgspec import Struct

GUIDES = (
    "queries", "signals", "pages", "tables", "matrices", "charts", "blocks", "expressions", "parameters", "outputs",
    "delivery", "security", "page-dump",
)  # fmt: skip
"""The documentation's files, in reading order."""


class Topic(Struct, frozen=True):
    """A section of a guide, as Markdown; the first of each guide is its introduction."""

    guide: str
    title: str
    text: str

    def has(self, words: Sequence[str]) -> bool:
        """Whether all words are in it."""
        everything = f"{self.title} {self.text}".lower()
        return all(word in everything for word in words)


@cache
def topics() -> tuple[Topic, ...]:
    """All sections of all guides."""
    return tuple(topic for guide in GUIDES for topic in _sections(guide))


def _sections(guide: str) -> list[Topic]:
    text = (_folder() / f"{guide}.md").read_text(encoding="utf-8")
    first, *rest = re.split(r"(?m)^## ", text)
    name = first.partition("\n")[0].removeprefix("# ").partition(":")[0].strip()
    found = [Topic(guide, name, first)]
    for part in rest:
        title = part.partition("\n")[0].strip()
        found.append(Topic(guide, f"{name} › {title}", f"## {part}"))
    return found


def _folder() -> Path:
    """Where the guides are: in the installed package, or beside it in a checkout."""
    package = Path(str(files("northmoor")))
    installed = package / "docs"
    return installed if installed.is_dir() else package.parent / "docs"
