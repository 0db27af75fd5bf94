"""Beginnings and ends of the window: closing, recent reports, preferences, mnemonics and help."""

import os
import subprocess
import sys
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest
from PyQt6.QtCore import QProcess, QSettings, QSize, Qt, QUrl
from PyQt6.QtGui import QDesktopServices, QImage, QKeySequence, QPalette
from PyQt6.QtWidgets import QApplication, QLabel, QMenu, QPushButton, QTextEdit, QToolButton
from pytestqt.qtbot import QtBot

from northmoor.app.actions import MENUS, all_commands, shortcuts
from northmoor.app.document_controller import WHOLE_PAGE, Selection
from northmoor.app.help.topics import GUIDES, topics
from northmoor.app.language.length_unit import use_unit
from northmoor.app.pages.editing.rich_text_editor import RichTextEditor
from northmoor.app.start.keys_dialog import KeysDialog
from northmoor.app.start.preferences_dialog import PreferencesDialog
from northmoor.app.tabbed_window import TabbedWindow
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.menus import plain_text, with_mnemonics
from northmoor.app.widgets.preferences import Preferences, preferred_keys, read_preferences, write_preferences
from northmoor.app.widgets.theme import COLORS, HEATHER, LINEN, PAPER, PEAT, STONE_TEXT, apply_look, ink
from northmoor.app.window import Window
from northmoor.core.errors import Place
from northmoor.core.model import edits
from northmoor.core.model.findings import Finding, Remedy
from tests.app.conftest import settle
from tests.app.test_journey import TABLE, editor


@pytest.fixture
def usual_look(qapp: QApplication) -> Iterator[None]:
    """Whatever look a test shows, those after it have the usual one."""
    yield
    apply_look(qapp, Preferences())


def submenu(window: Window, *texts: str) -> QMenu:
    """A menu of the menu bar, as it is when it is opened."""
    entries = window.menuBar().actions()
    for text in texts:
        menu = next(action.menu() for action in entries if plain_text(action) == text)
        menu.aboutToShow.emit()
        entries = menu.actions()
    return menu


def test_a_report_is_closed_and_opened_again_from_the_recent_ones(window: Window, copy: Path, qtbot: QtBot) -> None:
    window.controller.edit("Change", lambda r, _: r.but(title="Changed"))
    window.controller._saved_at = window.controller._at  # nothing is asked
    window.actions_by_name["close_report"].trigger()
    assert window.controller.report is None
    assert window.start.isVisible()
    assert window.windowTitle() == "Northmoor"
    for name in ("save", "undo", "deliver", "close_report", "add_table"):
        assert not window.actions_by_name[name].isEnabled(), name
    recent = submenu(window, "File", "Open recent")
    assert [plain_text(action) for action in recent.actions()] == [f"{copy.stem} · {copy.parent.resolve()}"]
    recent.actions()[0].trigger()
    settle(window, qtbot)
    assert window.controller.path == copy.resolve()
    assert window.pages.isVisible()


def test_report_properties_are_those_of_the_page(window: Window) -> None:
    window.controller.select(Selection("text", "scope"))
    window.actions_by_name["properties"].trigger()
    assert window.controller.selection == WHOLE_PAGE
    assert window.focusWidget() is editor(window, "title")


@pytest.mark.usefixtures("usual_look")
def test_preferences_are_kept_and_odd_ones_are_as_at_first(window: Window, tmp_path: Path) -> None:
    dialog = PreferencesDialog(window._settings, window)
    dialog.boxes["look"].setCurrentIndex(dialog.boxes["look"].findData("dark"))
    dialog.boxes["text_size"].setCurrentIndex(dialog.boxes["text_size"].findData(18))
    dialog.boxes["begin_with"].setCurrentIndex(dialog.boxes["begin_with"].findData("last"))
    dialog.accept()
    assert read_preferences(window._settings) == Preferences("dark", 18, "last")
    odd = QSettings(str(tmp_path / "odd.ini"), QSettings.Format.IniFormat)
    odd.setValue("preferred-look", "pink")
    odd.setValue("preferred-text_size", "4711")
    assert read_preferences(odd) == Preferences()


def test_another_language_is_shown_by_starting_again_with_the_same_reports(
    copy: Path, tmp_path: Path, monkeypatch: pytest.MonkeyPatch, qtbot: QtBot
) -> None:
    started: list[list[str]] = []

    def start(process: QProcess) -> tuple[bool, int]:
        started.append(process.arguments())
        return True, 1

    monkeypatch.setattr(QProcess, "startDetached", start)
    tabbed = TabbedWindow(QSettings(str(tmp_path / "own.ini"), QSettings.Format.IniFormat))
    qtbot.addWidget(tabbed)
    assert tabbed.open(copy)
    tabbed.show()
    settle(tabbed.current, qtbot)
    tabbed.current.actions_by_name["preferences"].trigger()
    dialog = tabbed.findChild(PreferencesDialog)
    assert dialog is not None
    dialog.boxes["unit"].setCurrentIndex(0)
    assert not dialog.at_once.isVisible()
    dialog.boxes["language"].setCurrentIndex(dialog.boxes["language"].findData("de"))
    assert dialog.at_once.isVisible()
    dialog.accept()
    assert started == [["-m", "northmoor", "open", str(copy)]]
    assert not tabbed.isVisible()
    assert not copy.with_name(f".{copy.name}.lock").exists()


@pytest.mark.usefixtures("usual_look")
def test_another_look_and_size_of_text_are_shown_at_once(window: Window, qtbot: QtBot) -> None:
    window.show_workspace("data")
    qtbot.waitUntil(lambda: window.data.panel.tree.topLevelItemCount() > 0)
    tree, editor_of_sql = window.data.panel.tree, window.data.editor
    link = QLabel('<a href="#">Line 1</a>', window)
    link.resize(80, 30)
    link.show()
    width = window._switch.width()
    window.controller.select(Selection("text", "title"))
    written = window.findChild(RichTextEditor)
    window.actions_by_name["explain"].trigger()
    guides = window.help.opened
    assert written is not None
    assert guides is not None
    guides.show_guide("tables", section="Trace")
    guides.text.show_text("[Tables](tables.md)")

    def color_in(editor: QTextEdit) -> str:
        cursor = editor.textCursor()
        cursor.setPosition(1)
        return str(cursor.charFormat().foreground().color().name().upper())

    def shown() -> list[str]:
        button = next(button for button in window.findChildren(QToolButton) if button.objectName() == "workspace")
        icon_of_button = button.icon().pixmap(20, 20).toImage()
        dots = {icon_of_button.pixelColor(x, y).name() for x in range(20) for y in range(20)}
        item = tree.topLevelItem(0)
        assert item is not None
        quiet, sql = item.foreground(1).color().name(), editor_of_sql.lexer().paper(0).name()  # type: ignore[union-attr]
        ground = window.menuBar().palette().color(QPalette.ColorRole.Window).name()  # type: ignore[union-attr]
        drawn = next(color for color in (COLORS["light"], COLORS["dark"]) if color[HEATHER].lower() in dots)
        texts = [color_in(written.text), color_in(guides.text)]
        return [drawn[HEATHER], quiet.upper(), sql.upper(), ground.upper(), *texts]

    for look, size in (("dark", 18), ("light", 13)):
        dialog = PreferencesDialog(window._settings, window)
        dialog.boxes["look"].setCurrentIndex(dialog.boxes["look"].findData(look))
        dialog.boxes["text_size"].setCurrentIndex(dialog.boxes["text_size"].findData(size))
        dialog.accept()
        colors = COLORS[look]
        assert shown() == [colors[name] for name in (HEATHER, STONE_TEXT, PAPER, LINEN, PEAT, HEATHER)]
        assert (window._switch.width() > width) == (size == 18)
        linked = link.grab().toImage().convertToFormat(QImage.Format.Format_RGB16)
        wanted = QImage(1, 1, QImage.Format.Format_RGB16)
        wanted.fill(ink(HEATHER))
        assert wanted.pixel(0, 0) in {linked.pixel(x, y) for x in range(80) for y in range(30)}
        assert window.isVisible()


@pytest.mark.usefixtures("qapp")
def test_icons_are_sharp_on_a_fine_screen() -> None:
    made = icon("send", size=20).pixmap(QSize(20, 20), 2.0)
    assert (made.width(), made.devicePixelRatio()) == (40, 2.0)


def test_the_look_follows_the_system_where_that_is_preferred(tmp_path: Path) -> None:
    script = """
from northmoor.app.main import run_window
from northmoor.app.widgets.preferences import Preferences, own_settings, write_preferences
from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QGuiApplication
def watch(window):
    def look():
        Preferences.is_dark = property(lambda own: own.look == "system")  # no system that can change is here
        for look in ("light", "system"):
            write_preferences(own_settings(), Preferences(look=look))
            QGuiApplication.styleHints().colorSchemeChanged.emit(Qt.ColorScheme.Dark)
            print(window.grab().toImage().pixelColor(3, 400).lightness())
        window.window().close()
    QTimer.singleShot(100, look)
run_window((), {}, watch)
"""
    light, dark = map(int, _output_of(script, tmp_path).split())
    assert dark < 60 < 200 < light


def _output_of(script: str, settings: Path) -> str:
    """What a process of its own prints, with its settings in a folder."""
    environment = os.environ | {"XDG_CONFIG_HOME": str(settings)}
    command = [sys.executable, "-c", script]
    return subprocess.run(command, capture_output=True, text=True, timeout=60, env=environment, check=True).stdout


def test_lengths_are_shown_in_another_unit_at_once(window: Window) -> None:
    window.controller.select(WHOLE_PAGE)
    assert editor(window, "margin_top").text() == "20.0 mm"  # type: ignore[attr-defined]  # it is a line
    dialog = PreferencesDialog(window._settings, window)
    dialog.boxes["unit"].setCurrentIndex(dialog.boxes["unit"].findData("in"))
    dialog.accept()
    assert editor(window, "margin_top").text() == "0.79 in"  # type: ignore[attr-defined]
    use_unit("mm")


@pytest.mark.slow
def test_a_dark_window_in_large_text_is_drawn_around_white_pages(copy: Path, tmp_path: Path) -> None:
    settings = QSettings(str(tmp_path / "Northmoor" / "Northmoor.conf"), QSettings.Format.IniFormat)
    write_preferences(settings, Preferences("dark", 18, "last"))
    settings.setValue("recent", [str(copy)])
    settings.sync()
    script = """
from northmoor.app.main import run_window
from PyQt6.QtCore import QTimer
def watch(window):
    def look():
        if not window.is_up_to_date or window._rendered is None:
            return
        picture = window.grab().toImage()
        canvas = window.pages.canvas
        page = canvas.viewport().mapTo(window, canvas.page_rect(0).center())
        print(picture.pixelColor(3, 400).lightness(), picture.pixelColor(page.x(), page.y() - 300).lightness(),
              window.font().pixelSize(), window.controller.path.name)
        timer.stop(); window.window().close()
    timer = QTimer(window); timer.timeout.connect(look); timer.start(50)
run_window((), {}, watch)
"""
    side, page, size, name = _output_of(script, tmp_path).split()
    assert int(side) < 60
    assert int(page) == 255
    assert (size, name) == ("18", copy.name)


def test_entries_of_a_menu_have_letters_of_their_own() -> None:
    for commands in MENUS.values():
        texts = with_mnemonics([entry.text for entry in commands if entry is not None])
        letters = [text[text.index("&") + 1].lower() for text in texts if "&" in text]
        assert len(letters) == len(set(letters)) >= len(texts) - 6


def test_help_is_searched_and_explains_what_has_the_keyboard(window: Window, qtbot: QtBot) -> None:
    assert {topic.guide for topic in topics("en")} == set(GUIDES)
    window.controller.select(Selection("cell", TABLE, "detail", None, "fares"))
    editor(window, "visible").setFocus()
    window.actions_by_name["explain"].trigger()
    help_window = window.help.opened
    assert help_window is not None
    shown = help_window.text.toPlainText()
    assert shown.startswith("Visible if: ")
    assert help_window.list.currentItem().text().startswith("Expressions")
    parts = (
        (Selection("level", TABLE, level="route"), "Levels"),
        (Selection("header", "header"), "Headers and footers"),
        (Selection("text", "title"), "Texts"),
    )
    for part, section in parts:
        window.controller.select(part)
        window.pages.canvas.setFocus()
        window.actions_by_name["explain"].trigger()
        assert help_window.list.currentItem().text().endswith(f"› {section}")
    window.parameters.units["year"].control.setFocus()
    window.actions_by_name["explain"].trigger()
    assert help_window.list.currentItem().text() == "Parameters › The bar"
    window.show_workspace("data")
    window.data.editor.setFocus()
    window.actions_by_name["explain"].trigger()
    assert help_window.list.currentItem().text() == "Queries"
    for words, title in (("running total", "Expressions"), ("watermark", "Pages"), ("ctrl+shift+o", "Keys and mouse")):
        help_window.search.setText(words)
        found = [help_window.list.item(n).text() for n in range(help_window.list.count())]
        assert any(text.startswith(title) for text in found), (words, found)
    help_window.search.setText("no such thing anywhere")
    assert help_window.list.count() == 0
    assert "Try fewer" in help_window.text.toPlainText()
    help_window.search.clear()
    help_window.text.anchorClicked.emit(QUrl("tables.md#trace"))
    assert help_window.list.currentItem().text() == "Tables › Trace"
    help_window.text.anchorClicked.emit(QUrl("pages.md"))
    assert "Headers and footers" in help_window.text.toPlainText()  # an introduction leads to its sections
    window.actions_by_name["news"].trigger()
    assert "What's new" in help_window.text.toPlainText()
    help_window.close()


@pytest.mark.parametrize("command", ["contents_of_help", "keys"])
def test_help_opens_without_a_report(new_window: Callable[[], Window], command: str) -> None:
    window = new_window()
    window.actions_by_name[command].trigger()
    assert window.help.opened is not None
    assert window.help.opened.text.toPlainText()
    window.help.opened.close()


def test_another_window_is_a_process_of_its_own(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    started: list[QProcess] = []

    def start(process: QProcess) -> tuple[bool, int]:
        started.append(process)
        return not window._notice.toolTip(), 1  # the second one cannot be started

    monkeypatch.setattr(QProcess, "startDetached", start)
    window.actions_by_name["new_window"].trigger()
    (process,) = started
    assert process.arguments() == ["-m", "northmoor", "open"]
    window.tell("Busy", "warning")
    window.actions_by_name["new_window"].trigger()
    assert "could be started" in window._notice.toolTip()


def test_a_remedy_is_done_for_all_findings_of_a_kind_in_one_step(window: Window) -> None:
    def without(name: str) -> Remedy:
        return Remedy("Remove it", lambda report: edits.remove_blocks(report, "full", [name]))

    place = Place(block="title")
    window.findings.show((
        Finding("idle", place, "The title says nothing.", is_error=False, remedies=(without("title"),)),
        Finding("idle", place, "The scope says nothing.", is_error=False, remedies=(without("scope"),)),
        Finding("other", place, "Something else.", remedies=(without(TABLE),)),
    ))  # fmt: skip
    assert window.findings.button.text() == "Preflight: 1 error, 2 warnings"
    window.findings.open()
    panel = window.findings.panel
    assert panel is not None
    assert panel.isVisible()
    buttons = [button for button in panel.findChildren(QPushButton) if button.text() != "block title"]
    texts = [button.text() for button in buttons if "Remove" in button.text()]
    assert texts == ["Remove it", "Remove it", "Remove it: all 2", "Remove it"]  # the fault first
    next(button for button in buttons if button.text() == "Remove it: all 2").click()
    assert [block.name for block in window.controller.edition.blocks] == [TABLE]
    window.controller.undo()
    assert [block.name for block in window.controller.edition.blocks] == ["title", "scope", TABLE]
    window.toggle_trace()
    assert panel.isHidden()  # one panel at a time


def test_what_was_delivered_is_opened_or_shown_in_its_folder(
    window: Window, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    opened: list[str] = []
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: opened.append(url.toLocalFile()))
    window.delivery.deliver_to(tmp_path / "out.pdf")
    qtbot.waitUntil(window.delivered_file.isVisible, timeout=20_000)
    for button in window.delivered_file.findChildren(QToolButton):
        button.click()
    assert opened == [str(tmp_path / "out.pdf"), str(tmp_path)]
    window.tell("Something else", "warning")
    assert window.delivered_file.isHidden()


def test_commands_are_given_other_keys(new_window: Callable[[], Window], qtbot: QtBot) -> None:
    window = new_window()
    window.actions_by_name["change_keys"].trigger()
    dialog = window.findChild(KeysDialog)
    assert isinstance(dialog, KeysDialog)
    dialog.search.setText("show data")
    (item,) = (item for item in dialog._items() if not item.isHidden())
    dialog.list.setCurrentItem(item)
    dialog.editor.setFocus()
    qtbot.keyClick(dialog.editor, Qt.Key.Key_S, Qt.KeyboardModifier.ControlModifier)
    dialog.editor.editingFinished.emit()
    assert dialog.message.text() == "Several commands have the same keys. Ctrl+S: Save, Show Data"
    assert not dialog.ok.isEnabled()
    qtbot.keyClick(dialog.editor, Qt.Key.Key_F9)
    dialog.editor.editingFinished.emit()
    assert (item.text(1), dialog.message.text()) == ("F9", "")
    dialog.list.setCurrentItem(next(each for each in dialog._items() if each.text(0) == "Fit width"))
    dialog.clear.click()
    assert window._fetch.toolTip() == "Refresh data (F5)"
    dialog.list.setCurrentItem(next(each for each in dialog._items() if each.text(0) == "Refresh data"))
    dialog.clear.click()
    dialog.ok.click()
    assert window._fetch.toolTip() == "Refresh data"  # tooltips name the keys that commands have now
    assert preferred_keys(window._settings) == {"data": "F9", "refresh": "", "zoom_fit": ""}
    assert [window.actions_by_name[name].shortcut().toString() for name in ("data", "zoom_fit")] == ["F9", ""]
    other = Window(window._settings)
    qtbot.addWidget(other)
    assert [other.actions_by_name[name].shortcut().toString() for name in ("data", "zoom_fit")] == ["F9", ""]
    assert ("Show Data", "F9") in shortcuts(preferred_keys(other._settings))
    again = KeysDialog(all_commands(), window._settings, window)
    again.list.setCurrentItem(next(each for each in again._items() if each.text(0) == "Show Data"))
    again.reset.click()
    again.accept()
    assert preferred_keys(window._settings) == {"refresh": "", "zoom_fit": ""}
    assert window.actions_by_name["data"].shortcut() != QKeySequence("F9")  # of every window, and at once
    other.close()
