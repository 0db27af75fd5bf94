"""A printer of CUPS, or a folder in place of one. A job has the run's name, so that a folder gets it once."""

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.delivery.destinations.destination import PrinterDestination
from northmoor.core.delivery.destinations.folder import made_folder
from northmoor.core.delivery.destinations.handing import Handed, Handing
from northmoor.core.delivery.runs.file_names import safe_name
from northmoor.core.errors import NorthmoorError, OutputError, Unanswered
from northmoor.core.export.printing import FOLDER_PRINTER, print_order, print_pdf, sheets_of
from northmoor.core.output.pdf.protection import needs_password


def deliver(handing: Handing, destination: PrinterDestination) -> Handed:
    """Print a run's PDFs. Raises OutputError where there is none, or a printer takes none."""
    pdfs = [path for path in handing.files if path.suffix == ".pdf"]
    if not pdfs:
        raise OutputError("There is no PDF to print; add PDF to the formats.")
    printed, faults, uncertain = [], [], []
    for file in pdfs:
        handing.stop.raise_if_cancelled()
        known = handing.notes.of(file.name)
        if known is not None and known.state == "done":
            continue
        is_folder = destination.printer.startswith(FOLDER_PRINTER)
        if known is not None and known.state in ("begun", "unknown") and not is_folder:
            handing.notes.note(file.name, "unknown")
            uncertain.append(file.name)
            continue
        handing.notes.note(file.name, "begun")
        try:
            _print(handing, destination, file.read_bytes(), file.stem)
        except Unanswered as error:
            handing.notes.note(file.name, "unknown")
            uncertain.append(f"{file.name}: {error.message}")
            continue
        except NorthmoorError as error:
            handing.notes.note(file.name, "failed", error.message)
            faults.append(error.message)
            continue
        handing.notes.note(file.name, "done")
        printed.append(file.name)
    return Handed(tuple(printed), faults=tuple(faults), uncertain=tuple(uncertain))


def _print(handing: Handing, destination: PrinterDestination, pdf: bytes, title: str) -> None:
    if needs_password(pdf):
        raise OutputError(f"{title} opens only with a password, which no printer has. Print it without one.")

    order = print_order(
        destination.printer, destination.pages, destination.copies, destination.sides, destination.tray,
        destination.sheet,
    )  # fmt: skip
    if not destination.printer.startswith(FOLDER_PRINTER):
        print_pdf(pdf, title, order)
        return
    folder = handing.path(destination.printer.removeprefix(FOLDER_PRINTER))
    made_folder(folder)
    sheets = sheets_of(pdf, order)
    path = folder / f"{safe_name(title)} {handing.record.id}.pdf"
    write_atomically(path, lambda part: part.write_bytes(sheets))
