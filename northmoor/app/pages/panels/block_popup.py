"""Begins a table, a matrix or a chart: its query, its fields and what each is, and where it goes, in one popup."""

from collections.abc import Mapping, Sequence

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import in_sentence, tr, tr_count
from northmoor.app.pages.panels.query_fields import FieldReader, QueryFields
from northmoor.app.pages.panels.role_choice_box import RoleChoiceBox, surplus_words
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.kind_looks import KIND_LOOKS
from northmoor.app.widgets.popups import BesidePopup
from northmoor.core.authoring.starters.block_starters import BlockStarter, ChosenField
from northmoor.core.authoring.starters.starter_layouts import Field
from northmoor.core.model.edits import Target
from northmoor.core.model.kinds.value_types import ValueType

_FIELD = Qt.ItemDataRole.UserRole
_ROW, _FIELDS, _HEIGHT = 28, 290, 460
"""Heights of a field, of all that fit, and of the popup with these."""


class BlockPopup(BesidePopup):
    """The popup. `wanted` carries a query, the chosen fields and the place. Enter inserts; Esc leaves."""

    wanted = pyqtSignal(str, object, object)

    def __init__(
        self, starter: BlockStarter, queries: Mapping[str, str], places: Mapping[str, Target], reader: FieldReader,
        parent: QWidget,
    ) -> None:  # fmt: skip
        super().__init__(tr("Insert a {kind}").format(kind=in_sentence(tr(starter.label))), parent)
        self._starter, self._reader = starter, reader
        self._asked_for: Sequence[str] = ()
        self._types: Mapping[str, ValueType] = {}
        self.source = QComboBox()
        for name, label in queries.items():
            self.source.addItem(label, name)
        self.fields = QTableWidget(0, 2)
        self.place = QComboBox()
        for label, target in places.items():
            self.place.addItem(label, target)
        self.message = QLabel()
        self.insert = QPushButton(tr("Insert"))
        self._place_widgets()
        self.source.currentIndexChanged.connect(lambda _: self._show())
        self.fields.itemChanged.connect(self._ticked)
        self.insert.clicked.connect(lambda _=False: self.accept())
        reader.read.connect(self._arrived)

    def _place_widgets(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 10, 12, 12)
        layout.setSpacing(8)
        title = QLabel(self.accessibleName())
        title.setObjectName("section")
        layout.addWidget(title)
        form = QFormLayout()
        for label, widget, tip in (
            (tr("&Data source"), self.source, tr("The query whose rows it shows")),
            (tr("&Position"), self.place, tr("Where on the page it goes")),
        ):
            widget.setToolTip(tip)
            widget.setAccessibleName(label.replace("&", ""))
            widget.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
            form.addRow(label, widget)
        layout.addLayout(form)
        table = self.fields
        table.setAccessibleName(tr("Fields"))
        table.setToolTip(tr("Space or a click ticks a field; beside it is what it will be"))
        table.horizontalHeader().hide()
        table.verticalHeader().hide()
        table.verticalHeader().setDefaultSectionSize(_ROW)
        table.setShowGrid(False)
        table.horizontalHeader().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        table.setColumnWidth(1, 150)
        table.setTabKeyNavigation(False)
        layout.addWidget(table, 1)
        self.message.setObjectName("quiet")
        self.message.setWordWrap(True)
        self.insert.setObjectName("primary")
        self.insert.setToolTip(tr("Insert it (Enter)"))
        row = QHBoxLayout()
        row.addWidget(self.message, 1)
        row.addWidget(self.insert)
        layout.addLayout(row)
        self.resize(400, _HEIGHT)

    def begin(self, query: str | None, fields: Sequence[str] = ()) -> None:
        """Show a query, with fields of it ticked; without any, those that are likely."""
        self._asked_for = fields
        at = self.source.findData(query)
        self.source.setCurrentIndex(max(at, 0))
        self._show()
        self.fields.setFocus()

    # fields

    def _arrived(self, query: str) -> None:
        if query == self.source.currentData():
            self._show()

    def _show(self) -> None:
        found = self._reader.fields(self.source.currentData())
        self.fields.setRowCount(0)
        self.insert.setEnabled(found is not None and bool(found.fields))
        self.fields.setVisible(found is None or not found.fault)
        self.message.setText(tr("Reading the fields…") if found is None else core_text(found.fault))
        if found is not None and found.fields:
            self._fill(found)

    def _fill(self, found: QueryFields) -> None:
        asked = [field for field in found.fields if field.name in self._asked_for]
        likely = self._starter.propose_with(asked, found.fields)
        roles = {each.field.name: each.role for each in likely}
        self._types = found.types
        self.fields.blockSignals(True)
        self.fields.setRowCount(len(found.fields))
        for row, field in enumerate(found.fields):
            item = QTableWidgetItem(icon(KIND_LOOKS[found.types[field.name].kind].icon), field.label)
            item.setFlags(Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsEnabled | Qt.ItemFlag.ItemIsSelectable)
            item.setCheckState(Qt.CheckState.Checked if field.name in roles else Qt.CheckState.Unchecked)
            item.setData(_FIELD, field)
            item.setToolTip(f"{field.name}: {found.types[field.name]}")
            self.fields.setItem(row, 0, item)
            self._show_role(row, roles.get(field.name))
        self.fields.blockSignals(False)
        self.fields.setCurrentCell(0, 0)
        self.resize(self.width(), min(_HEIGHT, _HEIGHT - _FIELDS + len(found.fields) * _ROW))
        self._update()

    def _show_role(self, row: int, role: str | None) -> None:
        """Offer what a ticked field can be; nothing for one that is not ticked."""
        if role is None:
            self.fields.removeCellWidget(row, 1)
            return
        field = self._field(row)
        is_number = self._types[field.name].is_number
        self.fields.setCellWidget(row, 1, RoleChoiceBox(self._starter, ChosenField(field, role), is_number))

    def _field(self, row: int) -> Field:
        item = self.fields.item(row, 0)
        assert item is not None
        return item.data(_FIELD)  # type: ignore[no-any-return]  # a field was put there

    def _ticked(self, item: QTableWidgetItem) -> None:
        if item.column() == 0:
            is_on, chosen = item.checkState() == Qt.CheckState.Checked, self.chosen
            has_role = self.fields.cellWidget(item.row(), 1) is not None
            if is_on and not has_role:
                self._show_role(item.row(), self._starter.role_of(self._field(item.row()), chosen))
            elif not is_on:
                self._show_role(item.row(), None)
            self._update()

    @property
    def chosen(self) -> list[ChosenField]:
        """The ticked fields that have a role, in the query's order."""
        found = []
        for row in range(self.fields.rowCount()):
            roles = self.fields.cellWidget(row, 1)
            if isinstance(roles, RoleChoiceBox):
                found.append(roles.chosen)
        return found

    def _update(self) -> None:
        count = len(self.chosen)
        self.insert.setEnabled(count > 0)
        words = tr_count(count, "{count} field", "{count} fields") if count else tr("Tick a field.")
        self.message.setText(surplus_words(self._starter, self.chosen) or words)

    # inserting

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter inserts."""
        if event is not None and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.accept()
        else:
            super().keyPressEvent(event)

    def accept(self) -> None:
        """Tell of what was chosen, and close."""
        if self.insert.isEnabled():
            found = self.source.currentData(), self.chosen, self.place.currentData()
            self.close()
            self.wanted.emit(*found)
