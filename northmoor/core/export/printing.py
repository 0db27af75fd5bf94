"""Printing without a window: to a printer of CUPS, or into a folder in place of one."""

import re
import shutil
import subprocess
import tempfile
from pathlib import Path
from typing import Literal, cast, get_args

from msgspec import Struct

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.errors import OutputError, ParameterError, ReportFileError, Unanswered
from northmoor.core.output.pdf.imposition import SheetKind, imposed, only_pages

FOLDER_PRINTER = "folder:"
"""What the name of a printer begins with that is a folder."""
PaperSides = Literal["one", "long-edge", "short-edge"]
_SIDES = {"one": "one-sided", "long-edge": "two-sided-long-edge", "short-edge": "two-sided-short-edge"}
_PATIENCE = 60
"""Seconds that CUPS may take to accept a job."""


class PrintOrder(Struct, frozen=True):
    """How something is printed: the printer, the pages (such as 1-3,5; none for all), copies, sides, the tray, and how
    many pages are on a sheet."""

    printer: str
    pages: str | None = None
    copies: int = 1
    sides: PaperSides = "one"
    tray: str | None = None
    sheet: SheetKind = "one"


def print_order(printer: str, pages: str | None, copies: int, sides: str, tray: str | None, sheet: str) -> PrintOrder:
    """An order as it is typed. Raises ParameterError for what does not fit."""
    for name, value, known in (("sides", sides, _SIDES), ("sheet", sheet, get_args(SheetKind))):
        if value not in known:
            raise ParameterError(f"{value!r} is none of {name}; write {', '.join(known)}.")
    if pages is not None and not re.fullmatch(r"\d+(-\d*)?(,\d+(-\d*)?)*", pages):
        raise ParameterError(f"{pages!r} are no pages; write for example 1-3,5.")
    return PrintOrder(printer, pages, copies, cast("PaperSides", sides), tray, cast("SheetKind", sheet))


def print_pdf(pdf: bytes, title: str, order: PrintOrder) -> str:
    """Print a PDF; what was done, in words. Raises OutputError where the printer does not take it."""
    sheets = sheets_of(pdf, order)
    if order.printer.startswith(FOLDER_PRINTER):
        return _into_folder(sheets, title, Path(order.printer.removeprefix(FOLDER_PRINTER)))
    command = shutil.which("lp")
    if command is None:
        raise OutputError("There is no CUPS here; install cups-client, or print into a folder: folder:PATH.")
    with tempfile.NamedTemporaryFile(suffix=".pdf") as file:
        file.write(sheets)
        file.flush()
        try:
            done = subprocess.run(
                [command, *cups_options(title, order), "--", file.name],
                capture_output=True, text=True, check=False, timeout=_PATIENCE,
            )  # fmt: skip
        except subprocess.TimeoutExpired as error:
            message = f"The printer {order.printer} did not answer in {_PATIENCE} seconds; see whether it has the job."
            raise Unanswered(message) from error
    if done.returncode:
        reason = " ".join((done.stderr or done.stdout).split())
        for before in (f"{command}: ", "lp: ", "Error - "):
            reason = reason.removeprefix(before)
        reason = reason.rstrip(".")
        raise OutputError(f"The printer {order.printer} does not take it: {reason or 'no reason is given'}.")
    return f"Printed on {order.printer}"


def sheets_of(pdf: bytes, order: PrintOrder) -> bytes:
    """The sheets that are printed of a PDF. Raises OutputError where it has none of the pages."""
    chosen = pdf if order.pages is None else only_pages(pdf, lambda count: page_numbers(order.pages or "", count))
    return imposed(chosen, order.sheet)


def page_numbers(text: str, count: int) -> list[int]:
    """The indices of pages that are named as 1-3,5 or 4-, of so many. Raises OutputError where none is there."""
    found: list[int] = []
    for part in text.split(","):
        first, sign, last = part.partition("-")
        end = int(last) if last else count if sign else int(first)
        found += [number - 1 for number in range(int(first), min(end, count) + 1) if number >= 1]
    if not found:
        raise OutputError(f"There are no pages {text}; the document has {count}.")
    return found


def cups_options(title: str, order: PrintOrder) -> list[str]:
    """The arguments of the command of CUPS (PWG 5100.7 and RFC 8011)."""
    found = ["-d", order.printer, "-t", " ".join(title.split()) or "Report", "-n", str(order.copies)]
    found += ["-o", f"sides={_SIDES[order.sides]}"]
    if order.copies > 1:  # one whole copy after another
        found += ["-o", "multiple-document-handling=separate-documents-collated-copies"]
    if order.tray:
        found += ["-o", f"media-source={order.tray}"]
    return found


def _into_folder(pdf: bytes, title: str, folder: Path) -> str:
    """Write what is printed as the next file of a folder."""
    if not folder.is_dir():
        raise OutputError(f"There is no folder {folder}; make it first.")
    name = "".join(char if char.isalnum() else "-" for char in title).strip("-") or "report"
    number = 1
    while (path := folder / f"{name}-{number:03}.pdf").exists():
        number += 1
    try:
        write_atomically(path, lambda part: part.write_bytes(pdf))
    except ReportFileError as error:
        raise OutputError(error.message) from error
    return f"Printed into {path}"
