"""A block on the clipboard: as a table with its looks for letters, as cells for spreadsheets, as a picture for all."""

from PyQt6.QtCore import QMimeData
from PyQt6.QtGui import QImage

from northmoor.core.document import Document
from northmoor.core.export.clipboard_formats import block_html, block_picture, block_text


def mime_of(document: Document, block: str) -> QMimeData:
    """What is put on the clipboard of a block. Raises OutputError."""
    made = QMimeData()
    shown = document.output("html", block=block)
    text = block_text(shown)
    if text:
        made.setText(text)
        made.setHtml(block_html(shown))
    made.setImageData(QImage.fromData(block_picture(shown)))
    return made
