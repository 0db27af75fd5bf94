"""Asks for a computed column: cases, bins, parts of dates, texts, figures among other rows, or any expression."""

from collections.abc import Callable, Mapping
from typing import Any

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtWidgets import (
    QComboBox,
    QFormLayout,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QStackedWidget,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.data.query.dialogs.operand_editor import KIND_LABELS
from northmoor.app.data.query.dialogs.step_dialog import StepDialog
from northmoor.app.data.query.sentence_context import SentenceContext
from northmoor.app.data.query.sentence_text import short
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.word_completer import WordCompleter
from northmoor.core.authoring.completions import Completion
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import NorthmoorError, QueryError
from northmoor.core.expr.identifiers import bare_or_quoted, unquoted_name
from northmoor.core.sources.builder.asides import tables
from northmoor.core.sources.builder.computed_forms import (
    Bins,
    Cases,
    MadeText,
    PartOfDate,
    WindowFigure,
    computed_form,
    with_keywords,
)
from northmoor.core.sources.builder.computing import (
    DATE_PARTS,
    TEXT_FORMS,
    WINDOW_FORMS,
    WhenThen,
    bins_sql,
    case_sql,
    date_part_sql,
    text_sql,
    window_sql,
)
from northmoor.core.sources.builder.operands import OperandKind
from northmoor.core.sources.builder.page_expressions import expression_sql, portable_functions, portable_name
from northmoor.core.sources.builder.select_model import SelectItem, SelectModel, one_line, select_sql

_SETTLE = 300  # milliseconds without a change before the first values are asked for
_SHOWN = 5


def _written(editor: QPlainTextEdit) -> str:
    text = editor.toPlainText().strip()
    if not text:
        raise QueryError(tr("Write an expression, as in quantity * unit_price."))
    return text


class ColumnBox(QComboBox):
    """A column, or any expression that is typed."""

    def __init__(self, columns: list[str], name: str, is_needed: bool = True) -> None:
        super().__init__()
        self.setEditable(True)
        self.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.addItems(columns if is_needed else ["", *columns])
        self.setCurrentText("")
        self.setAccessibleName(name)

    def sql(self) -> str:
        """What is chosen or typed. Raises QueryError for nothing."""
        text = self.currentText().strip()
        if not text:
            raise QueryError(tr("Choose a column for “{name}”.").format(name=self.accessibleName()))
        return text


class ComputeDialog(StepDialog):
    """Asks for a computed column, or how one is computed that is there (`edited`, which is read into its form); its SQL
    and its first values are shown while one chooses."""

    def __init__(
        self,
        sentence: SelectModel,
        around: SentenceContext,
        parent: QWidget | None = None,
        edited: SelectItem | None = None,
    ) -> None:
        super().__init__(tr("Compute a column") if edited is None else tr("Change how a column is computed"), parent)
        self.resize(620, 440)
        self._unchanged: tuple[SelectItem, SelectItem] | None = None
        """What the forms make of an edited column, and the column as it is: nothing changes by looking at it."""
        self._sentence, self._around = sentence, around
        self._asking: CancelToken | None = None
        self._columns = list(dict.fromkeys([*around.columns(sentence), *(k.expression for k in sentence.select_items)]))
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("What is computed"))
        self.pages = QStackedWidget()
        self._makers: list[Callable[[], str]] = []
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Its name"))
        self.sql = QLabel()
        self.sql.setObjectName("mono")
        self.values = QLabel()
        for label in (self.sql, self.values):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_SETTLE)
        self._fill()
        self._place()
        self.kind.currentIndexChanged.connect(self.pages.setCurrentIndex)
        self.kind.currentIndexChanged.connect(lambda _: self._changed())
        self._timer.timeout.connect(self._ask_values)
        self.finished.connect(lambda _: self._stop())
        if edited is not None:
            self._read(edited)
        self._changed()

    def _place(self) -> None:
        form = QFormLayout()
        form.addRow(tr("&Compute"), self.kind)
        below = QFormLayout()
        below.addRow(tr("&Its name"), self.name)
        below.addRow(tr("SQL"), self.sql)
        below.addRow(tr("Result"), self.values)
        layout = QVBoxLayout(self)
        layout.addLayout(form)
        layout.addWidget(self.pages, 1)
        layout.addLayout(below)
        layout.addWidget(self.fault)
        layout.addWidget(self.buttons)

    # the forms

    def _fill(self) -> None:
        self._add(tr("An expression, as on the page"), self._page_expression())
        self._add(tr("A value for each case (when … then …)"), self._case_page())
        self._add(tr("Bins of a number"), self._bins_page())
        self._add(tr("A part of a day or moment"), self._date_page())
        self._add(tr("A text"), self._text_page())
        self._add(tr("A figure among other rows: running total, share, rank …"), self._window_page())
        self._add(tr("An expression in the database's own SQL"), self._sql_expression())

    def _add(self, label: str, page: tuple[QWidget, Callable[[], str]]) -> None:
        self.kind.addItem(label)
        self.pages.addWidget(page[0])
        self._makers.append(page[1])

    def _box(self, name: str, is_needed: bool = True) -> ColumnBox:
        box = ColumnBox(self._columns, name, is_needed)
        box.editTextChanged.connect(lambda _: self._changed())
        return box

    def _line(self, text: str, name: str) -> QLineEdit:
        line = QLineEdit(text)
        line.setAccessibleName(name)
        line.textChanged.connect(lambda _: self._changed())
        return line

    def _choice(self, words: Mapping[Any, str], name: str) -> QComboBox:
        box = QComboBox()
        box.setAccessibleName(name)
        for key, text in words.items():
            box.addItem(tr(text), key)
        box.currentIndexChanged.connect(lambda _: self._changed())
        return box

    def _page(self, *rows: tuple[str, QWidget]) -> QWidget:
        page = QWidget()
        form = QFormLayout(page)
        form.setContentsMargins(0, 6, 0, 0)
        for label, widget in rows:
            form.addRow(label, widget)
        return page

    def _page_expression(self) -> tuple[QWidget, Callable[[], str]]:
        kinds = self._around.kinds(self._sentence)
        self.expression = self._expression_editor(tr("Expression, as on the page"))
        names = [portable_name(each, self._around.dialect) for each in self._columns]
        functions = [Completion(each.signature, tr(each.sentence)) for each in portable_functions(self._around.dialect)]
        known = [*self._names(names, kinds), *functions]
        WordCompleter(self.expression, lambda: known)

        def made() -> str:
            return expression_sql(_written(self.expression), self._around.dialect, kinds)

        return self._expression_page(self.expression, names), made

    def _sql_expression(self) -> tuple[QWidget, Callable[[], str]]:
        self.own_sql = self._expression_editor(tr("Expression in SQL"))
        known = self._names(self._columns, self._around.kinds(self._sentence))
        WordCompleter(self.own_sql, lambda: known)
        return self._expression_page(self.own_sql, self._columns), lambda: _written(self.own_sql)

    def _names(self, columns: list[str], kinds: Mapping[str, OperandKind]) -> list[Completion]:
        """What an expression can name, to be completed: columns, also by their names alone, and parameters."""
        found = [kinds.get(column) for column in self._columns]
        about = [KIND_LABELS[kind] if kind is not None else "" for kind in found]
        parameters = [Completion(f":{name}", tr("Parameter")) for name in self._around.parameters]
        return [*map(Completion, columns, about), *parameters]

    def _expression_editor(self, name: str) -> QPlainTextEdit:
        editor = QPlainTextEdit()
        editor.setAccessibleName(name)
        editor.setTabChangesFocus(True)
        editor.setPlaceholderText(tr("as in quantity * unit_price"))
        editor.textChanged.connect(self._changed)
        return editor

    def _expression_page(self, editor: QPlainTextEdit, columns: list[str]) -> QWidget:
        inserted = QComboBox()
        inserted.addItems([tr("insert a column …"), *columns])
        inserted.setAccessibleName(tr("Insert a column"))
        inserted.activated.connect(lambda at: editor.insertPlainText(inserted.itemText(at) if at else ""))
        return self._page((tr("&Expression"), editor), ("", inserted))

    def _case_page(self) -> tuple[QWidget, Callable[[], str]]:
        self.cases = QTableWidget(2, 2)
        self.cases.setHorizontalHeaderLabels([tr("When (a condition)"), tr("Then (a value)")])
        self.cases.setAccessibleName(tr("Cases"))
        header = self.cases.horizontalHeader()
        assert header is not None
        header.setSectionResizeMode(header.ResizeMode.Stretch)
        self.cases.itemChanged.connect(lambda _: self._changed())
        self.otherwise = self._line("", tr("Otherwise"))
        more = QPushButton(icon("plus"), tr("Another case"))
        more.setAutoDefault(False)
        more.clicked.connect(lambda: self.cases.insertRow(self.cases.rowCount()))
        page = self._page(("", self.cases), ("", more), (tr("&Otherwise"), self.otherwise))

        def cell(row: int, column: int) -> str:
            item: QTableWidgetItem | None = self.cases.item(row, column)
            return item.text().strip() if item is not None else ""

        def made() -> str:
            found = [
                WhenThen(cell(n, 0), cell(n, 1)) for n in range(self.cases.rowCount()) if cell(n, 0) and cell(n, 1)
            ]
            return case_sql(found, self.otherwise.text().strip())

        return page, made

    def _bins_page(self) -> tuple[QWidget, Callable[[], str]]:
        self.binned, self.width_of_bins = self._box(tr("Number")), self._line("10", tr("Width of a bin"))
        page = self._page((tr("&Number"), self.binned), (tr("&Width of a bin"), self.width_of_bins))
        return page, lambda: bins_sql(self.binned.sql(), self.width_of_bins.text().strip(), self._around.dialect)

    def _date_page(self) -> tuple[QWidget, Callable[[], str]]:
        self.moment, self.part = self._box(tr("Day or moment")), self._choice(DATE_PARTS, tr("Part"))
        page = self._page((tr("&Day or moment"), self.moment), (tr("&Part"), self.part))
        return page, lambda: date_part_sql(self.moment.sql(), self.part.currentData(), self._around.dialect)

    def _text_page(self) -> tuple[QWidget, Callable[[], str]]:
        self.text_form = self._choice(TEXT_FORMS, tr("Operation"))
        self.text, self.other_text = self._box(tr("Text")), self._box(tr("And"), is_needed=False)
        self.detail = self._line(" ", tr("Separator, or number of characters"))
        page = self._page(
            (tr("&Operation"), self.text_form),
            (tr("&Text"), self.text),
            (tr("&And"), self.other_text),
            (tr("&Separator or number"), self.detail),
        )

        def made() -> str:
            others = [self.other_text.currentText().strip()] if self.other_text.currentText().strip() else []
            form = self.text_form.currentData()
            return text_sql(form, [self.text.sql(), *others], self.detail.text(), self._around.dialect)

        return page, made

    def _window_page(self) -> tuple[QWidget, Callable[[], str]]:
        self.window_form = self._choice(WINDOW_FORMS, tr("Function"))
        self.value, self.within = self._box(tr("Value")), self._box(tr("Within groups of"), is_needed=False)
        self.order = self._box(tr("Order by"), is_needed=False)
        self.count = self._line("3", tr("Over how many rows"))
        self.window_form.currentIndexChanged.connect(lambda _: self._fit_window(page))
        page = self._page(
            (tr("&Function"), self.window_form),
            (tr("&Value"), self.value),
            (tr("Within &groups of"), self.within),
            (tr("&Order by"), self.order),
            (tr("&Over how many rows"), self.count),
        )

        self._fit_window(page)

        def made() -> str:
            count = self.count.text().strip()
            if not count.isdigit() or int(count) < 1:
                raise QueryError(
                    tr("{count} is not a number of rows; enter one such as 3.").format(count=count or tr("Nothing"))
                )
            within, order = self.within.currentText().strip(), self.order.currentText().strip()
            return window_sql(self.window_form.currentData(), self.value.sql(), within, order, int(count))

        return page, made

    def _fit_window(self, page: QWidget) -> None:
        """Only what a figure needs is asked for."""
        form, figure = page.layout(), self.window_form.currentData()
        assert isinstance(form, QFormLayout)
        form.setRowVisible(self.order, figure not in ("share", "rank", "number"))
        form.setRowVisible(self.count, figure == "moving")

    def _read(self, edited: SelectItem) -> None:
        """Fill in how a column is computed: its form, or its SQL where it has none."""
        form = computed_form(edited.expression, self._around.dialect)
        self.name.setText(unquoted_name(edited.name))
        if isinstance(form, Cases):
            page = self.cases.parentWidget()
            self.cases.setRowCount(len(form.cases))
            for row, case in enumerate(form.cases):
                for column, text in enumerate((case.when, case.then)):
                    self.cases.setItem(row, column, QTableWidgetItem(text))
            self.otherwise.setText(form.otherwise)
        elif isinstance(form, Bins):
            page = self.binned.parentWidget()
            self.binned.setCurrentText(form.number)
            self.width_of_bins.setText(form.width)
        elif isinstance(form, PartOfDate):
            page = self.moment.parentWidget()
            self.moment.setCurrentText(form.moment)
            self.part.setCurrentIndex(self.part.findData(form.part))
        elif isinstance(form, MadeText):
            page = self.text.parentWidget()
            self.text_form.setCurrentIndex(self.text_form.findData(form.form))
            for box, text in zip((self.text, self.other_text), form.texts, strict=False):
                box.setCurrentText(text)
            self.detail.setText(form.detail)
        elif isinstance(form, WindowFigure):
            page = self.value.parentWidget()
            self.window_form.setCurrentIndex(self.window_form.findData(form.form))
            for box, text in ((self.value, form.value), (self.within, form.within), (self.order, form.order)):
                box.setCurrentText(text)
            self.count.setText(str(form.rows))
        else:
            page = self.own_sql.parentWidget()
            self.own_sql.setPlainText(edited.expression)
        self.kind.setCurrentIndex(next(at for at in range(self.pages.count()) if self.pages.widget(at) is page))
        self._unchanged = self.item(), edited

    # the result

    def item(self) -> SelectItem:
        """The column. Raises QueryError when something is missing."""
        expression = self._makers[self.kind.currentIndex()]()
        if self.pages.currentWidget() not in (self.expression.parentWidget(), self.own_sql.parentWidget()):
            expression = with_keywords(expression, self._around.dialect, self._around.keyword)
        typed = self.name.text().strip()
        name = bare_or_quoted(typed, self._around.dialect) if typed else ""
        if self._unchanged is not None:
            made, edited = self._unchanged
            expression = edited.expression if expression == made.expression else expression
            name = edited.name if name == made.name else name
        return SelectItem(expression, name)

    def check(self) -> None:
        """See that what is filled in is whole. Raises QueryError."""
        self.item()

    def _changed(self) -> None:
        self.fault.setText("")
        self._timer.start()
        try:
            self.sql.setText(one_line(self.item().expression))
        except QueryError:
            self.sql.setText("")
            self.values.setText("")

    def _ask_values(self) -> None:
        if self._around.ask is None:
            return
        self._stop()
        sentence = self._sentence
        try:
            item = SelectItem(self.item().expression, "computed")
        except QueryError as error:
            if self.pages.currentIndex() == 0 and self.expression.toPlainText().strip():
                self.fault.setText(core_text(error.message))
            return
        items = (*sentence.select_items, item)  # groups may go by the names of other columns
        asked = SelectModel(
            tables(sentence), items, sentence.where, sentence.groups, steps=sentence.steps, first=str(_SHOWN)
        )
        self._asking = self._around.ask(select_sql(asked), self._show_values)

    def _stop(self) -> None:
        self._timer.stop()
        if self._asking is not None:
            self._asking.cancel()

    def _show_values(self, answer: object) -> None:
        if isinstance(answer, NorthmoorError):
            self.values.setText("")
            self.fault.setText(core_text(answer.message))
            return
        assert isinstance(answer, Rows)
        found = [tr("blank") if value is None else str(value) for value in answer.table.columns[-1].to_pylist()]
        self.values.setText(short(", ".join(found)))
