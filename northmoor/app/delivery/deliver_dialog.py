"""Deliver: the formats, the edition or one block of it, and where the files go; several formats at a time."""

from collections.abc import Callable
from pathlib import Path

from msgspec import Struct
from pydantic import ValidationError
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.delivery.format_options import FormatOptions
from northmoor.app.delivery.pdf_password import ask_pdf_password
from northmoor.app.language.translation import in_sentence, tr
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.document import Document
from northmoor.core.model.blocks.block_types import BLOCK_TYPE_OF_KIND
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.blocks.tree import walk
from northmoor.core.model.kinds.output_formats import FORMAT_OF_SUFFIX, OutputFormat
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.output.pdf.protection import protection_fault

_SUFFIX = Qt.ItemDataRole.UserRole
_DELIVERED_ALONE = ("table", "matrix", "chart", "picture", "barcode", "readout", "text", "grid", "frame")


class Delivery(Struct, frozen=True):
    """What is delivered: the files, one a format, the one block that is wanted, the choices of the formats, whether the
    run is kept in the archive, and the for-each for each of whose records there are files."""

    paths: tuple[Path, ...]
    block: str | None
    options: OutputOptions
    is_kept: bool = False
    each: str | None = None

    def write(self, document: Document, report_progress: Callable[[str], None], stop: CancelToken) -> list[Path]:
        """Write the files; all that were written. Raises OutputError and Cancelled."""
        return [
            written
            for path in self.paths
            for written in document.write(path, report_progress, stop, self.block, self.options)
        ]


class DeliverDialog(QDialog):
    """Asks what to deliver, and where."""

    def __init__(self, document: Document, proposed: Path, block: str | None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Deliver"))
        self.resize(680, 520)
        self._document = document
        self._options = document.edition.output
        self._shown: FormatOptions | None = None
        self.formats = self._format_list(document.edition.formats)
        self.what = self._block_choice(block)
        self.folder = QLineEdit(str(proposed.parent))
        self.folder.setToolTip(tr("The folder that the files go into"))
        self.name = QLineEdit(proposed.stem if block is None else f"{proposed.stem}-{block}")
        self.name.setToolTip(tr("What the files are called, without their endings"))
        browse = QPushButton(tr("Choose…"))
        browse.setToolTip(tr("Choose another folder"))
        browse.clicked.connect(self._choose_folder)
        self.keep = QCheckBox(tr("Keep these choices in the report"))
        self.keep.setToolTip(tr("Use them the next time, and from the terminal too; it can be undone"))
        self.archive = QCheckBox(tr("Keep the run in the archive"))
        self.archive.setToolTip(tr("Keep it in Delivery with its values and data time, to find and compare it later"))
        self.each = self._each_choice()
        self.is_order = False
        self.note = QLabel()
        self.note.setWordWrap(True)
        self.note.setTextFormat(Qt.TextFormat.PlainText)
        self.note.setObjectName("quiet")
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Cancel)
        self._deliver = QPushButton(tr("Deliver"))
        self._deliver.setObjectName("primary")
        self.buttons.addButton(self._deliver, QDialogButtonBox.ButtonRole.AcceptRole)
        self.as_order = QPushButton(tr("As a standing order…"))
        self.as_order.setToolTip(tr("Let this be made again by itself: at times, or when something happens"))
        self.as_order.clicked.connect(lambda _=False: self._accept_as_order())
        self.buttons.addButton(self.as_order, QDialogButtonBox.ButtonRole.ActionRole)
        self._lay_out(browse)
        self._connect()
        self._refresh()

    def _lay_out(self, browse: QPushButton) -> None:
        where = QHBoxLayout()
        where.addWidget(self.folder, 1)
        where.addWidget(browse)
        form = QFormLayout()
        for text, editor in ((tr("What"), self.what), (tr("One file for each"), self.each), (tr("Name"), self.name)):
            editor.setAccessibleName(text)
            form.addRow(text, editor)
        self.folder.setAccessibleName(tr("Folder"))
        form.addRow(tr("Folder"), where)
        self._right = QVBoxLayout()
        self._right.addLayout(form)
        self._choices = QVBoxLayout()
        self._right.addLayout(self._choices)
        self._right.addWidget(self.archive)
        self._right.addWidget(self.keep)
        self._right.addStretch(1)
        left = QVBoxLayout()
        title = QLabel(tr("Formats"))
        title.setBuddy(self.formats)
        left.addWidget(title)
        left.addWidget(self.formats, 1)
        both = QHBoxLayout()
        both.addLayout(left)
        both.addLayout(self._right, 1)
        column = QVBoxLayout(self)
        column.addLayout(both, 1)
        column.addWidget(self.note)
        column.addWidget(self.buttons)
        for button in self.findChildren(QPushButton):  # Enter delivers, wherever the keyboard is
            button.setAutoDefault(button is self._deliver)
        self._deliver.setDefault(True)

    def _connect(self) -> None:
        self.formats.itemChanged.connect(lambda _: self._refresh())
        self.formats.itemDoubleClicked.connect(_toggle)  # Enter delivers
        self.name.textChanged.connect(lambda _: self._refresh())
        self.folder.textChanged.connect(lambda _: self._refresh())
        for combo in (self.what, self.each):
            combo.currentIndexChanged.connect(lambda _: self._refresh())
        self.archive.toggled.connect(lambda _: self._refresh())
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)

    def _format_list(self, formats: tuple[str, ...]) -> QListWidget:
        made = QListWidget()
        made.setAccessibleName(tr("Formats"))
        made.setToolTip(tr("The formats to write; a file for each that is ticked"))
        made.setFixedWidth(240)
        for suffix in formats:
            item = QListWidgetItem(tr(FORMAT_OF_SUFFIX[suffix].label))
            item.setData(_SUFFIX, suffix)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked if suffix == formats[0] else Qt.CheckState.Unchecked)
            made.addItem(item)
        made.setCurrentRow(0)
        return made

    def _block_choice(self, block: str | None) -> QComboBox:
        made = QComboBox()
        made.setToolTip(tr("The whole edition, or one block of it by itself"))
        made.addItem(tr("The whole edition"), None)
        for each in walk(self._document.edition.blocks):
            if each.kind in _DELIVERED_ALONE:
                kind = in_sentence(tr(BLOCK_TYPE_OF_KIND[each.kind].label))
                made.addItem(f"{each.name} ({kind})", each.name)
        made.setCurrentIndex(max(made.findData(block), 0))
        return made

    def _each_choice(self) -> QComboBox:
        made = QComboBox()
        made.setToolTip(tr("One output for all, or a file for each record of a for-each, with a list of them"))
        made.addItem(tr("No: one output"), None)
        for each in self._document.edition.blocks:
            if isinstance(each, ForEachBlock):
                made.addItem(each.name, each.name)
        return made

    def _accept_as_order(self) -> None:
        self.is_order = True
        super().accept()

    @property
    def ticked(self) -> list[OutputFormat]:
        """The formats that are wanted."""
        items = (self.formats.item(row) for row in range(self.formats.count()))
        return [
            FORMAT_OF_SUFFIX[item.data(_SUFFIX)]
            for item in items
            if item is not None and item.checkState() == Qt.CheckState.Checked
        ]

    @property
    def delivery(self) -> Delivery:
        """What is wanted."""
        folder, name = Path(self.folder.text()).expanduser(), self.name.text().strip()
        paths = tuple(folder / f"{name}.{each.suffix}" for each in self.ticked)
        block, each = self.what.currentData(), self.each.currentData()
        if block is not None:
            return Delivery(paths, block, self._options)  # the archive keeps whole editions
        return Delivery(paths, None, self._options, self.archive.isChecked() or each is not None, each)

    def _refresh(self) -> None:
        """Show the choices of the formats that are ticked, and what is in the way."""
        names = list(dict.fromkeys(name for each in self.ticked for name in each.options))
        if self._shown is not None:
            self._choices.removeWidget(self._shown)
            hide_and_delete(self._shown)
        self._shown = FormatOptions(self._options, names, self._set_option)
        self._choices.addWidget(self._shown)
        self.keep.setVisible(bool(names))
        self._update()

    def _update(self) -> None:
        """Show what is in the way, and what can be done."""
        fault = self._fault()
        self._deliver.setEnabled(not fault)
        is_whole = self.what.currentData() is None
        self.archive.setEnabled(is_whole and self.each.currentData() is None)
        self.as_order.setEnabled(not fault and is_whole)
        self.each.setEnabled(is_whole and self.each.count() > 1)
        existing = [path.name for path in self.delivery.paths if path.exists()]
        replaced = (
            tr("{existing} is there already, and is replaced.").format(existing=", ".join(existing)) if existing else ""
        )
        self.note.setText(fault or replaced)

    def _fault(self) -> str:
        if not self.ticked:
            return tr("Tick a format first.")
        name = self.name.text().strip()
        if not name or "/" in name:
            return tr("Give the files a name without a slash.")
        if self._writes_pdf and (fault := protection_fault(self._options)):
            return fault
        folder = Path(self.folder.text()).expanduser()
        return (
            ""
            if folder.is_dir()
            else tr("There is no folder {folder}; make it first, or choose another.").format(folder=folder)
        )

    @property
    def _writes_pdf(self) -> bool:
        return any(each.suffix == "pdf" for each in self.ticked)

    def _set_option(self, name: str, value: object) -> None:
        try:
            self._options = self._options.but(**{name: value})
        except ValidationError:
            self.note.setText(tr("The name of a password has letters, digits, points, hyphens and underscores."))
            return
        self._update()

    def accept(self) -> None:
        """Deliver, once a password that is wanted is known."""
        name, secrets = self._options.password, self._document.library.secrets
        if not self._writes_pdf or name is None or ask_pdf_password(name, secrets, self):
            super().accept()

    def _choose_folder(self) -> None:
        chosen = QFileDialog.getExistingDirectory(self, tr("Deliver into"), self.folder.text())
        if chosen:
            self.folder.setText(chosen)


def _toggle(item: QListWidgetItem) -> None:
    """Tick a format, or not, by a double click."""
    is_checked = item.checkState() == Qt.CheckState.Checked
    item.setCheckState(Qt.CheckState.Unchecked if is_checked else Qt.CheckState.Checked)
