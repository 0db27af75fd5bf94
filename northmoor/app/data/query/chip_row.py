"""A line of words and chips that reads as a sentence; each chip opens what it represents."""

from collections.abc import Callable

from PyQt6.QtCore import QPoint, QSize, Qt
from PyQt6.QtWidgets import QLabel, QToolButton, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.widgets.flow_layout import FlowLayout
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import HEATHER, STONE_TEXT
from northmoor.app.widgets.widget_tools import hide_and_delete


class ChipRow(QWidget):
    """Words and chips, line after line."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._flow = FlowLayout(self)
        self._flow.setContentsMargins(14, 10, 14, 10)
        self.setAccessibleName(tr("Sentence"))

    def clear(self) -> None:
        """Take all words and chips away."""
        while (item := self._flow.takeAt(0)) is not None:
            widget = item.widget()
            if widget is not None:
                hide_and_delete(widget)

    def add_word(self, text: str) -> QLabel:
        """Add a word."""
        label = QLabel(text)
        label.setObjectName("quiet")
        label.setTextFormat(Qt.TextFormat.PlainText)
        self._flow.addWidget(label)
        return label

    def add_chip(
        self, text: str, drawing: str, run: Callable[[], object], message: str, is_new: bool = False
    ) -> QToolButton:
        """Add a chip with an icon, what it does when it is clicked, and a sentence that says so."""
        chip = QToolButton()
        chip.setObjectName("new-chip" if is_new else "chip")
        chip.setText(text.replace("&", "&&"))
        if drawing:
            chip.setIcon(icon(drawing, HEATHER if ":" in text else STONE_TEXT, 14))
            chip.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
            chip.setIconSize(QSize(14, 14))
        chip.setProperty("bound", ":" in text)
        chip.setToolTip(message)
        chip.setAccessibleName(f"{text}: {message}")
        chip.clicked.connect(lambda: run())
        self._flow.addWidget(chip)
        return chip

    def below_chip(self, chip: object) -> QPoint:
        """The place below a chip, for its menu; below the sentence for anything else."""
        widget = chip if isinstance(chip, QWidget) else self
        return widget.mapToGlobal(QPoint(0, widget.height() + 2))
