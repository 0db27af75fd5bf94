"""Edits of headers and footers: their lines, and the pieces in them."""

from typing import Any

from northmoor.core.model.base import Part
from northmoor.core.model.edits.edition_edits import _edition, change_edition
from northmoor.core.model.edits.naming import known_style
from northmoor.core.model.pages import Running, RunningLine, TextPiece
from northmoor.core.model.report import Report


def change_piece(report: Report, edition: str, running: str, at: str, piece: Part | None) -> Report:
    """Put another piece, or none, at a line of a header or footer and a place in it, such as 0.end."""
    found: Running = getattr(_edition(report, edition), running)
    line, _, place = at.partition(".")
    lines = tuple(ln.but(**{place: piece}) if i == int(line) else ln for i, ln in enumerate(found.lines))
    kept = tuple(ln for ln in lines if ln.start or ln.center or ln.end)
    return change_edition(report, edition, **{running: found.but(lines=kept) if kept else None})


def change_running_line(report: Report, edition: str, running: str, number: int, /, **changes: Any) -> Report:
    """Change properties of a line of the header or footer."""
    found = getattr(_edition(report, edition), running)
    lines = tuple(line.but(**changes) if at == number else line for at, line in enumerate(found.lines))
    return change_edition(report, edition, **{running: found.but(lines=lines)})


def add_running_line(report: Report, edition: str, running: str, text: str) -> Report:
    """Add a line with a text at its start to the header or footer, which is made where there is none."""
    found = getattr(_edition(report, edition), running) or Running()
    style = known_style(report, "running")
    line = RunningLine(start=TextPiece(text=text, style=style))
    return change_edition(report, edition, **{running: found.but(lines=(*found.lines, line))})
