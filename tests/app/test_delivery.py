"""Delivering in the real window: several formats at a time, one block, faults that are reported, printing, and copying as
printed."""

from pathlib import Path

import openpyxl
import pikepdf
import pytest
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtPrintSupport import QPrintDialog, QPrinter
from PyQt6.QtWidgets import QApplication, QComboBox, QDialog, QDialogButtonBox, QFileDialog, QSpinBox
from pytestqt.qtbot import QtBot

from northmoor.app.delivery.deliver_dialog import DeliverDialog
from northmoor.app.delivery.format_options import FormatOptions
from northmoor.app.delivery.pdf_password import PdfPasswordDialog
from northmoor.app.delivery.print_pages import PrintJob, ask_printer, chosen_pages, set_paper
from northmoor.app.document_controller import Selection
from northmoor.app.window import Window
from northmoor.core.model.kinds.output_formats import OUTPUT_FORMATS
from northmoor.core.model.output_options import OutputOptions
from northmoor.core.model.serialization import report_text
from tests.app.conftest import in_dialog, settle


@pytest.fixture
def dialog(window: Window) -> DeliverDialog:
    """Deliver, as it opens for the whole edition."""
    assert window.shown_document is not None
    assert window.controller.path is not None
    return DeliverDialog(window.shown_document, window.controller.path, None, window)


def tick(dialog: DeliverDialog, suffix: str, on: bool = True) -> None:
    row = [each.suffix for each in OUTPUT_FORMATS].index(suffix)
    dialog.formats.item(row).setCheckState(Qt.CheckState.Checked if on else Qt.CheckState.Unchecked)


def option(dialog: DeliverDialog, name: str) -> QComboBox:
    """The editor of a choice, by what it is called."""
    QApplication.processEvents()
    (shown,) = [each for each in dialog.findChildren(FormatOptions) if not each.isHidden()]
    return next(each for each in shown.findChildren(QComboBox) if each.accessibleName() == name)


def test_two_formats_are_delivered_by_keyboard_in_four_actions(window: Window, tmp_path: Path, qtbot: QtBot) -> None:
    def act(opened: DeliverDialog) -> None:
        opened.folder.setText(str(tmp_path))
        opened.formats.setFocus()
        qtbot.keyClick(opened.formats, Qt.Key.Key_Down)
        qtbot.keyClick(opened.formats, Qt.Key.Key_Space)
        qtbot.keyClick(opened.formats, Qt.Key.Key_Return)

    in_dialog(DeliverDialog, act)
    with qtbot.waitSignal(window.worker.delivered, timeout=20_000) as done:
        window.actions_by_name["deliver"].trigger()
    assert [path.name for path in done.args[0]] == ["fares-by-route.pdf", "fares-by-route.xlsx"]
    with pikepdf.open(tmp_path / "fares-by-route.pdf") as pdf:
        assert pdf.Root.MarkInfo.Marked is True
    assert (
        openpyxl.load_workbook(tmp_path / "fares-by-route.xlsx").worksheets[0]["A1"].value == "Fares by route and month"
    )
    assert "and 1 more" in window._notice.toolTip()
    assert window.delivered_file.isVisible()


def test_only_the_choices_of_ticked_formats_are_asked(dialog: DeliverDialog) -> None:
    assert option(dialog, "Archiving").currentText() == "As any PDF"
    tick(dialog, "pdf", on=False)
    assert dialog.note.text() == "Tick a format first."
    assert not dialog._deliver.isEnabled()
    tick(dialog, "png")
    (number,) = list(dialog.findChildren(FormatOptions)[-1].findChildren(QSpinBox))
    assert (number.accessibleName(), number.value(), number.minimum()) == ("Pixels per inch", 144, 18)
    number.setValue(300)
    number.editingFinished.emit()
    colors = option(dialog, "Colours")
    colors.activated.emit(colors.findText("Black and white"))
    assert (dialog.delivery.options.resolution, dialog.delivery.options.colors) == (300, "black")
    tick(dialog, "xlsx")
    assert option(dialog, "Sheets").count() == 2
    assert dialog.delivery.options.resolution == 300  # choices stay when others are shown
    assert all(each.toolTip() for each in dialog.findChildren(FormatOptions)[-1].findChildren(QComboBox))


def test_every_choice_of_every_format_has_words(qapp: QApplication) -> None:
    names = {name for each in OUTPUT_FORMATS for name in each.options}
    assert names == set(OutputOptions.model_fields)
    FormatOptions(OutputOptions(), sorted(names), lambda *_: None)


def test_what_is_in_the_way_is_reported_before(
    dialog: DeliverDialog, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    dialog.folder.setText(str(tmp_path / "nowhere"))
    assert "There is no folder" in dialog.note.text()
    monkeypatch.setattr(QFileDialog, "getExistingDirectory", lambda *_: str(tmp_path))
    dialog._choose_folder()
    assert dialog.note.text() == ""
    dialog.name.setText("a/b")
    assert dialog.note.text() == "Give the files a name without a slash."
    (tmp_path / "mine.pdf").write_text("old")
    dialog.name.setText("mine")
    assert dialog.note.text() == "mine.pdf is there already, and is replaced."
    assert dialog._deliver.isEnabled()


def test_a_block_is_delivered_by_itself(window: Window, tmp_path: Path, qtbot: QtBot) -> None:
    def act(opened: DeliverDialog) -> None:
        assert opened.name.text() == "fares-by-route-fares-table"
        assert opened.what.currentText() == "fares-table (table)"
        opened.folder.setText(str(tmp_path))
        tick(opened, "pdf", on=False)
        tick(opened, "csv")
        opened.accept()

    in_dialog(DeliverDialog, act)
    with qtbot.waitSignal(window.worker.delivered, timeout=20_000):
        window.delivery.ask("fares-table")
    first = (tmp_path / "fares-by-route-fares-table.csv").read_text().splitlines()[0]
    assert first.startswith('"row","level"')


def test_choices_are_kept_with_the_edition_if_wished(window: Window, tmp_path: Path, qtbot: QtBot) -> None:
    def act(opened: DeliverDialog) -> None:
        opened.folder.setText(str(tmp_path))
        opened._set_option("tagged", False)
        opened.keep.setChecked(True)
        opened.accept()

    in_dialog(DeliverDialog, act)
    with qtbot.waitSignal(window.worker.delivered, timeout=20_000):
        window.delivery.ask()
    edition = window.controller.edition
    assert edition is not None
    assert edition.output == OutputOptions(tagged=False)
    with pikepdf.open(tmp_path / "fares-by-route.pdf") as pdf:
        assert "/StructTreeRoot" not in pdf.Root
    window.controller.undo()
    assert window.controller.edition is not None
    assert window.controller.edition.output == OutputOptions()


def test_a_delivery_that_fails_says_why_and_leaves_nothing(window: Window, tmp_path: Path, qtbot: QtBot) -> None:
    with qtbot.waitSignal(window.worker.delivery_failed, timeout=20_000) as failed:
        window.delivery.deliver_to(tmp_path / "none" / "x.pdf")
    assert "There is no folder" in failed.args[0]
    assert list((tmp_path).glob("*.part")) == []


@pytest.mark.slow
def test_the_pages_are_printed_as_they_are(
    window: Window, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    """On a printer that writes what it prints into a file."""
    document = window.shown_document
    assert document is not None
    printer = QPrinter(QPrinter.PrinterMode.HighResolution)
    printer.setOutputFormat(QPrinter.OutputFormat.PdfFormat)
    printer.setOutputFileName(str(tmp_path / "printed.pdf"))
    set_paper(printer, document.composition.paper(0))
    monkeypatch.setattr("northmoor.app.delivery.print_pages.ask_printer", lambda *_: PrintJob(printer, (1, 2)))
    with qtbot.waitSignal(window.worker.delivered, timeout=30_000) as done:
        window.actions_by_name["print"].trigger()
    assert done.args[0].startswith("Printed 2 pages")
    with pikepdf.open(tmp_path / "printed.pdf") as pdf:
        assert len(pdf.pages) == 2
        width, height = (float(side) for side in pdf.pages[0].MediaBox[2:])
    assert (width, height) == (pytest.approx(595.3, abs=1), pytest.approx(841.9, abs=1))
    assert "Printed 2 pages" in window._notice.toolTip()


def test_the_printers_own_dialog_says_which_pages(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    document = window.shown_document
    assert document is not None

    def choose(opened: QPrintDialog) -> QPrintDialog.DialogCode:
        assert (opened.minPage(), opened.maxPage()) == (1, len(document))
        opened.printer().setFromTo(2, 3)
        return QPrintDialog.DialogCode.Accepted

    monkeypatch.setattr(QPrintDialog, "exec", choose)
    job = ask_printer(document, window)
    assert job is not None
    assert job.pages == (1, 2)
    job.printer.setPageOrder(QPrinter.PageOrder.LastPageFirst)
    assert chosen_pages(job.printer, len(document)) == (2, 1)
    monkeypatch.setattr(QPrintDialog, "exec", lambda _: QPrintDialog.DialogCode.Rejected)
    assert ask_printer(document, window) is None


def test_a_block_is_copied_as_it_is_printed(window: Window, qtbot: QtBot) -> None:
    window.controller.select(Selection("table", "fares-table"))
    settle(window, qtbot)
    window.actions_by_name["copy_shown"].trigger()
    clipboard = QGuiApplication.clipboard()
    assert clipboard is not None
    held = clipboard.mimeData()
    assert held is not None
    assert held.text().split("\n")[0] == "Route / month\tSailings\tTickets\tFares, €"
    assert "<table" in held.html()
    assert held.hasImage()
    assert "as it is printed" in window._notice.toolTip()
    window.controller.select(Selection("page"))
    window.actions_by_name["copy_shown"].trigger()
    assert "Choose a block" in window._notice.toolTip()


def test_deliver_in_the_menu_of_a_block_begins_with_it(window: Window, monkeypatch: pytest.MonkeyPatch) -> None:
    asked: list[str | None] = []
    monkeypatch.setattr(window.delivery, "ask", lambda block=None: asked.append(block))
    window.controller.select(Selection("table", "fares-table"))
    window.actions_by_name["deliver_block"].trigger()
    assert asked == ["fares-table"]


def test_a_password_is_asked_for_once_and_is_not_in_the_report(
    window: Window, tmp_path: Path, qtbot: QtBot, monkeypatch: pytest.MonkeyPatch
) -> None:
    asked: list[PdfPasswordDialog] = []

    def answer(password: PdfPasswordDialog) -> QDialog.DialogCode:
        asked.append(password)
        ok = password.findChild(QDialogButtonBox).button(QDialogButtonBox.StandardButton.Ok)
        password.password.setText("Whimbrel 1974")
        password.again.setText("Whimbrel 1947")
        assert not ok.isEnabled()
        assert password.note.text() == "The two are not the same."
        password.again.setText("Whimbrel 1974")
        assert ok.isEnabled()
        password.accept()
        return QDialog.DialogCode.Accepted

    def act(opened: DeliverDialog) -> None:
        opened.folder.setText(str(tmp_path))
        opened._set_option("password", "two words")
        assert "letters" in opened.note.text()
        opened._set_option("password", "board")
        opened._set_option("archive", "pages")
        assert "PDF/A" in opened.note.text()
        opened._set_option("archive", "no")
        opened.keep.setChecked(True)
        opened.accept()

    monkeypatch.setattr(PdfPasswordDialog, "exec", answer)
    for _ in range(2):  # it is known the second time
        in_dialog(DeliverDialog, act)
        with qtbot.waitSignal(window.worker.delivered, timeout=20_000) as done:
            window.actions_by_name["deliver"].trigger()
        with pikepdf.open(done.args[0][0], password="Whimbrel 1974") as pdf:
            assert pdf.is_encrypted
    assert len(asked) == 1
    assert window.controller.edition.output.password == "board"  # type: ignore[union-attr]
    assert "Whimbrel 1974" not in report_text(window.controller.report)  # type: ignore[arg-type]
