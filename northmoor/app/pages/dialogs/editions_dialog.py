"""The dialog of a report's editions: which there are, in which order, for whom, and in which formats."""

from collections.abc import Callable
from functools import partial
from typing import Any

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import (
    QCheckBox,
    QDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.translation import tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.value_editors import ChoiceEditor, LineEditor
from northmoor.app.widgets.widget_tools import close_row, hide_and_delete, show_items
from northmoor.core.model import edits
from northmoor.core.model.kinds.output_formats import FORMAT_OF_SUFFIX
from northmoor.core.model.report import Edition, Report

_Change = Callable[[Report], Report]


class EditionsDialog(QDialog):
    """Editions at the left; the name, readers and formats of one at the right."""

    def __init__(self, controller: DocumentController, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Editions"))
        self.resize(560, 400)
        self._controller = controller
        self.list = QListWidget()
        self.list.setAccessibleName(tr("Editions"))
        self.list.setToolTip(tr("The editions in the order in which they are offered"))
        self.list.currentItemChanged.connect(lambda item, _: self._picked(item))
        self.buttons: dict[str, QPushButton] = {}
        column = QVBoxLayout()
        column.addWidget(self.list, 1)
        for name, text, drawing, message in (
            ("duplicate", tr("Duplicate"), "copy", tr("A copy of the edition, to change from there")),
            ("add", tr("New and empty"), "plus", tr("An edition with the same page and nothing on it")),
            ("up", tr("Move up"), "chevron-up", tr("Offer it earlier; the first is shown when none is named")),
            ("down", tr("Move down"), "chevron-down", tr("Offer it later")),
            ("remove", tr("Remove"), "trash-2", tr("Remove the edition from the report; it can be undone")),
        ):
            button = QPushButton(icon(drawing), text)
            button.setToolTip(message)
            button.setAutoDefault(False)
            button.clicked.connect(partial(self._do, name))
            column.addWidget(button)
            self.buttons[name] = button
        self._right = QVBoxLayout()
        across = QHBoxLayout()
        across.addLayout(column, 1)
        across.addLayout(self._right, 1)
        whole = QVBoxLayout(self)
        whole.addLayout(across, 1)
        whole.addWidget(close_row(self))
        controller.closed.connect(self.close)
        controller.changed.connect(self.refresh)
        controller.edition_chosen.connect(self.refresh)
        self.refresh()

    @property
    def edition(self) -> Edition | None:
        """The edition that is shown on the pages, and so the one that is changed here."""
        return self._controller.edition

    def refresh(self) -> None:
        """Show the report's editions as they are now."""
        report, shown = self._controller.report, self.edition
        if report is None or shown is None:
            return
        names = [edition.name for edition in report.editions]
        texts = [tr("{name} (hidden)").format(name=each.name) if each.hidden else each.name for each in report.editions]
        show_items(self.list, names, shown.name, texts)
        self.buttons["remove"].setEnabled(len(names) > 1)
        self.buttons["up"].setEnabled(names.index(shown.name) > 0)
        self.buttons["down"].setEnabled(names.index(shown.name) < len(names) - 1)
        self._fill(report, shown)

    def _fill(self, report: Report, edition: Edition) -> None:
        while self._right.count():
            item = self._right.takeAt(0)
            widget = item.widget() if item is not None else None
            if widget is not None:
                hide_and_delete(widget)
        self._line(tr("Name"), tr("The name by which it is called"), LineEditor(edition.name, self._rename))
        title = LineEditor(edition.title or "", lambda text: self._change(tr("Change the title"), title=text or None))
        title.setPlaceholderText(tr("the report's"))
        self._line(tr("Title"), tr("Title of its pages"), title)
        hidden = QCheckBox(tr("Hidden from readers"))
        hidden.setChecked(edition.hidden)
        hidden.setToolTip(tr("It is not offered any more, but can still be named, or chosen by a parameter"))
        hidden.toggled.connect(lambda on: self._change(tr("Hide the edition"), hidden=on))
        self._right.addWidget(hidden)
        self._right.addWidget(_quiet(tr("Delivered as")))
        boxes = QWidget()
        grid = QGridLayout(boxes)
        grid.setContentsMargins(0, 0, 0, 0)
        half = (len(FORMAT_OF_SUFFIX) + 1) // 2
        for number, (format, known) in enumerate(FORMAT_OF_SUFFIX.items()):
            box = QCheckBox(tr(known.label))
            box.setChecked(format in edition.formats)
            box.setEnabled(edition.formats != (format,))
            box.setToolTip(tr("A format that it can be delivered in; at least one is needed"))
            box.toggled.connect(partial(self._set_format, edition, format))
            grid.addWidget(box, number % half, number // half)
        self._right.addWidget(boxes)
        names = {format: tr(FORMAT_OF_SUFFIX[format].label) for format in edition.formats}
        self._line(tr("Default format"), tr("The format that is proposed first"),
                   ChoiceEditor(names, edition.formats[0], partial(self._set_first, edition), None))  # fmt: skip
        chosen_by = LineEditor(report.shown_edition or "", self._choose_by)
        chosen_by.setPlaceholderText(tr("the first, such as :layout"))
        chosen_by.setObjectName("expression")
        self._line(
            tr("Shown when none is named"), tr("Expression for the name of an edition, such as a parameter"), chosen_by
        )
        self._right.addStretch(1)

    def _line(self, text: str, message: str, editor: QWidget) -> None:
        label = _quiet(text)
        label.setBuddy(editor)
        editor.setToolTip(message)
        editor.setAccessibleName(text)
        self._right.addWidget(label)
        self._right.addWidget(editor)

    def _picked(self, item: QListWidgetItem | None) -> None:
        if item is not None:
            self._controller.show_edition(item.data(Qt.ItemDataRole.UserRole))

    def _edit(self, label: str, change: _Change) -> bool:
        done = self._controller.edit(label, lambda report, _: change(report))
        if not done:
            self.refresh()
        return done

    def _change(self, label: str, **changes: Any) -> None:
        assert self.edition is not None
        name = self.edition.name
        self._edit(label, lambda report: edits.change_named(report, name, **changes))

    def _set_format(self, edition: Edition, format: str, on: bool) -> None:
        self._change(tr("Change the formats"), formats=edits.with_format(edition, format, on))

    def _set_first(self, edition: Edition, format: str) -> None:
        others = tuple(each for each in edition.formats if each != format)
        self._change(tr("Change the formats"), formats=(format, *others))

    def _choose_by(self, text: str) -> None:
        self._edit(tr("Change the edition shown"), lambda report: report.but(shown_edition=text or None))

    def _rename(self, new: str) -> None:
        assert self.edition is not None
        name = self.edition.name
        if self._edit(tr("Rename the edition"), lambda report: edits.rename_edition(report, name, new)):
            self._controller.show_edition(new)

    def _do(self, what: str, _: bool = False) -> None:
        """Duplicate, add, move or take out."""
        report, shown = self._controller.report, self.edition
        if report is None or shown is None:
            return
        before = {edition.name for edition in report.editions}
        changes: dict[str, tuple[str, _Change]] = {
            "duplicate": (tr("Duplicate the edition"), lambda r: edits.duplicate_edition(r, shown.name)),
            "add": (tr("Add an edition"), lambda r: edits.add_edition(r, shown.name)),
            "up": (tr("Move the edition"), lambda r: edits.move_edition(r, shown.name, -1)),
            "down": (tr("Move the edition"), lambda r: edits.move_edition(r, shown.name, 1)),
            "remove": (tr("Remove the edition"), lambda r: edits.remove_edition(r, shown.name)),
        }
        if not self._edit(*changes[what]):
            return
        new = [edition.name for edition in self._controller.report.editions if edition.name not in before]
        if new:
            self._controller.show_edition(new[0])


def _quiet(text: str) -> QLabel:
    label = QLabel(text)
    label.setObjectName("quiet")
    return label
