"""The Data workspace: the connections at the left, a query's SQL at the top, its rows below."""

from PyQt6.Qsci import QsciLexerSQL, QsciScintilla
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFont, QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QSplitter, QTableView, QVBoxLayout, QWidget

from northmoor.app.data.catalog import Catalog
from northmoor.app.data.rows import RowsModel
from northmoor.app.desk import Desk
from northmoor.app.icons import icon
from northmoor.app.theme import GORSE_TEXT, HEATHER, LICHEN_TEXT, LIT, MIST, MONO_FONT, PAGE, PEAT, STONE_TEXT
from northmoor.app.widgets import restyle
from northmoor.app.worker import RenderJob, Worker
from northmoor.core.errors import NorthmoorError
from northmoor.core.expr.formats import Customs
from northmoor.core.model import edits
from northmoor.core.sources.catalog import CatalogTable
from northmoor.core.sources.fetch import Rows
from northmoor.core.sources.guard import check_query
from northmoor.core.stopping import Stop

EDITOR_POINTS = 10.0
"""Size of the SQL; the editor component knows points only."""


class DataWorkspace(QWidget):
    """Edits and runs the report's queries. Running takes the SQL into the report, as one step that can be undone."""

    catalog_read = pyqtSignal(object)

    def __init__(self, desk: Desk, worker: Worker, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._desk, self._worker = desk, worker
        self._query: str | None = None
        self._catalog = Catalog()
        self.editor = make_sql_editor()
        self.table = QTableView()
        self._told = QLabel("Run the query to see its rows.")
        self._run = QPushButton(icon("play"), "Run")
        self._stop = QPushButton(icon("circle-stop"), "Stop")
        self._place()
        self._connect()

    def _place(self) -> None:
        self._told.setObjectName("quiet")
        self._told.setWordWrap(True)
        self._told.setTextFormat(Qt.TextFormat.PlainText)
        self._run.setToolTip("Run the query and show its rows (Ctrl+Enter)")
        self._stop.setToolTip("Stop the running query (Esc)")
        self._stop.setEnabled(False)
        self.table.setAccessibleName("Rows")
        self.table.setWordWrap(False)
        header = self.table.horizontalHeader()
        rows = self.table.verticalHeader()
        if header is not None and rows is not None:
            header.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
            header.setMinimumHeight(42)
            rows.setDefaultSectionSize(25)
            rows.setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
        strip = QWidget()
        line = QHBoxLayout(strip)
        line.setContentsMargins(12, 6, 12, 6)
        title = QLabel("Rows")
        title.setObjectName("section")
        for widget in (title, self._told):
            line.addWidget(widget, 1 if widget is self._told else 0)
        line.addWidget(self._stop)
        line.addWidget(self._run)
        below = QWidget()
        column = QVBoxLayout(below)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(0)
        column.addWidget(strip)
        column.addWidget(self.table, 1)
        middle = QSplitter(Qt.Orientation.Vertical)
        middle.addWidget(self.editor)
        middle.addWidget(below)
        middle.setSizes([300, 420])
        split = QSplitter()
        split.addWidget(self._catalog)
        split.addWidget(middle)
        split.setSizes([260, 900])
        split.setStretchFactor(1, 1)
        for splitter in (middle, split):
            splitter.setHandleWidth(1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.addWidget(split)

    def _connect(self) -> None:
        self._run.clicked.connect(self.run)
        self._stop.clicked.connect(self._worker.stop)
        QShortcut(QKeySequence("Ctrl+Return"), self, self.run)
        self._desk.opened.connect(self._opened)
        self._desk.changed.connect(self._changed)
        self._catalog.query_picked.connect(self._pick)
        self._catalog.name_wanted.connect(self._insert)
        self.catalog_read.connect(self._show_catalog)
        self._worker.rows_fetched.connect(self._show_rows)
        self._worker.rows_failed.connect(self._show_fault)
        self._worker.busy_changed.connect(self._stop.setEnabled)

    def run(self) -> None:
        """Take the SQL into the report and fetch its rows."""
        report = self._desk.report
        if report is None or self._query is None:
            return
        sql = self.editor.text()
        try:
            check_query(sql)
        except NorthmoorError as error:
            self._show_fault(str(error))
            return
        name = self._query
        if not self._desk.edit("Change the SQL", lambda r, _: edits.change_query(r, name, sql=sql)):
            return
        self._tell(f"Running {name} …", "quiet")
        assert self._desk.report is not None
        assert self._desk.library is not None
        self._worker.fetch_rows(RenderJob(self._desk.report, self._desk.values, None, self._desk.library), name)

    def _opened(self) -> None:
        report, library = self._desk.report, self._desk.library
        assert report is not None
        assert library is not None
        self._query = report.queries[0].name if report.queries else None
        self._catalog.clear()
        self.table.setModel(None)
        for connection in library.connections.connections:
            name = connection.name
            self._worker.run_task(
                lambda name=name: library.catalog(name, Stop()).tables,  # type: ignore[misc]
                lambda tables, name=name: self.catalog_read.emit((name, tables)),  # type: ignore[misc]
            )
        self._tell(
            "Run the query to see its rows (Ctrl+Enter)." if self._query else "The report has no query yet.",
            "quiet",
        )

    def _changed(self) -> None:
        report = self._desk.report
        if report is None:
            return
        names = [q.name for q in report.queries]
        if self._query not in names:
            self._query = names[0] if names else None
        self._catalog.show_queries(report.queries, self._query)
        sql = report.query(self._query).sql if self._query else ""
        if self.editor.text() != sql:
            self.editor.setText(sql)

    def _pick(self, query: str) -> None:
        self._query = query
        self.table.setModel(None)
        self._tell("Run the query to see its rows (Ctrl+Enter).", "quiet")
        self._changed()

    def _insert(self, name: str) -> None:
        self.editor.insert(name)
        self.editor.setFocus()

    def _show_catalog(self, read: tuple[str, tuple[CatalogTable, ...] | Exception]) -> None:
        name, tables = read
        self._catalog.show_tables(name, str(tables) if isinstance(tables, Exception) else tables)

    def _show_rows(self, rows: Rows) -> None:
        report = self._desk.report
        if report is None or rows.query != self._query:
            return
        self.table.setModel(RowsModel(rows, Customs(report.locale, report.currency, report.time_zone)))
        for column in range(len(rows.names)):
            self.table.setColumnWidth(column, 150 if rows.types[column].kind in ("text", "timestamp") else 110)
        count = rows.table.num_rows
        none = " No row fits the parameter values above; try others." if count == 0 else ""
        self._tell(f"{count:,} rows · {rows.seconds:.2f} s.{none}", "quiet")

    def _show_fault(self, message: str) -> None:
        self._tell(message, "fault")

    def _tell(self, text: str, kind: str) -> None:
        self._told.setObjectName(kind)
        restyle(self._told)
        self._told.setText(text)


def make_sql_editor() -> QsciScintilla:
    """An SQL editor with highlighting and line numbers."""
    editor = QsciScintilla()
    editor.setAccessibleName("SQL")
    font = QFont(MONO_FONT)
    font.setPointSizeF(EDITOR_POINTS)
    lexer = QsciLexerSQL(editor)
    lexer.setDefaultFont(font)
    lexer.setFont(font)
    lexer.setColor(QColor(PEAT))
    lexer.setPaper(QColor(PAGE))
    colors = {
        QsciLexerSQL.Keyword: HEATHER,
        QsciLexerSQL.SingleQuotedString: LICHEN_TEXT,
        QsciLexerSQL.DoubleQuotedString: LICHEN_TEXT,
        QsciLexerSQL.Number: GORSE_TEXT,
        QsciLexerSQL.Comment: STONE_TEXT,
        QsciLexerSQL.CommentLine: STONE_TEXT,
    }
    for style, color in colors.items():
        lexer.setColor(QColor(color), style)
    editor.setLexer(lexer)
    editor.setFont(font)
    editor.setUtf8(True)
    editor.setTabWidth(2)
    editor.setIndentationsUseTabs(False)
    editor.setAutoIndent(True)
    editor.setBraceMatching(QsciScintilla.BraceMatch.SloppyBraceMatch)
    editor.setMatchedBraceBackgroundColor(QColor(LIT))
    editor.setMarginType(0, QsciScintilla.MarginType.NumberMargin)
    editor.setMarginWidth(0, "000")
    editor.setMarginWidth(1, 0)
    editor.setMarginsBackgroundColor(QColor(MIST))
    editor.setMarginsForegroundColor(QColor(STONE_TEXT))
    editor.setMarginsFont(font)
    editor.setCaretForegroundColor(QColor(HEATHER))
    editor.setCaretLineVisible(True)
    editor.setCaretLineBackgroundColor(QColor(MIST))
    editor.setSelectionBackgroundColor(QColor(LIT))
    editor.setSelectionForegroundColor(QColor(PEAT))
    editor.setFrameShape(QsciScintilla.Shape.NoFrame)
    editor.SendScintilla(QsciScintilla.SCI_SETSCROLLWIDTH, 1)
    editor.SendScintilla(QsciScintilla.SCI_SETSCROLLWIDTHTRACKING, 1)
    editor.SendScintilla(QsciScintilla.SCI_SETEXTRAASCENT, 2)
    editor.SendScintilla(QsciScintilla.SCI_SETEXTRADESCENT, 2)
    return editor
