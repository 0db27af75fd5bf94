"""Asks when cells are highlighted, and how: a comparison with a value, or between two, and one of a few looks."""

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QHBoxLayout, QLabel, QLineEdit, QWidget

from northmoor.core.errors import ExpressionError
from northmoor.core.expr.language import parse
from northmoor.core.model.styles import Style

_TESTS = (
    ("greater than", "{x} > {a}"),
    ("at least", "{x} >= {a}"),
    ("less than", "{x} < {a}"),
    ("at most", "{x} <= {a}"),
    ("equal to", "{x} = {a}"),
    ("not equal to", "{x} <> {a}"),
    ("between", "{x} between {a} and {b}"),
    ("missing", "{x} is null"),
)
LOOKS = (
    ("Red text", Style(color="#B3402E")),
    ("Red background", Style(fill="#F3D9D3")),
    ("Amber background", Style(fill="#F6E7BF")),
    ("Green background", Style(fill="#DDE8CF")),
    ("Bold", Style(bold=True)),
)


class HighlightDialog(QDialog):
    """The dialog; `condition` and `look` are what was chosen. A text is compared as it is written."""

    def __init__(self, title: str, expression: str, first: str, is_text: bool, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Highlight")
        self._expression, self._is_text = expression, is_text
        self.test, self.look_choice = QComboBox(), QComboBox()
        self.value, self.until, self._and = QLineEdit(first), QLineEdit(), QLabel("and")
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
        self.test.setAccessibleName("Comparison")
        self.value.setAccessibleName("Value")
        self.until.setAccessibleName("Up to")
        form.addRow(f"When {title} is", line)
        form.addRow("Show it as", self.look_choice)
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
            self._fault.setText(f"The value cannot be compared with: {error.message}")
            return
        self.accept()
