"""Preflight in the window: the button that counts findings, their panel, and what its buttons do."""

from collections.abc import Sequence
from functools import partial
from html import escape
from typing import Protocol

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QScrollArea,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.document_controller import BY_DEFAULT, DocumentController, Selection
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import GORSE, ROWAN
from northmoor.app.widgets.widget_tools import replace_content
from northmoor.core.errors import Place
from northmoor.core.model.findings import Finding, Remedy


class PreflightPanel(QDialog):
    """The findings about the report as it is now. It stays open, and follows what is fixed."""

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
        replace_content(self.area, body)

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
            button.clicked.connect(partial(self._apply_remedy, remedy))
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

    def _apply_remedy(self, remedy: Remedy, _: bool = False) -> None:
        self.remedy_wanted.emit(remedy)


class FindingTargets(Protocol):
    """What following a finding needs of the window."""

    controller: DocumentController

    def show_workspace(self, name: str) -> None: ...
    def show_query(self, name: str) -> None: ...
    def define_parameters(self, name: str) -> None: ...


class PreflightButton(QObject):
    """What Preflight found, as a button that opens the panel."""

    def __init__(self, window: FindingTargets) -> None:
        super().__init__()
        self._window = window
        self.found: tuple[Finding, ...] = ()
        self.panel: PreflightPanel | None = None
        self.button = QToolButton()
        self.button.setToolButtonStyle(Qt.ToolButtonStyle.ToolButtonTextBesideIcon)
        self.button.setStyleSheet("QToolButton { border: none; background: transparent; }")
        self.button.setIcon(icon("triangle-alert", GORSE))
        self.button.clicked.connect(self.open)

    def show(self, findings: tuple[Finding, ...]) -> None:
        """Take what was found last."""
        self.found = findings
        if self.panel is not None:
            self.panel.show_findings(findings)
        self.button.setVisible(bool(findings))
        self.button.setText(f"Preflight: {len(findings)} to look at")
        self.button.setToolTip("<br>".join(escape(str(finding)) for finding in findings[:12]))

    def open(self) -> None:
        """Open the panel."""
        if self.panel is None:
            self.panel = PreflightPanel(self._window if isinstance(self._window, QWidget) else None)
            self.panel.remedy_wanted.connect(self._apply_remedy)
            self.panel.place_wanted.connect(self._go)
        self.panel.show_findings(self.found)
        self.panel.show()
        self.panel.raise_()

    def _apply_remedy(self, remedy: Remedy) -> None:
        """Do what fixes a finding."""
        controller, edit = self._window.controller, remedy.edit
        if edit is not None:
            controller.edit(remedy.label, lambda report, _: edit(report))
        given = (remedy.values or {}).items()
        controller.change_values({name: BY_DEFAULT if value is None else value for name, value in given})

    def _go(self, place: Place) -> None:
        """Show what a finding refers to."""
        controller = self._window.controller
        kinds = (
            {block.name: block.kind for block in controller.edition.blocks} if controller.edition is not None else {}
        )
        if place.parameter is not None:
            self._window.define_parameters(place.parameter)
        elif place.block in kinds:
            self._window.show_workspace("pages")
            controller.select(Selection(kinds[place.block], place.block))
        elif place.query is not None:
            self._window.show_query(place.query)
