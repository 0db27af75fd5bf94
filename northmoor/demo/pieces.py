"""What the example reports have in common."""

from northmoor.core.model.report import Running, RunningLine, TextPiece


def footer(text: str) -> Running:
    """A footer with a text at its start and the page's number at its end."""
    page = TextPiece(text="Page {page_number()} of {page_count()}", style="running")
    return Running(lines=(RunningLine(start=TextPiece(text=text, style="running"), end=page),))
