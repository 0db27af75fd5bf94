"""What layout needs to know besides the block it places."""

from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from msgspec import Struct, field

from northmoor.core.base.cache import GenerationalCache
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.replace import replace
from northmoor.core.compute.table.page_totals import PageRanges
from northmoor.core.errors import Place
from northmoor.core.expr.formats import FormatLocale
from northmoor.core.layout.text.break_opportunities import Breaking
from northmoor.core.layout.text.shaping import Shaper
from northmoor.core.model.findings import Finding
from northmoor.core.model.report import Report
from northmoor.core.model.styles import ResolvedStyle, Style, style_chain, with_overrides

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


_LENGTHS = ("size", "padding", "inset", "rule_above", "rule_below", "rule_left", "rule_right")


class TextFit(Struct, frozen=True):
    """How much smaller than the report has them all looks of a table are: their lengths times `share`, and texts no
    further from the edges of their cells than `most_inset` (millipoints)."""

    share: float = 1.0
    most_inset: int | None = None

    def style(self, look: Style | None) -> Style | None:
        """A style's own changes, made smaller."""
        return None if look is None else look.but(**self._smaller(look))

    def resolved(self, look: ResolvedStyle) -> ResolvedStyle:
        """A whole look, made smaller."""
        return replace(look, **self._smaller(look))

    def _smaller(self, look: Style | ResolvedStyle) -> dict[str, Any]:
        lengths = {name: getattr(look, name) for name in _LENGTHS}
        found = {name: round(length * self.share) for name, length in lengths.items() if length is not None}
        if self.most_inset is not None and "inset" in found:
            found["inset"] = min(found["inset"], self.most_inset)
        return found


AS_IT_IS = TextFit()
LEAST_INSET = 1500
"""The space beside a text, in millipoints, that is left where a number or word would not fit otherwise."""


def _without_pages(table: str, _: PageRanges) -> Any:
    raise KeyError(table)


class LayoutContext(Struct):
    """The surroundings of one layout run.

    report: the report, for its styles.
    customs: locale, currency and zone for formats.
    shapers: shaped lines, shared between runs.
    kept: results of earlier runs.
    picture_path: where a picture named in the report lies; raises ReportFileError for one outside the library.
    stop: to stop the run.
    findings: what the run found wrong; it adds to them.
    missing: the characters that no font has, by the places of the body's texts that have them.
    part: the number of the part of a table that is being laid out, for what is counted part by part.
    colors: the colours of values in its charts.
    folds: what of tables is folded, by their names (see `folding.Folds`).
    fit: how much smaller looks are than the report has them.
    paged: computes what a table shows on each of its pages, from its name and the rows of each (`PageTotalValues`).
    """

    report: Report
    locale: FormatLocale
    shapers: Shapers
    cache: GenerationalCache
    picture_path: Callable[[str], Path]
    stop: CancelToken = field(default_factory=CancelToken)
    findings: list[Finding] = field(default_factory=list)
    missing: dict[Place, dict[str, None]] = field(default_factory=dict)
    base: ResolvedStyle = field(default_factory=ResolvedStyle)
    folds: Mapping[str, Any] = field(default_factory=dict)
    colors: Colors = field(default_factory=dict)
    part: int = 0
    fit: TextFit = AS_IT_IS
    paged: Callable[[str, PageRanges], Any] = _without_pages
    _counts: dict[Finding, dict[int, int]] = field(default_factory=dict)
    _paths: dict[str, Path] = field(default_factory=dict)
    _looks: dict[tuple[ResolvedStyle, str | None, Style | None], ResolvedStyle] = field(default_factory=dict)

    def look(self, style: str | None, own: Style | None = None, over: ResolvedStyle | None = None) -> ResolvedStyle:
        """A style and changes of its own over a look, or over that of all texts; made once, since a text in a for-each
        asks for it with each record."""
        key = (over or self.base, style, own)
        if key not in self._looks:
            chain = (*style_chain(self.report.styles, style), own)
            looks = chain if self.fit == AS_IT_IS else map(self.fit.style, chain)
            self._looks[key] = with_overrides(key[0], *looks)
        return self._looks[key]

    def fitted(self, fit: TextFit) -> "LayoutContext":
        """The same with all looks made smaller, once."""
        if fit == self.fit:
            return self
        assert self.fit == AS_IT_IS  # else lengths would be made smaller twice
        return replace(self, fit=fit, base=fit.resolved(self.base), _looks={})

    def breaking(self, look: ResolvedStyle, is_whole: bool = False) -> Breaking:
        """How texts of a look are broken into lines."""
        return Breaking(look.break_words, self.locale.locale, is_whole)

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

    def note_missing(self, place: Place, characters: str) -> None:
        """Note that no font has some characters of a text."""
        if characters:
            self.missing.setdefault(place, {}).update(dict.fromkeys(characters))

    def find(self, rule: str, place: Place, message: str, is_error: bool = True) -> None:
        """Note a finding once."""
        finding = Finding(rule, place, message, is_error)
        if finding not in self.findings:
            self.findings.append(finding)
