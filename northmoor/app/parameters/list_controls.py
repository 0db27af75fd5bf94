"""A list to search and tick in, and a list to write line by line."""

from typing import Any

from PyQt6.QtCore import QAbstractListModel, QModelIndex, QObject, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QListView, QPlainTextEdit, QPushButton

from northmoor.app.language.translation import tr
from northmoor.app.parameters.control_base import ControlState, PopupControl, value_text
from northmoor.core.compute.parameters.choices import ChoiceEntry

_NAMED = 2  # labels shown on the button before they are counted


class TickModel(QAbstractListModel):
    """The entries that hold a text, each ticked or not; a hundred thousand of them are no burden."""

    ticked = pyqtSignal()

    def __init__(self, parent: QObject) -> None:
        super().__init__(parent)
        self._entries: tuple[ChoiceEntry, ...] = ()
        self._seen: list[ChoiceEntry] = []
        self.chosen: set[Any] = set()
        self.is_single = False

    def show_entries(self, entries: tuple[ChoiceEntry, ...], chosen: set[Any], is_single: bool) -> None:
        """Show entries, some of them ticked; of a single choice, one at most."""
        self._entries, self.chosen, self.is_single = entries, chosen, is_single
        self.search("")

    def search(self, text: str) -> None:
        """Show the entries that hold a text."""
        wanted = text.casefold().strip()
        self.beginResetModel()
        self._seen = [entry for entry in self._entries if wanted in entry.label.casefold()]
        self.endResetModel()

    def in_order(self) -> tuple[Any, ...]:
        """The ticked values in the list's order."""
        return tuple(entry.value for entry in self._entries if entry.value in self.chosen)

    def tick_visible(self, on: bool) -> None:
        """Tick all entries that are seen, or none of them."""
        values = {entry.value for entry in self._seen}
        self.chosen = self.chosen | values if on else self.chosen - values
        self._emit_count()

    def toggle(self, row: int) -> None:
        """Tick or untick the entry in a row."""
        if 0 <= row < len(self._seen):
            value = self._seen[row].value
            self.chosen = {value} if self.is_single else self.chosen ^ {value}
            self._emit_count()

    def _emit_count(self) -> None:
        self.dataChanged.emit(self.index(0), self.index(max(len(self._seen) - 1, 0)))
        self.ticked.emit()

    def rowCount(self, parent: QModelIndex | None = None) -> int:
        """How many entries are seen."""
        return 0 if parent is not None and parent.isValid() else len(self._seen)

    def data(self, index: QModelIndex, role: int = Qt.ItemDataRole.DisplayRole) -> Any:
        """An entry's label, and its tick."""
        entry = self._seen[index.row()]
        if role == Qt.ItemDataRole.DisplayRole:
            return entry.label or "(empty)"
        if role == Qt.ItemDataRole.CheckStateRole:
            return Qt.CheckState.Checked if entry.value in self.chosen else Qt.CheckState.Unchecked
        return None


class _List(QListView):
    """Space and Enter tick, like a click."""

    chosen = pyqtSignal(int)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """Space and Enter tick the current entry."""
        if event is not None and event.key() in (Qt.Key.Key_Space, Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.chosen.emit(self.currentIndex().row())
        else:
            super().keyPressEvent(event)


class _Search(QLineEdit):
    """The down key leads into the list."""

    def __init__(self, target: QListView) -> None:
        super().__init__()
        self._target = target
        self.setPlaceholderText(tr("Search"))
        self.setAccessibleName(tr("Search the list"))
        self.setClearButtonEnabled(True)

    def keyPressEvent(self, event: QKeyEvent | None) -> None:
        """The down key leads into the list."""
        model = self._target.model()
        if event is not None and event.key() == Qt.Key.Key_Down and model is not None and model.rowCount():
            self._target.setFocus()
            self._target.setCurrentIndex(model.index(0, 0))
        else:
            super().keyPressEvent(event)


class TicksControl(PopupControl):
    """A button that opens a list with ticks. The choice is reported when the list is closed; a single one at once."""

    def __init__(self) -> None:
        super().__init__("chevron-down")
        self.model = TickModel(self)
        self.list = _List()
        self.list.setModel(self.model)
        self.list.setUniformItemSizes(True)
        self.list.setAccessibleName(tr("Choices"))
        self.search = _Search(self.list)
        self.message = QLabel()
        self.message.setObjectName("quiet")
        self._state: ControlState | None = None
        self._fill_popup()

    def _fill_popup(self) -> None:
        popup = self.popup
        popup.setFixedWidth(280)
        popup.column.addWidget(self.search)
        popup.column.addWidget(self.list)
        row = QHBoxLayout()
        row.addWidget(self.message, 1)
        self.every: list[QPushButton] = []
        for text, tip, on in (
            (tr("All"), tr("Tick every entry that is seen"), True),
            (tr("None"), tr("Untick every entry seen"), False),
        ):
            button = QPushButton(text)
            button.setToolTip(tip)
            button.clicked.connect(lambda _=False, on=on: self.model.tick_visible(on))
            row.addWidget(button)
            self.every.append(button)
        popup.column.addLayout(row)
        self.search.textChanged.connect(self.model.search)
        self.search.returnPressed.connect(lambda: self._toggle(0) if self.search.text() else self.popup.hide())
        self.list.clicked.connect(lambda index: self._toggle(index.row()))
        self.list.chosen.connect(self._toggle)
        self.model.ticked.connect(self._count)
        popup.closed.connect(self._done)

    def show_state(self, state: ControlState) -> None:
        """Show what is chosen."""
        self._state = state
        entries, held = state.choices.entries, state.chosen
        if isinstance(held, tuple):
            text = tr("{held:,} of {entries:,}").format(held=len(held), entries=len(entries))
            if 0 < len(held) == len(entries):
                text = tr("All {count:,}").format(count=len(held))
            elif 0 < len(held) <= _NAMED:
                text = ", ".join(state.choices.labels.get(value, value_text(value)) for value in held)
        else:
            text = state.choices.labels.get(held, tr("none") if not state.parameter.required else tr("choose"))  # type: ignore[arg-type]
        shown = self.fontMetrics().elidedText(text, Qt.TextElideMode.ElideRight, 190)
        self.button.setText(shown if entries or text == "none" else tr("no values"))
        self.button.setEnabled(bool(entries))

    def open(self) -> None:
        """Open the list."""
        state = self._state
        if state is None:
            return
        held = state.chosen if isinstance(state.chosen, tuple) else () if state.chosen is None else (state.chosen,)
        is_single = state.parameter.holds == "one"
        self.search.clear()
        self.model.show_entries(state.choices.entries, set(held), is_single)
        self.list.setFixedHeight(min(max(len(state.choices.entries), 3), 12) * 26 + 4)
        for part in (*self.every, self.message):
            part.setVisible(not is_single)
        self._count()
        self.popup.open_below(self.button)
        self.search.setFocus()

    def _toggle(self, row: int) -> None:
        self.model.toggle(row)
        if self.model.is_single:
            self.popup.hide()

    def _count(self) -> None:
        self.message.setText(
            "" if self.model.is_single else tr("{count:,} ticked").format(count=len(self.model.chosen))
        )

    def _done(self) -> None:
        state, chosen = self._state, self.model.in_order()
        if state is None:
            return
        if state.parameter.holds == "list":
            if chosen != state.chosen:
                self.changed.emit(chosen)
        elif chosen and chosen[0] != state.chosen:
            self.changed.emit(chosen[0])


class LinesControl(PopupControl):
    """A button that opens a text with one value a line; a column copied from elsewhere can be pasted in."""

    def __init__(self) -> None:
        super().__init__("chevron-down")
        self.text = QPlainTextEdit()
        self.text.setAccessibleName(tr("Values, one per line"))
        self.text.setPlaceholderText(tr("One value per line"))
        self.text.setTabChangesFocus(True)
        self.text.setMinimumSize(QSize(240, 200))
        self.message = QLabel(tr("One value per line"))
        self.message.setObjectName("quiet")
        apply = QPushButton(tr("Apply"))
        apply.setObjectName("primary")
        self.popup.column.addWidget(self.text)
        row = QHBoxLayout()
        row.addWidget(self.message, 1)
        row.addWidget(apply)
        self.popup.column.addLayout(row)
        apply.clicked.connect(self.popup.hide)
        self.text.textChanged.connect(
            lambda: self.message.setText(tr("{count:,} values").format(count=len(self._lines())))
        )
        self.popup.closed.connect(self._done)
        self._shown: list[str] = []

    def show_state(self, state: ControlState) -> None:
        """Show how many values there are, or the few."""
        raw = (
            state.given
            if isinstance(state.given, list | tuple) and not isinstance(state.chosen, tuple)
            else state.chosen
        )
        self._shown = [value_text(value) for value in (raw if isinstance(raw, list | tuple) else ())]
        few = ", ".join(self._shown)
        text = (
            few
            if 0 < len(self._shown) <= _NAMED and len(few) < 40
            else tr("{count:,} values").format(count=len(self._shown))
        )
        self.button.setText(text)

    def open(self) -> None:
        """Open the text."""
        self.text.setPlainText("\n".join(self._shown))
        self.popup.open_below(self.button)
        self.text.setFocus()

    def _lines(self) -> list[str]:
        return [line.strip() for line in self.text.toPlainText().split("\n") if line.strip()]

    def _done(self) -> None:
        lines = self._lines()
        if lines != self._shown:
            self.changed.emit(lines)
