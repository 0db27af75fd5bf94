"""Pages kept in the library: paper, header, footer and watermark, applied to any report."""

from northmoor.core.model.base import Part
from northmoor.core.model.clipboard import styles_named_in
from northmoor.core.model.edits import change_edition
from northmoor.core.model.pages import PageSetup, Running, Watermark
from northmoor.core.model.report import Report
from northmoor.core.model.styles import NamedStyle

TEMPLATE_VERSION = 1
"""Version of the file's form."""
FOLDER = "pages"
"""Where the library keeps them."""
ENDING = ".page.json"


class PageTemplate(Part):
    """The page of an edition, without what flows down it."""

    northmoor_page: int = TEMPLATE_VERSION
    """Version of the file's form."""
    page: PageSetup = PageSetup()
    """Paper and margins."""
    header: Running | None = None
    """At the top of every page."""
    footer: Running | None = None
    """At the foot of every page."""
    watermark: Watermark | None = None
    """Behind what is on the pages."""
    styles: tuple[NamedStyle, ...] = ()
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
