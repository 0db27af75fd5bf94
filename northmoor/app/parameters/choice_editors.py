"""Editors for a parameter's fixed list, and for a query with one of its columns."""

from collections.abc import Callable

from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QHBoxLayout,
    QHeaderView,
    QLineEdit,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.translation import tr
from northmoor.app.parameters.control_base import value_text
from northmoor.app.parameters.inline_controls import bare_row
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.widget_tools import pass_focus
from northmoor.core.model.parameters import Choice, Scalar


class FixedChoices(QWidget):
    """A table of values and labels."""

    def __init__(self, choices: tuple[Choice, ...], commit: Callable[[tuple[Choice, ...]], object]) -> None:
        super().__init__()
        self._choices, self._commit = choices, commit
        self.table = QTableWidget(len(choices), 2)
        self.table.setHorizontalHeaderLabels([tr("Value"), tr("Label")])
        self.table.verticalHeader().setVisible(False)
        self.table.verticalHeader().setDefaultSectionSize(28)
        self.table.horizontalHeader().setSectionResizeMode(QHeaderView.ResizeMode.Stretch)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setAccessibleName(tr("Entries of the list"))
        self.table.setFixedHeight(min(len(choices), 5) * 28 + 34)
        for row, choice in enumerate(choices):
            self.table.setItem(row, 0, QTableWidgetItem(value_text(choice.value)))
            self.table.setItem(row, 1, QTableWidgetItem(choice.label))
        buttons = QHBoxLayout()
        for text, drawing, run in (
            (tr("Add"), "plus", self.add),
            (tr("Up"), "arrow-up", lambda: self._move(-1)),
            (tr("Down"), "arrow-down", lambda: self._move(1)),
            (tr("Remove"), "x", self.remove),
        ):
            button = QPushButton(icon(drawing), text)
            button.setAutoDefault(False)
            button.clicked.connect(lambda _=False, run=run: run())
            buttons.addWidget(button)
        buttons.addStretch(1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.table)
        column.addLayout(buttons)
        self.table.itemChanged.connect(lambda _: self._changed())

    def add(self) -> None:
        """Add an entry like the last one, to be written over."""
        last = self._choices[-1].value
        value: Scalar = last + 1 if isinstance(last, int | float) and not isinstance(last, bool) else f"{last}_2"
        self._commit((*self._choices, Choice(value=value, label=tr("Another choice"))))

    def remove(self) -> None:
        """Take the current entry out; one stays."""
        at = self.table.currentRow() if self.table.currentRow() >= 0 else len(self._choices) - 1
        if len(self._choices) > 1:
            self._commit((*self._choices[:at], *self._choices[at + 1 :]))

    def _move(self, by: int) -> None:
        at, choices = self.table.currentRow(), list(self._choices)
        if at >= 0 and 0 <= at + by < len(choices):
            choices.insert(at + by, choices.pop(at))
            self._commit(tuple(choices))

    def _changed(self) -> None:
        made = []
        for row, choice in enumerate(self._choices):
            value, label = self.table.item(row, 0), self.table.item(row, 1)
            assert value is not None
            assert label is not None
            made.append(Choice(value=_like(choice.value, value.text()), label=label.text()))
        if tuple(made) != self._choices:
            self._commit(tuple(made))


def _like(before: Scalar, text: str) -> Scalar:
    """A typed text as the kind of value that was there, where it is one."""
    if text == value_text(before):
        return before
    if isinstance(before, int) and not isinstance(before, bool) and text.lstrip("-").isdigit():
        return int(text)
    return text


class PickedColumn(QWidget):
    """A query, and one of its columns."""

    def __init__(
        self,
        queries: list[str],
        columns: Callable[[str], list[str]],
        query: str,
        column: str,
        commit: Callable[[str, str], object],
    ) -> None:
        super().__init__()
        self._columns, self._commit = columns, commit
        self._query, self._column = query, column
        self.query, self.column = QComboBox(), QComboBox()
        self.query.addItems(queries)
        self.query.setCurrentText(query)
        self.query.setAccessibleName(tr("Query"))
        self._line = QLineEdit()
        self._line.setStyleSheet("border: none; padding: 0; background: transparent;")  # the box has its own
        self.column.setEditable(True)
        self.column.setLineEdit(self._line)
        self.column.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.column.addItems(columns(query) if query in queries else [])
        self.column.setCurrentText(column)
        self.column.setAccessibleName(tr("Column"))
        row = bare_row(self, 6)
        row.addWidget(self.query, 1)
        row.addWidget(self.column, 1)
        pass_focus(self, self.query)

        self.query.textActivated.connect(self._turn)
        self.column.textActivated.connect(self._choose)
        self._line.editingFinished.connect(lambda: self._choose(self._line.text().strip()))

    def _turn(self, query: str) -> None:
        """Choose another query, and its first column until another one is chosen."""
        if query != self._query:
            self._query, found = query, self._columns(query)
            self._column = found[0] if found else self._column
            self._commit(self._query, self._column)

    def _choose(self, column: str) -> None:
        if column != self._column:
            self._column = column
            self._commit(self._query, column)
