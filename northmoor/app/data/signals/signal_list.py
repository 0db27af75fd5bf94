"""A searchable list of a log's signals: each with its nature, unit, number of readings, times, and its last values."""

from collections.abc import Sequence

from msgspec import Struct
from PyQt6.QtCore import QModelIndex, QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QKeySequence, QPainter, QPen, QPolygonF, QShortcut
from PyQt6.QtWidgets import (
    QHeaderView,
    QLineEdit,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.translation import moment_text, number_text, tr
from northmoor.app.widgets.theme import HEATHER, STONE_TEXT, ink
from northmoor.app.widgets.widget_tools import pass_focus
from northmoor.core.model.data.signal_logs import SignalLog
from northmoor.core.sources.fetch.log_survey import LogSurvey, SignalSummary

_NAME = Qt.ItemDataRole.UserRole
_SPARK = Qt.ItemDataRole.UserRole + 1
SPARK_WIDTH = 92


class Spark(Struct, frozen=True):
    """The last values of a signal, and whether each holds until the next."""

    values: tuple[float, ...]
    is_held: bool


class SparkDelegate(QStyledItemDelegate):
    """Draws a signal's last values as a small line."""

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Draw the line, from the least to the greatest of its values."""
        super().paint(painter, option, index)
        spark = index.data(_SPARK)
        if painter is None or not isinstance(spark, Spark) or len(spark.values) < 2:
            return
        painter.save()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.setPen(QPen(ink(HEATHER), 1.2))
        painter.drawPolyline(QPolygonF(spark_points(spark, QRectF(option.rect).adjusted(4, 5, -6, -5))))
        painter.restore()


def spark_points(spark: Spark, room: QRectF) -> list[QPointF]:
    """The points of a small line in a room."""
    low, high = min(spark.values), max(spark.values)
    height, step = (high - low) or 1.0, room.width() / (len(spark.values) - 1)
    found: list[QPointF] = []
    for place, value in enumerate(spark.values):
        y = room.bottom() - (value - low) / height * room.height()
        x = room.left() + place * step
        if spark.is_held and found:
            found.append(QPointF(x, found[-1].y()))
        found.append(QPointF(x, y))
    return found


class SearchLine(QLineEdit):
    """A search over a list: Down goes into it; Enter, after something was typed, is `taken`."""

    taken = pyqtSignal()
    list_wanted = pyqtSignal()

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Enter takes what was found, and is not the dialog's own."""
        key = event.key() if event is not None else None
        if key == Qt.Key.Key_Down:
            self.list_wanted.emit()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.text().strip():
            self.taken.emit()
        else:
            super().keyPressEvent(event)


class SignalList(QWidget):
    """Shows signals, to tick or to choose one. Enter in the search ticks the first that it finds."""

    changed = pyqtSignal()

    def __init__(self, log: SignalLog, ticked: Sequence[str] | None, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._log, self._is_ticked = log, ticked is not None
        self._order = list(ticked or ())
        self.search = SearchLine()
        self.search.setPlaceholderText(tr("Find a signal; Enter ticks it"))
        self.search.setClearButtonEnabled(True)
        self.search.setAccessibleName(tr("Find a signal"))
        self.tree = QTreeWidget()
        self.tree.setRootIsDecorated(False)
        self.tree.setUniformRowHeights(True)
        self.tree.setHeaderLabels(
            [tr("Signal"), tr("Nature"), tr("Unit"), tr("Readings"), tr("Last values"), tr("From"), tr("To")]
        )
        self.tree.setAccessibleName(tr("Signals"))
        header = self.tree.header()
        assert header is not None
        header.setSectionResizeMode(QHeaderView.ResizeMode.ResizeToContents)
        header.setStretchLastSection(False)
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        header.setSectionResizeMode(4, QHeaderView.ResizeMode.Fixed)
        header.resizeSection(4, SPARK_WIDTH)
        self._delegate = SparkDelegate(self.tree)
        self.tree.setItemDelegateForColumn(4, self._delegate)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.search)
        column.addWidget(self.tree)
        self.search.textChanged.connect(self._narrow)
        self.search.taken.connect(self._tick_found)
        self.search.list_wanted.connect(self._enter_list)
        find = QShortcut(QKeySequence.StandardKey.Find, self)
        find.activated.connect(self.search.setFocus)
        self.tree.itemChanged.connect(self._ticked)
        pass_focus(self, self.search)
        self.show_survey(None)

    def show_survey(self, survey: LogSurvey | None) -> None:
        """Show what is known of the signals; before that, their names."""
        self.tree.blockSignals(True)
        self.tree.clear()
        known = {summary.name: summary for summary in survey.signals} if survey is not None else {}
        names = [*known] or [signal.name for signal in self._log.signals]
        for name in dict.fromkeys([*self._order, *names]):
            self.tree.addTopLevelItem(self._item(name, known.get(name)))
        self.tree.blockSignals(False)
        self._narrow(self.search.text())

    def _item(self, name: str, summary: SignalSummary | None) -> QTreeWidgetItem:
        signal = self._log.known(name)
        is_plain = signal.shown_name.lower().replace(" ", "_") == name.lower()
        shown = signal.shown_name if is_plain or signal.label is None else f"{signal.label} ({name})"
        texts = [shown, tr(signal.kind.label), signal.unit]
        if summary is not None:
            ends = [moment_text(at, "%d %b %y %H:%M") if at is not None else "" for at in (summary.first, summary.last)]
            texts += [number_text(summary.readings), ", ".join(summary.texts[-1:]), *ends]
        item = QTreeWidgetItem(texts)
        item.setData(0, _NAME, name)
        item.setToolTip(1, tr(signal.kind.help))
        item.setTextAlignment(3, Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        for column in (1, 2, 3, 5, 6):
            item.setForeground(column, ink(STONE_TEXT))
        if summary is not None and not summary.texts:
            item.setData(4, _SPARK, Spark(summary.numbers, not signal.kind.is_interpolated))
        if self._is_ticked:
            item.setCheckState(0, Qt.CheckState.Checked if name in self._order else Qt.CheckState.Unchecked)
        return item

    def _narrow(self, text: str) -> None:
        wanted = text.strip().lower()
        for item in self._items():
            item.setHidden(wanted not in item.text(0).lower())

    def _first_found(self) -> QTreeWidgetItem | None:
        return next((item for item in self._items() if not item.isHidden()), None)

    def _tick_found(self) -> None:
        """Tick the first signal that is found, and begin another search."""
        item = self._first_found()
        if item is not None and self._is_ticked:
            item.setCheckState(0, Qt.CheckState.Checked)
        if item is not None:
            self.tree.setCurrentItem(item)
            self.search.clear()

    def _enter_list(self) -> None:
        self.tree.setFocus()
        item = self._first_found()
        if item is not None:
            self.tree.setCurrentItem(item)

    def _items(self) -> list[QTreeWidgetItem]:
        found = (self.tree.topLevelItem(at) for at in range(self.tree.topLevelItemCount()))
        return [item for item in found if item is not None]

    def _ticked(self, item: QTreeWidgetItem, column: int) -> None:
        if column != 0:
            return
        name = item.data(0, _NAME)
        self._order = [each for each in self._order if each != name]
        if item.checkState(0) == Qt.CheckState.Checked:
            self._order.append(name)
        self.changed.emit()

    def tick(self, name: str, is_on: bool = True) -> None:
        """Tick a signal, or take the tick away."""
        for item in self._items():
            if item.data(0, _NAME) == name:
                item.setCheckState(0, Qt.CheckState.Checked if is_on else Qt.CheckState.Unchecked)

    def ticked(self) -> tuple[str, ...]:
        """The signals that are ticked, in the order in which that was done."""
        return tuple(self._order)
