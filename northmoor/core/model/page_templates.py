"""Pages kept in the library: paper, header, footer and watermark, applied to any report."""

from pathlib import Path

from northmoor.core.model.carrying import styles_named_in
from northmoor.core.model.edits import change_edition
from northmoor.core.model.files import load_part, part_text, write_atomically
from northmoor.core.model.looks import Style
from northmoor.core.model.pages import PageSetup, Running, Watermark
from northmoor.core.model.part import Part
from northmoor.core.model.report import Report

FORM = 1
"""Version of the file's form."""
FOLDER = "pages"
"""Where the library keeps them."""
ENDING = ".page.json"


class PageTemplate(Part):
    """The page of an edition, without what flows down it."""

    northmoor_page: int = FORM
    """Version of the file's form."""
    page: PageSetup = PageSetup()
    """Paper and margins."""
    header: Running | None = None
    """Stands at the top of every page."""
    footer: Running | None = None
    """Stands at the foot of every page."""
    watermark: Watermark | None = None
    """Stands behind what is on the pages."""
    styles: tuple[Style, ...] = ()
    """The styles that they use, and those that these are based on."""


def page_template(report: Report, edition: str) -> PageTemplate:
    """The page of an edition."""
    found = report.edition(edition)
    assert found is not None
    plain = PageTemplate(page=found.page, header=found.header, footer=found.footer, watermark=found.watermark)
    return plain.but(styles=styles_named_in(report, plain.model_dump_json()))


def with_page(report: Report, edition: str, template: PageTemplate) -> Report:
    """A report where an edition has another page. Styles that it does not have come with it."""
    known = {style.name for style in report.styles}
    added = tuple(style for style in template.styles if style.name not in known)
    return change_edition(
        report.but(styles=(*report.styles, *added)), edition, page=template.page, header=template.header,
        footer=template.footer, watermark=template.watermark,
    )  # fmt: skip


def keep_page(template: PageTemplate, path: Path) -> None:
    """Write a page into its file. Raises ReportFileError."""
    path.parent.mkdir(exist_ok=True)
    text = part_text(template, "northmoor_page", FORM)
    write_atomically(path, lambda part: part.write_text(text, encoding="utf-8"))


def read_page(path: Path) -> PageTemplate:
    """The page of a file. Raises ReportFileError."""
    return load_part(path, PageTemplate, "northmoor_page", FORM, "a page kept in the library")
