"""Declares that a table is a signal log: what its columns mean, what its signals are; what was understood is shown."""

from collections.abc import Callable

from pydantic import ValidationError
from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.data.query.dialogs.step_dialog import StepDialog
from northmoor.app.data.signals.log_fields import DurationField, combo
from northmoor.app.data.signals.signal_list import SPARK_WIDTH, Spark, SparkDelegate
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import number_text, tr
from northmoor.app.widgets.suggestions import SUGGESTED, SuggestionCompleter
from northmoor.app.worker import Worker
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import Cancelled, NorthmoorError, QueryError
from northmoor.core.model.base import refusal
from northmoor.core.model.data.signal_logs import Signal, SignalLog
from northmoor.core.model.kinds.signal_natures import SIGNAL_NATURES
from northmoor.core.sources.fetch.log_survey import (
    LogSource,
    LogSurvey,
    SignalSummary,
    check_survey,
    propose_signal,
    survey_log,
)

_SETTLE = 500  # milliseconds without a change before the log is read again
_NONE = "none"
_FORMS = ((tr("date and time"), "moment"), (tr("text with a space"), "text"), (tr("text with a T"), "text with T"),
          (tr("seconds since 1970"), "seconds"), (tr("milliseconds since 1970"), "milliseconds"),
          (tr("microseconds since 1970"), "microseconds"))  # fmt: skip
_SPARK = Qt.ItemDataRole.UserRole + 1
_NAME_COLUMN, _LABEL, _UNIT, _NATURE, _TYPE, _READINGS, _VALUES = range(7)
_TITLES = (
    tr("Signal"),
    tr("Name for readers"),
    tr("Unit"),
    tr("Nature"),
    tr("Values"),
    tr("Readings"),
    tr("Last values"),
)


class LogDialog(StepDialog):
    """Asks what a table's columns mean as a signal log, with a proposal from the data."""

    found = pyqtSignal(object)

    def __init__(self, source: LogSource, worker: Worker, parent: QWidget | None = None) -> None:
        super().__init__(tr("{name} as a signal log").format(name=source.name), parent)
        self._source, self._worker, self._given = source, worker, source.given
        self._asking: CancelToken | None = None
        self._is_filling = True
        self.survey: LogSurvey | None = None
        names = list(source.columns)
        self.name = QLineEdit(self._given.name if self._given else "")
        self.name.setAccessibleName(tr("Name of the log"))
        self.signal = _column_box(names, tr("Signal"), tr("each signal has a column"))
        self.time = _column_box(names, tr("Time"), None)
        self.form_of_times = combo(_FORMS, "moment", tr("How times are kept"))
        self.zone = QLineEdit()
        self.zone.setPlaceholderText(tr("the times include it"))
        self.zone.setAccessibleName(tr("Time zone of the times"))
        self.zone.setToolTip(tr("The time zone of times without one, such as Europe/Dublin"))
        SuggestionCompleter(self.zone, SUGGESTED["time_zone"])
        self.values = QListWidget()
        self.values.setAccessibleName(tr("Values"))
        self.values.setMaximumHeight(96)
        for name in names:
            item = QListWidgetItem(name)
            item.setCheckState(Qt.CheckState.Unchecked)
            self.values.addItem(item)
        self.object = _column_box(names, tr("Object"), _NONE)
        self.separator = QLineEdit()
        self.separator.setPlaceholderText(tr("names hold no object"))
        self.separator.setAccessibleName(tr("Between object and signal in names"))
        self.separator.setToolTip(
            tr("What is between object and signal where names hold both, as the point in curlew.speed")
        )
        self.quality = _column_box(names, tr("Quality"), _NONE)
        self.good = QLineEdit()
        self.good.setPlaceholderText(tr("such as good, ok"))
        self.good.setAccessibleName(tr("Good qualities"))
        self.order = _column_box(names, tr("Order of writing"), _NONE)
        self.unknown = DurationField(None, tr("until the next value"), tr("A value counts as unknown after"))
        self.shifts = QLineEdit()
        self.shifts.setPlaceholderText(tr("such as 06:00, 14:00, 22:00"))
        self.shifts.setAccessibleName(tr("Shifts begin at"))
        self.understood = QLabel(tr("Reading the first rows …"))
        self.understood.setObjectName("quiet")
        self.understood.setWordWrap(True)
        self.understood.setTextFormat(Qt.TextFormat.PlainText)
        self.signals = _signal_table()
        self._settle = QTimer(self)
        self._settle.setSingleShot(True)
        self._settle.setInterval(_SETTLE)
        self._settle.timeout.connect(self._read)
        self.found.connect(self._show_found)
        self._place()
        self.resize(1140, 600)
        self._propose()

    def _place(self) -> None:
        form = QFormLayout()
        for label, part in (
            (tr("&Name"), self.name), (tr("&Signal"), self.signal), (tr("&Time"), self.time),
            (tr("Times ar&e"), self.form_of_times),
            (tr("&Zone"), self.zone), (tr("&Values"), self.values), (tr("&Object"), self.object),
            (tr("Se&parator"), self.separator),
            (tr("&Quality"), self.quality), (tr("&Good are"), self.good), (tr("O&rder"), self.order),
            (tr("&Unknown after"), self.unknown), (tr("S&hifts begin"), self.shifts),
        ):  # fmt: skip
            form.addRow(label, part)
        right = QVBoxLayout()
        right.addWidget(self.understood)
        right.addWidget(self.signals, 1)
        row = QHBoxLayout()
        row.addLayout(form, 4)
        row.addLayout(right, 9)
        column = QVBoxLayout(self)
        column.addLayout(row, 1)
        column.addWidget(self.fault)
        column.addWidget(self.buttons)
        for box in (self.signal, self.time, self.form_of_times, self.object, self.quality, self.order):
            box.currentIndexChanged.connect(self._changed)
        for line in (self.zone, self.separator, self.good):
            line.textChanged.connect(self._changed)
        self.values.itemChanged.connect(self._changed)

    # asking

    def _ask(self, task: Callable[[CancelToken], object]) -> None:
        if self._asking is not None:
            self._asking.cancel()
        self._asking = self._worker.run_task(task, self.found.emit)

    def _propose(self) -> None:
        """Fill in what is declared, or what the first rows suggest."""
        if self._given is not None:
            self._fill(self._given)
            self._read()
            return
        self._ask(self._source.propose)

    def _read(self) -> None:
        """Ask which signals the log has as it is filled in."""
        try:
            log = self._columns()
        except QueryError as error:
            self.understood.setText(core_text(error.message))
            return
        self.understood.setText(tr("Reading the log …"))
        self._ask(lambda stop: survey_log(self._source.reader(log, stop)))

    def _changed(self) -> None:
        self.fault.setText("")
        if not self._is_filling:
            self._settle.start()

    def _show_found(self, answer: object) -> None:
        if isinstance(answer, Cancelled):
            return
        if isinstance(answer, NorthmoorError):
            self.understood.setText(answer.message)
        elif isinstance(answer, LogSurvey):
            self._show_survey(answer)
        elif isinstance(answer, SignalLog):
            self._fill(answer)
            self._read()
        elif answer is None:
            self._is_filling = False
            self.name.setText(self._source.name)
            self.understood.setText(tr("No column of times was recognised; choose the columns at the left."))

    def _fill(self, log: SignalLog) -> None:
        self._is_filling = True
        self.name.setText(log.name)
        for box, name in ((self.signal, log.signal), (self.time, log.time), (self.object, log.object),
                          (self.quality, log.quality), (self.order, log.order)):  # fmt: skip
            box.setCurrentIndex(max(box.findData(name), 0))
        self.form_of_times.setCurrentIndex(max(self.form_of_times.findData(log.time_form), 0))
        self.zone.setText(log.time_zone or "")
        for row in range(self.values.count()):
            item = self.values.item(row)
            assert item is not None
            item.setCheckState(Qt.CheckState.Checked if item.text() in log.values else Qt.CheckState.Unchecked)
        self.separator.setText(log.separator or "")
        self.good.setText(", ".join(log.good))
        self.unknown.setText(DurationField(log.unknown_after, "", "").text())
        self.shifts.setText(", ".join(log.shift_starts))
        self._is_filling = False

    def _show_survey(self, survey: LogSurvey) -> None:
        self.survey = survey
        try:
            check_survey(survey)
        except QueryError as error:
            self.understood.setText(core_text(error.message))
            self.signals.setRowCount(0)
            return
        objects = (
            tr(" of {objects}{more}").format(
                objects=", ".join(survey.objects[:6]), more=" …" * (len(survey.objects) > 6)
            )
            if survey.objects
            else ""
        )
        ends = tr("{first:%d %b %Y, %H:%M} to {last:%d %b %Y, %H:%M}").format(first=survey.first, last=survey.last)
        read = tr("{readings:,} readings of {count} signals{objects}").format(
            readings=survey.readings, count=len(survey.signals), objects=objects
        )
        self.understood.setText(
            tr("{read}, from {ends} ({zone}). Describe each signal; this is saved for all reports.").format(
                read=read, ends=ends, zone=self._source.zone
            )
        )
        known = {signal.name: signal for signal in (self._given.signals if self._given else ())} | self._typed()
        self.signals.setRowCount(len(survey.signals))
        for row, summary in enumerate(survey.signals):
            self._show_signal(row, summary, known.get(summary.name) or propose_signal(summary))

    def _show_signal(self, row: int, summary: SignalSummary, signal: Signal) -> None:
        texts = {_NAME_COLUMN: signal.name, _LABEL: signal.label or "", _UNIT: signal.unit,
                 _READINGS: number_text(summary.readings), _VALUES: ", ".join(summary.texts[-2:])}  # fmt: skip
        for column, text in texts.items():
            item = QTableWidgetItem(text)
            if column in (_NAME_COLUMN, _READINGS, _VALUES):
                item.setFlags(item.flags() & ~Qt.ItemFlag.ItemIsEditable)
            if column == _READINGS:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            self.signals.setItem(row, column, item)
        values = self.signals.item(row, _VALUES)
        assert values is not None
        if not summary.texts:
            values.setData(_SPARK, Spark(summary.numbers, not signal.kind.is_interpolated))
        natures: list[tuple[str, tuple[str, str]]]
        natures = [(tr(kind.label), (kind.name, "hour")) for kind in SIGNAL_NATURES if not kind.is_summed]
        natures += [(tr("Rate, per {per}").format(per=per), ("rate", per)) for per in ("hour", "minute", "second")]
        per = signal.per if signal.nature == "rate" else "hour"
        box = combo(natures, (signal.nature, per), tr("Nature of {name}").format(name=signal.name))
        for at, (_, (name, _per)) in enumerate(natures):
            help_text = next(tr(kind.help) for kind in SIGNAL_NATURES if kind.name == name)
            box.setItemData(at, help_text, Qt.ItemDataRole.ToolTipRole)
        self.signals.setCellWidget(row, _NATURE, box)
        kinds = combo(
            [("numbers", "number"), ("texts", "text")],
            signal.type,
            tr("Values of {name}").format(name=signal.name),
        )
        self.signals.setCellWidget(row, _TYPE, kinds)

    def done(self, result: int) -> None:
        """Nothing is asked any more when it is closed."""
        self._settle.stop()
        if self._asking is not None:
            self._asking.cancel()
        super().done(result)

    # what is filled in

    def _columns(self) -> SignalLog:
        """The log without its signals. Raises QueryError for what does not go together."""
        items = [self.values.item(row) for row in range(self.values.count())]
        ticked = tuple(i.text() for i in items if i is not None and i.checkState() == Qt.CheckState.Checked)
        if not ticked:
            raise QueryError(
                tr("Tick the column that holds the values; several where numbers and texts have their own.")
            )
        try:
            return SignalLog(
                name=self.name.text().strip() or "log", table=self._source.name, time=self.time.currentData(),
                time_form=self.form_of_times.currentData(), time_zone=self.zone.text().strip() or None,
                signal=self.signal.currentData(), values=ticked, object=self.object.currentData(),
                separator=self.separator.text() or None, quality=self.quality.currentData(),
                good=_split_at_commas(self.good.text()) if self.quality.currentData() else (),
                order=self.order.currentData(),
                unknown_after=self.unknown.duration(), shift_starts=_split_at_commas(self.shifts.text()),
            )  # fmt: skip
        except ValidationError as error:
            raise QueryError(refusal(error)) from error

    def _typed(self) -> dict[str, Signal]:
        """The signals as they are filled in, by name."""
        found = {}
        for row in range(self.signals.rowCount()):
            items = [self.signals.item(row, column) for column in (_NAME_COLUMN, _LABEL, _UNIT)]
            texts = [item.text().strip() if item is not None else "" for item in items]
            nature, kind = (self.signals.cellWidget(row, column) for column in (_NATURE, _TYPE))
            if texts[0] and isinstance(nature, QComboBox) and isinstance(kind, QComboBox):
                name, per = nature.currentData()
                given = self._given.known(texts[0]) if self._given else Signal(name=texts[0])
                found[texts[0]] = given.but(
                    label=texts[1] or None, unit=texts[2], nature=name, per=per, type=kind.currentData()
                )
        return found

    def log(self) -> SignalLog:
        """The log that is filled in. Raises QueryError."""
        return self._columns().but(signals=tuple(self._typed().values()))

    def check(self) -> None:
        """See that the log is whole, and that signals were understood. Raises QueryError."""
        log = self.log()
        if not log.signals:
            raise QueryError(tr("No signals are understood yet; see the line above the list."))
        if log.name in self._source.taken:
            raise QueryError(tr("There is another log named {name}; choose another name.").format(name=log.name))


def _column_box(names: list[str], name: str, nothing: str | None) -> QComboBox:
    entries: list[tuple[str, object]] = [(nothing, None)] if nothing is not None else []
    return combo([*entries, *((each, each) for each in names)], None, name)


def _split_at_commas(text: str) -> tuple[str, ...]:
    return tuple(part.strip() for part in text.split(",") if part.strip())


def _signal_table() -> QTableWidget:
    table = QTableWidget(0, len(_TITLES))
    table.setHorizontalHeaderLabels(_TITLES)
    table.setAccessibleName(tr("Signals"))
    rows, columns = table.verticalHeader(), table.horizontalHeader()
    assert rows is not None
    assert columns is not None
    rows.hide()
    rows.setDefaultSectionSize(28)
    columns.setSectionResizeMode(_NAME_COLUMN, QHeaderView.ResizeMode.ResizeToContents)
    columns.setSectionResizeMode(_LABEL, QHeaderView.ResizeMode.Stretch)
    for column, width in ((_UNIT, 56), (_NATURE, 144), (_TYPE, 104), (_READINGS, 76), (_VALUES, SPARK_WIDTH + 20)):
        table.setColumnWidth(column, width)
    table.setItemDelegateForColumn(_VALUES, SparkDelegate(table))
    return table
