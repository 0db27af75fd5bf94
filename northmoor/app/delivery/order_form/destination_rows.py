"""Where the runs of an order go: a row for each destination, which is typed or chosen."""

from collections.abc import Mapping, Sequence
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

from northmoor.app.delivery.part_form import PartForm, PropertyWords
from northmoor.app.language.translation import tr
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
from northmoor.core.model.base import Part

_KINDS = (
    ("folder", tr("Folder"), tr("its path, from the library's folder on")),
    ("published", tr("Published for readers"), tr("a folder that gets a page with all runs")),
    ("mail", tr("Mail"), tr("addresses, with commas")),
    ("records", tr("Mail to each record"), tr("the address is in the for-each")),
    ("printer", tr("Printer"), tr("its name in CUPS, or folder:PATH")),
    ("command", tr("Command"), tr("its name in the list of this machine")),
)
_SERVER = PropertyWords(tr("Mail server"), empty=tr("the first of the library's"))
_OPTIONS: Mapping[str, tuple[type[Part], Mapping[str, PropertyWords]]] = {
    "folder": (
        FolderDestination,
        {
            "if_exists": PropertyWords(
                tr("A file of that name"),
                {
                    "replace": tr("is replaced"),
                    "number": tr("is kept; the new one is numbered"),
                    "leave": tr("is kept; the new one is not written"),
                },
            ),
            "only": PropertyWords(tr("Only formats"), empty=tr("all; or some, such as pdf, xlsx")),
        },
    ),
    "published": (PublishedFolder, {"keep": PropertyWords(tr("Runs that stay"))}),
    "mail": (
        MailDestination,
        {
            "subject": PropertyWords(tr("Subject")),
            "text": PropertyWords(tr("Text"), is_long=True),
            "attach": PropertyWords(tr("Files attached")),
            "first_page": PropertyWords(tr("First page in the text")),
            "server": _SERVER,
        },
    ),
    "printer": (
        PrinterDestination,
        {
            "pages": PropertyWords(tr("Pages"), empty=tr("all; or some, such as 1-3,5")),
            "copies": PropertyWords(tr("Copies")),
            "sides": PropertyWords(
                tr("Sides"),
                {
                    "one": tr("One side"),
                    "long-edge": tr("Both, turned at the long edge"),
                    "short-edge": tr("Both, turned at the short edge"),
                },
            ),
            "tray": PropertyWords(tr("Tray"), empty=tr("the printer's own choice")),
            "sheet": PropertyWords(
                tr("Pages on a sheet"),
                {"one": tr("One"), "two": tr("Two"), "four": tr("Four"), "booklet": tr("Booklet")},
            ),
        },
    ),
}
"""What else can be said of each kind of destination."""


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
        self.kind.setAccessibleName(tr("Kind of destination"))
        self.kind.setToolTip(tr("Where it goes"))
        self.text.setAccessibleName(tr("Destination"))
        self.choose = QToolButton()
        self.choose.setIcon(icon("folder-open"))
        self.choose.setToolTip(tr("Choose a folder"))
        self.choose.setAccessibleName(tr("Choose a folder"))
        remove = QToolButton()
        remove.setIcon(icon("x"))
        remove.setToolTip(tr("Remove this destination"))
        remove.setAccessibleName(tr("Remove this destination"))
        self.more = QToolButton()
        self.more.setIcon(icon("sliders-horizontal"))
        self.more.setCheckable(True)
        self.more.setToolTip(tr("More about this destination: what a mail says, how it is printed"))
        self.more.setAccessibleName(tr("More about this destination"))
        self.options: PartForm | None = None
        self._values: dict[str, dict[str, Any]] = {}
        row = QHBoxLayout()
        for widget in (self.kind, self.text, self.choose, self.more, remove):
            row.addWidget(widget, 1 if widget is self.text else 0)
        self._column = QVBoxLayout(self)
        self._column.setContentsMargins(0, 0, 0, 0)
        self._column.addLayout(row)
        if destination is not None:
            kind, text = _shown(destination)
            self.kind.setCurrentIndex(self.kind.findData(kind))
            self.text.setText(text)
        self.kind.currentIndexChanged.connect(lambda _: self._show_kind())
        self.text.textChanged.connect(lambda _: self.changed.emit())
        self.choose.clicked.connect(lambda _=False: self._choose())
        self.more.toggled.connect(lambda _: self._show_options())
        remove.clicked.connect(lambda _=False: self.removed.emit(self))
        self._show_kind()

    def _show_kind(self) -> None:
        kind = self.kind.currentData()
        self.text.setPlaceholderText(next(hint for name, _, hint in _KINDS if name == kind))
        self.text.setToolTip(self.text.placeholderText())
        self.text.setEnabled(kind != "records")
        self.choose.setVisible(kind in ("folder", "published"))
        self.more.setVisible(self._model in _OPTIONS)
        self._show_options()
        self.changed.emit()

    @property
    def _model(self) -> str:
        """The kind, as files of orders name it."""
        kind = self.kind.currentData()
        return "mail" if kind == "records" else str(kind)

    def _given(self) -> dict[str, Any]:
        """What is said of the destination besides where it is, as it was and as it was changed here."""
        is_old = self._old is not None and self._old.kind == self._model
        kept = self._old.model_dump() if self._old is not None and is_old else {}
        return kept | self._values.get(self._model, {})

    def _show_options(self) -> None:
        """Show what else can be said, if that is wanted."""
        if self.options is not None:
            self._column.removeWidget(self.options)
            hide_and_delete(self.options)
            self.options = None
        if self.more.isChecked() and self._model in _OPTIONS:
            model, words = _OPTIONS[self._model]
            values = {name: model.model_fields[name].default for name in words} | self._given()
            self.options = PartForm(model, values, words, self._set_option)
            self.options.setContentsMargins(24, 0, 0, 6)
            self._column.addWidget(self.options)

    def _set_option(self, name: str, value: Any) -> None:
        self._values.setdefault(self._model, {})[name] = value
        self.changed.emit()

    def _choose(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, tr("Deliver into"), self.text.text())
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
        return {**self._given(), "kind": self._model, **of_kinds[kind]}


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
        self.add_one = QPushButton(icon("plus"), tr("Add a destination"))
        self.add_one.setToolTip(tr("Without any, its runs are only in the archive"))
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
