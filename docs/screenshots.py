"""Takes the README's pictures: the real window at 1280 × 800 on the demo library."""

import os
import subprocess
import sys
import tempfile
from collections.abc import Callable
from datetime import UTC, datetime
from pathlib import Path

from PyQt6.QtCore import QDeadlineTimer, QPoint, QSettings, Qt
from PyQt6.QtTest import QTest
from PyQt6.QtWidgets import QApplication, QMenu

from northmoor.app.delivery.deliver_dialog import DeliverDialog
from northmoor.app.document_controller import Selection
from northmoor.app.pages.canvas.hit_selection import selection_of
from northmoor.app.widgets.menus import plain_text
from northmoor.app.widgets.preferences import Preferences, write_preferences
from northmoor.app.widgets.theme import apply_theme
from northmoor.app.window import Window
from northmoor.core.layout.page.hit_testing import HitRegion
from northmoor.demo.deliveries import make_two_weeks
from northmoor.demo.demo_library import make_library

TARGET = Path(__file__).parent / "screenshots"


def wait_until(application: QApplication, condition: Callable[[], bool]) -> None:
    """Let the window work until a condition holds; at most 20 seconds."""
    deadline = QDeadlineTimer(20_000)
    while not condition():
        application.processEvents()
        if deadline.hasExpired():
            raise TimeoutError(condition)


def settle(application: QApplication, window: Window) -> None:
    """Wait until the shown pages are those of the newest document."""
    wait_until(application, lambda: window.is_up_to_date)
    application.processEvents()


def take_data(application: QApplication, window: Window) -> None:
    """The picture of Data: a sentence over its rows."""
    data = window.data
    wait_until(
        application, lambda: data.pane.rows is not None and len(data.pane.header.profiles) == len(data.pane.rows.names)
    )
    wait_until(application, lambda: len(data.catalogs.known) == len(data.library.connections.connections))
    data.pane.header.sectionClicked.emit(4)
    application.processEvents()
    wait_until(application, lambda: data.columns.height() >= data.columns.minimumSizeHint().height())
    window.grab().save(str(TARGET / "data.png"))


def take_traced(
    application: QApplication, window: Window, report: str, picture: str, wanted: Callable[[HitRegion], bool]
) -> None:
    """The picture of a report with the trace of one of its figures."""
    first = window.controller.path
    assert first is not None
    window.open(first.with_name(report))
    settle(application, window)
    window.actions_by_name["trace"].trigger()
    canvas = window.pages.canvas
    region = next(filter(wanted, canvas._shown[0].places.regions))
    window.controller.select(selection_of(region))
    canvas.spot_clicked.emit(0, region)
    wait_until(application, lambda: window.pages.trace.found is not None)
    application.processEvents()
    window.grab().save(str(TARGET / picture))
    window.actions_by_name["trace"].trigger()
    window.open(first)


def is_total(region: HitRegion) -> bool:
    """Whether a spot is a total of the demo's matrix."""
    return region.part == "measure" and region.row == "total" and region.block == "fares-matrix"


def is_mark(region: HitRegion) -> bool:
    """Whether a spot is a bar of the demo's charts."""
    return region.row == "mark" and region.block == "routes"


def take_parameters(application: QApplication, window: Window) -> None:
    """The picture of parameters: a list from a query being defined."""
    settle(application, window)
    report = window.controller.path
    assert report is not None
    window.define_parameters("ports")
    wait_until(application, lambda: window.dialog is not None and bool(window.dialog.now.text()))
    assert window.dialog is not None
    window.dialog.resize(720, 660)
    application.processEvents()
    window.dialog.grab().save(str(TARGET / "parameters.png"))
    window.dialog.close()
    window.controller.save()


def take_delivery(application: QApplication, window: Window) -> None:
    """The picture of Deliver: two formats with their choices."""
    assert window.shown_document is not None
    assert window.controller.path is not None
    dialog = DeliverDialog(window.shown_document, window.controller.path, None, window)
    dialog.folder.setText("~")
    second = dialog.formats.item(1)
    assert second is not None
    second.setCheckState(Qt.CheckState.Checked)
    dialog.show()
    application.processEvents()
    dialog.grab().save(str(TARGET / "deliver.png"))
    dialog.close()


def take_runs(application: QApplication, window: Window, now: datetime) -> None:
    """The picture of Delivery: orders, a week, runs, and one that is chosen."""
    deliveries = window.deliveries
    deliveries.now = lambda: now
    window.show_workspace("delivery")
    wait_until(application, lambda: len(deliveries.snapshot.runs) > 20)
    deliveries.list.setFocus()
    deliveries.list.setCurrentIndex(deliveries.list.runs.index(0))
    application.processEvents()
    window.grab().save(str(TARGET / "delivery.png"))
    window.show_workspace("pages")


def take_tables(application: QApplication, window: Window) -> None:
    """The pictures of tables: a traced figure of a tree, a log with page totals, styles and rules."""
    report = window.controller.path
    assert report is not None
    window.open(report.with_name("cost-centres.moor"))
    settle(application, window)
    window.controller.select(Selection("cell", "centres", "heading", "centre", "y2025"))
    window.toggle_trace()
    wait_until(application, lambda: window.pages.trace.found is not None)
    application.processEvents()
    window.grab().save(str(TARGET / "trace.png"))
    window.toggle_trace()
    window.open(report.with_name("sailings-log.moor"))
    settle(application, window)
    window.controller.select(Selection("row", "log", "carried_forward"))
    window.pages.canvas.verticalScrollBar().setValue(430)
    settle(application, window)
    window.grab().save(str(TARGET / "log.png"))
    window.open(report)
    settle(application, window)


def take_signals(application: QApplication, window: Window) -> None:
    """The picture of spans that are cut from a signal log."""
    first = window.controller.path
    assert first is not None
    window.open(first.with_name("fleet-day.moor"))
    settle(application, window)
    window.show_workspace("data")
    window.data.pick("voyages")
    strip = window.data.signals.strip
    wait_until(application, lambda: window.data.pane.rows is not None and "span" in strip.note.text())
    wait_until(application, lambda: "entry" in window.data.editor.text())
    wait_until(application, lambda: "telemetry" in window.data.known_catalogs and strip.drawing.height() > 60)
    application.processEvents()
    window.grab().save(str(TARGET / "signals.png"))
    window.show_workspace("pages")
    window.open(first)
    settle(application, window)


def take_documents(application: QApplication, window: Window) -> None:
    """The pictures of documents: statements in a for-each, a sheet of grids, a letter with a frame."""
    first = window.controller.path
    assert first is not None
    for report, picture, selection in (
        ("freight-statement.moor", "statement.png", Selection("for-each", "shipper")),
        ("board-sheet.moor", "board.png", Selection("readout", "fares")),
        ("winter-letter.moor", "letter.png", Selection("text", "to")),
    ):
        window.open(first.with_name(report))
        settle(application, window)
        window.controller.select(selection)
        application.processEvents()
        window.grab().save(str(TARGET / picture))
    window.open(first)


def take_hand(application: QApplication, window: Window) -> None:
    """The pictures of what is at hand: the menu of a figure, and all formats of its column."""
    canvas, menu = window.pages.canvas, window.pages.part_menu
    spot = [s for s in canvas._shown[0].places.regions if (s.row, s.column) == ("detail", "fares")][3]
    window.controller.select(selection_of(spot))
    canvas._pointed = 0, spot
    settle(application, window)
    place = canvas.selection_on_screen()
    menu.open(place.topRight() - QPoint(0, 260))  # above the foot of the picture
    opened = application.activePopupWidget()
    assert isinstance(opened, QMenu)
    opened.setActiveAction(next(action for action in opened.actions() if plain_text(action) == "Format"))
    QTest.keyClick(opened, Qt.Key.Key_Right)
    take_screen(application, window, "menu.png")
    while (popup := application.activePopupWidget()) is not None:
        popup.close()
    menu.pick_format()
    take_screen(application, window, "format.png")
    assert menu.format_popup is not None
    menu.format_popup.close()


def take_new_report(application: QApplication, window: Window) -> None:
    """The picture of a report that is begun: sailings with their vessels, delays by vessel."""
    window.actions_by_name["new"].trigger()
    dialog = window.starting.dialog
    assert dialog is not None
    wait_until(application, lambda: dialog.source.findText("tarrow · sailings") > 0)
    dialog.source.setCurrentText("tarrow · sailings")
    dialog.source.activated.emit(dialog.source.currentIndex())
    wait_until(application, lambda: dialog.fields.count() > 0)
    fields = dialog.fields.count()
    dialog.panel.join_table(next(each for each in dialog.panel.joinable() if each.table.name == "vessels"))
    wait_until(application, lambda: dialog.fields.count() > fields)
    for name in ("name", "departs_at", "delay_minutes"):
        items = map(dialog.fields.item, range(dialog.fields.count()))
        item = next(each for each in items if each is not None and each.data(Qt.ItemDataRole.UserRole) == name)
        item.setCheckState(Qt.CheckState.Checked)
    dialog.look.setCurrentIndex(dialog.look.findData("zebra"))
    dialog.title.setText("Delays by vessel")
    dialog.cards["Grouped"].click()
    dialog.title.editingFinished.emit()
    wait_until(application, lambda: len(dialog.pages) == len(dialog.cards))
    dialog.grab().save(str(TARGET / "new-report.png"))
    dialog.reject()


def take_screen(application: QApplication, window: Window, picture: str) -> None:
    """The picture of the window with what is open over it."""
    QTest.qWait(300)
    application.processEvents()
    screen = application.primaryScreen()
    assert screen is not None
    frame = window.geometry()
    screen.grabWindow(0, frame.x(), frame.y(), frame.width(), frame.height()).save(str(TARGET / picture))  # type: ignore[arg-type]  # the whole screen is window 0


def take_dark() -> None:
    """The picture of the dark variant, in a process of its own: a window has the colours that it began with."""
    with tempfile.TemporaryDirectory() as folder:
        settings = QSettings(str(Path(folder) / "Northmoor" / "Northmoor.conf"), QSettings.Format.IniFormat)
        write_preferences(settings, Preferences(look="dark"))
        environment = os.environ | {"XDG_CONFIG_HOME": folder}
        subprocess.run([sys.executable, __file__, "dark.png"], env=environment, check=True)


def main() -> None:
    """Make every picture, or the one of a window as it opens, of a name that is given."""
    application = QApplication(sys.argv[:1])
    apply_theme(application)
    if not sys.argv[1:]:
        take_dark()
    with tempfile.TemporaryDirectory() as folder:
        report = make_library(Path(folder))
        window = Window(QSettings(str(Path(folder) / "settings.ini"), QSettings.Format.IniFormat))
        window.resize(1280, 800)
        window.show()
        window.open(report)
        settle(application, window)
        window.controller.select(Selection("cell", "fares-table", "detail", None, "fares"))
        settle(application, window)
        window.grab().save(str(TARGET / (sys.argv[1] if sys.argv[1:] else "pages.png")))
        if sys.argv[1:]:
            window.close()
            return
        take_hand(application, window)
        take_new_report(application, window)
        window.controller.select(Selection("level", "fares-table", level="route"))
        window.pages.placing.add_levels(["season"])
        settle(application, window)
        window.grab().save(str(TARGET / "levels.png"))
        window.controller.undo()
        take_tables(application, window)
        take_traced(application, window, "route-month-matrix.moor", "matrix.png", is_total)
        take_traced(application, window, "punctuality.moor", "charts.png", is_mark)
        take_signals(application, window)
        take_documents(application, window)
        take_parameters(application, window)
        take_delivery(application, window)
        now = datetime.now(UTC)
        make_two_weeks(Path(folder), now)
        take_runs(application, window, now)
        window.show_workspace("data")
        take_data(application, window)
        window.close()
        beginning = Window(QSettings(str(Path(folder) / "settings.ini"), QSettings.Format.IniFormat))
        beginning.resize(1280, 800)
        beginning.show()
        application.processEvents()
        beginning.grab().save(str(TARGET / "start.png"))
        beginning.close()


if __name__ == "__main__":
    main()
