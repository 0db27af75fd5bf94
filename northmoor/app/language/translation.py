"""What every text of the window goes through, on its way to the screen in the user's language."""

from datetime import date

from PyQt6.QtCore import QCoreApplication

CONTEXT = "Northmoor"
"""What the toolkit calls the program's own texts, apart from those of its own dialogs."""

CORE = "core sentences"
"""The context of the core's sentences in the files of catalogues."""


def tr(text: str) -> str:
    """A text in the language of the window. What is filled in comes later: ``tr("{count} rows").format(count=3)``."""
    return QCoreApplication.translate(CONTEXT, text)


def tr_count(count: int, one: str, many: str) -> str:
    """A text about so many things, such as ``{count} row`` and ``{count} rows``, with the number filled in."""
    return tr(one if count == 1 else many).format(count=f"{count:,}")


def moment_text(moment: date, pattern: str) -> str:
    """A day or moment by a pattern of `strftime`, with the names of days and months in the language."""
    for name in ("%a", "%b", "%B"):
        pattern = pattern.replace(name, tr(f"{moment:{name}}"))
    return f"{moment:{pattern}}"
