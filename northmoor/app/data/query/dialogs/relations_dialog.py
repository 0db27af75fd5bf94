"""The relations of a table as a small map: what it refers to, what refers to it; to walk along, and to join from."""

from collections.abc import Sequence

from PyQt6.QtCore import QPoint, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QPainter, QPainterPath, QPaintEvent, QPen
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.translation import number_text, tr
from northmoor.app.widgets.headings import section
from northmoor.app.widgets.theme import HEATHER, STONE_TEXT, ink
from northmoor.app.widgets.widget_tools import hide_and_delete, plain_tip
from northmoor.core.sources.builder.relations import Relation, relations
from northmoor.core.sources.drivers.catalog import Catalog

_GAP = 90  # pixels between a table and those that it is related to, for the lines
_BOX_WIDTH, _INSET = 210, 50
_MOST = 60
"""Related tables that are drawn."""


class RelationMap(QWidget):
    """A table in the middle, those that it refers to at its left, all others at its right, with a line to each."""

    moved = pyqtSignal()

    def __init__(self, catalog: Catalog) -> None:
        super().__init__()
        self._catalog = catalog
        self.table = ""
        self.center = QPushButton()
        self.boxes: list[tuple[Relation, QPushButton]] = []
        self._left, self._right = QVBoxLayout(), QVBoxLayout()
        self._middle = QVBoxLayout()
        row = QHBoxLayout(self)
        row.setSpacing(_GAP)
        for column in (self._left, self._middle, self._right):
            column.setSpacing(10)
            row.addLayout(column)

    def show_table(self, table: str) -> None:
        """Put a table into the middle."""
        self.table = table
        for column in (self._left, self._middle, self._right):
            while (item := column.takeAt(0)) is not None:
                if (widget := item.widget()) is not None:
                    hide_and_delete(widget)
        found = relations(self._catalog, table)
        unseen, found = len(found[_MOST:]), found[:_MOST]
        self.center = self._box(table, "")
        self.center.setObjectName("primary")
        self._fill(self._middle, None, [self.center])
        self.boxes = [(relation, self._related(relation)) for relation in found]
        left = [box for relation, box in self.boxes if relation.kind == "refers"]
        self._fill(self._left, tr("It refers to") if left else None, left)
        referred = [box for relation, box in self.boxes if relation.kind == "referred"]
        named = [box for relation, box in self.boxes if relation.kind == "same names"]
        self._fill(self._right, tr("Refers to it") if referred else None, referred, is_last=not named)
        self._fill(self._right, tr("Columns of the same name") if named else None, named)
        if unseen:
            self._fill(self._right, None, [QLabel(tr("and {count:,} more").format(count=unseen))])
        if not found:
            self._fill(self._right, None, [QLabel(tr("No key and no column leads to another table."))])
        self.center.setFocus()
        self.update()
        self.moved.emit()

    def _fill(self, column: QVBoxLayout, head: str | None, boxes: Sequence[QWidget], is_last: bool = True) -> None:
        if not column.count():
            column.addStretch(1)
        if head is not None:
            column.addWidget(section(head))
        for box in boxes:
            column.addWidget(box)
        if is_last:
            column.addStretch(1)

    def _related(self, relation: Relation) -> QPushButton:
        pairs = ", ".join(own if own == other else f"{own} = {other}" for own, other in relation.pairs)
        box = self._box(relation.table, pairs)
        box.clicked.connect(lambda _=False: self.show_table(relation.table))
        return box

    def _box(self, name: str, pairs: str) -> QPushButton:
        table = self._catalog.table(name)
        rows = "" if table is None or table.rows is None else f" · {number_text(table.rows)}"
        box = QPushButton()
        box.setAutoDefault(False)
        box.setFixedWidth(_BOX_WIDTH)
        lines = [f"{name}{rows}", pairs] if pairs else [f"{name}{rows}"]
        room, middle = _BOX_WIDTH - _INSET, Qt.TextElideMode.ElideMiddle
        shown = [box.fontMetrics().elidedText(line, middle, room) for line in lines]
        box.setText("\n".join(shown).replace("&", "&&"))
        columns = ", ".join(column.name for column in table.columns) if table is not None else ""
        box.setToolTip(plain_tip("\n".join([*lines, columns])))
        return box

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the lines; those without a key are dashed."""
        super().paintEvent(event)
        painter = QPainter(self)
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        for relation, box in self.boxes:
            is_key = relation.kind != "same names"
            style = Qt.PenStyle.SolidLine if is_key else Qt.PenStyle.DashLine
            painter.setPen(QPen(ink(HEATHER if is_key else STONE_TEXT), 1.5, style))
            is_left = relation.kind == "refers"
            begin, end = self._edge(self.center, is_right=not is_left), self._edge(box, is_right=is_left)
            path = QPainterPath(begin)
            bend = (end.x() - begin.x()) / 2
            path.cubicTo(begin + QPointF(bend, 0), end - QPointF(bend, 0), end)
            painter.drawPath(path)

    def _edge(self, box: QWidget, is_right: bool) -> QPointF:
        at = box.mapTo(self, QPoint(box.width() if is_right else 0, box.height() // 2))
        return QPointF(at)


class RelationsDialog(QDialog):
    """Shows the relations of a table; a click on another one goes on to it. What is in the middle can be joined, unless
    it is the table that one began with."""

    def __init__(self, catalog: Catalog, table: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Relations of tables"))
        self.resize(860, 480)
        self._begun = table
        self.map = RelationMap(catalog)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setWidget(self.map)
        kinds = QDialogButtonBox.StandardButton
        buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        take = buttons.button(kinds.Ok)
        assert take is not None
        self.take = take
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        hint = QLabel(tr("Click a table to put it into the middle; then it can be joined."))
        hint.setObjectName("quiet")
        layout = QVBoxLayout(self)
        layout.addWidget(area, 1)
        layout.addWidget(hint)
        layout.addWidget(buttons)
        self.map.moved.connect(self._follow)
        self.map.show_table(table)

    def _follow(self) -> None:
        self.take.setText(tr("Join {name} …").format(name=self.map.table.replace("&", "&&")))
        self.take.setEnabled(self.map.table != self._begun)

    @property
    def table(self) -> str:
        """The table in the middle."""
        return self.map.table
