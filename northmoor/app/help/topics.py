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
    """A section of a guide, as Markdown; the first of each guide is its introduction.

    `section` is its heading in English, by which it is found in every language; empty for an introduction.
    """

    guide: str
    title: str
    text: str
    section: str = ""

    @property
    def anchor(self) -> str:
        """What a link to it has after the #: its own heading in small letters, with hyphens between the words."""
        words = re.sub(r"[^\w\s-]", "", self.title.rpartition(" › ")[2].lower())
        return re.sub(r"\s", "-", words)

    @property
    def link(self) -> str:
        """A line of a list that leads to it."""
        return f"- [{self.title.rpartition(' › ')[2]}]({self.guide}.md#{self.anchor})"

    def has(self, words: Sequence[str]) -> bool:
        """Whether all words are in it."""
        everything = f"{self.title} {self.text}".lower()
        return all(word in everything for word in words)


@cache
def topics(language: str) -> tuple[Topic, ...]:
    """All sections of all guides, in a language where there is a translation, else in English."""
    return tuple(topic for guide in GUIDES for topic in _sections(guide, language))


def _sections(guide: str, language: str) -> list[Topic]:
    english = _parts(_folder() / f"{guide}.md")
    translated = _folder() / language / f"{guide}.md"
    parts = _parts(translated) if translated.is_file() else english
    name = _heading(parts[0]).partition(":")[0]
    found = [Topic(guide, name, parts[0])]
    for part, of_english in zip(parts[1:], english[1:], strict=True):
        found.append(Topic(guide, f"{name} › {_heading(part)}", part, _heading(of_english)))
    return found


def _parts(path: Path) -> list[str]:
    return re.split(r"(?m)^(?=## )", path.read_text(encoding="utf-8"))


def _heading(part: str) -> str:
    return part.partition("\n")[0].lstrip("# ").strip()


def _folder() -> Path:
    """Where the guides are: in the installed package, or beside it in a checkout."""
    package = Path(str(files("northmoor")))
    installed = package / "docs"
    return installed if installed.is_dir() else package.parent / "docs"
