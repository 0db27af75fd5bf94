"""The fields of a new report in their order, each with what it is there."""

from collections.abc import Mapping, Sequence
from functools import partial

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QDropEvent, QKeyEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QAbstractItemView, QHBoxLayout, QLabel, QListWidget, QListWidgetItem, QToolButton, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.pages.panels.role_choice_box import RoleChoiceBox
from northmoor.app.widgets.icons import IconLabel, icon
from northmoor.app.widgets.kind_looks import KIND_LOOKS, kind_text
from northmoor.app.widgets.theme import STONE_TEXT, ink
from northmoor.core.authoring.starters.block_starters import BlockStarter, ChosenField, RoleChoice
from northmoor.core.model.kinds.value_types import ValueType

_ROW = 38
_NOT_SHOWN = RoleChoice(tr("Not shown"), "")
_EMPTY = tr("Select fields below, the most important first. Until then the first ones are listed.")


class ChosenFieldList(QListWidget):
    """`changed` carries the fields as they are now: dragged or moved (Alt+Up, Alt+Down), in other roles, or fewer."""

    changed = pyqtSignal(object)

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Fields in the report"))
        self.setToolTip(tr("Drag fields, or use Alt+Up and Alt+Down, to order them; Del removes one"))
        self.setDragDropMode(QAbstractItemView.DragDropMode.InternalMove)
        self.setDefaultDropAction(Qt.DropAction.MoveAction)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.shown: list[ChosenField] = []
        self.roles: list[RoleChoiceBox] = []

    def show_fields(self, chosen: Sequence[ChosenField], starter: BlockStarter, types: Mapping[str, ValueType]) -> None:
        """Show fields with the roles that they can have."""
        at = self.currentRow()
        self.clear()
        self.shown, self.roles = list(chosen), []
        for number, each in enumerate(chosen):
            item = QListWidgetItem()
            item.setSizeHint(QSize(0, _ROW))
            item.setData(Qt.ItemDataRole.AccessibleTextRole, each.field.label)
            self.addItem(item)
            self.setItemWidget(item, self._row(number, each, starter, types[each.field.name]))
        self.setCurrentRow(min(at, len(self.shown) - 1))

    def _row(self, at: int, each: ChosenField, starter: BlockStarter, kind: ValueType) -> QWidget:
        picture, label = IconLabel(KIND_LOOKS[kind.kind].icon), QLabel(each.field.label)
        label.setTextFormat(Qt.TextFormat.PlainText)
        label.setToolTip(f"{each.field.name}: {kind_text(kind.kind)}")
        label.setMinimumWidth(20)
        roles = RoleChoiceBox(starter, each, kind.is_number, () if starter.lists_rows else (_NOT_SHOWN,))
        roles.setFixedWidth(128)
        roles.activated.connect(partial(self._take_role, at, roles))
        self.roles.append(roles)
        gone = QToolButton()
        gone.setIcon(icon("x", size=12))
        gone.setAccessibleName(tr("Remove {label}").format(label=each.field.label))
        gone.setToolTip(tr("Remove {label} (Del)").format(label=each.field.label))
        gone.setAutoRaise(True)
        gone.clicked.connect(lambda _=False: self._emit([f for n, f in enumerate(self.shown) if n != at]))
        held = QWidget()
        row = QHBoxLayout(held)
        row.setContentsMargins(6, 3, 4, 3)
        row.setSpacing(6)
        row.addWidget(picture)
        row.addWidget(label, 1)
        row.addWidget(roles)
        row.addWidget(gone)
        return held

    def _take_role(self, at: int, roles: RoleChoiceBox, _: int) -> None:
        self._emit([*self.shown[:at], roles.chosen, *self.shown[at + 1 :]])

    def _emit(self, fields: list[ChosenField]) -> None:
        if fields != self.shown:
            self.changed.emit(fields)

    def _move(self, at: int, to: int) -> None:
        """Move a field so that it is before the one at a place."""
        moved = self.shown[at]
        left = [each for each in self.shown if each is not moved]
        place = to - (at < to)
        self.setCurrentRow(place)
        self._emit([*left[:place], moved, *left[place:]])

    def dropEvent(self, event: QDropEvent | None) -> None:
        """Order the fields as one was dropped."""
        if event is None or event.source() is not self:
            return
        where = event.position().toPoint()
        item = self.itemAt(where)
        to = self.count()
        if item is not None:
            to = self.row(item) + (where.y() > self.visualItemRect(item).center().y())
        event.setDropAction(Qt.DropAction.IgnoreAction)  # the list is made again from the fields
        event.accept()
        if self.currentRow() >= 0:
            self._move(self.currentRow(), to)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Alt+Up and Alt+Down move the current field; Del removes it."""
        at = self.currentRow()
        if event is None or at < 0:
            super().keyPressEvent(event)
        elif event.key() == Qt.Key.Key_Delete:
            self._emit([each for number, each in enumerate(self.shown) if number != at])
        elif event.modifiers() & Qt.KeyboardModifier.AltModifier and event.key() == Qt.Key.Key_Up:
            self._move(at, max(at - 1, 0))
        elif event.modifiers() & Qt.KeyboardModifier.AltModifier and event.key() == Qt.Key.Key_Down:
            self._move(at, min(at + 2, self.count()))
        else:
            super().keyPressEvent(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Say what to do where there is nothing yet."""
        super().paintEvent(event)
        viewport = self.viewport()
        if self.count() == 0 and viewport is not None:
            painter = QPainter(viewport)
            painter.setPen(ink(STONE_TEXT))
            flags = Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap
            painter.drawText(viewport.rect().adjusted(16, 8, -16, -8), flags, _EMPTY)
            painter.end()
