"""Northmoor lays out business data into printable, exact reports.

import northmoor
northmoor.render("reports/fares-by-route.moor", values={"year": 2025}).write(Path("fares.pdf"))
"""

from collections.abc import Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Any

from northmoor.core.base.lazy_exports import lazy_exports

if TYPE_CHECKING:
    from northmoor.core.document import Document
    from northmoor.core.model.report import Report
    from northmoor.core.sources.library import Library
    from northmoor.core.store.report_files import load_report

__all__ = ["Document", "Library", "Report", "load_report", "render"]
__version__ = "0.1.0"
__getattr__ = lazy_exports(
    {
        "Document": "northmoor.core.document",
        "Library": "northmoor.core.sources.library",
        "Report": "northmoor.core.model.report",
        "load_report": "northmoor.core.store.report_files",
    }
)


def render(
    report: "Report | str | Path",
    values: Mapping[str, Any] | None = None,
    connections: "Library | Path | None" = None,
    edition: str | None = None,
) -> "Document":
    """The document of a report, given as a file or as an object; `connections` is its library or the library's folder.

    A file's library is the one it lies in. Raises NorthmoorError.
    """
    from northmoor.core.model.report import Report  # the engine and all readers: half a second that `--help` saves
    from northmoor.core.session import Session
    from northmoor.core.sources.library import Library
    from northmoor.core.store.report_files import load_report

    loaded = report if isinstance(report, Report) else load_report(Path(report))
    if isinstance(connections, Library):
        library = connections
    else:
        near = connections if connections is not None else Path() if isinstance(report, Report) else Path(report)
        library = Library.around(near)
    return Session(library).render(loaded, values, edition)
