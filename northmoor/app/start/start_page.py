"""The page that is shown while no report is open: what can be begun, and the reports that were opened last."""

from datetime import datetime
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEvent, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QToolButton, QVBoxLayout, QWidget

from northmoor.app.language.translation import moment_text, tr
from northmoor.app.start.recent_reports import RecentReports
from northmoor.app.widgets.flow_layout import FlowLayout
from northmoor.app.widgets.icons import IconLabel
from northmoor.app.widgets.menus import key_tip
from northmoor.app.widgets.theme import HEATHER, LINE, PAGE, ink
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.core.model.data.connections import CONNECTION_KINDS

_SERVERS = ", ".join(tr(kind.label) for kind in CONNECTION_KINDS if kind.is_server)
CARDS = (
    ("new_from_data", tr("New from data"), tr("A file, a folder of files, or a database file"), "table-2"),
    ("connect", tr("Connect to a database"), tr("A server: {kinds}").format(kinds=_SERVERS), "database"),
    ("new_empty", tr("Empty page"), tr("Or a page that your library keeps"), "file-plus"),
    ("new_from_report", tr("From another report"), tr("A copy of a report, with its layout and queries"), "copy"),
    ("open", tr("Open…"), tr("A report that you have"), "folder-open"),
    ("demo", tr("Explore the demo"), tr("The reports of a made-up ferry company"), "layers"),
)
"""What can be begun: the command's name, its title, a word about it, and its icon."""
_PICTURE = QSize(132, 172)


class StartPage(QScrollArea):
    """`wanted` tells of a command by its name, `opened` of a recent report."""

    wanted = pyqtSignal(str)
    opened = pyqtSignal(object)

    def __init__(self, recent: RecentReports) -> None:
        super().__init__()
        self._recent = recent
        self.setObjectName("start")
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.cards: dict[str, QPushButton] = {}
        self.reports: list[QToolButton] = []
        page = QWidget()
        page.setObjectName("start")
        whole = QVBoxLayout(page)
        whole.setContentsMargins(56, 36, 36, 24)
        whole.setSpacing(24)
        title = QLabel(tr("Start a report"))
        title.setObjectName("title")
        whole.addWidget(title)
        parts = QHBoxLayout()
        parts.setSpacing(56)
        parts.addLayout(self._cards())
        parts.addLayout(self._reports(), 1)
        whole.addLayout(parts)
        whole.addStretch(1)
        self.setWidget(page)
        self.show_recent()

    def _cards(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(10)
        for name, text, about, drawing in CARDS:
            card = _Card(text, about, drawing)
            card.clicked.connect(partial(self._want, name))
            key_tip(card, about, name)
            self.cards[name] = card
            column.addWidget(card)
        column.addStretch(1)
        return column

    def _want(self, name: str, _: bool = False) -> None:
        self.wanted.emit(name)

    def _reports(self) -> QVBoxLayout:
        column = QVBoxLayout()
        column.setSpacing(12)
        self._heading = QLabel(tr("Recent"))
        self._heading.setObjectName("section")
        column.addWidget(self._heading)
        self._shelf = QWidget()
        self._flow = FlowLayout(self._shelf, 14, 14)
        column.addWidget(self._shelf)
        hint = QLabel(tr("Drop a CSV file, a workbook, a database file or a report anywhere in this window"))
        hint.setObjectName("drop-hint")
        hint.setAlignment(Qt.AlignmentFlag.AlignCenter)
        hint.setWordWrap(True)
        hint.setMinimumHeight(60)
        column.addWidget(hint)
        column.addStretch(1)
        return column

    def show_recent(self) -> None:
        """Show the reports that were opened last."""
        for button in self.reports:
            self._flow.removeWidget(button)
            hide_and_delete(button)
        self.reports = [self._report(path) for path in self._recent.paths[:8]]
        for button in self.reports:
            self._flow.addWidget(button)
        self._heading.setText(tr("Recent") if self.reports else tr("No report has been opened yet"))

    def _report(self, path: Path) -> QToolButton:
        button = QToolButton()
        button.setObjectName("recent")
        button.setIcon(QIcon(_page(self._recent.picture(path))))
        button.setIconSize(_PICTURE)
        button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
        name = button.fontMetrics().elidedText(path.stem, Qt.TextElideMode.ElideRight, _PICTURE.width())
        button.setText(f"{name}\n{_changed(path)}")
        button.setToolTip(str(path))
        button.setAccessibleName(tr("Open {stem}").format(stem=path.stem))
        button.clicked.connect(lambda _=False: self.opened.emit(path))
        return button


class _Card(QPushButton):
    """A button with an icon, a title and a word about it."""

    def __init__(self, text: str, about: str, drawing: str) -> None:
        super().__init__()
        self.setObjectName("start-card")
        self.setAccessibleName(f"{text}: {about}")
        row = QHBoxLayout(self)
        row.setContentsMargins(16, 8, 12, 8)
        row.setSpacing(14)
        mark, title, self._word = IconLabel(drawing, HEATHER, 22), QLabel(text), QLabel(about)
        title.setObjectName("section")
        self._word.setObjectName("quiet")
        self._word.setWordWrap(True)
        lines = QVBoxLayout()
        lines.setSpacing(1)
        lines.addWidget(title)
        lines.addWidget(self._word)
        row.addWidget(mark)
        row.addLayout(lines, 1)
        for label in (mark, title, self._word):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self._fit()

    def _fit(self) -> None:
        room = QRect(0, 0, 264, 0)
        lines = self._word.fontMetrics().boundingRect(room, Qt.TextFlag.TextWordWrap, self._word.text()).height()
        self.setFixedSize(330, 44 + lines)

    def changeEvent(self, event: QEvent | None) -> None:
        """Keep room for texts of another size."""
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.FontChange:
            self._fit()


def _page(picture: QPixmap | None) -> QPixmap:
    """The top of a first page on paper of one size for all."""
    paper = QPixmap(_PICTURE * 2)
    paper.fill(QColor(PAGE))
    painter = QPainter(paper)
    if picture is not None:
        painter.drawPixmap(0, 0, picture.scaledToWidth(paper.width(), Qt.TransformationMode.SmoothTransformation))
    painter.setPen(ink(LINE))
    painter.drawRect(paper.rect().adjusted(0, 0, -1, -1))
    painter.end()
    paper.setDevicePixelRatio(2)
    return paper


def _changed(path: Path) -> str:
    """When a report was changed last, in few words."""
    then, now = datetime.fromtimestamp(path.stat().st_mtime), datetime.now()
    days = (now.date() - then.date()).days
    if days == 0:
        return tr("Today, {then:%H:%M}").format(then=then)
    return tr("Yesterday") if days == 1 else moment_text(then, "%-d %B %Y")
