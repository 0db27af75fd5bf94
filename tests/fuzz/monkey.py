"""Hands that press, type, tick, drag and undo anything in the real window, over all demo reports.

``python -m tests.fuzz.monkey COUNT SEED [LANGUAGE]`` does so many things and ends with 1 if anything of it was a mistake of ours:
an exception that nobody handled, an error in the log, or two minutes without an answer. A process that dies says where
by ``faulthandler``. What was done last is printed, so that it can be done again.
"""

import faulthandler
import logging
import os
import random
import sys
import tempfile
import traceback
from collections import deque
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, QProcess, QSettings, Qt, QTimer
from PyQt6.QtGui import QAction, QContextMenuEvent, QDesktopServices, QInputMethodEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractItemView,
    QApplication,
    QComboBox,
    QFileDialog,
    QLineEdit,
    QPlainTextEdit,
    QTextEdit,
    QWidget,
)

from northmoor.app.language.catalogue import use_language
from northmoor.demo.demo_library import make_library

PATIENCE = 120
"""Seconds without an answer after which the process is ended."""
STEPS_A_REPORT = 150
STEPS_A_DIALOG = 12
"""So many things are done in a dialog or menu before it is left with Esc."""
KEYS = (
    Qt.Key.Key_Return, Qt.Key.Key_Tab, Qt.Key.Key_Backtab, Qt.Key.Key_Backspace, Qt.Key.Key_Delete, Qt.Key.Key_Escape,
    Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Home, Qt.Key.Key_End,
    Qt.Key.Key_PageDown, Qt.Key.Key_PageUp, Qt.Key.Key_Space, Qt.Key.Key_F2, Qt.Key.Key_F6, Qt.Key.Key_Menu,
)  # fmt: skip
TEXTS = (
    "",
    "1",
    "-3.5 mm",
    "sum(fares)",
    "fares",
    "{route}",
    "}{",
    "☃",
    "#12",
    "12pt",
    "a, b",
    "select 1",
    ":day",
    "9" * 30,
)
NEVER = ("Quit", "Close", "Start with my session", "Stop and remove from my session")
"""Words of actions that would end the run, or change this machine."""


class Monkey:
    """Does one thing after another; each from an event of its own, also while a dialog is open."""

    def __init__(self, folder: Path, count: int, seed: int) -> None:
        self.random = random.Random(seed)
        self.left = count
        self.reports = sorted((folder / "reports").glob("*.moor"))
        self.done: deque[str] = deque(maxlen=40)
        self.faults: list[str] = []
        self.in_dialog = 0
        from northmoor.app.window import Window  # its modules hold texts of the language from their import on

        self.window = Window(QSettings(str(folder / "settings.ini"), QSettings.Format.IniFormat))
        self.window.resize(1280, 800)
        self.window.show()

    def step(self) -> None:
        """Do one thing, and ask for the next one first: this one may open a dialog that waits for it."""
        if self.left <= 0 or self.faults:
            QApplication.exit(1)
            return
        self.left -= 1
        faulthandler.dump_traceback_later(PATIENCE, exit=True)
        QTimer.singleShot(0, self.step)
        top = QApplication.activePopupWidget() or QApplication.activeModalWidget()
        self.in_dialog = self.in_dialog + 1 if top is not None else 0
        if top is not None and self.in_dialog > STEPS_A_DIALOG:
            self.log(f"leave {type(top).__name__}")
            QTest.keyClick(top, Qt.Key.Key_Escape)
        elif top is None and self.left % STEPS_A_REPORT == 0:
            self.open()
        else:
            ways = (
                self.press,
                self.press,
                self.press,
                self.type,
                self.type_key,
                self.drag,
                self.choose,
                self.undo,
                self.act,
            )
            self.random.choice(ways)(top or self.window)

    def log(self, text: str) -> None:
        """Remember what is done."""
        self.done.append(text)

    def open(self) -> None:
        """Go on with another report."""
        path = self.random.choice(self.reports)
        self.log(f"open {path.name}")
        self.window.controller._saved_at = self.window.controller._at  # nothing is asked: what it is now is thrown away
        self.window.open(path)

    def some(self, top: QWidget, kinds: tuple[type[QWidget], ...] | type[QWidget]) -> QWidget | None:
        """A widget of some kind that can be seen and used."""
        found = [each for each in top.findChildren(QWidget) if isinstance(each, kinds)]
        usable = [each for each in found if each.isVisible() and each.isEnabled() and each.width() > 2]
        return self.random.choice(usable) if usable else None

    def place(self, widget: QWidget) -> QPoint:
        """A place in a widget."""
        return QPoint(self.random.randrange(max(widget.width(), 1)), self.random.randrange(max(widget.height(), 1)))

    def canvas(self) -> QWidget:
        """Where the pages are."""
        viewport = self.window.pages.canvas.viewport()
        assert viewport is not None
        return viewport

    def press(self, top: QWidget) -> None:
        """Click a button, a field or a place on the pages."""
        on_pages = top is self.window and self.random.random() < 0.35
        widget = self.canvas() if on_pages else self.some(top, (QAbstractButton, QLineEdit, QAbstractItemView)) or top
        text = widget.text() if isinstance(widget, QAbstractButton) else ""
        if any(word in text for word in NEVER) or not widget.isVisible():
            return
        if isinstance(widget, QAbstractItemView):
            widget = widget.viewport() or widget
        at = widget.rect().center() if isinstance(widget, QAbstractButton) else self.place(widget)
        way = self.random.choice(("click", "click", "click", "click", "double", "menu"))
        self.log(f"{way} {type(widget).__name__} {widget.property('field') or text or widget.accessibleName()} {at}")
        if way == "menu":
            QApplication.postEvent(
                widget, QContextMenuEvent(QContextMenuEvent.Reason.Mouse, at, widget.mapToGlobal(at))
            )
        elif way == "double":
            QTest.mouseDClick(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, at)
        else:
            keys = self.random.choice((Qt.KeyboardModifier.NoModifier,) * 4 + (Qt.KeyboardModifier.ControlModifier,))
            QTest.mouseClick(widget, Qt.MouseButton.LeftButton, keys, at)

    def type(self, top: QWidget) -> None:
        """Write something into a field, and often commit it."""
        widget = self.some(top, (QLineEdit, QPlainTextEdit, QTextEdit))
        if widget is None:
            return
        text = self.random.choice(TEXTS)
        self.log(f"type {text!r} into {type(widget).__name__} {widget.property('field') or widget.accessibleName()}")
        widget.setFocus()
        QTest.keyClick(widget, Qt.Key.Key_A, Qt.KeyboardModifier.ControlModifier)
        typed = QInputMethodEvent()
        typed.setCommitString(text)
        QApplication.sendEvent(widget, typed)
        if self.random.random() < 0.7:
            QTest.keyClick(widget, self.random.choice((Qt.Key.Key_Return, Qt.Key.Key_Tab)))

    def type_key(self, top: QWidget) -> None:
        """Press a key where the keyboard is."""
        key = self.random.choice(KEYS)
        self.log(f"key {key.name}")
        QTest.keyClick(QApplication.focusWidget() or top, key)

    def drag(self, top: QWidget) -> None:
        """Drag from one place of the pages to another."""
        if top is not self.window or not self.canvas().isVisible():
            return
        widget, begin = self.canvas(), self.place(self.canvas())
        end = begin + QPoint(self.random.randint(-200, 200), self.random.randint(-200, 200))
        self.log(f"drag {begin} {end}")
        QTest.mousePress(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, begin)
        for part in range(1, 4):
            QTest.mouseMove(widget, begin + (end - begin) * part / 3)
        if self.random.random() < 0.1:
            QTest.keyClick(widget, Qt.Key.Key_Escape)
        QTest.mouseRelease(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, end)

    def choose(self, top: QWidget) -> None:
        """Choose something of a drop-down list."""
        box = self.some(top, QComboBox)
        if isinstance(box, QComboBox) and box.count():
            at = self.random.randrange(box.count())
            self.log(f"choose {box.itemText(at)!r} of {box.property('field') or box.accessibleName()}")
            box.setCurrentIndex(at)
            box.activated.emit(at)

    def undo(self, top: QWidget) -> None:
        """Undo or do again."""
        if top is self.window:
            key = self.random.choice((Qt.Key.Key_Z, Qt.Key.Key_Z, Qt.Key.Key_Y))
            self.log(f"Ctrl+{key.name}")
            QTest.keyClick(self.window, key, Qt.KeyboardModifier.ControlModifier)

    def act(self, top: QWidget) -> None:
        """Choose something of a menu."""
        actions = [each for each in top.findChildren(QAction) if each.isEnabled() and each.text() and not each.menu()]
        usable = [each for each in actions if not any(word in each.text() for word in NEVER)]
        if usable:
            action = self.random.choice(usable)
            self.log(f"action {action.text()}")
            action.trigger()


class _Faults(logging.Handler):
    def __init__(self, monkey: Monkey) -> None:
        super().__init__(logging.ERROR)
        self._monkey = monkey

    def emit(self, record: logging.LogRecord) -> None:
        """Count an error in the log as a fault."""
        self._monkey.faults.append(self.format(record))


def run(count: int, seed: int, language: str = "en") -> list[str]:
    """Do `count` things in a window of a language; what went wrong."""
    faulthandler.enable()
    _leave_the_machine_alone()
    application = QApplication(["monkey"])
    application.setQuitOnLastWindowClosed(False)
    use_language(application, language)
    from northmoor.app.widgets.theme import apply_theme

    apply_theme(application)
    with tempfile.TemporaryDirectory(ignore_cleanup_errors=True) as folder:
        make_library(Path(folder))
        os.environ["HOME"] = folder  # where the demo is made that the window offers
        monkey = Monkey(Path(folder), count, seed)
        logging.getLogger().addHandler(_Faults(monkey))
        sys.excepthook = lambda *error: monkey.faults.append("".join(traceback.format_exception(*error)))
        monkey.open()
        QTimer.singleShot(0, monkey.step)
        while monkey.left > 0 and not monkey.faults:
            application.exec()
        faulthandler.cancel_dump_traceback_later()
        for line in monkey.done if monkey.faults else ():
            sys.stdout.write(f"{line}\n")
        monkey.window.worker.close()
        monkey.window.catalog_worker.close()
        return monkey.faults


def _leave_the_machine_alone() -> None:
    """No file outside the library is chosen, and nothing is opened in another program."""
    nothing: Callable[..., tuple[str, str]] = lambda *_, **__: ("", "")  # noqa: E731
    QFileDialog.getOpenFileName = QFileDialog.getSaveFileName = nothing  # type: ignore[assignment,method-assign]
    QFileDialog.getExistingDirectory = lambda *_, **__: ""  # type: ignore[assignment,method-assign]
    QDesktopServices.openUrl = lambda *_: True  # type: ignore[assignment,method-assign]
    QProcess.startDetached = lambda *_: (True, 0)  # type: ignore[assignment,method-assign]


if __name__ == "__main__":
    faults = run(int(sys.argv[1]), int(sys.argv[2]), *sys.argv[3:])
    sys.stdout.write("\n".join(faults))
    sys.stdout.flush()
    os._exit(1 if faults else 0)
