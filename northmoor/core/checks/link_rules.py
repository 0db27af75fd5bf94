"""The findings about links: addresses that lead nowhere."""

from collections.abc import Iterable, Iterator

import pyarrow.compute as pc

from northmoor.core.document import Document
from northmoor.core.errors import NorthmoorError, Place, did_you_mean
from northmoor.core.layout.flow.fragments import ChartFragment, TextFragment
from northmoor.core.layout.inline.rich_text import RichText
from northmoor.core.layout.table.cell_layout import name_of_row
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.tree import walk
from northmoor.core.model.findings import Finding
from northmoor.core.model.links import ReportLink, is_web, place_named, report_named
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report


def broken_links(document: Document) -> Iterator[Finding]:
    """Links that a page does not open, and such as lead to a place or a report that there is not."""
    faults: dict[Place, str] = {}
    for place, addresses in (*_of_cells(document), *_of_texts(document)):
        if place not in faults and (fault := _first_fault(addresses, document)) is not None:
            faults[place] = fault
    yield from (Finding("link", place, fault, False) for place, fault in faults.items())


def _of_cells(document: Document) -> Iterator[tuple[Place, list[str]]]:
    """The addresses that each cell of tables opens; of a table that is laid out in parts, part by part."""
    for laid in document.composition.table_layouts:
        if all(cell.link is None for cell in laid.table.cells()):
            continue
        layout = laid.layout
        for plan in layout.plans:
            row = "rows" if plan.place.row == "detail" and not plan.place.number else name_of_row(plan.place)
            for cell in plan.cells:
                if cell.links is not None:
                    shown = layout.data.crosstab_column(cell.name)
                    column = cell.name if shown is None else shown.column
                    place = Place(block=layout.table.name, row=row, column=column)
                    yield place, pc.unique(cell.links.texts).to_pylist()


def _of_texts(document: Document) -> Iterator[tuple[Place, list[str]]]:
    """The addresses that texts and pictures open."""
    found: dict[str, dict[str, None]] = {}
    if not any(map(_has_links, walk(document.edition.blocks))):
        return
    placed = document.composition.placed.everything()
    for part in (part for parts in placed for own in parts.lines.values() for part in own):
        own = [] if isinstance(part, ChartFragment) else [part.link]
        if isinstance(part, TextFragment) and isinstance(part.block, RichText):
            own += [link for *_, link in part.block.links(0, 0)]
        if any(own):
            found.setdefault(part.name, {}).update(dict.fromkeys(filter(None, own)))
    yield from ((Place(block=name), list(own)) for name, own in found.items())


def _has_links(block: Block) -> bool:
    """Whether a text or a picture opens an address, or a stretch of a text does."""
    return any(getattr(each, "link", None) is not None for each in (block, *getattr(block, "runs", ())))


def _first_fault(addresses: Iterable[str], document: Document) -> str | None:
    """What is wrong with the first of some addresses that leads nowhere."""
    reports: dict[str, str | None] = {}
    for address in addresses:
        document.composition.context.stop.raise_if_cancelled()
        if address in ("", "#"):
            continue  # its value is missing
        place, report = place_named(address), report_named(address)
        if is_web(address) or (place is not None and place in document.composition.anchors):
            continue
        if place is not None:
            return f"Its link leads to #{place[:60]}, and no cell has that as its place name."
        if report is None:
            return (
                "A link opens an https, http, mailto or tel address, a #place, or a report that ends in .moor; "
                f"{address[:60]!r} is none of these."
            )
        key = f"{report.file}?{sorted(report.values)}"
        if key not in reports:
            reports[key] = _fault_of_report(report, document.library)
        if (known := reports[key]) is not None:
            return known
    return None


def _fault_of_report(link: ReportLink, library: Library) -> str | None:
    """Why a report cannot be opened with these values, as far as it can be determined without opening it."""
    try:
        report = load_report(library.report_path(link.file))
    except NorthmoorError as error:
        return f"Its link opens no report: {error.message}"
    known = [parameter.name for parameter in report.parameters]
    unknown = next((name for name in link.values if name not in known), None)
    if unknown is None:
        return None
    return (
        f"Its link gives {link.file} a value for {unknown}, which it does not ask for. {did_you_mean(unknown, known)}"
    )
