"""Pages kept in the library's ``pages`` folder, one JSON file each."""

from pathlib import Path

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.model.page_templates import TEMPLATE_VERSION, PageTemplate
from northmoor.core.model.serialization import part_text
from northmoor.core.store.report_files import load_part


def keep_page(template: PageTemplate, path: Path) -> None:
    """Write a page into its file. Raises ReportFileError."""
    path.parent.mkdir(exist_ok=True)
    text = part_text(template, "northmoor_page", TEMPLATE_VERSION)
    write_atomically(path, lambda part: part.write_text(text, encoding="utf-8"))


def read_page(path: Path) -> PageTemplate:
    """The page of a file. Raises ReportFileError."""
    return load_part(path, PageTemplate, "northmoor_page", TEMPLATE_VERSION, "a page kept in the library")
