"""The window on the screen: a tab for each open report, each with a window of its own in it."""

from collections.abc import Callable
from functools import partial
from pathlib import Path
from typing import Any

from PyQt6.QtCore import QByteArray, QPoint, QSettings, QSize, Qt
from PyQt6.QtGui import QCloseEvent, QKeySequence, QMouseEvent, QShortcut
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QMainWindow, QStackedWidget, QTabBar, QToolButton, QVBoxLayout, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.start.start_actions import start_window
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.menus import key_tip, menu_of
from northmoor.app.widgets.widget_tools import first_size
from northmoor.app.window import Window

_WIDEST = 260
"""Pixels of a tab."""


class ReportTabs(QTabBar):
    """The tabs; the middle button closes one."""

    def tabSizeHint(self, index: int) -> QSize:
        """No tab is so wide that others have no room."""
        hint = super().tabSizeHint(index)
        return QSize(min(hint.width(), _WIDEST), hint.height())

    def mouseReleaseEvent(self, event: QMouseEvent | None) -> None:
        """Close the tab that the middle button was pressed on."""
        super().mouseReleaseEvent(event)
        if event is not None and event.button() == Qt.MouseButton.MiddleButton:
            at = self.tabAt(event.position().toPoint())
            if at >= 0:
                self.tabCloseRequested.emit(at)


class TabbedWindow(QMainWindow):
    """Holds a `Window` for each tab. There is always one; a single one has no tab."""

    def __init__(self, settings: QSettings | None = None) -> None:
        super().__init__()
        self._settings = settings or QSettings("Northmoor", "Northmoor")
        self.windows: list[Window] = []
        self.tabs = ReportTabs()
        self.tabs.setObjectName("reports")
        self.tabs.setDocumentMode(True)
        self.tabs.setMovable(True)
        self.tabs.setElideMode(Qt.TextElideMode.ElideRight)
        self.tabs.setExpanding(False)
        self.tabs.setAccessibleName(tr("Open reports"))
        self.tabs.setContextMenuPolicy(Qt.ContextMenuPolicy.CustomContextMenu)
        self._stack = QStackedWidget()
        middle = QWidget()
        column = QVBoxLayout(middle)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(self._bar())
        column.addWidget(self._stack, 1)
        self.setCentralWidget(middle)
        self.tabs.currentChanged.connect(lambda _: self._show_current())
        self.tabs.tabCloseRequested.connect(self.close_tab)
        self.tabs.tabMoved.connect(self._moved)
        self.tabs.customContextMenuRequested.connect(self._open_menu)
        for keys, step in (("Ctrl+Tab", 1), ("Ctrl+PgDown", 1), ("Ctrl+Shift+Tab", -1), ("Ctrl+PgUp", -1)):
            QShortcut(QKeySequence(keys), self, partial(self._step, step))
        self.add()
        self.setMinimumSize(self.current.minimumSize())
        geometry = self._settings.value("geometry")
        if isinstance(geometry, QByteArray):
            self.restoreGeometry(geometry)
        else:
            self.resize(first_size(self, QSize(1280, 800)))

    def _bar(self) -> QWidget:
        self._tab_row = QFrame()
        self._tab_row.setObjectName("reports")
        more = self._button("plus", tr("New tab"), "new_tab")
        more.clicked.connect(lambda _=False: self.add())
        row = QHBoxLayout(self._tab_row)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        row.addWidget(self.tabs)
        row.addWidget(more)
        row.addStretch(1)
        return self._tab_row

    def _button(self, drawing: str, name: str, command: str) -> QToolButton:
        button = QToolButton()
        button.setObjectName("tab-button")
        button.setIcon(icon(drawing, size=12))
        key_tip(button, name, command)
        button.setAccessibleName(name)
        return button

    @property
    def current(self) -> Window:
        """The window of the tab that is shown."""
        return self.windows[max(self.tabs.currentIndex(), 0)]

    def add(self) -> Window:
        """Add a tab without a report, and show it."""
        window = Window(self._settings)
        window.setWindowFlags(Qt.WindowType.Widget)
        window.files.open_in_tab = self.open
        window.new_tab = self.add
        window.beginning.restart_wanted.connect(self.restart)
        window.windowTitleChanged.connect(lambda _: self._show_titles())
        window.controller.closed.connect(partial(self._closed, window))
        self.windows.append(window)
        self._stack.addWidget(window)
        at = self.tabs.addTab("")
        closing = self._button("x", tr("Close the tab"), "close_report")
        closing.clicked.connect(lambda _=False: self.close_tab(self.windows.index(window)))
        self.tabs.setTabButton(at, QTabBar.ButtonPosition.RightSide, closing)
        self.tabs.setCurrentIndex(at)
        self._show_titles()
        return window

    def open(self, path: Path, values: dict[str, Any] | None = None) -> bool:
        """Show a report in a tab: the one it is open in, one without a report, or a new one; whether it is open."""
        for at, window in enumerate(self.windows):
            if window.controller.path is not None and window.controller.path.resolve() == path.resolve():
                self.tabs.setCurrentIndex(at)
                return True
        if self.current.controller.report is None:
            return self.current.open(path, values)
        window = self.add()
        if window.open(path, values):
            return True
        message = window.last_message
        window.close()  # it ends its threads
        self._remove(window)
        self.current.tell(*message)
        return False

    # showing

    def _show_current(self) -> None:
        self._stack.setCurrentWidget(self.current)
        self._show_titles()
        self.current.setFocus()

    def _show_titles(self) -> None:
        for at, window in enumerate(self.windows):
            report = window.controller.report
            mark = " •" if report is not None and not window.controller.is_saved else ""
            self.tabs.setTabText(
                at, f"{report.title}{mark}".replace("&", "&&") if report is not None else tr("New tab")
            )
            self.tabs.setTabToolTip(at, str(window.controller.path or tr("No report is open here")))
        self._tab_row.setVisible(len(self.windows) > 1)
        self.setWindowTitle(self.current.windowTitle())

    def _step(self, step: int) -> None:
        self.tabs.setCurrentIndex((self.tabs.currentIndex() + step) % len(self.windows))

    def _moved(self, place: int, other: int) -> None:
        """Keep the windows in the order of the tabs."""
        self.windows.insert(other, self.windows.pop(place))
        self._show_current()

    def _open_menu(self, where: QPoint) -> None:
        at = self.tabs.tabAt(where)
        if at < 0:
            return
        others: Callable[[], None] = partial(self._close_others, self.windows[at])
        entries = [(tr("Close"), partial(self.close_tab, at)), (tr("Close the others"), others), ("", None)]
        menu_of(self.tabs, [*entries, (tr("New tab"), self.add)]).popup(self.tabs.mapToGlobal(where))

    # closing

    def close_tab(self, at: int) -> bool:
        """Close a tab, asking about unsaved changes; whether that was done."""
        window = self.windows[at]
        self.tabs.setCurrentIndex(at)  # what is asked is asked where it is seen
        if len(self.windows) == 1:
            window.files.close()
            return window.controller.report is None
        if not window.close():
            return False
        self._remove(window)
        return True

    def _close_others(self, kept: Window) -> None:
        for window in [each for each in self.windows if each is not kept]:
            if not self.close_tab(self.windows.index(window)):
                return
        self.tabs.setCurrentIndex(self.windows.index(kept))

    def _closed(self, window: Window) -> None:
        """A report was closed: its tab goes with it, unless it is the last."""
        if len(self.windows) > 1 and window in self.windows and window.close():
            self._remove(window)

    def _remove(self, window: Window) -> None:
        at = self.windows.index(window)
        self.windows.remove(window)
        self.tabs.blockSignals(True)
        self.tabs.removeTab(at)
        self.tabs.blockSignals(False)
        self._stack.removeWidget(window)
        window.deleteLater()
        self._show_current()

    def restart(self) -> None:
        """Close, and start again with the reports that are open; one whose changes are kept unsaved stops it."""
        paths = [each.controller.path for each in self.windows]
        if self.close() and not start_window([path for path in paths if path is not None]):
            self.show()
            self.current.tell(tr("Northmoor could not be started again; start it by hand."), "fault")

    def closeEvent(self, event: QCloseEvent | None) -> None:
        """Close one report after the other; one that is kept keeps the window open."""
        assert event is not None
        self._settings.setValue("geometry", self.saveGeometry())
        while len(self.windows) > 1:
            if not self.close_tab(self.tabs.currentIndex()):
                event.ignore()
                return
        if self.current.close():
            event.accept()
        else:
            event.ignore()
