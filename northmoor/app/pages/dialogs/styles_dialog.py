"""The dialog that keeps a report's styles in one place: a change shows on the pages at once, everywhere."""

from collections.abc import Sequence
from functools import partial
from typing import Any

from PyQt6.QtWidgets import (
    QDialog,
    QHBoxLayout,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.document_controller import DocumentController, ReportEdit
from northmoor.app.language.translation import tr, tr_count
from northmoor.app.pages.inspector.choice_samples import style_font
from northmoor.app.pages.inspector.form import InspectorForm
from northmoor.app.pages.inspector.form_body import FormArea
from northmoor.app.widgets.color_editor import RecentColors
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.widget_tools import close_row, show_items
from northmoor.core.model.edits import add_style, change_style, remove_style, uses_of
from northmoor.core.model.report import Report
from northmoor.core.model.styles import NamedStyle, style_chain


class StylesDialog(QDialog):
    """Styles at the left, the properties of one at the right."""

    def __init__(self, controller: DocumentController, recent: RecentColors, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Styles"))
        self.resize(560, 640)
        self._controller, self._recent = controller, recent
        self.name: str | None = None
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Styles"))
        self.list.currentItemChanged.connect(lambda item, _: self._picked(item))
        self.panel = FormArea()
        self.panel.styles_of = self._styles
        self.add = QPushButton(icon("plus"), tr("Add a style"))
        self.remove = QPushButton(icon("trash-2"), tr("Remove"))
        self.add.setToolTip(tr("A new style, based on the one that is chosen"))
        self.remove.setToolTip(tr("What uses it then uses what it is based on"))
        self.add.clicked.connect(lambda _=False: self.add_style())
        self.remove.clicked.connect(lambda _=False: self.remove_style())
        left = QWidget()
        left.setFixedWidth(200)
        column = QVBoxLayout(left)
        column.setContentsMargins(8, 8, 8, 8)
        column.addWidget(self.list, 1)
        for button in (self.add, self.remove):
            button.setAutoDefault(False)
            column.addWidget(button)
        across = QHBoxLayout()
        across.setSpacing(0)
        across.addWidget(left)
        across.addWidget(self.panel, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(across, 1)
        row = close_row(self)
        row.setContentsMargins(8, 8, 8, 8)
        whole.addWidget(row)
        controller.closed.connect(self.close)
        controller.changed.connect(self.refresh)
        self.refresh()

    def _styles(self) -> Sequence[NamedStyle]:
        return self._controller.report.styles if self._controller.report is not None else ()

    def refresh(self) -> None:
        """Show the report's styles as they are now, keeping the keyboard in the same property."""
        report = self._controller.report
        if report is None:
            return
        names = [style.name for style in report.styles]
        if self.name not in names:
            self.name = next(iter(names), None)
        show_items(self.list, names, self.name)
        for at, name in enumerate(names):
            if (item := self.list.item(at)) is not None:
                item.setFont(style_font(name, report.styles))
        self.remove.setEnabled(self.name is not None)
        form = InspectorForm(self._controller, self.refresh)
        self._fill(form, report)
        self.panel.show_rows(form.rows, partial(form.color_offers, self._recent))

    def _fill(self, form: InspectorForm, report: Report) -> None:
        style = next((s for s in report.styles if s.name == self.name), None)
        if style is None:
            form.note(tr("A style is formatting with a name, such as heading or total; cells and rows use it."))
            return
        name = style.name
        form.title(name)
        uses = uses_of(report, name)
        form.note(
            tr_count(uses, "Used in {count} place.", "Used in {count} places.") if uses else tr("Nothing uses it yet.")
        )

        def change(**changes: Any) -> ReportEdit:
            return lambda r, _: change_style(r, name, **changes)

        def rename(value: str) -> None:
            self.name = value
            form.edit(tr("Rename the style"), change(name=value))

        form.section(tr("Content"))
        form.property(NamedStyle, style, "name", rename)
        others = [s.name for s in report.styles if s.name != name]
        based = tr("Change what it is based on")
        form.property(NamedStyle, style, "based_on", lambda v: form.edit(based, change(based_on=v)), others)
        form.section(tr("Appearance"))
        form.look_properties(style, style_chain(report.styles, style.based_on), tr("Change the style"), change)

    def _picked(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self.name = item.text()
            self.refresh()

    def add_style(self) -> None:
        """Add a style based on the chosen one."""
        report = self._controller.report
        if report is None:
            return
        taken = {style.name for style in report.styles}
        name = next(f"style-{n}" for n in range(1, 1000) if f"style-{n}" not in taken)
        based_on, self.name = self.name, name
        self._controller.edit(tr("Add a style"), lambda r, _: add_style(r, NamedStyle(name=name, based_on=based_on)))

    def remove_style(self) -> None:
        """Take the chosen style out."""
        name = self.name
        if name is not None:
            self._controller.edit(tr("Remove the style"), lambda r, _: remove_style(r, name))
