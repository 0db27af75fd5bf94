"""Blocks kept elsewhere, put in the place of what includes them: shared blocks of the library, and other reports.

Included blocks are named after the block that includes them, as ``terms--title``; their queries, parameters and styles
come with them where the report has none of the name.
"""

from collections.abc import Sequence
from typing import Any, TypeGuard

from msgspec import Struct
from pydantic import ValidationError

from northmoor.core.errors import NorthmoorError, Place, ReportFileError
from northmoor.core.model.base import refusal
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.containers import DataBlock, ForEachBlock
from northmoor.core.model.blocks.simple import IncludeBlock
from northmoor.core.model.blocks.tree import JOINT, Blocks, in_every_list, walk
from northmoor.core.model.clipboard import ClipboardBlocks, read_blocks
from northmoor.core.model.edits import rename_query_references, unused_name
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Edition, Report
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report

_DEEPEST = 8


class IncludeFault(Struct, frozen=True):
    """Why something is not included: the edition, the block that includes it, and the error."""

    edition: str
    block: str
    error: NorthmoorError


class Included(Struct, frozen=True):
    """A report with all that it includes, and what could not be."""

    report: Report
    faults: tuple[IncludeFault, ...] = ()


def with_included(report: Report, library: Library) -> Included:
    """A report with what its editions include in the place of the blocks that do. What cannot be included stays as it
    is, and why is reported."""
    faults: list[IncludeFault] = []
    for edition in report.editions:
        while waiting := [block for block in walk(edition.blocks) if _with_placeholder(block, edition, faults)]:
            for block in waiting:
                try:
                    if block.name.count(JOINT) >= _DEEPEST:
                        message = f"{block.file} includes itself, or too many others within one another; part them."
                        raise ReportFileError(message, Place(block=block.name))
                    report = _with_one(report, edition.name, block, library)
                except (NorthmoorError, ValidationError) as error:
                    fault = error if isinstance(error, NorthmoorError) else ReportFileError(refusal(error))
                    faults.append(IncludeFault(edition.name, block.name, fault))
            found = report.edition(edition.name)
            assert found is not None
            edition = found
    return Included(report, tuple(faults))


def _with_placeholder(block: Block, edition: Edition, faults: Sequence[IncludeFault]) -> TypeGuard[IncludeBlock]:
    """Whether a block includes something, and that has not failed."""
    failed = ((fault.edition, fault.block) for fault in faults)
    return isinstance(block, IncludeBlock) and (edition.name, block.name) not in failed


class _Parts(Struct, frozen=True):
    """What is included: blocks with the queries, parameters and styles that they need."""

    blocks: Blocks
    carried: ClipboardBlocks | Report
    parameters: tuple[Parameter, ...] = ()


def _read(block: IncludeBlock, library: Library) -> _Parts:
    """What a block includes. Raises ReportFileError."""
    if block.file.endswith(".moor"):
        report = load_report(library.report_path(block.file))
        edition = report.edition(block.edition)
        if edition is None:
            raise ReportFileError(f"{block.file} has no edition {block.edition!r}.", Place(block=block.name))
        return _Parts(edition.blocks, report, report.parameters)
    path = library.resolve_path(block.file)
    if not path.is_file():
        raise ReportFileError(f"The library has no shared blocks {block.file!r}; keep some under that name.")
    carried = read_blocks(path.read_bytes(), path.name)
    return _Parts(carried.blocks, carried)


def _with_one(report: Report, edition: str, block: IncludeBlock, library: Library) -> Report:
    parts = _read(block, library)
    report, renamed = _with_queries(report, parts, block.name)
    blocks = tuple(_in_place(each, block, renamed) for each in in_every_list(parts.blocks, _named_after(block.name)))
    if blocks:
        blocks = (*blocks[:-1], blocks[-1].but(space_after=block.space_after))
    taken = {style.name for style in report.styles}
    names = set(report.value_names)
    added = tuple(p for p in parts.parameters if not names & {p.name, *p.names})
    values = parts.carried.named_values if isinstance(parts.carried, Report) else ()
    report = report.but(
        styles=(*report.styles, *(style for style in parts.carried.styles if style.name not in taken)),
        parameters=(*report.parameters, *added),
        named_values=(*report.named_values, *(value for value in values if value.name not in names)),
    )
    found = report.edition(edition)
    assert found is not None

    def put(own: Blocks) -> Blocks:
        return tuple(new for each in own for new in (blocks if each.name == block.name else (each,)))

    changed = found.but(blocks=in_every_list(found.blocks, put))
    return report.but(editions=tuple(changed if each.name == edition else each for each in report.editions))


def _with_queries(report: Report, parts: _Parts, name: str) -> tuple[Report, dict[str, str]]:
    """The report with the queries of what is included; one that has the name of another gets a name of its own."""
    known = {query.name: query for query in report.queries}
    renamed: dict[str, str] = {}
    carried = Report(queries=parts.carried.queries, editions=(Edition(name="none"),))
    for query in parts.carried.queries:
        if known.get(query.name, query) != query:
            prefix = "".join(c if c.isalnum() else "_" for c in name)
            renamed[query.name] = unused_name(f"{prefix}_{query.name}", [*known, *renamed.values()])
            carried = rename_query_references(carried, query.name, renamed[query.name])
    added = tuple(query for query in carried.queries if query.name not in known)
    return report.but(queries=(*report.queries, *added)), renamed


def _named_after(name: str) -> Any:
    def named(own: Blocks) -> Blocks:
        return tuple(_renamed(block, name) for block in own)

    return named


def _renamed(block: Block, name: str) -> Block:
    changes: dict[str, Any] = {"name": f"{name}{JOINT}{block.name}"[:63]}
    if isinstance(block, ChartBlock) and block.groups_of is not None:
        changes["groups_of"] = f"{name}{JOINT}{block.groups_of}"[:63]
    return block.but(**changes)


def _in_place(block: Block, include: IncludeBlock, renamed: dict[str, str]) -> Block:
    """An included block with the names that its queries have here, shown if what includes it is."""
    if include.visible is not None:
        own = f"({include.visible}) and ({block.visible})" if block.visible is not None else include.visible
        block = block.but(visible=own)

    def with_queries(own: Blocks) -> Blocks:
        return tuple(
            each.but(query=renamed[each.query])
            if isinstance(each, DataBlock | ForEachBlock) and each.query in renamed else each
            for each in own
        )  # fmt: skip

    return in_every_list((block,), with_queries)[0]
