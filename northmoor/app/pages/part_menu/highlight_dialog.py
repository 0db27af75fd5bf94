"""Asks when cells are highlighted, and how: a comparison with a value, or between two, and one of a few looks."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QHBoxLayout, QLabel, QLineEdit, QWidget

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import parse
from northmoor.core.model.styles import Style

_TESTS = (
    (tr("greater than"), "{x} > {a}"),
    (tr("at least"), "{x} >= {a}"),
    (tr("less than"), "{x} < {a}"),
    (tr("at most"), "{x} <= {a}"),
    (tr("equal to"), "{x} = {a}"),
    (tr("not equal to"), "{x} <> {a}"),
    (tr("between"), "{x} between {a} and {b}"),
    (tr("missing"), "{x} is null"),
)
LOOKS = (
    (tr("Red text"), Style(color="#B3402E")),
    (tr("Red background"), Style(fill="#F3D9D3")),
    (tr("Amber background"), Style(fill="#F6E7BF")),
    (tr("Green background"), Style(fill="#DDE8CF")),
    (tr("Bold"), Style(bold=True)),
)


class HighlightDialog(QDialog):
    """The dialog; `condition` and `look` are what was chosen. A text is compared as it is written."""

    def __init__(self, title: str, expression: str, first: str, is_text: bool, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Highlight"))
        self._expression, self._is_text = expression, is_text
        self.test, self.look_choice = QComboBox(), QComboBox()
        self.value, self.until, self._and = QLineEdit(first), QLineEdit(), QLabel(tr("and"))
        for text, pattern in _TESTS:
            self.test.addItem(text, pattern)
        for text, _ in LOOKS:
            self.look_choice.addItem(text)
        self._fault = QLabel()
        self._fault.setObjectName("fault")
        self._fault.setWordWrap(True)
        form = QFormLayout(self)
        line = QHBoxLayout()
        for widget in (self.test, self.value, self._and, self.until):
            line.addWidget(widget)
        self.test.setAccessibleName(tr("Comparison"))
        self.value.setAccessibleName(tr("Value"))
        self.until.setAccessibleName(tr("Up to"))
        form.addRow(tr("When {title} is").format(title=title), line)
        form.addRow(tr("Show it as"), self.look_choice)
        form.addRow(self._fault)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self._accept)
        buttons.rejected.connect(self.reject)
        form.addRow(buttons)
        self.test.currentIndexChanged.connect(self._show_lines)
        self._show_lines()
        self.value.setFocus(Qt.FocusReason.OtherFocusReason)
        self.value.selectAll()

    def _show_lines(self) -> None:
        pattern = self.test.currentData()
        self.value.setVisible("{a}" in pattern)
        for widget in (self._and, self.until):
            widget.setVisible("{b}" in pattern)

    @property
    def condition(self) -> str:
        """The condition over a row."""
        pattern: str = self.test.currentData()
        return pattern.replace("{x}", self._expression).replace("{a}", self._operand(self.value)).replace(
            "{b}", self._operand(self.until)
        )  # fmt: skip

    def _operand(self, line: QLineEdit) -> str:
        text = line.text().strip()
        if self._is_text and not text.startswith((":", "'")):
            return "'" + text.replace("'", "''") + "'"
        return text

    @property
    def look(self) -> Style:
        """How such cells look."""
        return LOOKS[self.look_choice.currentIndex()][1]

    def _accept(self) -> None:
        try:
            parse(self.condition)
        except ExpressionError as error:
            self._fault.setText(tr("The value cannot be compared with: {fault}").format(fault=core_text(error.message)))
            return
        self.accept()
