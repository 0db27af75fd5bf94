"""What is printed in a place of a document: texts, values and addresses in the scope of a record, or of the report."""

from functools import lru_cache
from typing import Any

from msgspec import Struct, field

from northmoor.core.base.replace import replace
from northmoor.core.errors import NorthmoorError, Place, ended
from northmoor.core.expr.language import parse
from northmoor.core.layout.context import FAULT_COLOR, LayoutContext
from northmoor.core.layout.flow.layout_pass import RecordScope, StageResults
from northmoor.core.layout.flow.records import formatted, value_of
from northmoor.core.layout.graphics.display_list import SourceRef
from northmoor.core.layout.inline.formatting import report_faults
from northmoor.core.layout.inline.hyperlinks import address_of
from northmoor.core.layout.inline.paragraph import Paragraph, Paragraphs, make_paragraph
from northmoor.core.layout.inline.rich_text import InlineRun
from northmoor.core.model.blocks.block_types import Block
from northmoor.core.model.blocks.table import Content
from northmoor.core.model.blocks.text import TextBlock
from northmoor.core.model.styles import ResolvedStyle


@lru_cache(maxsize=1000)
def content_of(text: str) -> Content:
    """A template as a content; the same one each time, since those that are made for records are found by it."""
    return Content(text=text)


class TextEvaluator(Struct, frozen=True, eq=False):
    """Tells what blocks say, from what has been computed."""

    given: StageResults
    context: LayoutContext
    texts: dict[tuple[str, str, int], Paragraphs] = field(default_factory=dict)
    """The texts of records, by the block, the for-each, and the width."""

    def visible(self, block: Block, scope: RecordScope) -> bool:
        """Whether a block is shown for a record; one that cannot be decided is shown, and that is reported."""
        if block.visible is None or scope.records is None:
            return True
        try:
            value, fault = scope.records.value(block.visible, scope.index)
        except NorthmoorError as error:
            value, fault = None, error.message
        if fault is not None:
            message = f"Whether it is visible cannot be decided: {ended(fault)}"
            self.context.find("undecided", Place(block=block.name), message)
            return True
        return value is not None and bool(value.as_py())

    def text_of(self, content: Content, block: str, scope: RecordScope) -> tuple[str, bool]:
        """What a content says here, and whether it says a fault."""
        if scope.records is not None:
            texts = scope.records.texts(content, block)
            return texts.text(scope.index), scope.index in texts.faulty
        texts = formatted(content, self.given.texts, 1, self.context)
        report_faults(texts, Place(block=block), self.context)
        return texts.text(0), bool(texts.faulty)

    def origin(self, block: str, row: str, scope: RecordScope) -> SourceRef:
        """Where what is printed comes from."""
        if scope.records is None:
            return SourceRef(block, row)
        return SourceRef(block, row, scope.records.block.name, scope.records.plain_keys[scope.index], scope.index)

    def text(self, block: TextBlock, width: int, scope: RecordScope) -> Paragraph:
        """What a text block of one look says, as a paragraph."""
        content, records = content_of(block.text), scope.records
        if records is None:
            look = self.context.look(block.style, block.look)
            return self.paragraph(content, look, width, block.name, "text", scope)
        key = block.name, records.block.name, width
        if key not in self.texts:  # a look is asked for once, not with each record
            look = self.context.look(block.style, block.look)
            self.texts[key] = records.paragraphs(content, block.name, look, width)
        return self.texts[key].of(scope.index, self.origin(block.name, "text", scope), self.context)

    def paragraph(
        self, content: Content, look: ResolvedStyle, width: int, block: str, row: str, scope: RecordScope
    ) -> Paragraph:
        """A content as a paragraph."""
        origin = self.origin(block, row, scope)
        if scope.records is not None:
            return scope.records.paragraphs(content, block, look, width).of(scope.index, origin, self.context)
        text, is_faulty = self.text_of(content, block, scope)
        return make_paragraph(text, look, width, origin, self.context, is_faulty)

    def inline_run(self, block: str, text: str, look: ResolvedStyle, link: str, scope: RecordScope) -> InlineRun:
        """A stretch of a text; one that cannot be computed is in the colour of faults."""
        written, is_faulty = self.text_of(content_of(text), block, scope)
        return InlineRun(written, replace(look, color=FAULT_COLOR) if is_faulty else look, link)

    def href(self, link: str | None, scope: RecordScope) -> str:
        """The address that something opens."""
        if link is None:
            return ""
        return address_of(link, lambda expression: self.value(expression, scope), self.context.locale)

    def value(self, expression: str, scope: RecordScope) -> tuple[Any, str | None]:
        """An expression's value here, or why there is none."""
        if scope.records is not None:
            return scope.records.value(expression, scope.index)
        return value_of(self.given.texts[parse(expression).text], 0)
