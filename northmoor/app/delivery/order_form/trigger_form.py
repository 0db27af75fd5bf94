"""When an order makes runs: at times in words, or by one of the triggers."""

import re
from typing import Any

import tzlocal
from pydantic import ValidationError
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QComboBox, QFormLayout, QLineEdit, QStackedWidget, QVBoxLayout, QWidget

from northmoor.app.language.timetable_text import shown_timetable, typed_timetable
from northmoor.app.language.translation import tr
from northmoor.core.delivery.orders.timetable import Timetable
from northmoor.core.delivery.orders.timetable_words import EXAMPLES, read_timetable, timetable_words
from northmoor.core.delivery.orders.triggers import AfterOrder, Called, FileArrives, QueryAnswers, SpanEnds, Trigger
from northmoor.core.errors import ParameterError
from northmoor.core.model.base import refusal
from northmoor.core.model.data.signal_queries import SpansQuery
from northmoor.core.model.report import Report
from northmoor.core.sources.library import Library

KINDS = (
    ("timetable", tr("At times")),
    ("span_ends", tr("When a span ends, such as a voyage")),
    ("file", tr("When a file arrives or changes")),
    ("query", tr("When a query's answer changes")),
    ("after_order", tr("After another order")),
    ("called", tr("When a program calls")),
)


class TriggerForm(QWidget):
    """The kind of trigger, and what belongs to it."""

    changed = pyqtSignal()

    def __init__(self, library: Library, orders: list[str], when: Trigger | None) -> None:
        super().__init__()
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("Kind of trigger"))
        self.kind.setToolTip(tr("What makes the order make a run"))
        for name, text in KINDS:
            self.kind.addItem(text, name)
        self.words = _choice(
            list(map(shown_timetable, EXAMPLES)), tr("Days and times in words, such as Mondays at 06:00")
        )
        logs = [f"{c.name}: {log.name}" for c in library.connections.connections for log in getattr(c, "logs", ())]
        self.log, self.by = _choice(logs, tr("The signal log")), QLineEdit()
        self.condition = QLineEdit()
        self.folder, self.pattern = QLineEdit("data"), QLineEdit("*")
        self.file_on = _choice(("both", "arrives", "changes"), tr("Whether new files count, changed ones, or both"))
        self.file_on.setEditable(False)
        self.query = _choice((), tr("The query of the report"))
        self.query_on = _choice(("changes", "gets_rows"), tr("Whether any change counts, or only that there are rows"))
        self.query_on.setEditable(False)
        self.after = _choice(orders, tr("The order that comes first"))
        self._pages = QStackedWidget()
        for rows in (
            ((tr("In words"), self.words),),
            ((tr("Log"), self.log), (tr("Id signal"), self.by), (tr("While"), self.condition)),
            ((tr("Folder"), self.folder), (tr("Files"), self.pattern), (tr("Counts"), self.file_on)),
            ((tr("Query"), self.query), (tr("Counts"), self.query_on)),
            ((tr("Order"), self.after),),
            (),
        ):
            self._pages.addWidget(self._page(rows))
        self.by.setPlaceholderText(tr("such as voyage_id"))
        self.condition.setPlaceholderText(tr("such as underway = 1"))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.kind)
        column.addWidget(self._pages)
        self._zone = _own_zone()
        self._old = when
        self._fill(when)
        self.kind.currentIndexChanged.connect(self._show_kind)
        self._show_kind()

    def _page(self, rows: tuple[tuple[str, QWidget], ...]) -> QWidget:
        page = QWidget()
        form = QFormLayout(page)
        form.setContentsMargins(0, 4, 0, 0)
        for text, editor in rows:
            editor.setAccessibleName(text)
            editor.setToolTip(editor.toolTip() or text)
            form.addRow(text, editor)
            if isinstance(editor, QComboBox):
                editor.currentTextChanged.connect(lambda _: self.changed.emit())
            elif isinstance(editor, QLineEdit):
                editor.textChanged.connect(lambda _: self.changed.emit())
        return page

    def _fill(self, when: Trigger | None) -> None:
        """Show a trigger as it is."""
        if when is None:
            self.words.setCurrentText(shown_timetable(f"Mondays at 06:00 in {self._zone}"))
            return
        self.kind.setCurrentIndex(self.kind.findData(when.kind))
        if isinstance(when, Timetable):
            self.words.setCurrentText(shown_timetable(timetable_words(when)))
        elif isinstance(when, SpanEnds):
            self.log.setCurrentText(f"{when.connection}: {when.spans.log}")
            self.by.setText(when.spans.by or "")
            self.condition.setText(when.spans.condition or "")
        elif isinstance(when, FileArrives):
            self.folder.setText(when.folder)
            self.pattern.setText(when.pattern)
            self.file_on.setCurrentText(when.on)
        elif isinstance(when, QueryAnswers):
            self.query.setCurrentText(when.query)
            self.query_on.setCurrentText(when.on)
        elif isinstance(when, AfterOrder):
            self.after.setCurrentText(when.order)

    def set_report(self, report: Report) -> None:
        """Offer a report's queries."""
        text = self.query.currentText()
        self.query.clear()
        self.query.addItems([query.name for query in report.queries])
        if text:
            self.query.setCurrentText(text)

    def _show_kind(self) -> None:
        page = self.kind.currentIndex()
        self._pages.setCurrentIndex(page)
        shown = self._pages.currentWidget()
        if shown is not None:
            self._pages.setFixedHeight(shown.sizeHint().height())
        self.changed.emit()

    def trigger(self) -> Trigger:
        """The trigger. Raises ParameterError where something is missing or wrong."""
        kind = self.kind.currentData()
        old = self._old if self._old is not None and self._old.kind == kind else None
        try:
            return self._made(kind, old)
        except ValidationError as error:
            where = " ".join(str(part) for part in error.errors()[0]["loc"])
            raise ParameterError(f"{where}: {refusal(error)}" if where else refusal(error)) from error

    def _made(self, kind: str, old: Any) -> Trigger:
        if kind == "timetable":
            return read_timetable(typed_timetable(self.words.currentText()), self._zone)
        if kind == "span_ends":
            match = re.fullmatch(r"([\w-]+): (\w+)", self.log.currentText().strip())
            if match is None:
                raise ParameterError(tr("Choose a signal log; a connection's logs are declared in Data."))
            own = {"by": self.by.text().strip() or None, "condition": self.condition.text().strip() or None}
            spans = old.spans.but(log=match[2], **own) if old else SpansQuery(log=match[2], **own)
            return old.but(connection=match[1], spans=spans) if old else SpanEnds(connection=match[1], spans=spans)
        if kind == "file":
            own = {"folder": self.folder.text().strip(), "pattern": self.pattern.text().strip() or "*"}
            own["on"] = self.file_on.currentText()
            return old.but(**own) if old else FileArrives.model_validate(own)
        if kind == "query":
            own = {"query": self.query.currentText().strip(), "on": self.query_on.currentText()}
            return old.but(**own) if old else QueryAnswers.model_validate(own)
        if kind == "after_order":
            return AfterOrder(order=self.after.currentText().strip())
        return Called()


def _choice(texts: Any, tip: str) -> QComboBox:
    made = QComboBox()
    made.setEditable(True)
    made.addItems([str(text) for text in texts])
    made.setToolTip(tip)
    return made


def _own_zone() -> str:
    """The time zone of this machine."""
    try:
        return str(tzlocal.get_localzone_name() or "UTC")
    except Exception:  # noqa: BLE001  # a machine whose zone has no name
        return "UTC"
