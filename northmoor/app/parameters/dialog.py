"""The dialog that defines parameters and computed values. It stays open beside the pages, which follow each change."""

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.document_controller import BY_DEFAULT, DocumentController
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.parameters.parameter_form import NamedValueForm, ParameterForm, PropertyRows
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.widget_tools import close_row, replace_content, set_style_name, show_items
from northmoor.core.authoring.parameter_kinds import change_kind
from northmoor.core.authoring.queries.dependent_lists import narrow_list, narrowing_columns
from northmoor.core.authoring.rename import rename_value
from northmoor.core.model import edits
from northmoor.core.model.parameters import FromExpression, NamedValue, Parameter
from northmoor.core.model.report import Report


class ParametersDialog(QDialog):
    """Parameters and computed values at the left, the properties of one at the right."""

    def __init__(
        self, controller: DocumentController, columns: Callable[[str], list[str]], parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Parameters"))
        self.resize(720, 620)
        self._controller, self._columns = controller, columns
        self.name: str | None = None
        self._new_name: str | None = None
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Parameters and computed values"))
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.list.setTextElideMode(Qt.TextElideMode.ElideRight)
        self.list.currentItemChanged.connect(lambda item, _: self._picked(item))
        self.panel = QScrollArea()
        self.panel.setWidgetResizable(True)
        self.panel.setFrameShape(QFrame.Shape.NoFrame)
        self.panel.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.now = QLabel()
        self.now.setWordWrap(True)
        self.now.setTextFormat(Qt.TextFormat.PlainText)
        self.now.setContentsMargins(14, 6, 14, 8)
        self._place()
        controller.closed.connect(self.close)
        controller.changed.connect(self.refresh)
        controller.resolved_changed.connect(self._show_now)
        controller.refused.connect(self._refused)
        self.refresh()

    def _place(self) -> None:
        left = QWidget()
        left.setObjectName("panel")
        left.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        left.setFixedWidth(220)
        column = QVBoxLayout(left)
        column.setContentsMargins(8, 8, 8, 8)
        column.addWidget(self.list, 1)
        self.buttons: dict[str, QPushButton] = {}
        for name, text, drawing, run in (
            ("add", tr("Add parameter"), "plus", self.add_parameter),
            ("compute", tr("Add computed value"), "square-function", self.add_named_value),
        ):
            column.addWidget(self._button(name, text, drawing, run))
        row = QHBoxLayout()
        for name, text, drawing, run in (
            ("up", "", "arrow-up", lambda: self._move(-1)),
            ("down", "", "arrow-down", lambda: self._move(1)),
            ("remove", tr("Remove"), "trash-2", self.remove),
        ):
            row.addWidget(self._button(name, text, drawing, run))
        for name, tip in (("up", tr("Earlier in the bar")), ("down", tr("Later in the bar")), ("remove", tr("Remove"))):
            self.buttons[name].setToolTip(tip)
            self.buttons[name].setAccessibleName(tip)
        column.addLayout(row)
        right = QVBoxLayout()
        right.setSpacing(0)
        right.addWidget(self.panel, 1)
        right.addWidget(self.now)
        across = QHBoxLayout()
        across.setSpacing(0)
        across.addWidget(left)
        across.addLayout(right, 1)
        whole = QVBoxLayout(self)
        whole.setContentsMargins(0, 0, 0, 0)
        whole.setSpacing(0)
        whole.addLayout(across, 1)
        closing = close_row(self)
        closing.setContentsMargins(8, 8, 8, 8)
        whole.addWidget(closing)

    def _button(self, name: str, text: str, drawing: str, run: Callable[[], None]) -> QPushButton:
        button = QPushButton(icon(drawing), text)
        button.setAutoDefault(False)
        button.clicked.connect(lambda _=False: run())
        self.buttons[name] = button
        return button

    # what is shown

    def pick(self, name: str) -> None:
        """Show a parameter or computed value."""
        for row in range(self.list.count()):
            item = self.list.item(row)
            if item is not None and item.data(Qt.ItemDataRole.UserRole) == name:
                self.list.setCurrentRow(row)

    def refresh(self) -> None:
        """Show the report's parameters as they are now, keeping the keyboard in the same property."""
        report = self._controller.report
        if report is None:
            return
        names = [p.name for p in report.parameters] + [v.name for v in report.named_values]
        if self.name not in names:
            self.name = self._new_name if self._new_name in names else next(iter(names), None)
        texts = [p.shown_name for p in report.parameters] + [v.name for v in report.named_values]
        show_items(self.list, names, self.name, texts)
        for at, name in enumerate(names):
            item = self.list.item(at)
            assert item is not None
            item.setIcon(icon("sliders-horizontal" if at < len(report.parameters) else "square-function"))
            item.setToolTip(f":{name}")
        self._show_form(report)
        self._show_now()

    def _picked(self, item: QListWidgetItem | None) -> None:
        self.name = item.data(Qt.ItemDataRole.UserRole) if item is not None else None
        if self._controller.report is not None:
            self._show_form(self._controller.report)
        self._show_now()

    def _show_form(self, report: Report) -> None:
        focus = self.focusWidget()
        field = focus.property("field") if focus is not None and self.panel.isAncestorOf(focus) else None
        parameter = next((p for p in report.parameters if p.name == self.name), None)
        value = next((v for v in report.named_values if v.name == self.name), None)
        form: QWidget = QLabel(
            tr("A parameter is a value that is entered when the report is run.\nAdd the first one at the left.")
        )
        if parameter is not None:
            library = self._controller.library
            assert library is not None  # there is a report
            narrowing = narrowing_columns(report, parameter, library, self._columns)
            form = ParameterForm(parameter, report, self._columns, narrowing, partial(self._change, parameter))
        elif value is not None:
            form = NamedValueForm(value, report, self._columns, partial(self._change_computed, value))
        else:
            form.setObjectName("quiet")
            form.setContentsMargins(20, 20, 20, 20)
        replace_content(self.panel, form)
        for name in ("up", "down"):
            self.buttons[name].setEnabled(parameter is not None)
        self.buttons["remove"].setEnabled(self.name is not None)
        for editor in form.findChildren(QWidget) if field and isinstance(form, PropertyRows) else []:
            if editor.property("field") == field:
                editor.setFocus()

    def _show_now(self) -> None:
        """Say what its value is now, or what is wrong with it."""
        resolved = self._controller.resolved
        message, kind = "", "quiet"
        if resolved is not None and self.name is not None:
            fault = resolved.faults.get(self.name)
            label = resolved.values.labels.get(self.name)
            message = (
                core_text(fault.message)
                if fault is not None
                else tr("Now: {label}").format(label=label or tr("none"))
                if label is not None
                else ""
            )
            kind = "fault" if fault is not None else "quiet"
        self._show_refusal(message, kind)

    def _refused(self, message: str) -> None:
        if self.isVisible() and self._controller.report is not None:
            self._show_form(self._controller.report)
            self._show_refusal(message, "fault")

    def _show_refusal(self, text: str, kind: str) -> None:
        set_style_name(self.now, kind)
        self.now.setText(text)

    # what is changed

    def _edit(self, label: str, change: Callable[[Report], Report]) -> bool:
        return self._controller.edit(label, lambda report, _: change(report))

    def _change(self, parameter: Parameter, field: str, value: Any) -> None:
        name, library = parameter.name, self._controller.library
        if library is None:
            return  # the report was closed while this was typed
        label = tr("Change the parameter {name}").format(name=name)
        if field == "name":
            self._rename(name, value)
        elif field in ("kind", "holds"):
            self._edit(label, lambda report: change_kind(report, name, library, **{field: value}))
        elif field == "narrowed_by":
            self.narrow(parameter, value)
        elif field == "list":
            self._edit(label, lambda report: edits.change_parameter(report, name, **value))
        else:
            self._edit(label, lambda report: edits.change_parameter(report, name, **{field: value}))

    def narrow(self, parameter: Parameter, other: str) -> None:
        """Let a parameter's list have only what goes with another one's value."""
        report, library = self._controller.report, self._controller.library
        assert report is not None
        assert library is not None
        column = narrowing_columns(report, parameter, library, self._columns).get(other)
        if column is not None:
            label = tr("Narrow the list of {name} by {other}").format(name=parameter.name, other=other)
            self._edit(label, lambda r: narrow_list(r, parameter.name, other, column, library))

    def _change_computed(self, value: NamedValue, field: str, new: Any) -> None:
        if field == "name":
            self._rename(value.name, new)
        else:
            self._edit(
                tr("Change the computed value {name}").format(name=value.name),
                lambda report: edits.change_named_value(report, value.name, **{field: new}),
            )

    def _rename(self, old: str, new: str) -> None:
        library = self._controller.library
        if library is not None and new and new != old:
            given = self._controller.requested_values.get(old, BY_DEFAULT)
            self._new_name = new
            if self._edit(
                tr("Rename {old} to {new}").format(old=old, new=new),
                lambda report: rename_value(report, old, new, library),
            ):
                self._controller.set_value(new, given)
            self._new_name = None

    def add_parameter(self) -> None:
        """Add a parameter and put the keyboard into its name."""
        name = self._free("parameter")
        self.name = name
        made = Parameter(name=name, required=False)
        self._edit(tr("Add the parameter {name}").format(name=name), lambda report: edits.add_parameter(report, made))
        self._focus_name()

    def add_named_value(self) -> None:
        """Add a computed value and put the keyboard into its name."""
        name = self._free("computed")
        self.name = name
        made = NamedValue(name=name, value=FromExpression(expression="1"))
        self._edit(
            tr("Add the computed value {name}").format(name=name), lambda report: edits.add_named_value(report, made)
        )
        self._focus_name()

    def remove(self) -> None:
        """Take the current one out. What uses it reports that it is missing."""
        report, name = self._controller.report, self.name
        if report is None or name is None:
            return
        is_parameter = any(p.name == name for p in report.parameters)
        take = edits.remove_parameter if is_parameter else edits.remove_named_value
        self._edit(tr("Remove {name}").format(name=name), lambda report: take(report, name))

    def _move(self, by: int) -> None:
        name = self.name
        if name is not None:
            self._edit(
                tr("Move the parameter {name}").format(name=name), lambda report: edits.move_parameter(report, name, by)
            )

    def _free(self, name: str) -> str:
        taken = set(self._controller.report.value_names) if self._controller.report is not None else set()
        return next(n for n in (name, *(f"{name}_{i}" for i in range(2, 999))) if n not in taken)

    def _focus_name(self) -> None:
        for editor in self.panel.findChildren(QWidget):
            if editor.property("field") == "name":
                editor.setFocus()
                editor.selectAll()  # type: ignore[attr-defined]  # it is a line
