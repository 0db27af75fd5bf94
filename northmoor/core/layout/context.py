"""What layout needs to know besides the block it places."""

from collections.abc import Callable, Hashable, Mapping
from dataclasses import dataclass, field, replace
from pathlib import Path
from typing import Any, TypeVar

from northmoor.core.errors import Place
from northmoor.core.expr.formats import Customs
from northmoor.core.layout.text import Shaper
from northmoor.core.model.findings import Finding
from northmoor.core.model.looks import FullLook, Look
from northmoor.core.model.report import Report
from northmoor.core.stopping import Stop

T = TypeVar("T")
Colors = Mapping[tuple[str, str], int]
"""The number of the colour of each value of a field, as text; see `palette`."""
_MOST_KEPT = 2000
FAULT_COLOR = "#B3402E"
FAULT_MARK = "⚠"


class Kept:
    """Results kept from one edit to the next, by what they depend on. What the last `turns` renderings did not use, and
    beyond `most` results the longest unused, is let go: a result may be as large as the table it belongs to."""

    def __init__(self, most: int = _MOST_KEPT, turns: int = 4) -> None:
        self._most, self._turns = most, turns
        self._turn = 0
        self._results: dict[Hashable, tuple[int, Any]] = {}

    def begin_turn(self) -> None:
        """Tell that another rendering begins."""
        self._turn += 1
        old = [key for key, (used, _) in self._results.items() if used < self._turn - self._turns]
        for key in old:
            del self._results[key]

    def get(self, key: Hashable, make: Callable[[], T]) -> T:
        """The result for a key, made now if it is not there."""
        result = self._results.pop(key)[1] if key in self._results else make()
        self._results[key] = (self._turn, result)
        while len(self._results) > self._most:
            self._results.pop(next(iter(self._results)))
        found: T = result
        return found

    def clear(self) -> None:
        """Forget everything."""
        self._results.clear()


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
class Setting:
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
    customs: Customs
    shapers: Shapers
    kept: Kept
    picture_path: Callable[[str], Path]
    stop: Stop = field(default_factory=Stop)
    findings: list[Finding] = field(default_factory=list)
    missing: dict[str, None] = field(default_factory=dict)
    base: FullLook = field(default_factory=FullLook)
    folds: Mapping[str, Any] = field(default_factory=dict)
    colors: Colors = field(default_factory=dict)
    part: int = 0
    _counts: dict[Finding, dict[int, int]] = field(default_factory=dict)
    _paths: dict[str, Path] = field(default_factory=dict)
    _looks: dict[tuple[FullLook, str | None, Look | None], FullLook] = field(default_factory=dict)

    def look(self, style: str | None, own: Look | None = None, over: FullLook | None = None) -> FullLook:
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

    def of_part(self, part: int) -> "Setting":
        """The same for a part of a table: what is made for it is let go with it."""
        return replace(self, part=part, kept=Kept(), shapers=Shapers())

    def count(self, rule: str, place: Place, count: int, say: Callable[[int], str], is_error: bool = True) -> None:
        """Note how often something was found at a place, `say` being the message for a number; what is found in several
        parts of a table is one finding."""
        one = Finding(rule, place, say(1), is_error)
        counts = self._counts.setdefault(one, {})
        told = replace(one, message=say(sum(counts.values())))
        counts[self.part] = count
        now = replace(one, message=say(sum(counts.values())))
        if told in self.findings:
            self.findings[self.findings.index(told)] = now
        elif now not in self.findings:
            self.findings.append(now)

    def find(self, rule: str, place: Place, message: str, is_error: bool = True) -> None:
        """Note a finding once."""
        finding = Finding(rule, place, message, is_error)
        if finding not in self.findings:
            self.findings.append(finding)
