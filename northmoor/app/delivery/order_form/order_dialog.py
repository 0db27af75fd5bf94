"""A standing order, new or changed: what, when and to whom; times are shown back in words, with the next of them."""

from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from msgspec import Struct
from pydantic import ValidationError
from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QScrollArea,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.delivery.order_form.destination_rows import DestinationRows
from northmoor.app.delivery.order_form.trigger_form import TriggerForm
from northmoor.app.delivery.part_form import PartForm, PropertyWords
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.period_text import shown_period, typed_period
from northmoor.app.language.timetable_text import when_text
from northmoor.app.language.translation import moment_text, tr
from northmoor.app.widgets.headings import line, section
from northmoor.app.widgets.widget_tools import hide_and_delete
from northmoor.core.delivery.orders.standing_order import StandingOrder
from northmoor.core.delivery.orders.timetable import Timetable, next_times
from northmoor.core.delivery.orders.triggers import GIVEN_BY
from northmoor.core.delivery.runs.run_request import BundleRequest
from northmoor.core.errors import NorthmoorError
from northmoor.core.model.base import refusal
from northmoor.core.model.blocks.containers import ForEachBlock
from northmoor.core.model.kinds.output_formats import FORMAT_OF_SUFFIX
from northmoor.core.model.report import Report
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report

_FORMATS = ("pdf", "xlsx", "html", "csv", "docx")
_FROM = tr("from the trigger: ")
_IN_WORDS = ("date", "timestamp")
"""The kinds of values that may be given in words."""
_RARE = {
    "wait_minutes": PropertyWords(tr("Minutes before it is tried again")),
    "seconds": PropertyWords(tr("Seconds that a run may take")),
    "memory_mb": PropertyWords(tr("Megabytes that it may use"), empty=tr("no limit of its own")),
    "keep_rows": PropertyWords(tr("Rows kept in the archive")),
    "mail_server": PropertyWords(tr("Mail server for failures"), empty=tr("the first of the library's")),
}
"""What is rarely said of an order."""
_MISSED = (("once", tr("One run for all of them")), ("each", tr("A run for each")), ("not_at_all", tr("No run")))


class OrderDraft(Struct, frozen=True):
    """An order that is begun: its name if it has one, and what is known of it."""

    name: str
    order: StandingOrder


class OrderDialog(QDialog):
    """Asks what an order is."""

    def __init__(
        self,
        library: Library,
        reports: list[str],
        draft: OrderDraft | None,
        orders: list[str],
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(
            tr("Standing order")
            if draft is None or not draft.name
            else tr("Standing order {name}").format(name=draft.name)
        )
        self.resize(640, 700)
        self._library, self._draft = library, draft
        order = draft.order if draft is not None else None
        self.title = QLineEdit(order.title if order else "")
        self.title.setPlaceholderText(tr("Its title, such as Board sheet"))
        self.report = QComboBox()
        self.report.addItems(reports)
        self.edition, self.each = QComboBox(), QComboBox()
        self.when = TriggerForm(library, orders, order.when if order else None)
        self.formats = {suffix: QCheckBox(tr(FORMAT_OF_SUFFIX[suffix].label)) for suffix in _FORMATS}
        self.file_name = QLineEdit(order.file_name if order else "{report_title()} {data_time(); yyyy-MM-dd}")
        self.to = DestinationRows(order.destinations if order else ())
        self.has_rows, self.no_errors = (
            QCheckBox(tr("Only if there are rows")),
            QCheckBox(tr("Only if Preflight has no errors")),
        )
        self.holds = QLineEdit((order.only_if.holds or "") if order else "")
        self.more = QToolButton()
        known = {name: getattr(order, name) if order else StandingOrder.model_fields[name].default for name in _RARE}
        self._rare: dict[str, Any] = {}
        self.rare = PartForm(StandingOrder, known, _RARE, self._set_rare)
        self.missed = QComboBox()
        self.tries = QSpinBox()
        self.failures_to = QLineEdit(", ".join(order.failures_to) if order else "")
        self.fault, self.understood = QLabel(), QLabel()
        self.values: dict[str, QComboBox] = {}
        self._values_form: QWidget | None = None
        self._report: Report | None = None
        self.buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Save | QDialogButtonBox.StandardButton.Cancel)
        self._fill(order)
        self._lay_out()
        self._connect()
        self._take_report(order)
        self._refresh()

    def _fill(self, order: StandingOrder | None) -> None:
        if order is not None:
            self.report.setCurrentText(self._path_of(order.report))
        for suffix, box in self.formats.items():
            box.setChecked(suffix in (order.formats if order else ("pdf",)))
        self.has_rows.setChecked(bool(order and order.only_if.has_rows))
        self.no_errors.setChecked(bool(order and order.only_if.no_errors))
        for value, text in _MISSED:
            self.missed.addItem(text, value)
        self.missed.setCurrentIndex(self.missed.findData(order.missed if order else "once"))
        self.tries.setRange(1, 20)
        self.tries.setValue(order.tries if order else 3)
        self.failures_to.setPlaceholderText(tr("Mail addresses, with commas; nobody if empty"))
        self.holds.setPlaceholderText(tr("an expression over the report, such as sum(sailings.delay_minutes) > 600"))
        self.holds.setToolTip(tr("A run is made only if this is true"))
        self.more.setText(tr("More"))
        self.more.setCheckable(True)
        self.more.setToolTip(tr("Limits of a run, and what is rarely needed"))
        self.rare.hide()

    def _path_of(self, report: str) -> str:
        """A report's path in the library, as the list of reports has it."""
        try:
            path = self._library.report_path(report)
        except NorthmoorError:  # it is gone: another is to be chosen
            return self.report.currentText()
        return path.relative_to(self._library.root.resolve()).as_posix()

    def _lay_out(self) -> None:
        body = QWidget()
        self._column = QVBoxLayout(body)
        self._column.addWidget(section(tr("What")))
        named = (
            (tr("Title"), self.title),
            (tr("Report"), self.report),
            (tr("Edition"), self.edition),
            (tr("One output for each"), self.each),
        )
        self._column.addLayout(_form(named))
        self._values_place = QVBoxLayout()
        self._column.addLayout(self._values_place)
        formats = QHBoxLayout()
        for box in self.formats.values():
            formats.addWidget(box)
        formats.addStretch(1)
        self._column.addLayout(formats)
        self._column.addLayout(_form(((tr("File name"), self.file_name),)))
        for title, widgets in (
            (tr("When"), (self.when, self.understood)), (tr("To"), (self.to,)),
            (tr("Conditions"), (self.has_rows, self.no_errors)),
        ):  # fmt: skip
            self._column.addWidget(line())
            self._column.addWidget(section(title))
            for widget in widgets:
                self._column.addWidget(widget)
        self._column.addLayout(_form(((tr("Only if"), self.holds),)))
        more = ((tr("Missed times"), self.missed), (tr("Attempts before it fails"), self.tries),
                (tr("Mail failures to"), self.failures_to))  # fmt: skip
        self._column.addLayout(_form(more))
        self._column.addWidget(self.more)
        self._column.addWidget(self.rare)
        self._column.addStretch(1)
        scroll = QScrollArea()
        scroll.setWidgetResizable(True)
        scroll.setFrameShape(QScrollArea.Shape.NoFrame)
        scroll.setWidget(body)
        for label, name in ((self.understood, "quiet"), (self.fault, "fault")):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setObjectName(name)
        column = QVBoxLayout(self)
        column.addWidget(scroll, 1)
        column.addWidget(self.fault)
        column.addWidget(self.buttons)

    def _connect(self) -> None:
        for signal in (self.title.textChanged, self.when.changed, self.to.changed, self.failures_to.textChanged,
                       self.file_name.textChanged, self.each.currentIndexChanged):  # fmt: skip
            signal.connect(lambda *_: self._refresh())
        for box in self.formats.values():
            box.toggled.connect(lambda _: self._refresh())
        self.holds.textChanged.connect(lambda _: self._refresh())
        self.more.toggled.connect(self.rare.setVisible)
        self.report.currentTextChanged.connect(lambda _: self._take_report(None))
        self.when.kind.currentIndexChanged.connect(lambda _: self._offer_given())
        self.edition.currentIndexChanged.connect(lambda _: self._offer_records())
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)

    # the report

    def _take_report(self, order: StandingOrder | None) -> None:
        """Offer what the chosen report has."""
        try:
            self._report = load_report(self._library.report_path(self.report.currentText()))
        except NorthmoorError as error:
            self._report = None
            self.fault.setText(core_text(error))
            return
        self.when.set_report(self._report)
        self.edition.clear()
        self.edition.addItem(tr("As the report chooses"), None)
        for edition in self._report.editions:
            self.edition.addItem(edition.title or edition.name, edition.name)
        if order is not None:
            self.edition.setCurrentIndex(max(self.edition.findData(order.edition), 0))
        self._offer_records()
        if order is not None and order.bundle is not None:
            self.each.setCurrentIndex(max(self.each.findData(order.bundle.for_each), 0))
        self._offer_values(order)
        self._refresh()

    def _offer_records(self) -> None:
        if self._report is None:
            return
        chosen = self.each.currentData()
        self.each.clear()
        self.each.addItem(tr("No: one output"), None)
        edition = self._report.edition(self.edition.currentData())
        for block in edition.blocks if edition is not None else ():
            if isinstance(block, ForEachBlock):
                self.each.addItem(block.name, block.name)
        self.each.setCurrentIndex(max(self.each.findData(chosen), 0))

    def _offer_values(self, order: StandingOrder | None) -> None:
        """A field for each parameter, which takes words such as last full month, or what the trigger gives."""
        assert self._report is not None
        if self._values_form is not None:
            self._values_place.removeWidget(self._values_form)
            hide_and_delete(self._values_form)
        self.values = {}
        for parameter in self._report.parameters:
            editor = QComboBox()
            editor.setEditable(True)
            own: Any = order.values.get(parameter.name) if order is not None else None
            given = order.from_trigger.get(parameter.name) if order is not None else None
            text = ", ".join(map(str, own)) if isinstance(own, list) else str(own or "")
            text = shown_period(text) if parameter.kind in _IN_WORDS else text
            editor.setCurrentText(_FROM + given if given else text)
            field = editor.lineEdit()
            assert field is not None
            field.setPlaceholderText(
                tr("as the report has it; words such as last full month are resolved with each run")
            )
            editor.currentTextChanged.connect(lambda _: self._refresh())
            self.values[parameter.name] = editor
        self._values_form = QWidget()
        labels = {parameter.name: parameter.shown_name for parameter in self._report.parameters}
        form = _form([(labels[name], editor) for name, editor in self.values.items()])
        form.setContentsMargins(0, 0, 0, 0)
        self._values_form.setLayout(form)
        self._values_place.addWidget(self._values_form)
        self._offer_given()

    def _offer_given(self) -> None:
        given = [f"{_FROM}{part}" for part in GIVEN_BY.get(self.when.kind.currentData(), ())]
        for editor in self.values.values():
            text = editor.currentText()
            editor.blockSignals(True)
            editor.clear()
            editor.addItems(["", *given])
            editor.setCurrentText(text)
            editor.blockSignals(False)
        self._refresh()

    # the order

    def _set_rare(self, name: str, value: Any) -> None:
        self._rare[name] = value
        self._refresh()

    @property
    def entries(self) -> Mapping[str, Any]:
        """The order as its file would have it. Raises NorthmoorError where the trigger is not complete."""
        assert self._report is not None
        lists = {parameter.name for parameter in self._report.parameters if parameter.holds == "list"}
        in_words = {parameter.name for parameter in self._report.parameters if parameter.kind in _IN_WORDS}
        values: dict[str, Any] = {}
        given: dict[str, str] = {}
        for name, editor in self.values.items():
            text = editor.currentText().strip()
            if text.startswith(_FROM):
                given[name] = text.removeprefix(_FROM)
            elif text:
                text = typed_period(text) if name in in_words else text
                values[name] = [part.strip() for part in text.split(",")] if name in lists else text
        each, old = self.each.currentData(), self._draft.order if self._draft is not None else None
        bundle = BundleRequest(for_each=each) if each else None
        if old is not None and old.bundle is not None and each == old.bundle.for_each:
            bundle = old.bundle
        kept = {name: getattr(old, name) for name in StandingOrder.model_fields} if old is not None else {}
        return {
            **kept, "title": self.title.text().strip(), "report": self.report.currentText(),
            "edition": self.edition.currentData(), "when": self.when.trigger(), "values": values,
            "from_trigger": given, "bundle": bundle, "file_name": self.file_name.text(),
            "formats": tuple(suffix for suffix, box in self.formats.items() if box.isChecked()),
            "destinations": self.to.entries, "missed": self.missed.currentData(), "tries": self.tries.value(),
            "only_if": {
                "has_rows": self.has_rows.isChecked(), "no_errors": self.no_errors.isChecked(),
                "holds": self.holds.text().strip() or None,
            },
            **self._rare,
            "failures_to": tuple(part.strip() for part in self.failures_to.text().split(",") if part.strip()),
        }  # fmt: skip

    @property
    def order(self) -> StandingOrder:
        """The order. Raises NorthmoorError, and ValidationError where something does not fit."""
        return StandingOrder.model_validate(self.entries)

    def _refresh(self) -> None:
        """Show how the order is understood, or what is wrong with it."""
        save = self.buttons.button(QDialogButtonBox.StandardButton.Save)
        if self._report is None or save is None:
            return
        fault = "" if self.title.text().strip() else tr("Give it a title.")
        self.understood.setText("")
        try:
            when = self.when.trigger()
            self.understood.setText(_when_understood(when))
            if not fault:
                _ = self.order
        except NorthmoorError as error:
            fault = core_text(error.message)
        except ValidationError as error:
            fault = core_text(refusal(error))
            if (about := _RARE.get(str(error.errors()[0]["loc"][0]))) is not None:
                fault = f"{about.label}: {fault}"
        self.fault.setText(fault)
        save.setEnabled(not fault)


def _when_understood(when: Any) -> str:
    words = when_text(when)
    if not isinstance(when, Timetable):
        return f"{words[0].upper()}{words[1:]}."
    times = next_times(when, datetime.now(UTC), 5)
    listed = ", ".join(moment_text(moment.astimezone(when.zone), "%a %-d %b %H:%M") for moment in times) or tr("never")
    return f"{words[0].upper()}{words[1:]}.\n{tr('Next: {times}').format(times=listed)}"


def _form(named: Any) -> QFormLayout:
    form = QFormLayout()
    for text, editor in named:
        editor.setAccessibleName(text)
        editor.setToolTip(editor.toolTip() or text)
        form.addRow(text, editor)
    return form
