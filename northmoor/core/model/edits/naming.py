"""Names for new parts that no other part has."""

from northmoor.core.model.report import Report


def unused_name(name: str, taken: list[str]) -> str:
    """A name, with a number where it is taken."""
    candidate, count = name, 2
    while candidate in taken:
        candidate, count = f"{name}_{count}", count + 1
    return candidate


def known_style(report: Report, name: str) -> str | None:
    """The name of a style, if the report has it."""
    return name if any(style.name == name for style in report.styles) else None
