"""Trace beside the pages: why the figure that was clicked is what it is, and the rows behind it."""

from PyQt6.QtCore import QEvent, Qt, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QKeyEvent, QKeySequence, QPaintEvent
from PyQt6.QtWidgets import (
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QSplitter,
    QTableView,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.help.help_actions import GUIDE_PROPERTY
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr, tr_count
from northmoor.app.widgets.headings import draw_hint
from northmoor.app.widgets.icons import IconLabel, icon
from northmoor.app.widgets.menus import key_tip
from northmoor.app.widgets.rows_model import RowsModel
from northmoor.app.widgets.theme import GORSE, LICHEN, ROWAN
from northmoor.app.widgets.widget_tools import replace_content
from northmoor.app.worker import Worker
from northmoor.core.authoring.queries.field_choices import shown_names
from northmoor.core.checks.trace import Figure, Trace, trace
from northmoor.core.document import Document
from northmoor.core.errors import NorthmoorError
from northmoor.core.export.spreadsheet_text import spreadsheet_text
from northmoor.core.expr.formats import format_one
from northmoor.core.layout.page.hit_testing import HitRegion

TRACE_HINT = tr(
    "Click a figure on the page to see its formula, the rows behind it, and whether plain SQL gives the same."
)


class TracePanel(QFrame):
    """The trace of one figure; it follows the figures that are clicked while it is open."""

    closed = pyqtSignal()
    traced = pyqtSignal(object)
    message = pyqtSignal(str, str)

    def __init__(self, worker: Worker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName(tr("Trace"))
        self.setProperty(GUIDE_PROPERTY, "tables#Trace")
        self._worker = worker
        self._wanted: tuple[Document, int, HitRegion] | None = None
        self.found: Trace | None = None
        self._title = QLabel()
        self._title.setObjectName("name")
        self._title.setTextFormat(Qt.TextFormat.PlainText)
        self._scope = QLabel()
        self._scope.setObjectName("quiet")
        self._scope.setTextFormat(Qt.TextFormat.PlainText)
        self._figures = QScrollArea()
        self._figures.setObjectName("panel")
        self._figures.setWidgetResizable(True)
        self._figures.setFrameShape(QFrame.Shape.NoFrame)
        self._figures.setAccessibleName(tr("Figures"))
        self.rows = _RowsBehind()
        self.copy = QPushButton(icon("copy"), tr("Cop&y rows"))
        self.copy.setToolTip(tr("Copy these rows for a spreadsheet (Ctrl+C in them)"))
        self.copy.clicked.connect(self.copy_rows)
        self.rows.copy_wanted.connect(self.copy_rows)
        self._place()
        self._is_clear = False
        self.traced.connect(self._take)
        self.clear()

    def _place(self) -> None:
        close = QToolButton()
        close.setIcon(icon("x"))
        key_tip(close, tr("Close Trace"), "trace")
        close.setAccessibleName(tr("Close Trace"))
        close.clicked.connect(self.closed.emit)
        head = QHBoxLayout()
        for widget in (self._title, self._scope):
            head.addWidget(widget)
        head.addStretch(1)
        head.addWidget(self.copy)
        head.addWidget(close)
        split = QSplitter()
        split.addWidget(self._figures)
        split.addWidget(self.rows)
        split.setSizes([420, 420])
        split.setHandleWidth(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 4, 6, 6)
        column.setSpacing(4)
        column.addLayout(head)
        column.addWidget(split, 1)

    def clear(self) -> None:
        """Say what to do."""
        self._wanted, self.found = None, None
        self._title.setText(tr("Trace"))
        self._scope.setText("")
        if self._is_clear:
            return
        self._show_figures([_note(TRACE_HINT, "quiet")])
        self.rows.setModel(None)
        self.copy.hide()
        self._is_clear = True

    def copy_rows(self) -> None:
        """Put the rows behind the figure on the clipboard, for a spreadsheet."""
        model, clipboard = self.rows.model(), QGuiApplication.clipboard()
        if isinstance(model, RowsModel) and clipboard is not None:
            clipboard.setText(spreadsheet_text(model.rows.table.rename_columns(model.titles)))
            rows = tr_count(model.rowCount(), "{count} row", "{count} rows")
            self.message.emit(tr("Copied {rows}.").format(rows=rows), "good")

    def ask(self, document: Document, page: int, region: HitRegion) -> None:
        """Trace the figure at a spot of a page."""
        self._wanted = wanted = (document, page, region)
        self._scope.setText(tr("asking…"))

        def message(result: object) -> None:
            self.traced.emit((wanted, result))

        self._worker.run_task(lambda stop: trace(document, page, region, stop), message)

    def _take(self, message: tuple[object, object]) -> None:
        wanted, result = message
        if wanted is not self._wanted:
            return  # another figure was clicked since
        if isinstance(result, NorthmoorError):
            self.clear()
            self._show_figures([_note(core_text(result), "quiet")])
        elif isinstance(result, Trace):
            self._show(result, wanted[0])  # type: ignore[index]  # a wish

    def _show(self, found: Trace, document: Document) -> None:
        self.found = found
        format_locale = document.composition.context.locale
        behind = found.readings or found.rows
        self._title.setText(found.shown or tr("(empty)"))
        rows = ""
        if behind is not None:
            count = behind.table.num_rows
            readings, of_rows = (
                tr_count(count, "{count} reading", "{count} readings"),
                tr_count(count, "{count} row", "{count} rows"),
            )
            rows = f" · {of_rows if found.readings is None else readings}"
        self._scope.setText(f"{core_text(found.scope)}{rows}")
        lines: list[QWidget] = []
        for figure in found.figures:
            lines += self._figure(figure, format_one(figure.value, None, format_locale), format_locale)
        self._show_figures(lines or [_note(tr("It is a fixed text; nothing is computed for it."), "quiet")])
        names = shown_names(behind, document.report) if behind is not None else ()
        self.rows.setModel(RowsModel(behind, format_locale, names) if behind is not None else None)
        self.copy.setVisible(behind is not None and behind.table.num_rows > 0)
        self.rows.resizeColumnsToContents()

    def _figure(self, figure: Figure, value: str, format_locale: object) -> list[QWidget]:
        answer = figure.verification
        formula = _note(f"{figure.formula} = {value or tr('blank')}", "expression")
        if figure.agrees is None:
            return [formula, _marked("triangle-alert", GORSE, core_text(answer.why_not or ""), "quiet")]
        rows = tr_count(answer.rows or 0, "over {count} row", "over {count} rows")
        if figure.agrees:
            message = _marked("circle-check", LICHEN, tr("Plain SQL {rows} gives the same.").format(rows=rows), "good")
        else:
            other = format_one(answer.value, None, format_locale) or tr("blank")  # type: ignore[arg-type]  # the document's
            message = _marked(
                "triangle-alert", ROWAN, tr("Plain SQL {rows} says {other}.").format(rows=rows, other=other), "fault"
            )
        sql = _note(answer.sql, "quiet")
        sql.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
        sql.setStyleSheet('font-family: "IBM Plex Mono"; font-size: 11px;')
        return [formula, message, sql]

    def _show_figures(self, lines: list[QWidget]) -> None:
        self._is_clear = False
        body = QWidget()
        body.setObjectName("panel")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 0, 8, 0)
        column.setSpacing(4)
        for line in lines:
            column.addWidget(line)
        column.addStretch(1)
        replace_content(self._figures, body)


class _RowsBehind(QTableView):
    """The rows behind a figure."""

    copy_wanted = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setAccessibleName(tr("Rows behind the figure"))
        self.setToolTip(tr("The rows behind the figure, in their printed order"))
        self.setWordWrap(False)
        header = self.verticalHeader()
        assert header is not None
        header.setDefaultSectionSize(24)

    def event(self, event: QEvent | None) -> bool:
        """Keep the keys that copy from the command that copies blocks."""
        if isinstance(event, QKeyEvent) and event.matches(QKeySequence.StandardKey.Copy):
            if event.type() == QEvent.Type.ShortcutOverride:
                event.accept()
                return True
            if event.type() == QEvent.Type.KeyPress:
                self.copy_wanted.emit()
                return True
        return super().event(event)

    def paintEvent(self, event: QPaintEvent | None) -> None:
        """Draw the rows, or say that there are none."""
        super().paintEvent(event)
        if self.model() is not None:
            draw_hint(self, tr("There are no rows behind it."))


def _note(text: str, name: str) -> QLabel:
    label = QLabel(text)
    label.setObjectName(name)
    label.setTextFormat(Qt.TextFormat.PlainText)
    label.setWordWrap(True)
    return label


def _marked(drawing: str, color: str, text: str, name: str) -> QWidget:
    label = _note(text, name)
    mark = IconLabel(drawing, color)
    line = QWidget()
    row = QHBoxLayout(line)
    row.setContentsMargins(0, 0, 0, 0)
    row.setSpacing(6)
    row.addWidget(mark, 0, Qt.AlignmentFlag.AlignTop)
    row.addWidget(label, 1)
    return line
