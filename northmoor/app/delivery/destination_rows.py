"""Where the runs of an order go: a row for each destination, which is typed or chosen."""

from collections.abc import Sequence
from typing import Any

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFileDialog,
    QHBoxLayout,
    QLineEdit,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.core.delivery.destinations.destination import (
    CommandDestination,
    Destination,
    FolderDestination,
    MailDestination,
    PrinterDestination,
    PublishedFolder,
)

_KINDS = (
    ("folder", "Folder", "its path, from the library's folder on"),
    ("published", "Published for readers", "a folder that gets a page with all runs"),
    ("mail", "Mail", "addresses, with commas"),
    ("records", "Mail to each record", "the address is in the for-each"),
    ("printer", "Printer", "its name in CUPS, or folder:PATH"),
    ("command", "Command", "its name in the list of this machine"),
)


class DestinationRow(QWidget):
    """One destination."""

    changed = pyqtSignal()
    removed = pyqtSignal(object)

    def __init__(self, destination: Destination | None) -> None:
        super().__init__()
        self._old = destination
        self.kind, self.text = QComboBox(), QLineEdit()
        for name, text, _ in _KINDS:
            self.kind.addItem(text, name)
        self.kind.setAccessibleName("Kind of destination")
        self.kind.setToolTip("Where it goes")
        self.text.setAccessibleName("Destination")
        self.choose = QToolButton()
        self.choose.setIcon(icon("folder-open"))
        self.choose.setToolTip("Choose a folder")
        self.choose.setAccessibleName("Choose a folder")
        remove = QToolButton()
        remove.setIcon(icon("x"))
        remove.setToolTip("Remove this destination")
        remove.setAccessibleName("Remove this destination")
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for widget in (self.kind, self.text, self.choose, remove):
            row.addWidget(widget, 1 if widget is self.text else 0)
        if destination is not None:
            kind, text = _shown(destination)
            self.kind.setCurrentIndex(self.kind.findData(kind))
            self.text.setText(text)
        self.kind.currentIndexChanged.connect(lambda _: self._show_kind())
        self.text.textChanged.connect(lambda _: self.changed.emit())
        self.choose.clicked.connect(lambda _=False: self._choose())
        remove.clicked.connect(lambda _=False: self.removed.emit(self))
        self._show_kind()

    def _show_kind(self) -> None:
        kind = self.kind.currentData()
        self.text.setPlaceholderText(next(hint for name, _, hint in _KINDS if name == kind))
        self.text.setToolTip(self.text.placeholderText())
        self.text.setEnabled(kind != "records")
        self.choose.setVisible(kind in ("folder", "published"))
        self.changed.emit()

    def _choose(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, "Deliver into", self.text.text())
        if chosen:
            self.text.setText(chosen)

    @property
    def entries(self) -> dict[str, Any]:
        """The destination as its file has it; what is not shown of one that was there stays as it was."""
        kind, text = self.kind.currentData(), self.text.text().strip()
        of_kinds: dict[str, dict[str, Any]] = {
            "folder": {"path": text}, "published": {"path": text}, "printer": {"printer": text},
            "command": {"command": text}, "records": {"to_records": True, "to": ()},
            "mail": {"to": tuple(part.strip() for part in text.split(",") if part.strip()), "to_records": False},
        }  # fmt: skip
        own = of_kinds[kind]
        model = "mail" if kind == "records" else kind
        kept = self._old.model_dump() if self._old is not None and self._old.kind == model else {}
        return {**kept, "kind": model, **own}


def _shown(destination: Destination) -> tuple[str, str]:
    if isinstance(destination, FolderDestination | PublishedFolder):
        return destination.kind, destination.path
    if isinstance(destination, MailDestination):
        return ("records", "") if destination.to_records else ("mail", ", ".join(destination.to))
    if isinstance(destination, PrinterDestination):
        return "printer", destination.printer
    assert isinstance(destination, CommandDestination)
    return "command", destination.command


class DestinationRows(QWidget):
    """All destinations of an order."""

    changed = pyqtSignal()

    def __init__(self, destinations: Sequence[Destination]) -> None:
        super().__init__()
        self.rows: list[DestinationRow] = []
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self.add_one = QPushButton(icon("plus"), "Add a destination")
        self.add_one.setToolTip("Without any, its runs are only in the archive")
        self.add_one.clicked.connect(lambda _=False: self.add(None))
        below = QHBoxLayout()
        below.addWidget(self.add_one)
        below.addStretch(1)
        self._column.addLayout(below)
        for destination in destinations:
            self.add(destination)

    def add(self, destination: Destination | None) -> DestinationRow:
        """Add a row."""
        row = DestinationRow(destination)
        row.changed.connect(self.changed)
        row.removed.connect(self._remove)
        self.rows.append(row)
        self._column.insertWidget(len(self.rows) - 1, row)
        self.changed.emit()
        return row

    def _remove(self, row: DestinationRow) -> None:
        self.rows.remove(row)
        self._column.removeWidget(row)
        hide_and_delete(row)
        self.changed.emit()

    @property
    def entries(self) -> tuple[dict[str, Any], ...]:
        """The destinations as the order's file has them."""
        return tuple(row.entries for row in self.rows)
