"""From an unknown log to the report of one voyage, by mouse and by keyboard, in under two minutes of a user's time.

The time is that of the keystroke-level model (Card, Moran and Newell, CACM 1980) for a typist who is not skilled: a key
0.28 s, pointing 1.1 s, a click 0.2 s, and 1.35 s of thought before each act that is not one more letter of a word.
"""

from collections.abc import Callable
from typing import Any, Protocol

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtGui import QContextMenuEvent
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QAbstractItemView, QApplication, QComboBox, QDialog, QLabel, QMenu, QWidget
from pytestqt.qtbot import QtBot

from northmoor.app.data.signals.log_dialog import LogDialog
from northmoor.app.data.signals.log_fields import SelectionField
from northmoor.app.data.signals.measurements_dialog import MeasurementsDialog
from northmoor.app.data.signals.signal_list import SignalList
from northmoor.app.data.signals.spans_dialog import SpansDialog
from northmoor.app.data.workspace import DataWorkspace
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.data.signal_queries import MeasurementsQuery
from tests.app.conftest import settle
from tests.app.test_signals import PATIENCE, data, in_dialog, is_filled
from tests.helpers import lines_of

__all__ = ["data"]  # the fixture: a library that does not know yet that the telemetry is a log

KEY, POINT, CLICK, THOUGHT = 0.28, 1.1, 0.2, 1.35
LIMIT = 120
VOYAGE = "CU2025-0092"
SIGNALS = ("speed", "fuel_flow")


class Hand(Protocol):
    """Does the same by one device, and adds up the seconds."""

    seconds: float

    def choose_of_table(self, data: DataWorkspace, text: str) -> None: ...
    def select_voyage(self, dialog: SpansDialog) -> None: ...
    def tick(self, signals: SignalList, name: str) -> None: ...
    def last_of(self, box: QComboBox, letter: Qt.Key, steps: int) -> None: ...
    def accept(self, dialog: QDialog) -> None: ...


class MouseHand:
    """Points and clicks."""

    def __init__(self) -> None:
        self.seconds = 0.0

    def _click(self, widget: QWidget, place: QPoint | None = None) -> None:
        self.seconds += THOUGHT + POINT + CLICK
        QTest.mouseClick(widget, Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, place or QPoint())

    def choose_of_table(self, data: DataWorkspace, text: str) -> None:
        """Right-click the table in the tree, and click an entry of its menu."""
        tree = data.panel.tree
        top = next(
            item for n in range(tree.topLevelItemCount()) if (item := tree.topLevelItem(n)).text(0) == "telemetry"
        )
        if not top.isExpanded():
            box = tree.visualItemRect(top)
            self.seconds += THOUGHT + POINT + 2 * CLICK
            QTest.mouseDClick(tree.viewport(), Qt.MouseButton.LeftButton, Qt.KeyboardModifier.NoModifier, box.center())
        assert top.isExpanded()
        tree.setCurrentItem(top.child(0))
        place = tree.visualItemRect(top.child(0)).center()
        self.seconds += THOUGHT + POINT + CLICK
        reason = QContextMenuEvent.Reason.Mouse
        QApplication.sendEvent(tree.viewport(), QContextMenuEvent(reason, place, tree.viewport().mapToGlobal(place)))
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        (action,) = [each for each in menu.actions() if each.text().replace("&", "") == text]
        self._click(menu, menu.actionGeometry(action).center())

    def select_voyage(self, dialog: SpansDialog) -> None:
        """Click the bar of the voyage in the picture."""
        drawing = dialog.strip.drawing
        assert drawing.picture is not None
        number = drawing.picture.spans.id.index(VOYAGE)
        xs = [x for x in range(drawing.width()) if drawing.span_at(x) == number]
        self._click(drawing, QPoint(xs[len(xs) // 2], drawing.height() // 2))

    def tick(self, signals: SignalList, name: str) -> None:
        (item,) = [each for each in signals._items() if each.text(0) == name]
        signals.tree.scrollToItem(item)
        box = signals.tree.visualItemRect(item)
        self._click(signals.tree.viewport(), QPoint(box.left() + 10, box.center().y()))

    def last_of(self, box: QComboBox, letter: Qt.Key, steps: int) -> None:
        self._click(box)
        view = box.view()
        assert isinstance(view, QAbstractItemView)
        QTest.qWait(
            QApplication.doubleClickInterval() + 100
        )  # until then a list takes a click for the one that opened it
        place = view.visualRect(box.model().index(steps, 0)).center()
        QTest.mouseMove(view.viewport(), place)
        self._click(view.viewport(), place)
        assert box.currentIndex() == steps

    def accept(self, dialog: QDialog) -> None:
        self._click(dialog.ok)  # type: ignore[attr-defined]  # every one is a StepDialog


class KeyboardHand:
    """Presses keys."""

    def __init__(self) -> None:
        self.seconds = 0.0

    def press(self, key: Qt.Key, modifier: Qt.KeyboardModifier = Qt.KeyboardModifier.NoModifier) -> None:
        """Press a key wherever the keyboard is: in a menu, a dialog, or the window."""
        self.seconds += THOUGHT + KEY * (1 if modifier == Qt.KeyboardModifier.NoModifier else 2)
        popup = QApplication.activePopupWidget()
        target = popup if isinstance(popup, QMenu) else QApplication.focusWidget()
        assert target is not None
        QTest.keyClick(target, key, modifier)

    def write(self, text: str) -> None:
        """Type a text."""
        self.seconds += THOUGHT + KEY * len(text)
        QTest.keyClicks(QApplication.focusWidget(), text)

    def choose_of_table(self, data: DataWorkspace, text: str) -> None:
        """Go to the table in the tree, open its menu, and go down to an entry."""
        tree = data.panel.tree
        if QApplication.focusWidget() is not tree:
            data.panel.search.setFocus()
            while QApplication.focusWidget() is not tree:
                self.press(Qt.Key.Key_Tab)
        if tree.node() is None or tree.node().kind != "table":
            self.write("telemetry")
            self.press(Qt.Key.Key_Down)
        self.seconds += THOUGHT + KEY
        place = tree.visualItemRect(tree.currentItem()).center()
        QApplication.sendEvent(tree.viewport(), QContextMenuEvent(QContextMenuEvent.Reason.Keyboard, place))
        menu = QApplication.activePopupWidget()
        assert isinstance(menu, QMenu)
        while menu.activeAction() is None or menu.activeAction().text().replace("&", "") != text:
            self.press(Qt.Key.Key_Down)
        self.press(Qt.Key.Key_Return)

    def select_voyage(self, dialog: SpansDialog) -> None:
        assert isinstance(dialog.ids, SelectionField)
        self.press(Qt.Key.Key_Y, Qt.KeyboardModifier.AltModifier)
        self.write(VOYAGE)

    def tick(self, signals: SignalList, name: str) -> None:
        if QApplication.focusWidget() is not signals.search:
            self.press(Qt.Key.Key_F, Qt.KeyboardModifier.ControlModifier)
        self.write(name)
        self.press(Qt.Key.Key_Return)

    def last_of(self, box: QComboBox, letter: Qt.Key, steps: int) -> None:
        self.press(letter, Qt.KeyboardModifier.AltModifier)
        for _ in range(steps):
            self.press(Qt.Key.Key_Down)

    def accept(self, dialog: QDialog) -> None:
        self.press(Qt.Key.Key_Return)


def activate(window: QWidget, qtbot: QtBot) -> None:
    """Give the window the keyboard, as a window manager does when a dialog has closed."""
    window.activateWindow()
    qtbot.waitUntil(lambda: QApplication.activeWindow() is window, timeout=PATIENCE)


def letters(dialog: QDialog) -> list[str]:
    """The letters that go to the visible fields of a dialog."""
    labels = (label.text() for label in dialog.findChildren(QLabel) if label.isVisible())
    return [text[text.index("&") + 1].lower() for text in labels if "&" in text]


@pytest.mark.parametrize("device", [pytest.param(MouseHand, marks=pytest.mark.slow), KeyboardHand])
@pytest.mark.variants
def test_from_an_unknown_log_to_the_report_of_one_voyage(
    device: Callable[[], Hand], data: DataWorkspace, qtbot: QtBot
) -> None:
    hand, window, problems = device(), data.window(), list[Exception]()
    activate(window, qtbot)

    def in_it(kind: type[QDialog], fill: Callable[[Any], None], entry: str, is_done: Callable[[], bool]) -> None:
        def filled(dialog: Any) -> None:
            activate(dialog, qtbot)
            assert len(set(letters(dialog))) == len(letters(dialog)) > 5  # each field has a letter of its own
            fill(dialog)
            hand.accept(dialog)
            assert not dialog.isVisible(), dialog.fault.text()

        in_dialog(kind, filled, qtbot, problems)
        hand.choose_of_table(data, entry)
        qtbot.waitUntil(lambda: is_done() or bool(problems), timeout=PATIENCE)
        assert problems == []
        activate(window, qtbot)

    def select(dialog: SpansDialog) -> None:
        qtbot.waitUntil(lambda: VOYAGE in dialog.strip.ids(), timeout=PATIENCE)
        hand.select_voyage(dialog)

    def measure(dialog: MeasurementsDialog, on_page: int) -> None:
        assert dialog.over.currentText() == "each of spans"
        qtbot.waitUntil(lambda: dialog.signals.tree.topLevelItem(0).text(3) != "", timeout=PATIENCE)
        for name in SIGNALS:
            hand.tick(dialog.signals, name)
        hand.last_of(dialog.on_page, Qt.Key.Key_E, on_page)

    def has_block(kind: type) -> Callable[[], bool]:
        return lambda: isinstance(data.controller.edition.blocks[-1], kind)

    in_it(
        LogDialog,
        lambda dialog: qtbot.waitUntil(lambda: dialog.survey is not None, timeout=PATIENCE),
        "Use as a signal log …",
        lambda: data.signals.log_of_table("telemetry", "log") is not None,
    )
    in_it(SpansDialog, select, "Spans of it …", is_filled(data, 1))
    before = len(data.controller.edition.blocks)
    in_it(MeasurementsDialog, lambda d: measure(d, 1), "Measure its signals …", is_filled(data, 2))
    in_it(MeasurementsDialog, lambda d: measure(d, 2), "Measure its signals …", has_block(ChartBlock))
    assert hand.seconds <= LIMIT, hand.seconds

    settle(window, qtbot)
    table, chart = data.controller.edition.blocks[before:]
    assert isinstance(table, TableBlock)
    assert isinstance(chart, ChartBlock)
    queries = {q.name: q.signals for q in data.controller.report.queries if isinstance(q.signals, MeasurementsQuery)}
    assert [(q.spans, q.signals, q.give) for q in queries.values()] == [
        ("spans", SIGNALS, "statistics"), ("spans", SIGNALS, "outline")
    ]  # fmt: skip
    document = window._rendered.document
    rows = document.rows[table.query].table
    assert rows["id"].to_pylist() == [VOYAGE] * 2
    printed = [line.cells for line in lines_of(document, table.name) if line.kind == "detail"]
    assert len(printed) == 2
    assert [f for f in document.findings if f.place.block in (table.name, chart.name)] == []
    span = document.rows["spans"].table.to_pylist()[0]
    times = document.rows[chart.query].table["time"].to_pylist()
    assert min(times) >= span["start"]
    assert max(times) <= span["end"]
