"""A real mouse: presses and moves that the X server itself makes, so that they reach whatever is under them."""

import ctypes
import ctypes.util
import os
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import TypeVar

import pytest
from PyQt6.QtCore import QMimeData, QPoint, Qt, QUrl
from PyQt6.QtGui import QAction, QDrag, QMouseEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QComboBox, QLabel, QListWidget, QListWidgetItem, QMenu, QMenuBar, QWidget
from pytestqt.qtbot import QtBot

from northmoor.app.widgets.menus import plain_text
from northmoor.app.window import Window
from northmoor.core.model import edits
from northmoor.core.model.blocks.table import TableBlock
from tests.app.conftest import settle
from tests.app.test_journey import TABLE, point_on, regions
from tests.helpers import lines_of

DRAGGED = pytest.mark.qt_log_ignore("root_visual")  # the screen of the tests has no picture of what is dragged
LEFT, RIGHT = 1, 3
T = TypeVar("T")
_CONTROL = 0xFFE3  # XK_Control_L
_STEP = 15  # milliseconds between the events of one gesture, which the server itself waits


class Pointer:
    """The pointer of the screen, moved through the server's XTEST extension."""

    def __init__(self) -> None:
        self._x11 = ctypes.CDLL(ctypes.util.find_library("X11") or "libX11.so.6")
        self._test = ctypes.CDLL(ctypes.util.find_library("Xtst") or "libXtst.so.6")
        self._x11.XOpenDisplay.restype = ctypes.c_void_p
        opened = self._x11.XOpenDisplay(os.environ["DISPLAY"].encode())
        assert opened, "the screen of the tests cannot be reached"
        self._display = ctypes.c_void_p(opened)

    def close(self) -> None:
        self._x11.XCloseDisplay(self._display)

    def move(self, at: QPoint) -> None:
        self._test.XTestFakeMotionEvent(self._display, -1, at.x(), at.y(), ctypes.c_ulong(_STEP))

    def button(self, button: int, is_down: bool) -> None:
        self._test.XTestFakeButtonEvent(self._display, button, is_down, ctypes.c_ulong(_STEP))

    def control(self, is_down: bool) -> None:
        key = self._x11.XKeysymToKeycode(self._display, ctypes.c_ulong(_CONTROL))
        self._test.XTestFakeKeyEvent(self._display, key, is_down, ctypes.c_ulong(_STEP))

    def send(self) -> None:
        """Have the gesture made; it is made when this returns."""
        self._x11.XSync(self._display, False)


class FaresTable:
    """A window over the report of fares, whose table is looked at."""

    def __init__(self, window: Window) -> None:
        self.window = window

    @property
    def table(self) -> TableBlock:
        report, edition = self.window.controller.report, self.window.controller.edition
        assert report is not None
        assert edition is not None
        return edits.table_of(report, edition.name, TABLE)

    def printed(self, column: str, kind: str = "detail") -> list[str]:
        """The texts of a column as they are printed."""
        rendered = self.window._rendered
        assert rendered is not None
        return [line.cells.get(column, "") for line in lines_of(rendered.document, TABLE) if line.kind == kind]


class Mouse(FaresTable):
    """A hand on the mouse of a window, and on its keys; it counts clicks, drags, keys and typed words. What is clicked
    has to be seen, with nothing over it."""

    def __init__(self, window: Window, qtbot: QtBot, pointer: Pointer) -> None:
        super().__init__(window)
        self.count = 0
        self._qtbot, self._pointer = qtbot, pointer
        window.move(0, 0)
        window.activateWindow()
        qtbot.waitUntil(lambda: QApplication.activeWindow() is window, timeout=20_000)

    def click(self, widget: QWidget, at: QPoint | None = None, with_control: bool = False) -> None:
        """Click a widget at a point of it, or in its middle."""
        self._click(self._reach(widget, widget.rect().center() if at is None else at), with_control=with_control)

    def right_click(self, widget: QWidget, at: QPoint) -> None:
        """Click a widget at a point of it with the other button."""
        self._click(self._reach(widget, at), RIGHT)

    def double_click(self, widget: QWidget, at: QPoint) -> None:
        """Click a widget twice at a point of it: one action."""
        self._click(self._reach(widget, at), times=2)

    def steady(self, find: Callable[[], T]) -> T:
        """A place, once it stays what it is: what has just opened is still placing its parts."""
        before, found = None, find()
        while found != before:
            self._qtbot.wait(4 * _STEP)
            before, found = found, find()
        return found

    def _reach(self, widget: QWidget, at: QPoint) -> QPoint:
        """A point of a widget on the screen, where a click goes to that widget."""
        self._qtbot.waitUntil(lambda: widget.isVisible() and widget.isEnabled(), timeout=20_000)
        place = self.steady(lambda: widget.mapToGlobal(at))
        under = QApplication.widgetAt(place)
        assert under is not None, f"{widget} is not on the screen at {place}"
        assert under is widget or widget.isAncestorOf(under), f"{under} is over {widget}"
        return place

    def _click(self, place: QPoint, button: int = LEFT, with_control: bool = False, times: int = 1) -> None:
        self.count += 1
        self._pointer.move(place)
        if with_control:
            self._pointer.control(True)
        for _ in range(times):
            self._pointer.button(button, True)
            self._pointer.button(button, False)
        if with_control:
            self._pointer.control(False)
        self._pointer.send()
        self._qtbot.wait(4 * _STEP)

    def drag(self, widget: QWidget, start: QPoint, onto: QWidget, end: QPoint) -> None:
        """Press at a point of a widget, move to a point of another and let go."""
        self.count += 1
        first, last = self._reach(widget, start), onto.mapToGlobal(end)
        self._pointer.move(first)
        self._pointer.button(LEFT, True)
        for part in range(1, 11):
            self._pointer.move(first + (last - first) * part / 10)
        self._pointer.move(last)
        self._pointer.button(LEFT, False)
        self._pointer.send()
        self._qtbot.wait(16 * _STEP)

    def spot(self, block: str = TABLE, **wanted: str | None) -> QPoint:
        """The middle of a spot of the first page, in the canvas's viewport."""
        return point_on(self.window, regions(self.window, block=block, **wanted)[0])

    def select(self, block: str = TABLE, **wanted: str | None) -> None:
        """Click a spot of the first page."""
        self.click(self.window.pages.canvas.viewport(), self.spot(block, **wanted))
        settle(self.window, self._qtbot)

    def menu(self, *texts: str, block: str = TABLE, **wanted: str | None) -> None:
        """Right-click a spot of the first page, and choose an entry through the menus above it."""
        self.right_click(self.window.pages.canvas.viewport(), self.spot(block, **wanted))
        self.choose(*texts)

    def choose(self, *texts: str) -> None:
        """Click an entry of the open menu, through the menus above it."""
        for text in texts:
            menu = self._popup(QMenu)
            action = entry(menu, text)
            below = action.menu()
            self._click(self._reach(menu, menu.actionGeometry(action).center()))
            if below is not None:
                self._qtbot.waitUntil(below.isVisible, timeout=20_000)
        if QApplication.activeModalWidget() is None:
            settle(self.window, self._qtbot)

    def main_menu(self, *texts: str) -> None:
        """Click an entry of the menu bar, through its menus."""
        bar = self.window.menuBar()
        assert isinstance(bar, QMenuBar)
        action = next(each for each in bar.actions() if plain_text(each) == texts[0])
        self.click(bar, bar.actionGeometry(action).center())
        self.choose(*texts[1:])

    def _popup(self, kind: type[QMenu]) -> QMenu:
        self._qtbot.waitUntil(lambda: isinstance(QApplication.activePopupWidget(), kind), timeout=20_000)
        found = QApplication.activePopupWidget()
        assert isinstance(found, kind)
        return found

    def click_in_contents(self, block: str) -> None:
        """Click a block in the list of contents."""
        contents = self.window.pages.contents
        (item,) = contents.findItems(block, Qt.MatchFlag.MatchContains | Qt.MatchFlag.MatchRecursive)
        self.click(contents.viewport(), contents.visualItemRect(item).center())

    def choose_in(self, box: QComboBox, text: str) -> None:
        """Open a drop-down and click what it offers."""
        self.click(box)
        view = box.view()
        assert view is not None
        self._qtbot.waitUntil(view.isVisible, timeout=20_000)
        index = box.model().index(box.findText(text), box.modelColumn())
        assert index.isValid(), (text, [box.itemText(at) for at in range(box.count())])
        self.click(view.viewport(), view.visualRect(index).center())

    def tick(self, items: QListWidget, item: QListWidgetItem) -> None:
        """Click the box before an item of a list, and wait until it is ticked."""
        before, box = item.checkState(), self.steady(lambda: items.visualItemRect(item))
        self.click(items.viewport(), QPoint(box.left() + 10, box.center().y()))
        self._qtbot.waitUntil(lambda: item.checkState() != before, timeout=20_000)

    def write(self, text: str) -> None:
        """Type a word over what is chosen where the keyboard is."""
        self.count += 1
        target = QApplication.focusWidget()
        assert target is not None
        QTest.keyClicks(target, text)

    def press(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """Press a key or a chord where the keyboard is."""
        self.count += 1
        target = QApplication.activePopupWidget() or QApplication.focusWidget()
        assert target is not None
        QTest.keyClick(target, key, modifier)


def entry(menu: QMenu, text: str) -> QAction:
    """The entry of a menu that begins with a text."""
    found = [action for action in menu.actions() if plain_text(action).split("\t")[0].startswith(text)]
    assert found, (text, [action.text() for action in menu.actions()])
    assert found[0].isEnabled(), found[0].toolTip()
    return found[0]


class FileIcon(QLabel):
    """A file as a file manager shows it, beside the window: it can be dragged."""

    def __init__(self, file: Path, qtbot: QtBot) -> None:
        super().__init__(file.name)
        self._file = file
        qtbot.addWidget(self)
        self.setGeometry(1290, 20, 100, 60)
        self.show()
        qtbot.waitExposed(self)

    def mouseMoveEvent(self, _event: QMouseEvent | None) -> None:
        data = QMimeData()
        data.setUrls([QUrl.fromLocalFile(str(self._file))])
        drag = QDrag(self)
        drag.setMimeData(data)
        drag.exec(Qt.DropAction.CopyAction)


@pytest.fixture(scope="session")
def pointer(qapp: QApplication) -> Iterator[Pointer]:
    found = Pointer()
    yield found
    found.close()


@pytest.fixture
def mouse(window: Window, qtbot: QtBot, pointer: Pointer) -> Mouse:
    return Mouse(window, qtbot, pointer)


@pytest.fixture
def mouse_of(qtbot: QtBot, pointer: Pointer) -> Callable[[Window], Mouse]:
    """A mouse over a window that a test opens itself."""
    return lambda window: Mouse(window, qtbot, pointer)
