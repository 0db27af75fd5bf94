"""Pages kept in the library's ``pages`` folder, one JSON file each."""

from pathlib import Path

from northmoor.core.model.page_templates import TEMPLATE_VERSION, PageTemplate
from northmoor.core.model.serialization import part_text
from northmoor.core.store.report_files import load_part


def page_text(template: PageTemplate) -> str:
    """What the file of a page holds."""
    return part_text(template, "northmoor_page", TEMPLATE_VERSION)


def read_page(path: Path) -> PageTemplate:
    """The page of a file. Raises ReportFileError."""
    return load_part(path, PageTemplate, "northmoor_page", TEMPLATE_VERSION, "a page kept in the library")
