"""Preflight: what should be looked at before a report goes out.

Rules are small functions in two lists, one that looks at a report's values and one at its rendered document; each
yields findings. What went wrong while the document was made is found by the stages themselves and comes first.
"""

import logging
from collections.abc import Callable, Iterator
from difflib import get_close_matches
from functools import partial
from typing import Any, TypeVar

import numpy as np

from northmoor.core.analysis.value_uses import value_names_used
from northmoor.core.authoring.queries.propose_parameters import sql_using, with_use
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.expression_remedies import with_expression_remedies
from northmoor.core.checks.lack_of_room import with_room_remedies
from northmoor.core.checks.link_rules import broken_links
from northmoor.core.checks.missing_glyphs import missing_glyphs
from northmoor.core.checks.read_aloud import pictures_without_words, skipped_headings
from northmoor.core.checks.value_rules import VALUE_RULES, ValuesToCheck
from northmoor.core.checks.values_without_rows import values_without_rows
from northmoor.core.document import Document
from northmoor.core.errors import Cancelled, NorthmoorError, Place
from northmoor.core.model import edits
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.findings import Finding, Remedy
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Report

_T = TypeVar("_T")
Rule = Callable[[Document], Iterator[Finding]]
_log = logging.getLogger(__name__)


def preflight(document: Document) -> tuple[Finding, ...]:
    """All findings about a document, each once. Raises Cancelled where its making is stopped meanwhile."""
    stop = document.composition.context.stop
    asked = ValuesToCheck(document.resolved, document.library, stop)
    laid = (with_expression_remedies(with_room_remedies(own, document), document) for own in document.findings)
    found = _without_consequences([*_run(VALUE_RULES, asked, stop), *laid])
    for finding in _run(RULES, document, stop):
        if finding not in found:
            found.append(finding)
    return tuple(found)


def preflight_values(asked: ValuesToCheck) -> tuple[Finding, ...]:
    """All findings about values with which no document can be made. Raises Cancelled."""
    return tuple(_without_consequences(list(_run(VALUE_RULES, asked, asked.stop))))


def _without_consequences(findings: list[Finding]) -> list[Finding]:
    """The findings without those that only follow from a parameter which a query misses."""
    missing = {f.place.query for f in findings if f.rule == "missing parameter"}

    def is_echo(finding: Finding) -> bool:
        is_named = any(finding.message.startswith(f"Query {query}: The SQL has :") for query in missing)
        return finding.rule != "missing parameter" and (is_named or finding.place.query in missing - {None})

    return [finding for finding in findings if not is_echo(finding)]


def _run(rules: tuple[Callable[[_T], Iterator[Finding]], ...], what: _T, stop: CancelToken) -> Iterator[Finding]:
    """What some rules find; a rule that fails is a finding too. Raises Cancelled between them."""
    for rule in rules:
        stop.raise_if_cancelled()
        try:
            yield from rule(what)
        except Cancelled:
            raise
        except NorthmoorError as error:
            _log.warning("The rule %s failed: %s", rule.__name__, error)
            yield Finding("unchecked", error.place, f"It could not be checked ({error.message}).", is_error=False)


def unused_parameters(document: Document) -> Iterator[Finding]:
    """Parameters that can be changed and nothing happens, because nothing uses them."""
    used = document.parameters_bound | value_names_used(document.report)
    for parameter in document.report.parameters:
        if not used & {parameter.name, *parameter.names}:
            uses = _possible_uses(document, parameter)
            hint = "" if uses else f" Use it as :{parameter.names[0]}, or remove it."
            out = Remedy("Remove", edit=partial(edits.remove_parameter, parameter=parameter.name))
            yield Finding(
                "unused parameter", Place(parameter=parameter.name), f"Nothing uses it.{hint}", False, (*uses, out)
            )


def _possible_uses(document: Document, parameter: Parameter) -> tuple[Remedy, ...]:
    """Conditions on columns named like the parameter, in the queries that have such."""
    found = []
    for name, rows in document.rows.items():
        wanted = [parameter.name, parameter.name.rstrip("s"), (parameter.label or parameter.name).lower()]
        near = [match for word in wanted for match in get_close_matches(word, rows.names, 1)]
        sql = sql_using(document.report.query(name), parameter, near[0], document.library) if near else None
        if sql is not None:
            found.append(Remedy(f"Filter {name} by {near[0]}", edit=partial(with_use, query=name, sql=sql)))
    return tuple(found[:3])


def empty_queries(document: Document) -> Iterator[Finding]:
    """Queries that returned no row for these values."""
    for name, rows in document.rows.items():
        if rows.table.num_rows == 0:
            words = ", ".join(document.words_of(name))
            message = f"It returns no rows for {words}." if words else "It returns no rows."
            yield Finding("no rows", Place(query=name), message, False, _other_values(document))


def _other_values(document: Document) -> tuple[Remedy, ...]:
    resolved = document.resolved
    given = [p.name for p in document.report.parameters if p.name in resolved.given]
    remedies = [Remedy("Back to the defaults", values=dict.fromkeys(given))] if given else []
    for parameter in document.report.parameters:
        held = resolved.chosen.get(parameter.name)
        offers = resolved.choices.get(parameter.name)
        if not parameter.required and held not in (None, ()):
            nothing = () if parameter.holds == "list" else ""
            remedies.append(Remedy(f"Without {parameter.shown_name}", values={parameter.name: nothing}))
        elif parameter.holds == "one" and offers is not None:
            other = next((entry for entry in offers.entries if entry.value != held), None)
            if other is not None:
                label = f"{parameter.shown_name}: {other.label}"
                remedies.append(Remedy(label, values={parameter.name: other.value}))
    return tuple(remedies[:4])


def uneven_pages(document: Document) -> Iterator[Finding]:
    """Tables that ask for more rows a page than a page holds."""
    held: dict[str, tuple[int, int]] = {}
    for laid, runs in document.composition.runs_of_tables(lambda table: isinstance(table.rows_per_page, int)).items():
        name, asked = laid.table.name, laid.table.rows_per_page
        pieces = [piece for run in runs if len(run.fragments) > 1 for piece in run.fragments]
        details = laid.layout.metrics.details
        if not isinstance(asked, int) or details is None or not pieces:
            continue
        most = max(int(details[piece.end] - details[piece.start]) for piece in pieces)
        held[name] = asked, max(held.get(name, (0, 0))[1], most)
    for name, (asked, most) in held.items():
        if most < asked:
            message = f"It asks for {asked:,} rows a page, which no page holds; pages have up to {most:,}, evenly."
            change = _change_block(document.edition.name, name, rows_per_page=most)
            yield Finding("rows a page", Place(block=name), message, False, (Remedy(f"Ask for {most:,}", change),))


def _change_block(edition: str, block: str, **changes: Any) -> Callable[[Report], Report]:
    return lambda report: edits.change_block(report, edition, block, **changes)


def split_groups(document: Document) -> Iterator[Finding]:
    """Groups that are to be kept together and are on several pages all the same."""
    counts: dict[str, int] = {}
    for laid, runs in document.composition.runs_of_tables(_keeps_groups).items():
        strip = laid.layout.metrics
        first = strip.is_kept_together
        starts = np.sort([piece.start for run in runs for piece in run.fragments])
        pages = [np.searchsorted(starts, rows, "right") for rows in (first, strip.keep_end[first] - 1)]
        counts[laid.table.name] = counts.get(laid.table.name, 0) + int(np.sum(pages[0] != pages[1]))
    for name, count in counts.items():
        if count:
            what = "1 group that is" if count == 1 else f"{count:,} groups that are"
            message = f"{what} kept together had to be split: taller than a page, or leaving a gap larger than allowed."
            yield Finding("split group", Place(block=name), message, is_error=False)


def _keeps_groups(table: TableBlock) -> bool:
    return any(level.keep_together for level in table.levels)


def undrawable_cells(document: Document) -> Iterator[Finding]:
    """Pictures that are missing and codes that do not fit, wherever their pages are."""
    faults: dict[Place, str] = {}
    for laid in document.composition.table_layouts:
        if all(cell.draw is None for cell in laid.table.cells()):
            continue
        for plan, cells in zip(laid.layout.plans, laid.layout.wrapped, strict=True):
            for cell, placed in zip(plan.cells, cells, strict=True):
                document.composition.context.stop.raise_if_cancelled()
                fault = cell.drawing.first_fault(placed.width - 2 * cell.look.inset) if cell.drawing else None
                if fault is not None and cell.drawing is not None:
                    faults.setdefault(cell.drawing.place, fault)
    yield from (Finding("drawing", place, fault) for place, fault in faults.items())


def data_notes(document: Document) -> Iterator[Finding]:
    """What was noticed about the data while they were read, such as saved rows that replace a connection."""
    for name, rows in document.rows.items():
        for note in rows.notes:
            yield Finding("data note", Place(query=name), note, is_error=False)


RULES: tuple[Rule, ...] = (
    unused_parameters,
    empty_queries,
    values_without_rows,
    uneven_pages,
    split_groups,
    broken_links,
    undrawable_cells,
    missing_glyphs,  # after the rule that reads the pictures of cells
    data_notes,
    pictures_without_words,
    skipped_headings,
)
