"""Tables, matrices and charts begun where they belong, with their query and fields chosen in place."""

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QApplication, QMenu
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import WHOLE_PAGE, Selection
from northmoor.app.pages.panels.block_popup import BlockPopup
from northmoor.app.pages.panels.role_choice_box import RoleChoiceBox
from northmoor.app.widgets.menus import plain_text
from northmoor.app.window import Window
from northmoor.core.model import edits
from northmoor.core.model.blocks.chart import ChartBlock
from northmoor.core.model.blocks.containers import ForEachBlock, GridBlock
from northmoor.core.model.blocks.matrix import MatrixBlock
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.model.serialization import report_text
from tests.app.conftest import settle
from tests.app.test_journey import TABLE


def asked(window: Window, qtbot: QtBot, kind: str) -> BlockPopup:
    """The popup of Insert, when the fields are there."""
    window.actions_by_name[f"add_{kind}"].trigger()
    popup = window.pages.placing.block_popup
    assert popup is not None
    qtbot.waitUntil(lambda: popup.fields.rowCount() > 0, timeout=20_000)
    return popup


def insert_of_fields(window: Window, qtbot: QtBot, kind: str) -> None:
    """Insert a block of the fields that are proposed."""
    qtbot.keyClick(asked(window, qtbot, kind).fields, Qt.Key.Key_Return)
    settle(window, qtbot)


def tick(popup: BlockPopup, role: str, *labels: str) -> None:
    """Let some fields, and no others, be in the new block in a role."""
    for row in range(popup.fields.rowCount()):
        item = popup.fields.item(row, 0)
        item.setCheckState(Qt.CheckState.Checked if item.text() in labels else Qt.CheckState.Unchecked)
        roles = popup.fields.cellWidget(row, 1)
        if isinstance(roles, RoleChoiceBox) and item.text() in labels:
            offered = [roles.itemData(at).role for at in range(roles.count())]
            roles.setCurrentIndex(offered.index(role))


def errors(window: Window) -> list[str]:
    assert window._rendered is not None
    return [finding.message for finding in window.findings.found if finding.is_error]


@pytest.mark.parametrize("kind", ["table", "matrix", "chart"])
@pytest.mark.variants
def test_blocks_are_begun_in_a_for_each_and_in_a_cell_of_a_grid(window: Window, qtbot: QtBot, kind: str) -> None:
    window.controller.select(WHOLE_PAGE)
    window.pages.blocks.insert_for_each()
    each = window.controller.selection.block
    insert_of_fields(window, qtbot, kind)
    around = edits.block_of(window.controller.report, "full", each)
    assert isinstance(around, ForEachBlock)
    assert [block.kind for block in around.blocks] == ["text", kind]
    window.controller.select(WHOLE_PAGE)
    window.pages.blocks.insert("grid")
    grid = window.controller.selection.block
    window.controller.select(Selection("grid-cell", grid, number=1))
    insert_of_fields(window, qtbot, kind)
    held = edits.block_of(window.controller.report, "full", grid)
    assert isinstance(held, GridBlock)
    assert held.cells[1].blocks[-1].kind == kind
    assert [message for message in errors(window) if "wider than the room" not in message] == []  # of half a page


def test_a_table_of_chosen_fields_goes_beside_what_is_selected(window: Window, qtbot: QtBot) -> None:
    before = report_text(window.controller.report)
    window.controller.select(Selection("text", "scope"))
    popup = asked(window, qtbot, "table")
    tick(popup, "group", "Season")
    popup.fields.item(next(r for r in range(9) if popup.fields.item(r, 0).text() == "Fares"), 0).setCheckState(
        Qt.CheckState.Checked
    )
    popup.place.setCurrentIndex(popup.place.findText("Beside scope"))
    popup.insert.click()
    settle(window, qtbot)
    assert window.controller.edition is not None
    grid = next(block for block in window.controller.edition.blocks if isinstance(block, GridBlock))
    assert [cell.blocks[0].name for cell in grid.cells] == ["scope", "table"]
    table = edits.table_of(window.controller.report, "full", "table")
    assert [level.by for level in table.levels] == ["season"]
    assert [column.value for column in table.columns] == ["fares"]
    assert table.total[-1].cells[-1].value == "sum(fares)"
    assert window.controller.selection == Selection("table", "table")
    assert errors(window) == []
    window.controller.undo()
    assert report_text(window.controller.report) == before


def test_a_role_is_given_to_what_is_ticked_later(window: Window, qtbot: QtBot) -> None:
    popup = asked(window, qtbot, "matrix")
    tick(popup, "rows", "Route")
    for label in ("Season", "Fares", "Sailings"):
        row = next(r for r in range(popup.fields.rowCount()) if popup.fields.item(r, 0).text() == label)
        popup.fields.item(row, 0).setCheckState(Qt.CheckState.Checked)
    assert {each.field.label: each.role for each in popup.chosen} == {
        "Route": "rows", "Season": "columns", "Fares": "value", "Sailings": "value",
    }  # fmt: skip
    tick(popup, "rows")
    assert not popup.insert.isEnabled()
    assert popup.message.text() == "Tick a field."


def test_fields_show_every_query_and_begin_a_table_with_them(window: Window, qtbot: QtBot) -> None:
    fields = window.pages.fields
    query = window.pages.fields_query
    assert query.currentText() == "fares"
    query.setCurrentIndex(query.findText("port_choices"))
    query.activated.emit(query.currentIndex())
    qtbot.waitUntil(lambda: "port_id" in [name for _, name in fields.names()], timeout=20_000)
    levels = edits.table_of(window.controller.report, "full", TABLE).levels
    fields.levels_wanted.emit(["port_id"])
    assert "shows the rows of fares" in window._notice.toolTip()
    assert edits.table_of(window.controller.report, "full", TABLE).levels == levels
    item = next(fields.item(n) for n in range(fields.count()) if fields.item(n).text() == fields.names()[0][0])
    fields.itemActivated.emit(item)
    popup = window.pages.placing.block_popup
    assert popup is not None
    assert popup.source.currentData() == "port_choices"
    assert len(popup.chosen) == 1
    popup.accept()
    settle(window, qtbot)
    made = edits.table_of(window.controller.report, "full", "table")
    assert (made.query, len(made.columns)) == ("port_choices", 1)


def test_a_query_that_fails_says_why_where_its_fields_would_be(window: Window, qtbot: QtBot) -> None:
    report = window.controller.report
    assert report is not None
    window.controller.edit(
        "Break",
        lambda r, _: r.but(queries=(*r.queries, r.queries[0].but(name="bad", sql="select x from nowhere"))),
    )
    window.actions_by_name["add_table"].trigger()
    popup = window.pages.placing.block_popup
    assert popup is not None
    popup.source.setCurrentIndex(popup.source.findData("bad"))
    qtbot.waitUntil(lambda: popup.message.text() != "Reading the fields…", timeout=20_000)
    assert "nowhere" in popup.message.text()
    assert not popup.insert.isEnabled()
    assert popup.fields.isHidden()
    assert isinstance(edits.block_of(report, "full", TABLE), TableBlock)


def test_charts_and_matrices_count_where_nothing_is_added_up(window: Window, qtbot: QtBot) -> None:
    for kind, model in (("matrix", MatrixBlock), ("chart", ChartBlock)):
        popup = asked(window, qtbot, kind)
        tick(popup, next(iter(popup._starter.roles)), "Route")
        popup.accept()
        settle(window, qtbot)
        made = edits.block_of(window.controller.report, "full", kind)
        assert isinstance(made, model)
        assert [measure.value for measure in made.measures] == ["count(*)"]


def test_the_menu_of_a_field_begins_a_block_with_it(window: Window, qtbot: QtBot) -> None:
    fields = window.pages.fields
    item = next(fields.item(n) for n in range(fields.count()) if fields.item(n).text() == "Season")
    fields.customContextMenuRequested.emit(fields.visualItemRect(item).center())
    menu = QApplication.activePopupWidget()
    assert isinstance(menu, QMenu)
    texts = [plain_text(action) for action in menu.actions() if action.text()]
    assert texts == [
        "Add as a column",
        "Group by it",
        "New table…",
        "New matrix…",
        "New chart…",
    ]
    menu.close()
    next(action for action in menu.actions() if plain_text(action) == "New chart…").trigger()
    popup = window.pages.placing.block_popup
    assert popup is not None
    qtbot.waitUntil(lambda: popup.fields.rowCount() > 0, timeout=20_000)
    assert [(each.field.name, each.role) for each in popup.chosen] == [("season", "category"), ("sailings", "value")]
    popup.close()


def test_a_second_field_in_a_role_of_one_is_named_as_not_shown(window: Window, qtbot: QtBot) -> None:
    popup = asked(window, qtbot, "chart")
    tick(popup, "category", "Route name", "Month")
    assert popup.message.text() == "Month is not shown: only one field can have the role Categories."
    tick(popup, "value", "Month")
    assert popup.message.text() == "1 field"
    popup.close()
