"""Parts of the window's bars: the switch of workspaces, the choice of editions, and what was delivered last."""

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QEvent, QSize, Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices, QFont, QFontMetrics
from PyQt6.QtWidgets import (
    QApplication,
    QButtonGroup,
    QFrame,
    QHBoxLayout,
    QLabel,
    QStatusBar,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.translation import tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import HEATHER, PEAT
from northmoor.app.widgets.widget_tools import hide_and_delete

WORKSPACES = (
    ("data", tr("Data"), "database", "Ctrl+Shift+D"),
    ("pages", tr("Pages"), "file-text", "Ctrl+Shift+P"),
    ("delivery", tr("Delivery"), "send", "Ctrl+Shift+U"),
)


def _width_of(text: str) -> int:
    """How wide the button of a workspace is at least, whose text is bold when it is chosen."""
    font = QApplication.font()
    font.setWeight(QFont.Weight.DemiBold)
    return QFontMetrics(font).horizontalAdvance(text) + 12


class WorkspaceSwitch(QFrame):
    """A button for each workspace."""

    wanted = pyqtSignal(str)

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("side")
        self.buttons: dict[str, QToolButton] = {}
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 6, 0, 0)
        column.setSpacing(2)
        group = QButtonGroup(self)
        for name, text, drawing, keys in WORKSPACES:
            button = QToolButton()
            button.setObjectName("workspace")
            button.setText(text)
            button.setIconSize(QSize(20, 20))
            button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextUnderIcon)
            button.setCheckable(True)
            button.setToolTip(f"{text} ({keys})")
            button.setProperty("drawing", drawing)
            button.clicked.connect(partial(self._choose, name))
            group.addButton(button)
            column.addWidget(button)
            self.buttons[name] = button
        column.addStretch(1)
        self._fit()

    def _fit(self) -> None:
        """Take the width that the longest name needs."""
        width, height = max(64, *(_width_of(text) for _, text, *_ in WORKSPACES)), QApplication.font().pixelSize()
        self.setFixedWidth(width)
        for button in self.buttons.values():
            button.setFixedSize(width, 36 + 2 * height)

    def changeEvent(self, event: QEvent | None) -> None:
        """Keep room for texts of another size."""
        super().changeEvent(event)
        if event is not None and event.type() == QEvent.Type.FontChange:
            self._fit()

    def _choose(self, name: str, _: bool = False) -> None:
        self.wanted.emit(name)

    def mark(self, name: str) -> None:
        """Show which workspace is seen; without one, none can be chosen."""
        for key, button in self.buttons.items():
            button.setChecked(key == name)
            button.setIcon(icon(button.property("drawing"), HEATHER if key == name else PEAT, 20))
            button.setEnabled(bool(name))


class EditionChoice(QWidget):
    """A button for each edition of the report, where there are several."""

    def __init__(self, controller: DocumentController) -> None:
        super().__init__()
        self._controller = controller
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        for signal in (controller.edition_chosen, controller.changed, controller.opened):
            signal.connect(self.refresh)

    def refresh(self) -> None:
        """Show the editions as they are now."""
        layout = self.layout()
        assert layout is not None
        while layout.count():
            item = layout.takeAt(0)
            widget = item.widget() if item else None
            if widget is not None:
                hide_and_delete(widget)
        editions = self._controller.report.editions if self._controller.report else ()
        group = QButtonGroup(self)
        offered = [edition for edition in editions if not edition.hidden or edition == self._controller.edition]
        for edition in offered if len(offered) > 1 else ():
            button = QToolButton()
            button.setObjectName("choice")
            button.setText(edition.name)
            button.setCheckable(True)
            button.setChecked(edition == self._controller.edition)
            button.setToolTip(tr("Show the edition {name}").format(name=edition.name))
            button.clicked.connect(partial(self._show, edition.name))
            group.addButton(button)
            layout.addWidget(button)

    def _show(self, name: str, _: bool = False) -> None:
        self._controller.show_edition(name)


class DeliveredFile(QWidget):
    """What can be done with the file that was written last: open it, or see it in its folder."""

    def __init__(self) -> None:
        super().__init__()
        self.path: Path | None = None
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        for text, tip, run in (
            (tr("Open"), tr("Open the file with the program that is meant for it"), self.open),
            (tr("Show in folder"), tr("Open the folder that the file is in"), self.show_folder),
        ):
            button = QToolButton()
            button.setObjectName("word-button")
            button.setText(text)
            button.setToolTip(tip)
            button.clicked.connect(run)
            row.addWidget(button)
        self.hide()

    def show_file(self, path: Path) -> None:
        """Offer what can be done with a file."""
        self.path = path
        self.show()

    def open(self) -> None:
        """Open the file that was written last, if one was."""
        if self.path is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.path)))

    def show_folder(self) -> None:
        """Open the folder of the file that was written last, if one was."""
        if self.path is not None:
            QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.path.parent)))


class DeliveryStatus:
    """What the line below says in Delivery: what happened today, and what comes next."""

    def __init__(self, bar: QStatusBar) -> None:
        self.today, self.next = QLabel(), QLabel()
        bar.insertWidget(0, self.today)
        bar.addPermanentWidget(self.next)
        for label in (self.today, self.next):
            label.setObjectName("quiet")
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.hide()

    def show(self, today: str, coming: str) -> None:
        """Say it."""
        self.today.setText(today)
        self.next.setText(coming)

    def set_visible(self, is_visible: bool) -> None:
        """Show it, or not."""
        for label in (self.today, self.next):
            label.setVisible(is_visible)
