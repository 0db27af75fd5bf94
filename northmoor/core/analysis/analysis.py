"""A report's expressions and templates parsed once, and what of its data they reach.

Later stages parse these texts no more: `expr` remembers what it has parsed, faults too, and the analysis comes first.
"""

from dataclasses import dataclass
from functools import cached_property

from msgspec import Struct

from northmoor.core.analysis.report_texts import PropertyPath, ReportText, Scope, texts_of
from northmoor.core.base.cache import GenerationalCache
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import Expression, parse
from northmoor.core.expr.templates import Slot, parse_template
from northmoor.core.model.base import Part
from northmoor.core.model.report import Edition, Report


class AnalysedText(Struct, frozen=True):
    """An expression or template with its expressions; or, where it does not parse, why."""

    source: ReportText
    expressions: tuple[Expression, ...]
    fault: ExpressionError | None = None


@dataclass(frozen=True)
class Analysis:
    """The analysed texts of a report, or of an edition."""

    texts: tuple[AnalysedText, ...]
    references: tuple[ReportText, ...]
    """Properties that name a column of a query."""

    @cached_property
    def queries(self) -> frozenset[str]:
        """The queries that expressions reach, as in ``max(targets.revenue)``, and levels by ``query.column``."""
        reached = {name for text in self.texts for expression in text.expressions for name in expression.queries}
        members = {text.text.rpartition(".")[0] for text in self.references if "." in text.text}
        return frozenset(reached | members)


def analyse(report: Report, cache: GenerationalCache) -> Analysis:
    """The analysis of a report. `cache` keeps that of parts which an edit leaves as they are."""
    shown = ReportText(("shown_edition",), Scope(), "Report", "shown_edition", report.shown_edition or "")
    found = [Analysis((_analysed(shown),) if report.shown_edition is not None else (), ())]
    for field in ("queries", "parameters", "named_values"):
        found += [_of_part(part, (field, at), Scope(), cache) for at, part in enumerate(getattr(report, field))]
    found += [_of_edition(edition, ("editions", at), cache) for at, edition in enumerate(report.editions)]
    return _joined(found)


def analyse_edition(edition: Edition, cache: GenerationalCache) -> Analysis:
    """The analysis of an edition by itself."""
    return _of_edition(edition, ("editions", 0), cache)


class _ByIdentity:
    """A key that is equal for the very same part only: parts never change, and comparing large ones takes long."""

    def __init__(self, part: Part) -> None:
        self.part = part

    def __hash__(self) -> int:
        return id(self.part)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _ByIdentity) and other.part is self.part


def _of_edition(edition: Edition, path: PropertyPath, cache: GenerationalCache) -> Analysis:
    """Block by block, so that an edit of one leaves the analysis of the others."""
    blocks = [
        _of_part(block, (*path, "blocks", at), Scope(edition.name), cache) for at, block in enumerate(edition.blocks)
    ]
    return _joined([_of_part(edition, path, Scope(), cache, without="blocks"), *blocks])


def _of_part(part: Part, path: PropertyPath, around: Scope, cache: GenerationalCache, without: str = "") -> Analysis:
    def made() -> Analysis:
        found = list(texts_of(part, path, around, without))
        analysed = tuple(_analysed(text) for text in found if text.kind in ("expression", "template"))
        return Analysis(analysed, tuple(text for text in found if text.kind == "reference"))

    return cache.get(("analysis", _ByIdentity(part), path), made)


def _analysed(text: ReportText) -> AnalysedText:
    try:
        if text.kind == "expression":
            return AnalysedText(text, (parse(text.text),))
        slots = tuple(part.expression for part in parse_template(text.text) if isinstance(part, Slot))
        return AnalysedText(text, slots)
    except ExpressionError as error:
        return AnalysedText(text, (), error)


def _joined(parts: list[Analysis]) -> Analysis:
    return Analysis(
        tuple(text for part in parts for text in part.texts),
        tuple(text for part in parts for text in part.references),
    )
