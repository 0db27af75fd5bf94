"""Forms are changed from within their own events: widgets stay, or are deleted later; what is typed is never lost."""

import gc
import subprocess
import sys
from pathlib import Path

import pytest
from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QCheckBox, QLineEdit, QScrollArea, QVBoxLayout, QWidget
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.parameters.choice_editors import PickedColumn
from northmoor.app.widgets.widget_tools import replace_content
from northmoor.app.window import Window
from northmoor.core.model import edits
from tests.app.conftest import settle
from tests.app.test_blocks import do
from tests.app.test_journey import editor
from tests.helpers import examples


def test_ticks_in_a_form_are_handled_by_widgets_that_stay(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("table", "fares-table"))
    ticked = editor(window, "show_head")
    assert isinstance(ticked, QCheckBox)
    for held in (False, True):
        qtbot.mouseClick(ticked, Qt.MouseButton.LeftButton, pos=QPoint(8, ticked.height() // 2))
        assert ticked.isChecked() is held
        assert editor(window, "show_head") is ticked
        assert edits.table_of(window.controller.report, "full", "fares-table").show_head is held
    do(window, "undo")
    assert not ticked.isChecked()


def test_a_tick_that_changes_which_rows_a_form_has_leaves_no_deleted_widget_in_its_event(
    window: Window, qtbot: QtBot
) -> None:
    for _ in range(9):
        window.controller.select(Selection("table", "fares-table"))
        area = window.pages.inspector
        before = area.widget()
        alive: list[bool] = []
        ticked = editor(window, "show_details")
        ticked.toggled.connect(lambda _, body=before, alive=alive: alive.append(body.objectName() == "panel"))
        qtbot.mouseClick(ticked, Qt.MouseButton.LeftButton, pos=QPoint(8, ticked.height() // 2))
        assert alive == [True]
        do(window, "undo")
    settle(window, qtbot)


def test_typing_stays_while_something_else_changes_and_is_committed_by_a_command(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("table", "fares-table"))
    line = editor(window, "when_empty")
    assert isinstance(line, QLineEdit)
    line.setFocus()
    line.selectAll()
    qtbot.keyClicks(line, "Nothing sailed.")
    window.controller.edit("Change the title", lambda r, _: r.but(title="Another"))
    assert line.text() == "Nothing sailed."
    window.actions_by_name["undo"].trigger()  # what was typed is a step of its own: it alone is taken back
    assert window.controller.report.title == "Another"
    window.actions_by_name["redo"].trigger()
    assert edits.table_of(window.controller.report, "full", "fares-table").when_empty == "Nothing sailed."


def test_a_form_that_is_replaced_commits_nothing_more(qtbot: QtBot) -> None:
    area, committed = QScrollArea(), []
    qtbot.addWidget(area)

    def show(column: str) -> None:
        body = QWidget()
        layout = QVBoxLayout(body)
        layout.addWidget(PickedColumn(["fares"], lambda _: ["day"], "fares", column, commit))
        replace_content(area, body)

    def commit(query: str, column: str) -> None:
        committed.append(column)
        show(column)

    area.show()
    show("day")
    for number in range(3):
        line = area.widget().findChild(QLineEdit)
        line.setFocus()
        qtbot.keyClicks(line, str(number))
        gc.collect()  # what only an event of its own holds must survive it
        qtbot.keyClick(line, Qt.Key.Key_Return)
    assert committed == ["day0", "day01", "day012"]
    qtbot.keyClicks(area.widget().findChild(QLineEdit), "lost")
    show("other")
    assert committed == ["day0", "day01", "day012"]


@pytest.mark.slow
@pytest.mark.parametrize(("seed", "language"), [(1, "en"), (2, "de")])
def test_hands_that_press_anything_find_no_mistake(seed: int, language: str) -> None:
    """What goes wrong here goes wrong twice: what depends on the moment is looked for by runs of many thousands."""
    command = [sys.executable, "-m", "tests.fuzz.monkey", str(examples(1000)), str(seed), language]
    root = Path(__file__).parents[2]
    for _ in range(2):
        done = subprocess.run(command, cwd=root, capture_output=True, text=True, timeout=900, check=False)
        if done.returncode == 0:
            return
    pytest.fail((done.stdout + done.stderr)[-6000:])
