"""What layout needs to know besides the block it places."""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any

from northmoor.core.base.cache import GenerationalCache
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import Place
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.layout.text.shaping import Shaper
from northmoor.core.model.findings import Finding
from northmoor.core.model.report import Report
from northmoor.core.model.styles import ResolvedStyle, Style

Colors = Mapping[tuple[str, str], int]
"""The number of the colour of each value of a field, as text; see `palette`."""
FAULT_COLOR = "#B3402E"
FAULT_MARK = "⚠"


class Shapers:
    """One shaper a font file, for all documents of a session."""

    def __init__(self) -> None:
        self._by_file: dict[str, Shaper] = {}

    def of(self, file: str) -> Shaper:
        """The shaper of a font file."""
        if file not in self._by_file:
            self._by_file[file] = Shaper(file)
        return self._by_file[file]

    def lines(self) -> int:
        """How many lines are held."""
        return sum(len(shaper) for shaper in self._by_file.values())


@dataclass
class LayoutContext:
    """The surroundings of one layout run.

    report: the report, for its styles.
    customs: locale, currency and zone for formats.
    shapers: shaped lines, shared between runs.
    kept: results of earlier runs.
    picture_path: where a picture named in the report lies; raises ReportFileError for one outside the library.
    stop: to stop the run.
    findings: what the run found wrong; it adds to them.
    missing: the characters in cells of tables that no font has.
    part: the number of the part of a table that is being laid out, for what is counted part by part.
    colors: the colours of values in its charts.
    folds: what of tables is folded, by their names (see `folding.Folds`).
    """

    report: Report
    locale: FormatLocale
    shapers: Shapers
    cache: GenerationalCache
    picture_path: Callable[[str], Path]
    stop: CancelToken = field(default_factory=CancelToken)
    findings: list[Finding] = field(default_factory=list)
    missing: dict[str, None] = field(default_factory=dict)
    base: ResolvedStyle = field(default_factory=ResolvedStyle)
    folds: Mapping[str, Any] = field(default_factory=dict)
    colors: Colors = field(default_factory=dict)
    part: int = 0
    _counts: dict[Finding, dict[int, int]] = field(default_factory=dict)
    _paths: dict[str, Path] = field(default_factory=dict)
    _looks: dict[tuple[ResolvedStyle, str | None, Style | None], ResolvedStyle] = field(default_factory=dict)

    def look(self, style: str | None, own: Style | None = None, over: ResolvedStyle | None = None) -> ResolvedStyle:
        """A style and changes of its own over a look, or over that of all texts; made once, since a text in a for-each
        asks for it with each record."""
        key = (over or self.base, style, own)
        if key not in self._looks:
            self._looks[key] = self.report.look(*key)
        return self._looks[key]

    def path_of(self, file: str) -> Path:
        """Where a picture lies, looked for once. Raises ReportFileError."""
        if file not in self._paths:
            self._paths[file] = self.picture_path(file)
        return self._paths[file]

    def of_part(self, part: int) -> "LayoutContext":
        """The same for a part of a table: what is made for it is let go with it."""
        return replace(self, part=part, cache=GenerationalCache(), shapers=Shapers())

    def count(self, rule: str, place: Place, count: int, say: Callable[[int], str], is_error: bool = True) -> None:
        """Note how often something was found at a place, `say` being the message for a number; what is found in several
        parts of a table is one finding."""
        one = Finding(rule, place, say(1), is_error)
        counts = self._counts.setdefault(one, {})
        before = replace(one, message=say(sum(counts.values())))
        counts[self.part] = count
        now = replace(one, message=say(sum(counts.values())))
        if before in self.findings:
            self.findings[self.findings.index(before)] = now
        elif now not in self.findings:
            self.findings.append(now)

    def find(self, rule: str, place: Place, message: str, is_error: bool = True) -> None:
        """Note a finding once."""
        finding = Finding(rule, place, message, is_error)
        if finding not in self.findings:
            self.findings.append(finding)
