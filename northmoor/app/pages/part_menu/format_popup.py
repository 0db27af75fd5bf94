"""All formats of the selected values, each shown by real ones: the figure that was pointed at, and the smallest and the
largest. A choice is applied at once."""

from collections.abc import Callable, Sequence
from functools import partial
from typing import Any

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QBrush
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QCheckBox,
    QFormLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QTableWidget,
    QTableWidgetItem,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.translation import tr
from northmoor.app.pages.part_menu.format_target import CHANGE_FORMAT, FormatTarget
from northmoor.app.pages.part_menu.part_context import PartContext
from northmoor.app.widgets.popups import BesidePopup
from northmoor.app.widgets.theme import STONE_TEXT, ink
from northmoor.core.authoring.format_choices import FormatChoice, format_choices, sample_text, with_decimals
from northmoor.core.layout.inline.formatting import is_numeric

_PATTERN = Qt.ItemDataRole.UserRole


class FormatPopup(BesidePopup):
    """The popup. It closes by Esc, Enter or a click beside it."""

    def __init__(self, find: Callable[[], tuple[PartContext, FormatTarget] | None], parent: QWidget) -> None:
        super().__init__(tr("Format"), parent)
        self._find = find
        self.formats = QTableWidget(0, 4)
        self.formats.setAccessibleName(tr("Formats"))
        self.pattern = QLineEdit()
        self.negative = QCheckBox(tr("Negative in red"))
        self.zero, self.missing = QLineEdit(), QLineEdit()
        self._title = QLabel()
        self._build()
        self.show_choices()

    def _build(self) -> None:
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        layout.setSpacing(8)
        self._title.setObjectName("section")
        layout.addWidget(self._title)
        layout.addWidget(self.formats, 1)
        decimals = QHBoxLayout()
        for text, by, tip in (("−.0", -1, tr("One decimal fewer")), ("+.0", 1, tr("One decimal more"))):
            button = QToolButton()
            button.setText(text)
            button.setToolTip(tip)
            button.setAccessibleName(tip)
            button.clicked.connect(partial(self._change_decimals, by))
            decimals.addWidget(button)
        decimals.addWidget(self.negative)
        decimals.addStretch(1)
        self._numbers = QWidget()
        self._numbers.setLayout(decimals)
        decimals.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self._numbers)
        self._form = form = QFormLayout()
        patterns = tr("A CLDR pattern, such as #,##0.00 or d MMM y; for texts upper, words or groups:4")
        lines = (
            (tr("Pattern"), self.pattern, patterns, "format"),
            (tr("Zero as"), self.zero, tr("Text in place of zero, such as –"), "when_zero"),
            (tr("Missing as"), self.missing, tr("Text in place of a missing value, such as –"), "when_null"),
        )
        for label, line, tip, name in lines:
            line.setToolTip(tip)
            line.setAccessibleName(label)
            line.setPlaceholderText(tr("automatic") if name == "format" else tr("as it is"))
            line.editingFinished.connect(partial(self._commit, name, line))
            form.addRow(label, line)
        layout.addLayout(form)
        self._prepare_table()
        self.formats.itemClicked.connect(self._choose)
        self.formats.itemActivated.connect(self._choose)
        self.formats.itemActivated.connect(self.close)
        self.negative.clicked.connect(self._toggle_negative)
        self.resize(520, 480)

    def _prepare_table(self) -> None:
        table = self.formats
        table.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        table.setEditTriggers(QAbstractItemView.EditTrigger.NoEditTriggers)
        table.setShowGrid(False)
        rows, columns = table.verticalHeader(), table.horizontalHeader()
        assert rows is not None
        assert columns is not None
        rows.hide()
        rows.setDefaultSectionSize(24)
        for column in range(4):
            mode = QHeaderView.ResizeMode.ResizeToContents if column else QHeaderView.ResizeMode.Stretch
            columns.setSectionResizeMode(column, mode)
        columns.setHighlightSections(False)
        columns.setDefaultAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)

    def show_choices(self) -> None:
        """Show the formats, with the one that is used marked."""
        found = self._find()
        if found is None or found[0].pointed is None:
            return
        context, target = found
        pointed = context.pointed
        assert pointed is not None
        kind = pointed.values.type
        self._title.setText(tr("Format of {name}").format(name=target.name))
        choices = format_choices(kind, context.format_locale.locale)
        ends = (tr("Shortest"), tr("Longest")) if pointed.are_texts else (tr("Smallest"), tr("Largest"))
        self.formats.setHorizontalHeaderLabels(["", tr("This"), *ends])
        self._fill(choices, context, target)
        self._numbers.setVisible(is_numeric(kind))
        self.negative.setVisible(target.negative is not None)
        self.negative.setChecked(target.negative is not None and target.negative[0])
        self.pattern.setText(target.pattern or "")
        self.zero.setText(target.when_zero or "")
        self.missing.setText(target.when_null or "")
        self._form.setRowVisible(self.zero, target.has_texts and not pointed.are_texts)
        self._form.setRowVisible(self.missing, target.has_texts)

    def _fill(self, choices: Sequence[FormatChoice], context: PartContext, target: FormatTarget) -> None:
        pointed, group = context.pointed, ""
        assert pointed is not None
        self.formats.setRowCount(0)
        values = (pointed.value, *pointed.extremes)
        for choice in choices:
            if choice.group != group:
                group = choice.group
                self._add_row(tr(group), ())
            samples = [sample_text(value, choice.pattern, context.format_locale) for value in values]
            self._add_row(tr(choice.label), samples, choice)
        self._mark_used(target.pattern)

    def _add_row(self, label: str, samples: Sequence[str], choice: FormatChoice | None = None) -> None:
        row = self.formats.rowCount()
        self.formats.insertRow(row)
        for column, text in enumerate((label, *samples, *[""] * (3 - len(samples)))):
            item = QTableWidgetItem(text)
            if column:
                item.setTextAlignment(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter)
            if choice is None:
                item.setFlags(Qt.ItemFlag.NoItemFlags)
                item.setForeground(QBrush(ink(STONE_TEXT)))
            else:
                item.setData(_PATTERN, (choice.pattern,))
                item.setToolTip(choice.pattern or tr("By the kind of value"))
            self.formats.setItem(row, column, item)

    def _mark_used(self, pattern: str | None) -> None:
        for row in range(self.formats.rowCount()):
            item = self.formats.item(row, 0)
            if item is not None and item.data(_PATTERN) == (pattern,):
                self.formats.setCurrentItem(item)
                return
        self.formats.clearSelection()

    def _choose(self, item: QTableWidgetItem) -> None:
        pattern = item.data(_PATTERN)
        if pattern is not None:
            self._apply(format=pattern[0])

    def _change_decimals(self, by: int, _: bool = False) -> None:
        found = self._find()
        if found is not None and found[0].pointed is not None:
            self._apply(format=with_decimals(found[1].pattern, by, found[0].pointed.values.type))

    def _commit(self, name: str, line: QLineEdit) -> None:
        found = self._find()
        now = {"format": "pattern"}.get(name, name)
        if found is not None and (line.text() or None) != getattr(found[1], now):
            self._apply(**{name: line.text() or None})

    def _toggle_negative(self, on: bool) -> None:
        found = self._find()
        if found is not None and found[1].negative is not None:
            found[0].controller.edit(tr("Negative in red"), found[1].negative[1](on))
            self._mark()

    def _apply(self, **changes: Any) -> None:
        found = self._find()
        if found is not None:
            found[0].controller.edit(CHANGE_FORMAT, found[1].change(**changes))
            self._mark()

    def _mark(self) -> None:
        """Show what is chosen now; the samples stay, for they are of the same values."""
        found = self._find()
        if found is None:
            return
        self._mark_used(found[1].pattern)
        self.pattern.setText(found[1].pattern or "")

    def open_beside(self, place: QRect, room: QWidget) -> None:
        """Open beside a place on the screen, on the formats."""
        super().open_beside(place, room)
        self.formats.setFocus()
