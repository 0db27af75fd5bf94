"""A dialog that asks for a step of a query: it shows what is missing or wrong, and remains open."""

from abc import abstractmethod

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QLabel, QPushButton, QWidget

from northmoor.app.language.core_sentences import core_text
from northmoor.core.errors import QueryError


class StepDialog(QDialog):
    """Asks for a piece of a query; `fault` is where it says why it cannot be taken."""

    def __init__(self, title: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(title)
        self.fault = QLabel()
        self.fault.setObjectName("fault")
        self.fault.setWordWrap(True)
        self.fault.setTextFormat(Qt.TextFormat.PlainText)
        kinds = QDialogButtonBox.StandardButton
        self.buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        self.buttons.accepted.connect(self.accept)
        self.buttons.rejected.connect(self.reject)

    @property
    def ok(self) -> QPushButton:
        """The button that takes what is filled in."""
        found = self.buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert found is not None
        return found

    @abstractmethod
    def check(self) -> None:
        """See that what is filled in is whole. Raises QueryError."""

    def accept(self) -> None:
        """Only what is whole is taken."""
        try:
            self.check()
        except QueryError as error:
            self.fault.setText(core_text(error.message))
            return
        super().accept()
