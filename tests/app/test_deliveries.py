"""The Delivery workspace in the real window: runs, orders and the archive, by mouse and by keyboard."""

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from pathlib import Path

import pytest
from PyQt6.QtCore import Qt, QUrl
from PyQt6.QtGui import QDesktopServices
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QFileDialog,
    QLabel,
    QLineEdit,
    QMessageBox,
    QPlainTextEdit,
    QSpinBox,
    QWidget,
)
from pytestqt.qtbot import QtBot

from northmoor.app.delivery.compare_dialog import CompareDialog
from northmoor.app.delivery.deliver_dialog import DeliverDialog
from northmoor.app.delivery.order_form.destination_rows import DestinationRow
from northmoor.app.delivery.order_form.order_dialog import OrderDialog
from northmoor.app.window import Window
from northmoor.core.delivery.archive.run_folder import RunFolder
from northmoor.core.delivery.library_delivery import LibraryDelivery
from northmoor.core.delivery.orders.order_files import load_order
from northmoor.core.delivery.runs.make_run import RunMaker
from northmoor.core.delivery.service.service_state import ServiceLock, ServiceState, write_state
from northmoor.core.sources.library import Library
from tests.app.conftest import in_dialog, settle
from tests.delivery_helpers import bundle, delivery_library, execute, request, write_order


@pytest.fixture
def root(tmp_path: Path) -> Path:
    """A library with four runs of four days, the newest two of today, one of them failed."""
    root = delivery_library(tmp_path / "quay")
    maker, now = RunMaker(Library.around(root)), datetime.now(UTC)
    for days, report, least in ((3, "listing", "0"), (2, "listing", "10"), (0, "listing", "much")):
        maker.make(request(root, report, values={"least": least}), started=now - timedelta(days=days, minutes=5))
    execute(root, "update lines set charge = 200.10 where goods = 'fish'")
    maker.make(
        request(root, values={"least": "0"}, formats=("pdf", "csv"), file_name="Listing of today"),
        started=now - timedelta(seconds=30),
    )
    write_order(root, "monday", {"kind": "timetable", "days": "weekdays", "weekdays": [0], "time_zone": "Europe/Dublin"},
                destinations=[{"kind": "folder", "path": "out", "if_exists": "replace", "only": ["pdf"]}])  # fmt: skip
    write_order(root, "routes", {"kind": "called"}, report="freight.moor", bundle={"for_each": "route"}, paused=True)
    (root / "orders" / "broken.json").write_text("{", encoding="utf-8")
    return root


@pytest.fixture
def quay(root: Path, new_window: Callable[[], Window], qtbot: QtBot) -> Window:
    """A window on the library's listing, with Delivery in front."""
    window = new_window()
    assert window.open(root / "reports" / "listing.moor")
    settle(window, qtbot)
    window.actions_by_name["deliveries"].trigger()
    qtbot.waitUntil(lambda: len(window.deliveries.snapshot.runs) == 4)
    return window


def shown(window: Window) -> str:
    """All that the right panel says."""
    return "\n".join(label.text() for label in window.deliveries.details.findChildren(QLabel) if label.isVisible())


def choose(window: Window, row: int, qtbot: QtBot) -> None:
    found = window.deliveries.list
    found.setFocus()
    found.setCurrentIndex(found.runs.index(row))


def test_runs_are_listed_with_what_is_known_of_them(
    quay: Window, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    deliveries, opened = quay.deliveries, list[QUrl]()
    monkeypatch.setattr(QDesktopServices, "openUrl", lambda url: opened.append(url) or True)
    assert [run.state for run in deliveries.snapshot.runs] == ["done", "failed", "done", "done"]
    assert deliveries.count.text() == "4 runs"
    choose(quay, 0, qtbot)
    assert "least 0" in shown(quay)
    assert "Listing of today.csv" in shown(quay)
    qtbot.keyClick(deliveries.list, Qt.Key.Key_Return)
    deliveries.details.buttons["open_folder"].click()
    assert [Path(url.toLocalFile()).name for url in opened] == ["Listing of today.pdf", "files"]
    choose(quay, 1, qtbot)
    assert "'much' is no decimal" in shown(quay)
    assert "open" not in deliveries.details.buttons
    assert sum(len(button.marks.past) for button in deliveries.week.buttons) == 4
    assert deliveries.week.buttons[4].accessibleName().startswith("today: ")


def test_runs_are_found_by_words_state_day_and_report(quay: Window, qtbot: QtBot) -> None:
    deliveries = quay.deliveries

    def listed(count: int) -> None:
        qtbot.waitUntil(
            lambda: len(deliveries.snapshot.runs) == count and deliveries.count.text().startswith(str(count))
        )

    deliveries.search.setText("salt")
    listed(2)
    deliveries.search.setText("nothing like it")
    listed(0)
    deliveries.search.clear()
    listed(4)
    deliveries.state.setCurrentIndex(deliveries.state.findText("failed"))
    listed(1)
    deliveries.state.setCurrentIndex(0)
    listed(4)
    day = deliveries.week.buttons[2]  # two days ago
    day.setFocus()
    qtbot.keyClick(day, Qt.Key.Key_Space)
    listed(1)
    qtbot.keyClick(day, Qt.Key.Key_Space)
    listed(4)
    deliveries.panel.report_chosen.emit("reports/freight.moor")
    listed(0)
    deliveries.panel.report_chosen.emit(None)
    listed(4)


def test_two_runs_are_compared(quay: Window, qtbot: QtBot) -> None:
    choose(quay, 0, qtbot)
    found: list[list[tuple[object, ...]]] = []

    def look(dialog: CompareDialog) -> None:
        found.append(dialog.rows)
        assert not dialog.pages[0].pixmap().isNull()
        assert {box for row in dialog.rows for box in row.boxes[1]} == set(dialog.pages[1].marked)
        assert (len(dialog.pages[0].marked), len(dialog.pages[1].marked)) == (0, 4)
        assert dialog.summary.text() == "2 rows added. 1 page, as before."

    in_dialog(CompareDialog, look)
    quay.deliveries.details.buttons["compare"].click()
    qtbot.waitUntil(lambda: bool(found), timeout=15_000)
    # the run before is that with a limit of 10: one figure has changed, the small ones are new
    assert {row[1] for row in found[0]} >= {"row added"}


def test_an_order_is_made_in_words_and_says_what_is_wrong(quay: Window, root: Path, qtbot: QtBot) -> None:
    def fill(dialog: OrderDialog) -> None:
        save = dialog.buttons.button(dialog.buttons.StandardButton.Save)
        assert not save.isEnabled()
        assert dialog.fault.text() == "Give it a title."
        dialog.title.setText("Board sheet")
        dialog.report.setCurrentText("reports/freight.moor")
        dialog.each.setCurrentIndex(dialog.each.findData("route"))
        dialog.values["least"].setCurrentText("5")
        dialog.when.words.setCurrentText("now and then")
        assert "'now and then' is no timetable" in dialog.fault.text()
        dialog.when.words.setCurrentText("the last working day of the month at 6 in Europe/Dublin")
        assert dialog.understood.text().startswith(
            "The last working day of the month at 06:00 in Europe/Dublin.\nNext: "
        )
        row = dialog.to.add(None)
        row.kind.setCurrentIndex(row.kind.findData("mail"))
        row.text.setText("quay")
        assert "is no mail address" in dialog.fault.text()
        row.kind.setCurrentIndex(row.kind.findData("records"))
        dialog.formats["xlsx"].setChecked(True)
        assert dialog.fault.text() == ""
        save.click()

    in_dialog(OrderDialog, fill)
    quay.deliveries.panel.new.click()
    order = load_order(root, "board-sheet")
    assert (order.report, order.values, order.formats) == ("reports/freight.moor", {"least": "5"}, ("pdf", "xlsx"))
    assert order.bundle is not None
    assert order.bundle.for_each == "route"
    assert order.when.kind == "timetable"
    assert order.destinations[0].kind == "mail"
    qtbot.waitUntil(lambda: len(quay.deliveries.snapshot.orders) == 4)
    assert "The service does not run yet" in quay._notice.text()
    assert "To\neach record by mail" in shown(quay)


def test_an_order_that_is_changed_keeps_what_is_not_shown(quay: Window, root: Path, qtbot: QtBot) -> None:
    quay.deliveries.panel.order_chosen.emit("monday")
    assert "Mondays at 06:00 in Europe/Dublin" in shown(quay)
    assert "folder out" in shown(quay)

    def change(dialog: OrderDialog) -> None:
        dialog.tries.setValue(7)
        dialog.buttons.button(dialog.buttons.StandardButton.Save).click()

    in_dialog(OrderDialog, change)
    quay.deliveries.details.buttons["edit_order"].click()
    order = load_order(root, "monday")
    assert order.tries == 7
    assert (order.destinations[0].if_exists, order.destinations[0].only) == ("replace", ("pdf",))  # type: ignore[union-attr]


def test_rare_settings_can_be_chosen_too(quay: Window, root: Path, qtbot: QtBot) -> None:
    def choose(editor: QWidget, value: object) -> None:
        if isinstance(editor, QComboBox):
            editor.setCurrentIndex(editor.findData(value))
            editor.activated.emit(editor.currentIndex())
        elif isinstance(editor, QSpinBox):
            editor.setValue(int(str(value)))
            editor.editingFinished.emit()
        elif isinstance(editor, QCheckBox):
            editor.setChecked(bool(value))
        elif isinstance(editor, QPlainTextEdit):
            editor.setPlainText(str(value))
            editor.setFocus()
            qtbot.keyClick(editor, Qt.Key.Key_Return, Qt.KeyboardModifier.ControlModifier)
        else:
            assert isinstance(editor, QLineEdit)
            editor.setText(str(value))
            editor.editingFinished.emit()

    def say(row: DestinationRow, kind: str, to: str, **said: object) -> None:
        row.kind.setCurrentIndex(row.kind.findData(kind))
        row.text.setText(to)
        row.more.setChecked(True)
        assert row.options is not None
        for name, value in said.items():
            choose(row.options.editors[name], value)

    def change(dialog: OrderDialog) -> None:
        first = dialog.to.rows[0]
        first.more.setChecked(True)
        assert first.options is not None
        assert first.options.editors["only"].text() == "pdf"  # type: ignore[attr-defined]
        say(dialog.to.add(None), "mail", "quay@tarrow.example", subject="{report_title()}", text="Dear all,\nhere.",
            first_page=True)  # fmt: skip
        say(dialog.to.add(None), "printer", "folder:out", pages="1-2", copies=3, sheet="booklet", tray="2")
        dialog.holds.setText("sum(lines.charge) > 10")
        dialog.more.setChecked(True)
        choose(dialog.rare.editors["memory_mb"], "a lot")
        assert dialog.fault.text().startswith("Megabytes that it may use: It must be a whole number.")
        choose(dialog.rare.editors["memory_mb"], "2048")
        choose(dialog.rare.editors["wait_minutes"], "2.5")
        choose(dialog.rare.editors["keep_rows"], True)
        assert dialog.fault.text() == ""
        dialog.buttons.button(dialog.buttons.StandardButton.Save).click()

    quay.deliveries.panel.order_chosen.emit("monday")
    in_dialog(OrderDialog, change)
    quay.deliveries.details.buttons["edit_order"].click()
    order = load_order(root, "monday")
    _, mail, printer = order.destinations
    assert (mail.text, mail.first_page, mail.attach) == ("Dear all,\nhere.", True, True)  # type: ignore[union-attr]
    assert (printer.pages, printer.copies, printer.sheet, printer.tray) == ("1-2", 3, "booklet", "2")  # type: ignore[union-attr]
    assert (order.memory_mb, order.wait_minutes, order.keep_rows) == (2048, 2.5, True)
    assert order.only_if.holds == "sum(lines.charge) > 10"


@pytest.mark.parametrize("kind", ["file", "query", "after_order", "called", "span_ends"])
@pytest.mark.variants
def test_each_kind_of_trigger_can_be_chosen(quay: Window, root: Path, kind: str) -> None:
    def choose_kind(dialog: OrderDialog) -> None:
        dialog.title.setText("Chosen")
        dialog.when.kind.setCurrentIndex(dialog.when.kind.findData(kind))
        if kind == "span_ends":
            assert dialog.fault.text() == "Choose a signal log; a connection's logs are declared in Data."
            dialog.when.log.setCurrentText("telemetry: log")
            dialog.when.by.setText("voyage_id")
            dialog.values["least"].setCurrentText("from the trigger: id")
        assert dialog.fault.text() == ""
        dialog.buttons.button(dialog.buttons.StandardButton.Save).click()

    in_dialog(OrderDialog, choose_kind)
    quay.deliveries.new_order()
    order = load_order(root, "chosen")
    assert order.when.kind == kind
    assert order.from_trigger == ({"least": "id"} if kind == "span_ends" else {})


def test_orders_are_tried_paused_and_removed(
    quay: Window, root: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    deliveries = quay.deliveries
    assert {line.name: line.state for line in deliveries.snapshot.orders if line.name != "monday"} == {
        "broken": "cannot be read", "routes": "paused",
    }  # fmt: skip
    deliveries.panel.order_chosen.emit("monday")
    deliveries.details.buttons["try_order"].click()
    qtbot.waitUntil(lambda: len(deliveries.snapshot.runs) == 5 and deliveries.count.text() == "5 runs", timeout=30_000)
    assert not (root / "out").exists()
    deliveries.details.buttons["pause_order"].click()
    qtbot.waitUntil(lambda: "Resume" in deliveries.details.buttons["pause_order"].text())
    assert load_order(root, "monday").paused
    monkeypatch.setattr(QMessageBox, "question", lambda *_: QMessageBox.StandardButton.Yes)
    for name in ("monday", "broken"):
        deliveries.panel.order_chosen.emit(name)
        deliveries.details.buttons["remove_order"].click()
    qtbot.waitUntil(lambda: [line.name for line in deliveries.snapshot.orders] == ["routes"])


@pytest.mark.slow
def test_a_run_that_is_being_made_shows_how_far_it_is_and_is_stopped(quay: Window, root: Path, qtbot: QtBot) -> None:
    rows = ", ".join(f"('Route {n:05}', 'goods', {n}, '')" for n in range(4_000))
    execute(root, f"delete from lines; insert into lines values {rows}")
    deliveries = quay.deliveries
    deliveries.begin(bundle(root))
    qtbot.waitUntil(lambda: bool(deliveries.snapshot.runs[0].share), timeout=30_000)
    running = deliveries.snapshot.runs[0]
    assert running.state == "running"
    assert "of 4,000" in running.result
    choose(quay, 0, qtbot)
    deliveries.details.buttons["stop"].click()
    qtbot.waitUntil(lambda: deliveries.snapshot.runs[0].state == "stopped", timeout=30_000)


def test_a_run_goes_out_again_and_is_made_again(
    quay: Window, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    deliveries = quay.deliveries
    (tmp_path / "again").mkdir()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path / "again"))
    choose(quay, 0, qtbot)
    deliveries.details.buttons["deliver_again"].click()
    qtbot.waitUntil(lambda: len(list((tmp_path / "again").iterdir())) == 2)
    qtbot.waitUntil(lambda: f"folder {tmp_path}" in deliveries.snapshot.runs[0].went)
    deliveries.details.buttons["run_again"].click()
    qtbot.waitUntil(lambda: deliveries.count.text() == "5 runs", timeout=30_000)
    assert deliveries.snapshot.runs[0].result == "1 page · CSV, PDF"


@pytest.mark.slow
def test_deliver_keeps_a_run_makes_a_file_for_each_record_or_begins_an_order(
    quay: Window, root: Path, tmp_path: Path, qtbot: QtBot
) -> None:
    quay.show_workspace("pages")
    quay.open(root / "reports" / "freight.moor")
    settle(quay, qtbot)
    out = tmp_path / "sent"
    out.mkdir()

    def keep(dialog: DeliverDialog) -> None:
        dialog.folder.setText(str(out))
        dialog.name.setText("Freight {of all}")
        dialog.archive.setChecked(True)
        dialog.accept()

    def each(dialog: DeliverDialog) -> None:
        dialog.folder.setText(str(out))
        dialog.each.setCurrentIndex(dialog.each.findData("route"))
        assert not dialog.archive.isEnabled()  # there is no other way
        dialog.accept()

    for act, names in ((keep, {"Freight {of all}.pdf"}), (each, {"Oxholm.pdf", "Skarholm.pdf", "manifest.csv"})):
        in_dialog(DeliverDialog, act)
        quay.delivery.ask()
        qtbot.waitUntil(lambda names=names: names <= {path.name for path in out.iterdir()}, timeout=30_000)  # type: ignore[misc]
    delivery = LibraryDelivery(root)
    qtbot.waitUntil(lambda: len(delivery.find()) == 6)
    qtbot.waitUntil(lambda: [len(delivery.archive.handed_over(run)) for run in delivery.find(most=2)] == [1, 1])
    begun: list[str] = []

    def fill(dialog: OrderDialog) -> None:
        begun.append(dialog.when.words.currentText())
        assert dialog.report.currentText() == "reports/freight.moor"
        assert dialog.to.rows[0].text.text() == str(root / "reports")
        dialog.buttons.button(dialog.buttons.StandardButton.Save).click()

    def as_order(dialog: DeliverDialog) -> None:
        in_dialog(OrderDialog, fill)
        dialog.as_order.click()

    in_dialog(DeliverDialog, as_order)
    quay.delivery.ask()
    assert begun == ["Mondays at 06:00 in UTC"]
    order = load_order(root, "freight")
    assert (order.report, order.values) == ("reports/freight.moor", {})  # defaults are resolved with each run


def test_a_block_is_delivered_by_itself_even_if_the_run_was_to_be_kept(quay: Window, tmp_path: Path) -> None:
    assert quay.shown_document is not None
    dialog = DeliverDialog(quay.shown_document, tmp_path / "listing.moor", None, quay)
    dialog.archive.setChecked(True)
    assert dialog.delivery.is_kept
    dialog.what.setCurrentIndex(dialog.what.findData("table"))
    assert (dialog.delivery.block, dialog.delivery.is_kept) == ("table", False)


def test_a_run_whose_maker_was_ended_is_listed_as_interrupted(quay: Window, root: Path, qtbot: QtBot) -> None:
    delivery = LibraryDelivery(root)
    made = RunFolder(delivery.archive.root, "20251128-180000-0123abcd")
    made.note(id="", report="reports/listing.moor", order=None, because="", started=datetime.now(UTC).isoformat())
    made.close()
    quay.deliveries.refresh()
    qtbot.waitUntil(lambda: quay.deliveries.snapshot.runs[0].state == "interrupted")


def test_the_window_shows_whether_the_service_lives_and_what_went_wrong(quay: Window, root: Path, qtbot: QtBot) -> None:
    deliveries = quay.deliveries
    assert deliveries.panel.service.text() == "Service not running"
    lock = ServiceLock(root)
    write_state(root, ServiceState(True, datetime.now(UTC), 1, {}, {"monday": "There is no folder to watch."}))
    deliveries.refresh()
    qtbot.waitUntil(lambda: deliveries.panel.service.text().startswith("Service running since"))
    assert {line.name: line.state for line in deliveries.snapshot.orders}["monday"] == "There is no folder to watch."
    lock.release()
    deliveries.refresh()
    qtbot.waitUntil(lambda: deliveries.panel.service.text() == "Service not running")


def test_the_archive_follows_the_library(quay: Window, copy: Path, qtbot: QtBot) -> None:
    quay.open(copy)
    deliveries = quay.deliveries
    qtbot.waitUntil(
        lambda: deliveries.delivery is not None and deliveries.delivery.root == copy.parent.parent.resolve()
    )
    qtbot.waitUntil(lambda: deliveries.snapshot.count == 0)
    assert deliveries.panel.hint.isVisible()
    quay.controller.close()
    assert deliveries.delivery is None
