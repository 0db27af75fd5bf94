"""Find and replace across a report: texts, or a field wherever expressions name it; one step that can be undone."""

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
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

from northmoor.app.document_controller import DocumentController, Selection
from northmoor.app.language.translation import tr
from northmoor.app.widgets.widget_tools import close_row, items_in_list
from northmoor.core.analysis.report_texts import ReportText
from northmoor.core.authoring.find_replace import SearchTerm, find_occurrences, replace_occurrences
from northmoor.core.model.blocks.tree import walk

_OCCURRENCE = Qt.ItemDataRole.UserRole
_LONGEST = 70


class ReplaceDialog(QDialog):
    """What to look for, what to put in its place, and everywhere it is; only what is ticked is replaced."""

    picked = pyqtSignal(object)

    def __init__(self, controller: DocumentController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Find and replace"))
        self.resize(560, 480)
        self._controller = controller
        self.what = QComboBox()
        self.what.addItem(tr("Text anywhere"), None)
        self.what.setToolTip(tr("Any text, SQL included, or a field of a query in expressions and templates"))
        self.wanted, self.by = QLineEdit(), QLineEdit()
        self.wanted.setPlaceholderText(tr("text to find"))
        self.by.setPlaceholderText(tr("what to replace it by"))
        self.case = QCheckBox(tr("Match capital letters"))
        self.found = QLabel()
        self.found.setWordWrap(True)
        self.list = QListWidget()
        self.list.setToolTip(tr("Where it occurs; selecting an entry shows its block on the pages"))
        self.replace = QPushButton(tr("Replace selected"))
        self.replace.setDefault(True)
        self.replace.setToolTip(tr("One step, which can be undone"))
        fields = QFormLayout()
        for name, editor in ((tr("Find what"), self.what), (tr("Find"), self.wanted), (tr("Replace by"), self.by)):
            editor.setAccessibleName(name)
            fields.addRow(name, editor)
        self.list.setAccessibleName(tr("Found"))
        row = QHBoxLayout()
        row.addWidget(self.found, 1)
        row.addWidget(self.replace)
        column = QVBoxLayout(self)
        column.addLayout(fields)
        column.addWidget(self.case)
        column.addWidget(self.list, 1)
        column.addLayout(row)
        column.addWidget(close_row(self))
        self.what.activated.connect(lambda _: self.refresh())
        self.wanted.textChanged.connect(lambda _: self.refresh())
        self.case.toggled.connect(lambda _: self.refresh())
        self.list.currentItemChanged.connect(lambda item, _: self._show(item))
        self.list.itemChanged.connect(lambda _: self._count())
        self.replace.clicked.connect(lambda _=False: self.run())
        controller.closed.connect(self.close)
        controller.changed.connect(self.refresh)

    def open_for(self, text: str = "") -> None:
        """Show the dialog, with something to look for."""
        report = self._controller.report
        if report is None:
            return
        kept = self.what.currentData()
        while self.what.count() > 1:
            self.what.removeItem(1)
        for query in report.queries:
            self.what.addItem(tr("Field of {name}").format(name=query.name), query.name)
        self.what.setCurrentIndex(max(self.what.findData(kept), 0))
        self.wanted.setText(text or self.wanted.text())
        self.refresh()
        self.show()
        self.raise_()
        self.wanted.setFocus()
        self.wanted.selectAll()

    @property
    def _asked(self) -> SearchTerm:
        query = self.what.currentData()
        return SearchTerm(self.wanted.text(), query is not None, query, self.case.isChecked())

    def refresh(self) -> None:
        """Look again."""
        report = self._controller.report
        if report is None:
            return
        self.case.setEnabled(self.what.currentData() is None)
        self.list.blockSignals(True)
        self.list.clear()
        for each in find_occurrences(report, self._asked):
            text = " ".join(each.text.split())
            shown = text if len(text) <= _LONGEST else f"{text[:_LONGEST]}…"
            item = QListWidgetItem(f"{each.place}\n{shown}")
            item.setData(_OCCURRENCE, each)
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Checked)
            self.list.addItem(item)
        self.list.blockSignals(False)
        self._count()

    def _count(self) -> None:
        total, ticked = self.list.count(), len(self._ticked)
        message = (
            tr("{ticked} of {total} are replaced.").format(ticked=ticked, total=total)
            if total
            else tr("It was not found in this report.")
        )
        self.found.setText(message if self.wanted.text() else tr("Enter the text to find."))
        self.replace.setEnabled(ticked > 0)

    @property
    def _ticked(self) -> list[ReportText]:
        items = items_in_list(self.list)
        return [item.data(_OCCURRENCE) for item in items if item.checkState() == Qt.CheckState.Checked]

    def _show(self, item: QListWidgetItem | None) -> None:
        """Select the block of an entry."""
        edition = self._controller.edition
        if item is None or edition is None:
            return
        found: ReportText = item.data(_OCCURRENCE)
        if found.scope.edition not in (None, edition.name):
            self._controller.show_edition(str(found.scope.edition))
            edition = self._controller.edition
        block = next((b for b in walk(edition.blocks) if b.name == found.scope.block), None) if edition else None
        if block is not None:
            self.picked.emit(Selection(block.kind, block.name))

    def run(self) -> None:
        """Replace what is ticked."""
        wanted, by, chosen = self._asked, self.by.text(), self._ticked
        self._controller.edit(
            tr("Replace {text}").format(text=wanted.text),
            lambda report, _: replace_occurrences(report, wanted, by, chosen),
        )
