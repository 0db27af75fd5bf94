"""What is done to a parameter where it is: the menu of its name in the bar, and what Ctrl+K finds of it."""

from collections.abc import Callable
from functools import partial
from typing import Protocol

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QMenu

from northmoor.app.document_controller import BY_DEFAULT, DocumentController
from northmoor.app.language.translation import tr
from northmoor.app.pages.part_menu.entries import PartCommand, PartEntry, PartGroup, fill_part_menu
from northmoor.app.pages.workspace import PagesWorkspace
from northmoor.app.parameters.bar import ParameterBar
from northmoor.core.authoring.queries.dependent_lists import narrow_list, narrowing_columns
from northmoor.core.model import edits
from northmoor.core.model.parameters import Parameter
from northmoor.core.model.report import Report


class ParameterWindow(Protocol):
    """What the menu needs of the window."""

    controller: DocumentController
    pages: PagesWorkspace
    parameters: ParameterBar

    def define_parameters(self, name: str = "") -> None: ...


def open_parameter_menu(window: ParameterWindow, name: str, place: QPoint) -> None:
    """Open the menu of a parameter at a place on the screen."""
    menu = QMenu(window.parameters)
    menu.setAttribute(Qt.WidgetAttribute.WA_DeleteOnClose)
    fill_part_menu(menu, _entries(window, name))
    menu.popup(place)


def _entries(window: ParameterWindow, name: str) -> list[PartEntry]:
    controller, report = window.controller, window.controller.report
    parameter = next((each for each in report.parameters if each.name == name), None) if report is not None else None
    if report is None or parameter is None:
        return []
    place, last = report.parameters.index(parameter), len(report.parameters) - 1
    is_default = name not in controller.requested_values
    return [
        PartCommand(
            tr("Back to the default"), partial(controller.set_value, name, BY_DEFAULT), "rotate-ccw",
            reason=tr("It has its default now.") if is_default else "",
        ),
        PartCommand(tr("Edit {name}…").format(name=parameter.shown_name), partial(window.define_parameters, name),
                    "sliders-horizontal"),
        None,
        PartGroup(tr("Narrow its list by"), tuple(_narrowing(window, report, parameter)), "list-filter"),
        _edit(window, tr("Required"), lambda r: edits.change_parameter(r, name, required=not parameter.required),
              is_on=parameter.required),
        None,
        _edit(window, tr("Earlier in the bar"), lambda r: edits.move_parameter(r, name, -1),
              reason=tr("It is the first.") if place == 0 else ""),
        _edit(window, tr("Later in the bar"), lambda r: edits.move_parameter(r, name, 1),
              reason=tr("It is the last.") if place == last else ""),
        None,
        _edit(window, tr("Remove {name}").format(name=parameter.shown_name),
              lambda r: edits.remove_parameter(r, name), "trash-2"),
    ]  # fmt: skip


def _edit(
    window: ParameterWindow, text: str, change: Callable[[Report], Report], drawing: str | None = None,
    reason: str = "", is_on: bool | None = None,
) -> PartCommand:  # fmt: skip
    run = partial(window.controller.edit, text, lambda report, _: change(report))
    return PartCommand(text, run, drawing, reason=reason, is_on=is_on)


def _narrowing(window: ParameterWindow, report: Report, parameter: Parameter) -> list[PartCommand]:
    """What makes the parameter's list depend on another one."""
    names = {each.name: each.shown_name for each in report.parameters}
    return [
        PartCommand(names[other], partial(_narrow, window, parameter.name, other, column))
        for other, column in _columns(window, report, parameter).items()
    ]


def narrowing_commands(window: ParameterWindow) -> list[PartCommand]:
    """What makes the list of any parameter depend on any other."""
    report = window.controller.report
    return [
        PartCommand(_narrow_label(own.name, other), partial(_narrow, window, own.name, other, column))
        for own in (report.parameters if report is not None else ())
        for other, column in _columns(window, report, own).items()
    ]


def _columns(window: ParameterWindow, report: Report | None, parameter: Parameter) -> dict[str, str]:
    library, document = window.controller.library, window.pages.document
    if report is None or library is None:
        return {}
    rows = document.rows if document is not None else {}
    return dict(narrowing_columns(report, parameter, library, lambda name: rows[name].names if name in rows else ()))


def _narrow_label(name: str, other: str) -> str:
    return tr("Narrow the list of {name} by {other}").format(name=name, other=other)


def _narrow(window: ParameterWindow, parameter: str, other: str, column: str) -> None:
    library = window.controller.library
    if library is not None:
        window.controller.edit(
            _narrow_label(parameter, other), lambda report, _: narrow_list(report, parameter, other, column, library)
        )
