"""The left of the workspace: standing orders with what comes next, the archive by report, and whether the service
lives."""

from collections.abc import Mapping, Sequence
from pathlib import Path

from PyQt6.QtCore import QModelIndex, QPointF, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QFont, QPainter, QResizeEvent, QTextCharFormat, QTextLayout
from PyQt6.QtWidgets import (
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QStyle,
    QStyledItemDelegate,
    QStyleOptionViewItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.delivery.delivery_snapshot import OrderLine
from northmoor.app.delivery.run_list import TONE_COLORS
from northmoor.app.help.help_actions import GUIDE_PROPERTY
from northmoor.app.language.translation import number_text, tr
from northmoor.app.widgets.headings import line, section
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import LIT, PEAT, STONE_TEXT, ink
from northmoor.core.delivery.service.service_state import ServiceState

_NAME, _LINE = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
_LEFT, _GAP = 32, 5


class OrderDelegate(QStyledItemDelegate):
    """Paints an order: its title, and below it when it is due and how it is."""

    def _texts(self, index: QModelIndex) -> tuple[str, str, str]:
        each: OrderLine = index.data(_LINE)
        return each.title, f"{short_when(each.when)} · ", each.state[:90]

    def _below(self, when: str, state: str, tone: str, font: QFont, width: int) -> QTextLayout:
        """The second text, broken into lines."""
        ranges = []
        for start, text, color in ((0, when, STONE_TEXT), (len(when), state, TONE_COLORS[tone])):
            part, form = QTextLayout.FormatRange(), QTextCharFormat()
            form.setForeground(ink(color))
            part.start, part.length, part.format = start, len(text), form
            ranges.append(part)
        laid = QTextLayout(f"{when}{state}", font)
        laid.setFormats(ranges)
        laid.beginLayout()
        y = 0.0
        while (line_of_text := laid.createLine()).isValid():
            line_of_text.setLineWidth(width)
            line_of_text.setPosition(QPointF(0, y))
            y += line_of_text.height()
        laid.endLayout()
        return laid

    def _width(self) -> int:
        view = self.parent()
        room = view.viewport().width() if isinstance(view, QListWidget) else 200
        return max(room - _LEFT - 6, 80)

    def sizeHint(self, option: QStyleOptionViewItem, index: QModelIndex) -> QSize:
        """As high as its texts are in the list's width."""
        _, when, state = self._texts(index)
        laid = self._below(when, state, "quiet", option.font, self._width())
        height = option.fontMetrics.lineSpacing() + laid.boundingRect().height() + 2 * _GAP
        return QSize(self._width(), int(height))

    def paint(self, painter: QPainter | None, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        """Paint it."""
        each: OrderLine | None = index.data(_LINE)
        if painter is None or each is None:
            return
        painter.save()
        area = option.rect
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(area, ink(LIT))
        icon(each.icon).paint(painter, QRect(area.left() + 8, area.top() + _GAP + 1, 16, 16))
        title, when, state = self._texts(index)
        width, metrics = self._width(), option.fontMetrics
        painter.setPen(ink(PEAT))
        shown = metrics.elidedText(title, Qt.TextElideMode.ElideRight, width)
        painter.drawText(area.left() + _LEFT, area.top() + _GAP + metrics.ascent(), shown)
        laid = self._below(when, state, each.tone, option.font, width)
        laid.draw(painter, QPointF(area.left() + _LEFT, area.top() + _GAP + metrics.lineSpacing()))
        painter.restore()


class OrderPanel(QWidget):
    """Orders, reports with runs, and the service."""

    order_chosen = pyqtSignal(str)
    order_opened = pyqtSignal(str)
    report_chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setProperty(GUIDE_PROPERTY, "delivery#Standing orders")
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.new = QToolButton()
        self.new.setIcon(icon("plus"))
        self.new.setToolTip(tr("New standing order…"))
        self.new.setAccessibleName(tr("New standing order"))
        self.orders = self._list(tr("Standing orders"))
        self.orders.setItemDelegate(OrderDelegate(self.orders))
        self.reports = self._list(tr("Archive by report"))
        self.hint = QLabel(
            tr("A standing order makes runs by itself: at times, when a voyage ends, when a file arrives.")
        )
        self.hint.setWordWrap(True)
        self.hint.setObjectName("quiet")
        self.service = QToolButton()
        self.service.setObjectName("bar-button")
        self.service.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.service.setToolTip(tr("The service makes the runs of standing orders; start or stop it here"))
        self.service.setPopupMode(QToolButton.ToolButtonPopupMode.InstantPopup)
        self._lines: tuple[OrderLine, ...] = ()
        self._counts: dict[str, int] = {}
        self._lay_out()
        self.orders.currentItemChanged.connect(self._choose_order)
        self.orders.itemActivated.connect(lambda item: self.order_opened.emit(item.data(_NAME)))
        self.orders.itemClicked.connect(lambda item: self.order_chosen.emit(item.data(_NAME)))
        self.reports.itemClicked.connect(lambda item: self._choose_report(item))
        self.reports.itemActivated.connect(lambda item: self._choose_report(item))

    @staticmethod
    def _list(name: str) -> QListWidget:
        made = QListWidget()
        made.setAccessibleName(name)
        made.setIconSize(QSize(16, 16))
        made.setWordWrap(True)
        made.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        made.setObjectName("panel-list")
        made.setFrameShape(QListWidget.Shape.NoFrame)
        return made

    def _lay_out(self) -> None:
        head = QHBoxLayout()
        head.addWidget(section(tr("Standing orders")), 1)
        head.addWidget(self.new)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 8, 8, 8)
        column.setSpacing(6)
        column.addLayout(head)
        column.addWidget(self.hint)
        column.addWidget(self.orders, 3)
        column.addWidget(line())
        column.addWidget(section(tr("Archive")))
        column.addWidget(self.reports, 2)
        column.addWidget(self.service)

    def _choose_order(self, item: QListWidgetItem | None) -> None:
        if item is not None and self.orders.hasFocus():
            self.order_chosen.emit(item.data(_NAME))

    def _choose_report(self, item: QListWidgetItem) -> None:
        self.report_chosen.emit(item.data(_NAME) or None)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """Break the texts again."""
        super().resizeEvent(event)
        self.orders.scheduleDelayedItemsLayout()

    def choose_none(self) -> None:
        """Let no order be chosen."""
        self.orders.setCurrentItem(None)

    def show_orders(self, lines: Sequence[OrderLine]) -> None:
        """Show orders; the chosen one stays chosen."""
        self.hint.setVisible(not lines)
        if tuple(lines) == self._lines:
            return
        self._lines = tuple(lines)
        chosen = self.orders.currentItem()
        name = chosen.data(_NAME) if chosen is not None else None
        self.orders.clear()
        for each in lines:
            item = QListWidgetItem(icon(each.icon), "")
            item.setData(_NAME, each.name)
            item.setData(Qt.ItemDataRole.AccessibleTextRole, f"{each.title}, {each.when}, {each.state}")
            item.setData(_LINE, each)
            item.setToolTip(f"{each.title}: {each.when} · {each.state}")
            self.orders.addItem(item)
            if each.name == name:
                self.orders.setCurrentItem(item)

    def show_reports(self, counts: Mapping[str, int]) -> None:
        """Show the reports that have runs."""
        if dict(counts) == self._counts:
            return
        self._counts = dict(counts)
        self.reports.clear()
        rows = [("", tr("All runs"), sum(counts.values()))] if counts else []
        rows += [(report, Path(report).stem, count) for report, count in counts.items()]
        for report, title, count in rows:
            item = QListWidgetItem(icon("folder" if report else "archive"), f"{title}  ({number_text(count)})")
            item.setData(_NAME, report)
            item.setToolTip(
                tr("Show only the {count:,} runs of {report}").format(count=count, report=report)
                if report
                else tr("Show the runs of all reports")
            )
            self.reports.addItem(item)

    def show_service(self, state: ServiceState) -> None:
        """Show whether the service lives."""
        if state.is_running:
            since = (
                tr(" since {started:%-d %B, %H:%M}").format(started=state.started.astimezone()) if state.started else ""
            )
            text, tone = tr("Service running{since}").format(since=since), "good"
        else:
            text, tone = tr("Service not running"), "warning"
        self.service.setText(text)
        self.service.setIcon(icon("circle-check" if tone == "good" else "triangle-alert", TONE_COLORS[tone]))


def short_when(words: str) -> str:
    """A trigger in words, without what is said elsewhere."""
    return words.rpartition(" in ")[0] if words.rpartition(" in ")[2].count("/") or words.endswith(" UTC") else words
