"""Fields: the columns of each query, to be put into a table as columns or levels."""

from collections.abc import Iterable, Mapping
from functools import partial

from PyQt6.QtCore import QMimeData, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QMenu, QWidget

from northmoor.app.pages.canvas.drag.field_drop import MIME
from northmoor.app.widgets.headings import draw_hint
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.kind_looks import KIND_LOOKS
from northmoor.core.model.data.queries import Query
from northmoor.core.model.edits import column_setting
from northmoor.core.model.kinds.value_types import ValueType

FIELDS_HINT = "The fields of the query are shown here once it has run. If it fails, correct its SQL in Data."


def field_of_item(item: QListWidgetItem) -> str:
    """The name of the field that an entry of the list shows."""
    return str(item.data(Qt.ItemDataRole.UserRole))


class FieldsPanel(QListWidget):
    """The fields of a query. Enter or a double click adds a column; the context menu also groups by a field, and begins
    a block with it: `block_wanted` carries its kind and the field."""

    column_wanted = pyqtSignal(str)
    level_wanted = pyqtSignal(str)
    block_wanted = pyqtSignal(str, str)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName("Fields")
        self.setToolTip(
            "Drag a field to a gap between columns, to the lane beside the page, or onto a total. "
            "Enter adds it as a column; L groups by it."
        )
        self.setDragEnabled(True)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._menu)
        self.itemActivated.connect(lambda item: self.column_wanted.emit(field_of_item(item)))

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Say what belongs here when there is nothing yet."""
        super().paintEvent(event)
        draw_hint(self, FIELDS_HINT)

    def show_fields(self, query: Query, types: Mapping[str, ValueType]) -> None:
        """Show a query's columns, of which the types are known."""
        current = self.current_field()
        self.clear()
        for name, kind in types.items():
            setting = column_setting(query, name)
            if setting.hidden:
                continue
            aggregate = setting.total if setting.total not in (None, "none") else ""
            item = QListWidgetItem(icon(KIND_LOOKS[kind.kind].icon), setting.label or name)
            item.setData(Qt.ItemDataRole.UserRole, name)
            item.setToolTip(f"{name}: {kind}" + (f", totalled by {aggregate}" if aggregate else ""))
            self.addItem(item)
            if name == current:
                self.setCurrentItem(item)

    def names(self) -> list[tuple[str, str]]:
        """What readers see of each field, and its name."""
        items = [item for n in range(self.count()) if (item := self.item(n)) is not None]
        return [(item.text(), field_of_item(item)) for item in items]

    def current_field(self) -> str | None:
        """The chosen field's name."""
        item = self.currentItem()
        return field_of_item(item) if item else None

    def mimeData(self, items: Iterable[QListWidgetItem]) -> QMimeData:
        """The dragged field's name."""
        data = QMimeData()
        for item in items:
            data.setData(MIME, field_of_item(item).encode())
        return data

    def keyPressEvent(self, event: object) -> None:
        """L groups by the chosen field."""
        field = self.current_field()
        if event.key() == Qt.Key.Key_L and field:  # type: ignore[attr-defined]  # a QKeyEvent
            self.level_wanted.emit(field)
        else:
            super().keyPressEvent(event)  # type: ignore[arg-type]

    def _menu(self, point: QPoint) -> None:
        item = self.itemAt(point)
        if item is None:
            return
        field = field_of_item(item)
        menu = QMenu(self)
        menu.addAction(icon("columns-3"), "Add as a column", lambda: self.column_wanted.emit(field))
        menu.addAction(icon("brackets"), "Group by it", lambda: self.level_wanted.emit(field))
        menu.addSeparator()
        for kind, drawing in (("table", "table-2"), ("matrix", "grid-3x3"), ("chart", "chart-column")):
            menu.addAction(icon(drawing), f"Insert a {kind} of it…", partial(self.block_wanted.emit, kind, field))
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(self.mapToGlobal(point))
