"""A form of the inspector: titles, sections and editors of a part's properties, each change one edit of the desk."""

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFormLayout, QFrame, QLabel, QMenu, QPushButton, QVBoxLayout, QWidget

from northmoor.app.document_controller import DocumentController
from northmoor.app.pages.inspector.format_rule_editors import RulesEditor
from northmoor.app.widgets.editors import editor_for, property_label
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import LINE
from northmoor.core.model import edits
from northmoor.core.model.base import Part
from northmoor.core.model.edits import remove_blocks
from northmoor.core.model.report import Report
from northmoor.core.model.styles import ColorScale, ConditionalFormat, Style

ReportEdit = Callable[[Report, str], Report]
LOOK_FIELDS = tuple(Style.model_fields)


class InspectorForm:
    """Fills a panel from the top. `refused` is called when an edit was refused, to show what holds again."""

    def __init__(self, controller: DocumentController, body: QWidget, refused: Callable[[], object]) -> None:
        self.controller = controller
        self.refused = refused
        self._column = QVBoxLayout(body)
        self._column.setContentsMargins(12, 8, 12, 12)
        self._column.setSpacing(6)
        self._fields: QFormLayout | None = None
        self.before_look: Callable[[], object] | None = None
        """What is shown once, before the first section of looks or at the end."""

    def show_waiting(self) -> None:
        """Show what waits for the looks."""
        waiting, self.before_look = self.before_look, None
        if waiting is not None:
            waiting()

    def close(self) -> None:
        """Leave the rest of the panel empty."""
        self._column.addStretch(1)

    @staticmethod
    def block_change(block: str) -> Callable[..., ReportEdit]:
        """What changes properties of a block."""

        def change(**changes: Any) -> ReportEdit:
            return lambda r, e: edits.change_block(r, e, block, **changes)

        return change

    def edit(self, label: str, change: ReportEdit) -> None:
        """Make a change."""
        if not self.controller.edit(label, change):
            self.refused()

    def title(self, text: str) -> None:
        """What the form is about."""
        label = QLabel(text)
        label.setObjectName("name")
        label.setWordWrap(True)
        self._add(label)

    def note(self, text: str) -> None:
        """A sentence."""
        label = QLabel(text)
        label.setObjectName("quiet")
        label.setWordWrap(True)
        self._add(label)

    def section(self, text: str) -> None:
        """Begin a section: What, Where or Look."""
        if text == "Look":
            self.show_waiting()
        line = QFrame()
        line.setFixedHeight(1)
        line.setStyleSheet(f"background: {LINE};")
        self._add(line)
        label = QLabel(text)
        label.setObjectName("section")
        self._add(label)
        self._begin_fields()

    def _begin_fields(self) -> None:
        self._fields = QFormLayout()
        self._fields.setSpacing(6)
        self._fields.setFieldGrowthPolicy(QFormLayout.FieldGrowthPolicy.AllNonFixedFieldsGrow)
        self._fields.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        self._fields.setRowWrapPolicy(QFormLayout.RowWrapPolicy.DontWrapRows)
        self._column.addLayout(self._fields)

    def _add(self, widget: QWidget) -> None:
        self._column.addWidget(widget)

    def properties(
        self, kind: type[Part], part: Part, fields: Sequence[str], label: str, change: Callable[..., ReportEdit]
    ) -> None:
        """An editor for each of some properties of a part."""
        for field in fields:
            self.property(kind, part, field, partial(self._commit, label, change, field))

    def _commit(self, label: str, change: Callable[..., ReportEdit], field: str, value: Any) -> None:
        self.edit(label, lambda r, e: change(**{field: value})(r, e))  # made within the edit, which tells refusals

    def edit_report(self, name: str, value: Any) -> None:
        """Change a property of the report itself."""
        self.edit(f"Change the {property_label(name).lower()}", lambda r, _: r.but(**{name: value}))

    def property(
        self,
        kind: type[Part],
        part: Part,
        field: str,
        commit: Callable[[Any], object],
        choices: list[str] | None = None,
    ) -> None:
        """An editor for a property; `choices` are names to choose from."""
        self.labelled(property_label(field, kind), editor_for(kind, field, getattr(part, field), commit, choices))

    def labelled(self, name: str, editor: QWidget) -> None:
        """An editor with its name."""
        assert self._fields is not None
        label = QLabel(name)
        label.setObjectName("quiet")
        label.setBuddy(editor)
        label.setMinimumWidth(96)
        label.setToolTip(editor.toolTip())
        self._fields.addRow(label, editor)

    def wide(self, editor: QWidget) -> None:
        """An editor over the whole width; what follows is below it."""
        self._add(editor)
        self._begin_fields()

    def style(self, report: Report, part: Part, field: str, label: str, change: Callable[..., ReportEdit]) -> None:
        """The choice of one of the report's styles."""
        names = [style.name for style in report.styles]
        self.property(type(part), part, field, lambda v: self.edit(label, change(**{field: v})), names)

    def looks(self, report: Report, part: Any, label: str, change: Callable[..., ReportEdit]) -> None:
        """The section of a part's style, its rules, and its own changes over the style."""
        self.section("Look")
        self.style(report, part, "style", label, change)
        if hasattr(part, "rules"):
            self.rules(report, part.rules, change)
        if hasattr(part, "scale"):
            self._scale(part.scale, change)

        def change_look(**changes: Any) -> ReportEdit:
            return change(look=edits.changed_style(part.look, **changes))

        self.section("Own look")
        self.properties(Style, part.look or Style(), LOOK_FIELDS, label, change_look)

    def rules(self, report: Report, rules: tuple[ConditionalFormat, ...], change: Callable[..., ReportEdit]) -> None:
        """The conditions that change a look."""
        names = [style.name for style in report.styles]
        if rules:
            self._add(RulesEditor(rules, names, lambda new: self.edit("Change the rules", change(rules=new))))
        first = next((name for name in names if name in ("emphasis", "total", "heading")), None)
        added = ConditionalFormat(when="false", style=first)  # it changes nothing until it says when
        self.action("Add a rule", change(rules=(*rules, added)), "plus")

    def _scale(self, scale: ColorScale | None, change: Callable[..., ReportEdit]) -> None:
        if scale is None:
            self.action("Add a colour scale", change(scale=ColorScale()), "plus")
            return

        def change_scale(**changes: Any) -> ReportEdit:
            return change(scale=scale.but(**changes))

        self.section("Colour scale")
        self.properties(ColorScale, scale, tuple(ColorScale.model_fields), "Change the scale", change_scale)
        self.action("Take the colour scale out", change(scale=None))

    def action(self, text: str, change: ReportEdit, drawing: str = "trash-2") -> None:
        """A button that makes a change."""
        button = QPushButton(icon(drawing), text)
        button.setToolTip(f"{text}; it can be undone")
        button.clicked.connect(lambda: self.edit(text, change))
        self._add(button)

    def take_out(self, block: str, text: str = "Take it out") -> None:
        """A button that takes a block out."""
        self.action(text, lambda r, e: remove_blocks(r, e, [block]))

    def choices(self, text: str, drawing: str, changes: Sequence[tuple[str, ReportEdit]]) -> None:
        """A button that offers several changes by name."""
        button = QPushButton(icon(drawing), text)
        button.setToolTip(f"{text}: {', '.join(name for name, _ in changes)}")
        menu = QMenu(button)
        for name, change in changes:
            entry = menu.addAction(name)
            assert entry is not None
            entry.triggered.connect(partial(self._chosen, f"{text}: {name}", change))
        button.setMenu(menu)
        self._add(button)

    def _chosen(self, label: str, change: ReportEdit, _: bool = False) -> None:
        self.edit(label, change)
