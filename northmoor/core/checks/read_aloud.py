"""What is in the way of readers who do not see the pages: pictures without words, and steps of headings that are left
out."""

from collections.abc import Iterator
from functools import partial

from northmoor.core.document import Document
from northmoor.core.errors import Place
from northmoor.core.model import edits
from northmoor.core.model.blocks.picture import PictureBlock
from northmoor.core.model.blocks.tree import walk
from northmoor.core.model.findings import Finding, Remedy
from northmoor.core.model.report import Report
from northmoor.core.output.content.block_roles import block_roles


def pictures_without_words(document: Document) -> Iterator[Finding]:
    """Pictures that say nothing to those who do not see them."""
    for block in walk(document.edition.blocks):
        if isinstance(block, PictureBlock) and block.description is None:
            message = "Nothing says what the picture shows; describe it, or leave that empty if it only adorns."
            adorn = partial(_without_words, edition=document.edition.name, block=block.name)
            remedies = (Remedy("It only adorns", adorn),)
            yield Finding("no words", Place(block=block.name), message, False, remedies)


def _without_words(report: Report, edition: str, block: str) -> Report:
    return edits.change_block(report, edition, block, description="")


def skipped_headings(document: Document) -> Iterator[Finding]:
    """Headings that are more than one step below the one before."""
    deepest = 0
    for name, role in block_roles(document.edition).items():
        if role.kind != "heading":
            continue
        if role.level > deepest + 1:
            message = f"The heading is of step {role.level}, the one before of step {deepest}; leave none out."
            yield Finding("heading", Place(block=name), message, is_error=False)
        deepest = role.level
