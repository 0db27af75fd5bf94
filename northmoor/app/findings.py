"""Preflight's panel: each finding with its place, what is wrong, and buttons that mend it."""

from collections.abc import Sequence
from functools import partial

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QDialog, QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from northmoor.app.icons import icon
from northmoor.app.theme import GORSE, ROWAN
from northmoor.core.errors import Place
from northmoor.core.model.findings import Finding, Remedy


class FindingsPanel(QDialog):
    """The findings about the report as it is now. It stays open, and follows what is mended."""

    remedy_wanted = pyqtSignal(object)
    place_wanted = pyqtSignal(object)

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle("Preflight")
        self.resize(560, 380)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.area)
        self.show_findings(())

    def show_findings(self, findings: Sequence[Finding]) -> None:
        """Show findings, faults first."""
        body = QWidget()
        column = QVBoxLayout(body)
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(10)
        for finding in sorted(findings, key=lambda f: not f.is_error):
            column.addWidget(self._row(finding))
        if not findings:
            nothing = QLabel("Nothing to look at. The report can go out.")
            nothing.setObjectName("good")
            column.addWidget(nothing)
        column.addStretch(1)
        self.area.setWidget(body)

    def _row(self, finding: Finding) -> QWidget:
        row = QFrame()
        mark = QLabel()
        mark.setPixmap(icon("triangle-alert", ROWAN if finding.is_error else GORSE).pixmap(16, 16))
        mark.setAccessibleName("Fault" if finding.is_error else "To look at")
        message = QLabel(finding.message)
        message.setTextFormat(Qt.TextFormat.PlainText)
        message.setWordWrap(True)
        texts = QVBoxLayout()
        texts.setSpacing(4)
        if str(finding.place):
            place = QPushButton(str(finding.place))
            place.setObjectName("place")
            place.setToolTip("Go there")
            place.setAutoDefault(False)
            place.clicked.connect(partial(self._go, finding.place))
            texts.addWidget(place, 0, Qt.AlignmentFlag.AlignLeft)
        texts.addWidget(message)
        buttons = QHBoxLayout()
        for remedy in finding.remedies:
            button = QPushButton(remedy.label)
            button.setAutoDefault(False)
            button.clicked.connect(partial(self._mend, remedy))
            buttons.addWidget(button)
        buttons.addStretch(1)
        if finding.remedies:
            texts.addLayout(buttons)
        line = QHBoxLayout(row)
        line.setContentsMargins(0, 0, 0, 0)
        line.addWidget(mark, 0, Qt.AlignmentFlag.AlignTop)
        line.addLayout(texts, 1)
        return row

    def _go(self, place: Place, _: bool = False) -> None:
        self.place_wanted.emit(place)

    def _mend(self, remedy: Remedy, _: bool = False) -> None:
        self.remedy_wanted.emit(remedy)
