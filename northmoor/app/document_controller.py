"""What lies on the desk: the open report, its history, the values it is shown with, and what is selected."""

import logging
from collections.abc import Callable
from pathlib import Path
from typing import Any

from msgspec import Struct
from pydantic import ValidationError
from PyQt6.QtCore import QObject, pyqtSignal

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.core.compute.parameters.resolution import ResolvedValues
from northmoor.core.errors import NorthmoorError, ReportChangedElsewhere, ReportFileError
from northmoor.core.layout.table.collapsing import Fold
from northmoor.core.model.base import refusal
from northmoor.core.model.blocks.table import RowPlace
from northmoor.core.model.edits import ChartPlace
from northmoor.core.model.kinds.value_kinds import KindName
from northmoor.core.model.merging import Conflict, merge_reports
from northmoor.core.model.report import Edition, Report
from northmoor.core.model.serialization import report_text
from northmoor.core.sources.drivers.credentials import Secrets
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import ReportFile, read_report_file, report_bytes, save_report
from northmoor.core.values.parameter_values import DATA_TIME

ReportEdit = Callable[[Report, str], Report]
"""From a report and the name of an edition to a new report."""
_log = logging.getLogger(__name__)


class Selection(Struct, frozen=True):
    """A part of the edition.

    `kind` is page, header, footer, text, picture, table, level, row or cell, or the kind of another block or of a part
    of it. `block` names the block (or header or footer); `row`, `level` and `number` are those of a row's place,
    `column` says which cell of it, and `part` which part of the chart in that.
    """

    kind: str
    block: str = ""
    row: str | None = None
    level: str | None = None
    column: str | None = None
    number: int = 0
    part: str | None = None

    @property
    def place(self) -> RowPlace:
        """The place of the row that it is, or is a cell of."""
        return RowPlace(self.row or "", self.level, self.number)

    @property
    def chart_place(self) -> ChartPlace:
        """Where the chart is that it is, or is a part of."""
        return ChartPlace(self.block) if self.row is None else ChartPlace(self.block, self.place, self.column or "")


WHOLE_PAGE = Selection("page")
BY_DEFAULT = object()
"""Stands for no value given: the default, or the sample."""


class UndoEntry(Struct, frozen=True):
    """A state of the report and what was done to reach it."""

    report: Report
    label: str


class DocumentController(QObject):
    """The open report. Every change is a step that can be undone."""

    opened = pyqtSignal()
    changed = pyqtSignal()
    values_changed = pyqtSignal()
    held_changed = pyqtSignal()
    resolved_changed = pyqtSignal()
    edition_chosen = pyqtSignal()
    folds_changed = pyqtSignal()
    selected = pyqtSignal(object)
    refused = pyqtSignal(str)
    saved_changed = pyqtSignal()
    closed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.path: Path | None = None
        self.library: Library | None = None
        self.secrets = Secrets()
        self.values: dict[str, Any] = {}
        self.held: dict[str, Any] = {}
        self.is_holding = False
        self.resolved: ResolvedValues | None = None
        self.kinds: dict[str, dict[str, KindName]] = {}
        self.edition_name: str | None = None
        self._chosen_edition: str | None = None
        self.selection = WHOLE_PAGE
        self.folds: dict[str, Fold] = {}
        self._on_disk = b""
        self._base: Report | None = None
        self._steps: list[UndoEntry] = []
        self._at = -1
        self._saved_at = -1
        self.read_only = ""
        """Why the report cannot be changed here; empty where it can."""

    @property
    def report(self) -> Report | None:
        """The report as it is now."""
        return self._steps[self._at].report if self._steps else None

    @property
    def edition(self) -> Edition | None:
        """The edition that is shown."""
        report = self.report
        if report is None:
            return None
        return report.edition(self.edition_name or self._chosen_edition) or report.edition()

    def accept_edition(self, name: str) -> None:
        """Take the edition that the report's values chose."""
        if name != self._chosen_edition:
            before, self._chosen_edition = self.edition, name
            if self.edition != before:
                self.select(WHOLE_PAGE)
                self.edition_chosen.emit()

    def fold_group(self, table: str, level: int, keys: tuple[Any, ...]) -> None:
        """Fold a group of a table on the screen, or open it."""
        self._set_fold(table, self.folds.get(table, Fold()).toggled(level, keys))

    def fold_level(self, table: str, level: int | None) -> None:
        """Fold all groups of a level (from 1) on the screen; none opens all."""
        self._set_fold(table, Fold(level))

    def _set_fold(self, table: str, fold: Fold) -> None:
        self.folds = {**self.folds, table: fold}
        self.folds_changed.emit()

    @property
    def is_saved(self) -> bool:
        """Whether the file holds the report as it is now."""
        return self._at == self._saved_at

    def open(self, file: ReportFile, values: dict[str, Any] | None = None, read_only: str = "") -> None:
        """Open a report, with values for its parameters; `read_only` says why it cannot be changed, if so."""
        path, report = file.path, file.report
        self._on_disk, self._base = file.data, report
        self.read_only = read_only
        self.folds = {}
        self.library = Library.around(path, self.secrets)
        self.path = path
        self.values, self.held, self.is_holding, self.resolved = values or {}, {}, False, None
        self.edition_name = self._chosen_edition = None
        self.kinds = {}
        self.selection = WHOLE_PAGE
        self._steps, self._at, self._saved_at = [UndoEntry(report, "")], 0, 0
        self.opened.emit()
        self.changed.emit()
        self.selected.emit(self.selection)

    def close(self) -> None:
        """Close the report; unsaved changes go."""
        self.path, self.library, self._base, self._on_disk = None, None, None, b""
        self.read_only, self.folds, self.kinds = "", {}, {}
        self.values, self.held, self.is_holding, self.resolved = {}, {}, False, None
        self.edition_name = self._chosen_edition = None
        self.selection = WHOLE_PAGE
        self._steps, self._at, self._saved_at = [], -1, -1
        self.closed.emit()

    def save(self, path: Path | None = None) -> None:
        """Write the report to its file or another.

        Raises NorthmoorError; ReportChangedElsewhere where its own file is no longer what it was read from.
        """
        target = path or self.path
        assert target is not None
        assert self.report is not None
        if target == self.path and self.read_only:
            raise ReportFileError(self.read_only)
        if target == self.path and self.is_changed_elsewhere:
            raise ReportChangedElsewhere(
                tr("{file} was changed elsewhere since it was opened.").format(file=target.name)
            )
        save_report(self.report, target)
        self._on_disk, self._base = report_text(self.report).encode(), self.report
        self.read_only = ""
        if path is not None and path != self.path:
            self.path, self.library = path, Library.around(path, self.secrets)
        self._saved_at = self._at
        self.saved_changed.emit()

    @property
    def is_changed_elsewhere(self) -> bool:
        """Whether the report's file holds something else than what was read from it or written last."""
        try:
            return self.path is not None and self.path.exists() and report_bytes(self.path) != self._on_disk
        except ReportFileError:
            return False  # saving will say what is wrong with it

    def take_theirs(self) -> None:
        """Show the report as it was changed elsewhere; that can be undone. Raises NorthmoorError."""
        theirs = self._read_again()
        self._edit(tr("Reload from the file"), lambda *_: theirs.report)
        self._on_disk, self._base, self._saved_at = theirs.data, theirs.report, self._at
        self.saved_changed.emit()

    def keep_mine(self) -> None:
        """Let the next saving replace what was changed elsewhere. Raises NorthmoorError."""
        self._on_disk = self._read_again().data

    def take_both(self) -> tuple[Conflict, ...]:
        """Take the changes of both as one step; where they contradict each other, mine stays. Raises NorthmoorError."""
        assert self.report is not None
        assert self._base is not None
        theirs = self._read_again()
        merged, conflicts = merge_reports(self._base, self.report, theirs.report)
        self.edit(tr("Merge changes from elsewhere"), lambda *_: merged)
        self._on_disk, self._base = theirs.data, theirs.report
        return conflicts

    def _read_again(self) -> ReportFile:
        assert self.path is not None
        return read_report_file(self.path)

    def edit(self, label: str, change: ReportEdit) -> bool:
        """Make an edit of the shown edition; a refused one leaves the report as it is and says why."""
        if self.read_only:
            self.refused.emit(self.read_only)
            return False
        return self._edit(label, change)

    def _edit(self, label: str, change: ReportEdit) -> bool:
        report, edition = self.report, self.edition
        if report is None or edition is None:
            return False
        try:
            changed = change(report, edition.name)
        except (ValidationError, NorthmoorError) as error:
            self.refused.emit(_sentence_of(error))
            return False
        except (LookupError, StopIteration):  # a line, a drag or a menu was begun on it, and has outlived it
            _log.info("%s: its part is gone", label, exc_info=True)
            self.refused.emit(
                tr("{label}: that part is no longer in the report. Choose another one.").format(label=label)
            )
            return False
        if changed == report:
            return True
        if self._saved_at > self._at:
            self._saved_at = -2  # the saved state can no longer be reached
        self._steps = [*self._steps[: self._at + 1], UndoEntry(changed, label)]
        self._at += 1
        self._announce()
        return True

    @property
    def undo_label(self) -> str:
        """What undo would take back; empty when there is nothing."""
        return self._steps[self._at].label if self._at > 0 else ""

    @property
    def redo_label(self) -> str:
        """What redo would do again; empty when there is nothing."""
        return self._steps[self._at + 1].label if self._at + 1 < len(self._steps) else ""

    def undo(self) -> None:
        """Take back the last step."""
        if self.undo_label:
            self._at -= 1
            self._announce()

    def redo(self) -> None:
        """Do the step that was taken back again."""
        if self.redo_label:
            self._at += 1
            self._announce()

    @property
    def requested_values(self) -> dict[str, Any]:
        """The values given, with those that are held back."""
        return {name: value for name, value in (self.values | self.held).items() if value is not BY_DEFAULT}

    def set_value(self, name: str, value: Any) -> None:
        """Show the report with another parameter value (BY_DEFAULT for its default), or hold it back with others."""
        self.change_values({name: value})

    def set_values(self, values: dict[str, Any]) -> None:
        """Show the report with these values, and all others by default."""
        self.change_values(dict.fromkeys(self.requested_values, BY_DEFAULT) | values)

    def change_values(self, values: dict[str, Any]) -> None:
        """Show the report with some other values, or hold them back with others."""
        if all(self.requested_values.get(name, BY_DEFAULT) == value for name, value in values.items()):
            return
        if self.is_holding:
            self.held = self.held | values
            self.held_changed.emit()
        else:
            self.values = self._given(self.values | values)
            self.edition_name = None if self.report and self.report.shown_edition else self.edition_name
            self.values_changed.emit()

    def hold(self, on: bool) -> None:
        """Hold changes of values back, or show the report with those that were."""
        self.is_holding = on
        held, self.held = self.held, {}
        self.held_changed.emit()
        if held:
            self.change_values(held)

    def accept_resolved(self, resolved: ResolvedValues) -> None:
        """Take what became of the values; choices that were dropped are given no more."""
        self.resolved = resolved
        left = {name: resolved.chosen.get(name, BY_DEFAULT) for name in resolved.dropped}
        self.values = self._given(self.values | {name: left[name] for name in left if name in self.values})
        self.held = self.held | {name: left[name] for name in left if name in self.held}
        self.resolved_changed.emit()

    @staticmethod
    def _given(values: dict[str, Any]) -> dict[str, Any]:
        return {name: value for name, value in values.items() if value is not BY_DEFAULT}

    def show_edition(self, name: str) -> None:
        """Show another edition."""
        if name != self.edition_name:
            self.edition_name = name
            self.select(WHOLE_PAGE)
            self.changed.emit()

    def select(self, selection: Selection) -> None:
        """Select a part of the edition."""
        if selection != self.selection:
            self.selection = selection
            self.selected.emit(selection)

    def _announce(self) -> None:
        known: set[str] = {p.name for p in self.report.parameters} if self.report else set()
        known.add(DATA_TIME)
        self.values = {name: value for name, value in self.values.items() if name in known}
        self.held = {name: value for name, value in self.held.items() if name in known}
        self.changed.emit()
        self.saved_changed.emit()


def _sentence_of(error: Exception) -> str:
    if isinstance(error, ValidationError):
        first = error.errors(include_url=False)[0]
        if first["type"] == "too_short":
            return tr("It is the last one; remove the whole block instead.")
        return core_text(refusal(error))
    return core_text(error)
