"""Editors for what a condition compares with: a value of a kind, a parameter, a column, or SQL; and a list of these."""

from collections.abc import Sequence

from msgspec import Struct
from PyQt6.QtCore import pyqtSignal
from PyQt6.QtGui import QFocusEvent
from PyQt6.QtWidgets import QComboBox, QHBoxLayout, QPlainTextEdit, QVBoxLayout, QWidget

from northmoor.app.language.translation import tr
from northmoor.core.sources.builder.operands import Operand, OperandKind, operand_sql, read_operand

KIND_LABELS: dict[OperandKind, str] = {
    "text": tr("Text"),
    "number": tr("Number"),
    "date": tr("Date"),
    "timestamp": tr("Date and time"),
    "parameter": tr("Parameter"),
    "column": tr("Column"),
    "sql": tr("SQL"),
}
_HINTS: dict[OperandKind, str] = {
    "text": tr("as it is in the data, without quotes"),
    "number": tr("1250 or 12.50"),
    "date": "2025-03-01",
    "timestamp": "2025-03-01 06:30",
    "parameter": tr("choose a parameter"),
    "column": tr("choose a column"),
    "sql": tr("any expression"),
}
_LIST_KINDS: tuple[OperandKind, ...] = ("text", "number", "date", "timestamp", "sql")


class OperandChoices(Struct, frozen=True):
    """What an operand can be chosen from, and how its SQL is written."""

    dialect: str
    columns: tuple[str, ...] = ()
    parameters: tuple[str, ...] = ()


class OperandEditor(QWidget):
    """One operand. What is not changed comes back as it was written."""

    changed = pyqtSignal()

    def __init__(self, choices: OperandChoices, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._choices = choices
        self._given, self._read = "", Operand("text", "")
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("Kind of {name}").format(name=name))
        self.kind.setToolTip(tr("What it is compared with: a value, a parameter of the report, another column, or SQL"))
        for kind, label in KIND_LABELS.items():
            self.kind.addItem(label, kind)
        self.value = QComboBox()
        self.value.setEditable(True)
        self.value.setInsertPolicy(QComboBox.InsertPolicy.NoInsert)
        self.value.setAccessibleName(name)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.kind)
        row.addWidget(self.value, 1)
        self.kind.currentIndexChanged.connect(lambda _: self._fit())
        self.value.editTextChanged.connect(lambda _: self.changed.emit())
        self._fit()

    def show_sql(self, sql: str, wanted: OperandKind) -> None:
        """Show an operand; an empty one is of the kind that is wanted."""
        choices = self._choices
        self._given = sql
        self._read = read_operand(sql, choices.dialect, choices.columns, wanted) if sql else Operand(wanted, "")
        self.show_operand(self._read)

    def show_operand(self, operand: Operand) -> None:
        """Show a kind and a value."""
        self.kind.setCurrentIndex(self.kind.findData(operand.kind))
        self._fit()
        self.value.setCurrentText(operand.value)

    def operand(self) -> Operand:
        """What is filled in."""
        return Operand(self.kind.currentData(), self.value.currentText())

    def sql(self) -> str:
        """The operand as SQL. Raises QueryError for a value that is none of its kind."""
        found = self.operand()
        return self._given if self._given and found == self._read else operand_sql(found, self._choices.dialect)

    def _fit(self) -> None:
        kind, text = self.kind.currentData(), self.value.currentText()
        offered = {"parameter": self._choices.parameters, "column": self._choices.columns}.get(kind, ())
        self.value.clear()
        self.value.addItems(list(offered))
        self.value.setCurrentText(text if kind not in ("parameter", "column") or text in offered else "")
        line = self.value.lineEdit()
        assert line is not None
        line.setPlaceholderText(_HINTS[kind])
        self.changed.emit()

    def focusInEvent(self, event: QFocusEvent | None) -> None:
        """The value is what one wants to fill in."""
        super().focusInEvent(event)
        self.value.setFocus()


class OperandListEditor(QWidget):
    """A list of values of one kind, one in each line; or SQL for each."""

    changed = pyqtSignal()

    def __init__(self, choices: OperandChoices, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._choices = choices
        self._given: tuple[str, ...] = ()
        self._read: tuple[OperandKind, str] = ("text", "")
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("Kind of the values"))
        for kind in _LIST_KINDS:
            self.kind.addItem(KIND_LABELS[kind], kind)
        self.lines = QPlainTextEdit()
        self.lines.setAccessibleName(tr("Values, one per line"))
        self.lines.setTabChangesFocus(True)
        self.lines.setPlaceholderText(tr("one value per line"))
        self.lines.setFixedHeight(118)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.kind)
        column.addWidget(self.lines)
        self.lines.textChanged.connect(self.changed.emit)
        self.kind.currentIndexChanged.connect(lambda _: self.changed.emit())

    def show_sql(self, given: Sequence[str], wanted: OperandKind) -> None:
        """Show a list; one whose values are of several kinds is shown as SQL."""
        read = [read_operand(sql, self._choices.dialect, (), wanted) for sql in given]
        kinds = {operand.kind for operand in read}
        kind: OperandKind = wanted if not kinds else kinds.pop() if len(kinds) == 1 else "sql"
        if kind not in _LIST_KINDS or any("\n" in operand.value for operand in read):
            kind = "sql"
        self._given = tuple(given)
        self._show(kind, [sql.replace("\n", " ") for sql in given] if kind == "sql" else [o.value for o in read])
        self._read = (kind, self.lines.toPlainText())

    def _show(self, kind: OperandKind, values: Sequence[str]) -> None:
        self.kind.setCurrentIndex(self.kind.findData(kind))
        self.lines.setPlainText("\n".join(values))

    def show_values(self, kind: OperandKind, values: Sequence[str]) -> None:
        """Fill in values that were chosen from the data."""
        self._show(kind, values)

    def sql(self) -> tuple[str, ...]:
        """The list as SQL. Raises QueryError for a value that is none of its kind."""
        kind = self.kind.currentData()
        if self._given and (kind, self.lines.toPlainText()) == self._read:
            return self._given
        values = [line for line in self.lines.toPlainText().split("\n") if line.strip()]
        return tuple(operand_sql(Operand(kind, value), self._choices.dialect) for value in values)
