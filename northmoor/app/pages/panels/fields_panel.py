"""Fields: the columns of each query, to be put into a table as columns or levels."""

from collections.abc import Callable, Iterable, Mapping, Sequence

from PyQt6.QtCore import QItemSelectionModel, QMimeData, QPoint, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QPaintEvent
from PyQt6.QtWidgets import QListWidget, QListWidgetItem, QMenu, QWidget

from northmoor.app.language.translation import in_sentence, tr
from northmoor.app.pages.canvas.drag.field_drop import MIME
from northmoor.app.widgets.headings import draw_hint
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.kind_looks import KIND_LOOKS, kind_text
from northmoor.app.widgets.menus import give_letters
from northmoor.app.widgets.widget_tools import items_in_list
from northmoor.core.model.data.queries import Query
from northmoor.core.model.edits import column_setting
from northmoor.core.model.kinds.aggregates import TOTALS
from northmoor.core.model.kinds.value_types import ValueType

FIELDS_HINT = tr("The fields of the query are shown here once it has run. If it fails, correct its SQL in Data.")


def field_of_item(item: QListWidgetItem) -> str:
    """The name of the field that an entry of the list shows."""
    return str(item.data(Qt.ItemDataRole.UserRole))


class FieldsPanel(QListWidget):
    """The fields of a query, of which several can be chosen. Enter or a double click adds columns; the context menu
    also groups by fields, and begins a block with them: `block_entries` gives what can be made of some."""

    columns_wanted = pyqtSignal(object)
    levels_wanted = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.block_entries: Callable[[Sequence[str]], Iterable[tuple[str, str, Callable[[], object]]]] = lambda _: ()
        self.setAccessibleName(tr("Fields"))
        self.setToolTip(
            tr(
                "Drag fields to a gap between columns, to the lane beside the page, onto a total, or below a block. "
                "Enter adds them as columns; L groups by them. Ctrl or Shift chooses several."
            )
        )
        self._shown: tuple[Query, Mapping[str, ValueType]] | None = None
        self.setDragEnabled(True)
        self.setSelectionMode(QListWidget.SelectionMode.ExtendedSelection)
        self.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self.customContextMenuRequested.connect(self._menu)
        self.itemActivated.connect(lambda item: self.columns_wanted.emit(self._with(item)))

    def clear(self) -> None:
        """Show nothing."""
        self._shown = None
        super().clear()

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Say what belongs here when there is nothing yet."""
        super().paintEvent(event)
        draw_hint(self, FIELDS_HINT)

    def show_fields(self, query: Query, types: Mapping[str, ValueType]) -> None:
        """Show a query's columns, of which the types are known."""
        if self._shown is not None and (query, types) == self._shown:
            return
        chosen = self.chosen()
        self.clear()
        self._shown = (query, types)
        for name, kind in types.items():
            setting = column_setting(query, name)
            if setting.hidden:
                continue
            total = TOTALS.get(setting.total or "")
            aggregate = in_sentence(tr(total)) if total else ""
            item = QListWidgetItem(icon(KIND_LOOKS[kind.kind].icon), setting.shown_name)
            item.setData(Qt.ItemDataRole.UserRole, name)
            item.setToolTip(
                f"{name}: {kind_text(kind.kind)}"
                + (tr(", totalled by {aggregate}").format(aggregate=aggregate) if aggregate else "")
            )
            self.addItem(item)
            item.setSelected(name in chosen)
            if chosen[:1] == [name]:
                self.setCurrentItem(item, QItemSelectionModel.SelectionFlag.NoUpdate)

    def names(self) -> list[tuple[str, str]]:
        """What readers see of each field, and its name."""
        items = items_in_list(self)
        return [(item.text(), field_of_item(item)) for item in items]

    def chosen(self) -> list[str]:
        """The names of the chosen fields, in the query's order."""
        return [field_of_item(item) for item in sorted(self.selectedItems(), key=self.row)]

    def _with(self, item: QListWidgetItem) -> list[str]:
        """The chosen fields, if one that was pointed at is among them; otherwise that one."""
        field = field_of_item(item)
        return self.chosen() if field in self.chosen() else [field]

    def mimeData(self, items: Iterable[QListWidgetItem]) -> QMimeData:
        """The names of dragged fields."""
        data = QMimeData()
        names = [field_of_item(item) for item in sorted(items, key=self.row)]
        data.setData(MIME, "\n".join(names).encode())
        return data

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """L groups by the chosen fields."""
        if event is not None and event.key() == Qt.Key.Key_L and self.chosen():
            self.levels_wanted.emit(self.chosen())
        else:
            super().keyPressEvent(event)

    def _menu(self, point: QPoint) -> None:
        item = self.itemAt(point)
        if item is None:
            return
        fields = self._with(item)
        menu = QMenu(self)
        is_one = len(fields) == 1
        add, group = (
            (tr("Add as a column"), tr("Group by it")) if is_one else (tr("Add as columns"), tr("Group by them"))
        )
        menu.addAction(icon("columns-3"), add, lambda: self.columns_wanted.emit(fields))
        menu.addAction(icon("brackets"), group, lambda: self.levels_wanted.emit(fields))
        menu.addSeparator()
        for drawing, text, run in self.block_entries(fields):
            menu.addAction(icon(drawing), text, run)
        give_letters(menu)
        menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
        menu.popup(self.mapToGlobal(point))
