"""A PDF that a password opens, or whose readers may not do everything: AES-256 (ISO 32000-2, 7.6), by qpdf.

Such a file has other bytes each time: its keys are drawn at random, as they have to be.
"""

import io
from collections.abc import Callable
from secrets import token_hex
from typing import BinaryIO

from northmoor.core.errors import OutputError
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.output.output_document import OutputDocument


def is_protected(options: OutputOptions) -> bool:
    """Whether a PDF of these choices is encrypted."""
    return options.allowed != "everything" or options.password is not None


def protection_fault(options: OutputOptions) -> str:
    """Why a PDF of these choices cannot be written; empty where it can."""
    if is_protected(options) and options.archive != "no":
        return "A PDF made to be kept (PDF/A) cannot have a password or forbid anything. Choose one of the two."
    return ""


def protected_writer(document: OutputDocument, write: Callable[[BinaryIO], None]) -> Callable[[BinaryIO], None]:
    """What writes a file, encrypted if that is wanted. Raises OutputError for a password that nobody has given, and for
    a file that is to be kept: ISO 19005 forbids to encrypt it."""
    options = document.options
    if not is_protected(options):
        return write
    if fault := protection_fault(options):
        raise OutputError(fault)
    password = document.password()  # it is missed before anything is written

    def protected(target: BinaryIO) -> None:
        plain = io.BytesIO()
        write(plain)
        document.check_stop()
        protect(plain, target, options, password)

    return protected


def protect(plain: BinaryIO, target: BinaryIO, options: OutputOptions, password: str) -> None:
    """Write a PDF encrypted. Nobody has the password of its owner: it is drawn, and forgotten."""
    import pikepdf  # loaded for the few files that are protected

    may_change = options.allowed == "everything"
    may_copy = options.allowed in ("everything", "no_changes")
    may_print = options.allowed != "reading"
    allow = pikepdf.Permissions(
        accessibility=True, extract=may_copy, modify_annotation=may_change, modify_assembly=may_change,
        modify_form=may_change, modify_other=may_change, print_lowres=may_print, print_highres=may_print,
    )  # fmt: skip
    encryption = pikepdf.Encryption(owner=token_hex(16), user=password, R=6, allow=allow)  # 6: AES-256
    plain.seek(0)
    with pikepdf.open(plain) as pdf:
        pdf.save(target, encryption=encryption)


def needs_password(pdf: bytes) -> bool:
    """Whether a PDF opens only with a password."""
    import pikepdf

    try:
        pikepdf.open(io.BytesIO(pdf)).close()
    except pikepdf.PasswordError:
        return True
    except pikepdf.PdfError:
        return False  # whoever reads it says what is wrong with it
    return False
