"""A toy kind of block: a line to sign on, with a text below it."""

from typing import Any, Literal

from northmoor.core.model.base import FlowBlock


class SignatureBlock(FlowBlock):
    """A line to sign on."""

    kind: Literal["signature"] = "signature"
    signed_by: str = "{report_title()}"
    """Template for who signs."""


def place(placer: Any, block: SignatureBlock, scope: Any) -> None:
    """Place the line and the text."""
    from northmoor.core.layout.flow.leaf_boxes import rule_box
    from northmoor.core.layout.flow.text_evaluation import content_of
    from northmoor.core.model.blocks.simple import LineBlock

    placer.add_box(block, rule_box(LineBlock(name=block.name), placer.region.width // 2), scope)
    look = placer.context.look(None)
    content, width = content_of(block.signed_by), placer.region.width
    placer.add_paragraph(placer.evaluator.paragraph(content, look, width, block.name, "signature", scope))
