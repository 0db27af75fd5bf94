"""Preflight in the window: the button that counts findings, their panel, and what its buttons do."""

from collections.abc import Sequence
from functools import partial, reduce
from html import escape
from typing import Protocol

from PyQt6.QtCore import QObject, Qt, pyqtSignal
from PyQt6.QtWidgets import (
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
from northmoor.app.language.core_sentences import core_place, core_text
from northmoor.app.language.translation import tr, tr_count
from northmoor.app.widgets.headings import section
from northmoor.app.widgets.icons import IconLabel, icon
from northmoor.app.widgets.menus import key_tip
from northmoor.app.widgets.theme import GORSE, LICHEN, ROWAN
from northmoor.app.widgets.widget_tools import replace_content
from northmoor.core.errors import Place
from northmoor.core.model.blocks.tree import walk
from northmoor.core.model.findings import Finding, Remedy


class PreflightPanel(QFrame):
    """The findings about the report as it is now, below the pages. It stays open, and follows what is fixed."""

    remedies_wanted = pyqtSignal(object)
    place_wanted = pyqtSignal(object)
    closed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("panel")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName(tr("Preflight"))
        self._title = QLabel()
        self._title.setObjectName("name")
        close = QToolButton()
        close.setIcon(icon("x"))
        key_tip(close, tr("Close Preflight"), "preflight")
        close.setAccessibleName(tr("Close Preflight"))
        close.clicked.connect(self.closed.emit)
        head = QHBoxLayout()
        head.addWidget(self._title)
        head.addStretch(1)
        head.addWidget(close)
        self.area = QScrollArea()
        self.area.setObjectName("panel")
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        column = QVBoxLayout(self)
        column.setContentsMargins(10, 4, 6, 6)
        column.setSpacing(4)
        column.addLayout(head)
        column.addWidget(self.area)
        self.show_findings(())

    def show_findings(self, findings: Sequence[Finding]) -> None:
        """Show findings, faults first; a remedy that several of one kind have is offered for all of them as well."""
        self._title.setText(counted(findings))
        body = QWidget()
        body.setObjectName("panel")
        column = QVBoxLayout(body)
        column.setContentsMargins(0, 4, 6, 4)
        column.setSpacing(10)
        for title, is_error in ((tr("Errors"), True), (tr("Warnings"), False)):
            grave = [finding for finding in findings if finding.is_error == is_error]
            if grave:
                column.addWidget(section(f"{title} ({len(grave)})"))
            offered: set[tuple[str, str]] = set()
            for finding in grave:
                column.addWidget(self._row(finding, _alike(finding, grave, offered)))
        if not findings:
            nothing = QLabel(tr("No findings. The report is ready."))
            nothing.setObjectName("good")
            column.addWidget(nothing)
        column.addStretch(1)
        replace_content(self.area, body)

    def _row(self, finding: Finding, for_all: Sequence[tuple[str, list[Remedy]]]) -> QWidget:
        row = QFrame()
        mark = IconLabel("triangle-alert", ROWAN if finding.is_error else GORSE)
        mark.setAccessibleName(tr("Error") if finding.is_error else tr("Warning"))
        message = QLabel(core_text(finding.message))
        message.setTextFormat(Qt.TextFormat.PlainText)
        message.setWordWrap(True)
        texts = QVBoxLayout()
        texts.setSpacing(4)
        if str(finding.place):
            place = QPushButton(core_place(finding.place))
            place.setObjectName("place")
            place.setToolTip(tr("Go there"))
            place.setAutoDefault(False)
            place.clicked.connect(partial(self._go, finding.place))
            texts.addWidget(place, 0, Qt.AlignmentFlag.AlignLeft)
        texts.addWidget(message)
        buttons = QHBoxLayout()
        for remedy in finding.remedies:
            button = QPushButton(core_text(remedy.label))
            button.setAutoDefault(False)
            button.clicked.connect(partial(self._apply_remedies, [remedy]))
            buttons.addWidget(button)
        for label, remedies in for_all:
            button = QPushButton(tr("{label}: all {count}").format(label=label, count=len(remedies)))
            button.setToolTip(tr("Apply this to all findings of this kind, as one step"))
            button.clicked.connect(partial(self._apply_remedies, remedies))
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

    def _apply_remedies(self, remedies: Sequence[Remedy], _: bool = False) -> None:
        self.remedies_wanted.emit(remedies)


def counted(findings: Sequence[Finding]) -> str:
    """How many faults and weaknesses there are, in words."""
    faults = sum(finding.is_error for finding in findings)
    others = len(findings) - faults
    parts = [tr_count(faults, "{count} error", "{count} errors")] * bool(faults) + [
        tr_count(others, "{count} warning", "{count} warnings")
    ] * bool(others)
    return tr("Preflight: {parts}").format(parts=", ".join(parts) or tr("no problems"))


def _alike(
    finding: Finding, findings: Sequence[Finding], offered: set[tuple[str, str]]
) -> list[tuple[str, list[Remedy]]]:
    """The remedies of a finding that others of its rule have too, each offered once, with all of those remedies."""
    found = []
    for own in finding.remedies:
        kind = finding.rule, own.label
        alike = [
            each for other in findings if other.rule == finding.rule
            for each in other.remedies if each.label == own.label and each.edit is not None
        ]  # fmt: skip
        if kind not in offered and len(alike) > 1:
            offered.add(kind)
            found.append((own.label, alike))
    return found


class PanelHost(Protocol):
    """Has room for panels below the pages, of which one is seen at a time."""

    def add_panel(self, panel: QWidget) -> None: ...
    def show_panel(self, panel: QWidget | None) -> None: ...


class FindingTargets(Protocol):
    """What following a finding needs of the window."""

    controller: DocumentController

    def show_workspace(self, name: str) -> None: ...
    def show_query(self, name: str) -> None: ...
    def define_parameters(self, name: str) -> None: ...

    @property
    def pages(self) -> PanelHost: ...


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
        self.button.setText(tr("Preflight"))
        self.button.clicked.connect(self.open)

    def show(self, findings: tuple[Finding, ...]) -> None:
        """Take what was found last."""
        self.found = findings
        if self.panel is not None:
            self.panel.show_findings(findings)
        self.button.setText(counted(findings))
        mark = ROWAN if any(finding.is_error for finding in findings) else GORSE if findings else LICHEN
        self.button.setIcon(icon("triangle-alert" if findings else "check", mark))
        few = "<br>".join(escape(core_text(finding)) for finding in findings[:12])
        key_tip(self.button, few or tr("No findings. The report is ready"), "preflight")

    def open(self) -> None:
        """Open the panel below the pages, or close it."""
        if self.panel is None:
            self.panel = PreflightPanel()
            self.panel.remedies_wanted.connect(self._apply_remedies)
            self.panel.place_wanted.connect(self._go)
            self.panel.closed.connect(self.panel.hide)
            self.panel.hide()
            self._window.pages.add_panel(self.panel)
        self.panel.show_findings(self.found)
        self._window.show_workspace("pages")
        self._window.pages.show_panel(None if self.panel.isVisible() else self.panel)

    def _apply_remedies(self, remedies: Sequence[Remedy]) -> None:
        """Do what fixes a finding, or several of one kind, as one step."""
        controller = self._window.controller
        edits = [remedy.edit for remedy in remedies if remedy.edit is not None]
        if edits:
            controller.edit(remedies[0].label, lambda report, _: reduce(lambda made, edit: edit(made), edits, report))
        given = {name: value for remedy in remedies for name, value in (remedy.values or {}).items()}
        controller.change_values({name: BY_DEFAULT if value is None else value for name, value in given.items()})

    def _go(self, place: Place) -> None:
        """Show what a finding refers to."""
        controller = self._window.controller
        blocks = controller.edition.blocks if controller.edition is not None else ()
        kinds = {block.name: block.kind for block in walk(blocks)}
        if place.parameter is not None:
            self._window.define_parameters(place.parameter)
        elif place.block in kinds:
            self._window.show_workspace("pages")
            controller.select(Selection(kinds[place.block], place.block))
        elif place.query is not None:
            self._window.show_query(place.query)
