"""Blocks that are no tables: what their menus offer, and pictures chosen by what they look like."""

from pathlib import Path
from typing import Any

import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor, QImage
from pytestqt.qtbot import QtBot

from northmoor.app.document_controller import Selection
from northmoor.app.pages.inspector.picture_file_editor import PictureFileEditor
from northmoor.app.pages.part_menu.block_entries import MENU_OF_KIND
from northmoor.app.pages.part_menu.entries import PartCommand, commands_in
from northmoor.app.window import Window
from northmoor.core.model import edits
from northmoor.core.model.blocks.block_types import BLOCK_TYPE_OF_KIND
from tests.app.conftest import settle
from tests.helpers import dumped


def insert(window: Window, qtbot: QtBot, block: Any) -> None:
    """Put a block after the title, and select it."""
    window.controller.select(Selection("text", "title"))
    window.pages.blocks.insert_made("Insert", [block])
    window.controller.select(Selection(block.kind, block.name))
    settle(window, qtbot)


def block(window: Window, name: str) -> Any:
    report, edition = window.controller.report, window.controller.edition
    assert report is not None
    assert edition is not None
    return edits.block_of(report, edition.name, name)


def commands(window: Window) -> dict[str, PartCommand]:
    return {each.text: each for _, each in commands_in(window.pages.part_menu.entries())}


def editor(window: Window) -> PictureFileEditor:
    return window.pages.inspector.findChildren(PictureFileEditor)[-1]


NEW = {
    "picture": lambda name: edits.new_picture(name, "pictures/emblem.svg"),
    "readout": lambda name: edits.new_readout(name, "Sailings", "count(fares.fares)"),
}


@pytest.mark.parametrize("kind", MENU_OF_KIND)
@pytest.mark.variants
def test_a_block_offers_the_choices_of_its_properties(window: Window, qtbot: QtBot, kind: str) -> None:
    make = NEW.get(kind) or BLOCK_TYPE_OF_KIND[kind].new
    assert make is not None
    insert(window, qtbot, make("own"))
    edited, chosen = MENU_OF_KIND[kind]
    offered = commands(window)
    for field in chosen:
        seen = set()
        for command in [each for each in offered.values() if each.is_on is not None]:
            command.run()
            seen.add(getattr(block(window, "own"), field))
        assert len(seen) > 1 or field == "fit", field  # which is offered for a picture with a width
    for field in edited:
        window.pages.edit_property(field)
        focus = window.pages.inspector.focusWidget()
        while focus is not None and focus.property("field") != field:
            focus = focus.parentWidget()
        assert focus is not None, field


def test_a_key_figure_is_formatted_by_what_it_shows(window: Window, qtbot: QtBot) -> None:
    insert(window, qtbot, edits.new_readout("fares-sum", "Fares", "sum(fares.fares)"))
    chosen = commands(window)["Currency, whole"]
    chosen.run()
    settle(window, qtbot)
    document = window.shown_document
    assert document is not None
    assert chosen.sample in {item.get("text") for item in dumped(document)["pages"][0]["items"]}
    window.pages.pick_format()
    popup = window.pages.part_menu.format_popup
    assert popup is not None
    assert not popup.zero.isVisible()  # it has no texts in place of values
    popup.close()


def test_a_picture_is_chosen_by_what_it_looks_like(window: Window, qtbot: QtBot, tmp_path: Path) -> None:
    red = QImage(40, 30, QImage.Format.Format_RGB32)
    red.fill(QColor("red"))
    red.save(str(tmp_path / "pictures" / "red.png"))
    (tmp_path / "pictures" / "torn.png").write_bytes(b"\x89PNG\r\n")
    insert(window, qtbot, edits.new_picture("logo", "pictures/emblem.svg"))
    qtbot.waitUntil(lambda: not editor(window).button.icon().isNull())
    shelf = editor(window)._shelf
    assert shelf is not None
    shelf.sample("pictures/red.png")
    window.worker.stop()  # what is stopped is drawn again when it is asked for
    commands(window)["Picture…"].run()
    popup = editor(window).popup
    assert popup is not None
    found = {item.text(): item for item in (popup.list.item(at) for at in range(popup.list.count())) if item}
    assert sorted(found) == ["emblem", "red", "tarrow", "torn"]
    current = popup.list.currentItem()
    assert current is found["emblem"]
    qtbot.waitUntil(lambda: not found["red"].icon().isNull())
    drawn = found["red"].icon().pixmap(96, 72).toImage()
    assert drawn.pixelColor(drawn.rect().center()) == QColor("red")
    qtbot.waitUntil(lambda: "torn" in found["torn"].toolTip() and "no" in found["torn"].toolTip())
    popup.list.setCurrentItem(found["red"])
    qtbot.keyClick(popup.list, Qt.Key.Key_Return)
    assert block(window, "logo").file == "pictures/red.png"
    assert not popup.isVisible()
    window.controller.undo()
    assert block(window, "logo").file == "pictures/emblem.svg"
    window.controller.edit("Column", lambda r, e: edits.change_block(r, e, "logo", value="fares.route"))
    assert "Picture…" not in commands(window)  # the column says which


def test_a_grid_grows_from_its_menu(window: Window, qtbot: QtBot) -> None:
    new = BLOCK_TYPE_OF_KIND["grid"].new
    assert new is not None
    insert(window, qtbot, new("own"))
    before = block(window, "own")
    commands(window)["Add a column"].run()
    commands(window)["Add a row"].run()
    grown = block(window, "own")
    assert len(grown.tracks) == len(before.tracks) + 1
    window.controller.select(Selection("grid-cell", "own", number=0))
    commands(window)["Remove its column"].run()
    assert len(block(window, "own").tracks) == len(before.tracks)
