"""Printing: the real pages, drawn for the printer that the system's dialog chose."""

from collections.abc import Callable

from msgspec import Struct
from PyQt6.QtCore import QMarginsF, QRectF, QSizeF
from PyQt6.QtGui import QPageLayout, QPageSize, QPainter
from PyQt6.QtPrintSupport import QPrintDialog, QPrinter
from PyQt6.QtWidgets import QWidget

from northmoor.app.language.translation import tr, tr_count
from northmoor.app.widgets.widget_tools import image_of
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.base.progress import CountedProgress
from northmoor.core.document import Document
from northmoor.core.errors import OutputError
from northmoor.core.output.raster import rasterise

_MOST_DPI = 600


class PrintJob(Struct, frozen=True):
    """Pages, by their indices, for a printer that is set up."""

    printer: QPrinter
    pages: tuple[int, ...]


def ask_printer(document: Document, parent: QWidget | None) -> PrintJob | None:
    """Let the system's dialog choose a printer, pages and copies; None where that is given up."""
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setDocName(document.title)
    set_paper(printer, document.composition.paper(0))
    dialog = QPrintDialog(printer, parent)
    dialog.setMinMax(1, len(document))
    dialog.setOption(QPrintDialog.PrintDialogOption.PrintPageRange)
    dialog.setOption(QPrintDialog.PrintDialogOption.PrintCollateCopies)
    if dialog.exec() != QPrintDialog.DialogCode.Accepted:
        return None
    return PrintJob(printer, chosen_pages(printer, len(document)))


def chosen_pages(printer: QPrinter, count: int) -> tuple[int, ...]:
    """The indices of the pages that a printer is set to, in the order that they are printed."""
    first, last = printer.fromPage() or 1, printer.toPage() or count
    pages = range(max(first, 1) - 1, min(last, count))
    is_backward = printer.pageOrder() == QPrinter.PageOrder.LastPageFirst
    return tuple(reversed(pages)) if is_backward else tuple(pages)


def set_paper(printer: QPrinter, paper: tuple[int, int]) -> None:
    """Set a printer to a paper, in millipoints, all of it."""
    width, height = paper
    size = QPageSize(QSizeF(min(width, height) / 1000, max(width, height) / 1000), QPageSize.Unit.Point)
    turned = QPageLayout.Orientation.Landscape if width > height else QPageLayout.Orientation.Portrait
    printer.setPageLayout(QPageLayout(size, turned, QMarginsF(), QPageLayout.Unit.Point))
    printer.setFullPage(True)


def print_pages(job: PrintJob, document: Document, report_progress: Callable[[str], None], stop: CancelToken) -> str:
    """Draw the pages of a job on its printer; what was done, in words. Raises OutputError where the printer takes
    nothing, and Cancelled."""
    printer, painter = job.printer, QPainter()
    if not painter.begin(printer):
        raise OutputError(
            tr("The printer {printer} does not accept jobs; choose another, or check that it is on.").format(
                printer=printer.printerName()
            )
        )
    try:
        for number, index in enumerate(job.pages):
            stop.raise_if_cancelled()
            words = tr("Printing page {number} of {count}").format(number=number + 1, count=len(job.pages))
            report_progress(CountedProgress(words, number, len(job.pages)))
            if number:
                set_paper(printer, document.composition.paper(index))
                printer.newPage()
            _draw(painter, printer, document, index)
    finally:
        painter.end()
    where = tr(" on {printer}").format(printer=printer.printerName()) if printer.printerName() else ""
    return tr_count(len(job.pages), "Printed {count} page", "Printed {count} pages") + where


def _draw(painter: QPainter, printer: QPrinter, document: Document, index: int) -> None:
    dpi = min(printer.resolution(), _MOST_DPI)
    raster = rasterise(document.page_pdf(index), 0, dpi / 72)
    image = image_of(raster)
    width, height = document.composition.paper(index)
    scale = printer.resolution() / 72_000
    painter.drawImage(QRectF(0, 0, width * scale, height * scale), image)
