"""A query that moves to another connection: its SQL before and after, what changes in meaning, and both compared."""

from collections import Counter
from collections.abc import Callable
from functools import partial

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QDialog, QDialogButtonBox, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from northmoor.app.data.query.sql_editor import SqlEditor
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.widgets.headings import section
from northmoor.app.widgets.icons import icon
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.engine.rows import Rows
from northmoor.core.errors import NorthmoorError
from northmoor.core.sources.builder.translating import TranslatedSql

AskConnection = Callable[[str, str, Callable[[object], None]], CancelToken]
"""Asks the rows of an SQL text of a connection, given by name; as `AskRows`."""
MOST_COMPARED = 2_000
"""Rows of each side that are compared."""


class TranslateDialog(QDialog):
    """Shows SQL of one connection beside what it is on another; the new one can be changed before it is taken."""

    def __init__(
        self,
        sql: str,
        translated: TranslatedSql,
        names: tuple[str, str],
        ask: AskConnection,
        parent: QWidget | None = None,
    ) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Move the query from {first} to {second}").format(first=names[0], second=names[1]))
        self.resize(860, 480)
        self._names, self._ask = names, ask
        self._asking: list[CancelToken] = []
        self._answers: dict[int, object] = {}
        self.before, self.after = SqlEditor(), SqlEditor()
        self.before.setText(sql)
        self.before.setReadOnly(True)
        self.after.setText(translated.sql)
        self.before.setAccessibleName(tr("SQL before"))
        self.after.setAccessibleName(tr("SQL after"))
        notes = "\n".join(f"• {core_text(note)}" for note in translated.notes)
        self.notes = QLabel(notes or tr("No difference in what it means is known."))
        self.compare = QPushButton(icon("check"), tr("Run both and compare"))
        self.outcome = QLabel()
        for label in (self.notes, self.outcome):
            label.setWordWrap(True)
            label.setTextFormat(Qt.TextFormat.PlainText)
        self._place()
        self.compare.setAutoDefault(False)
        self.compare.clicked.connect(self._compare)
        self.finished.connect(lambda _: self._stop())

    def _place(self) -> None:
        sides = QHBoxLayout()
        for title, editor in zip(self._names, (self.before, self.after), strict=True):
            side = QVBoxLayout()
            side.addWidget(section(title))
            side.addWidget(editor, 1)
            sides.addLayout(side)
        kinds = QDialogButtonBox.StandardButton
        buttons = QDialogButtonBox(kinds.Ok | kinds.Cancel)
        move = buttons.button(kinds.Ok)
        assert move is not None
        move.setText(tr("Move"))
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        line = QHBoxLayout()
        line.addWidget(self.compare)
        line.addWidget(self.outcome, 1)
        layout = QVBoxLayout(self)
        layout.addLayout(sides, 1)
        layout.addWidget(self.notes)
        layout.addLayout(line)
        layout.addWidget(buttons)

    def sql(self) -> str:
        """The SQL for the new connection."""
        return self.after.text()

    def _compare(self) -> None:
        self._stop()
        self._answers = {}
        self.outcome.setText(tr("Running both …"))
        texts = (self.before.text(), self.after.text())
        asked = enumerate(zip(self._names, texts, strict=True))
        self._asking = [self._ask(name, sql, partial(self._take, side)) for side, (name, sql) in asked]

    def _stop(self) -> None:
        for stop in self._asking:
            stop.cancel()

    def _take(self, side: int, answer: object) -> None:
        self._answers[side] = answer
        if len(self._answers) == len(self._names):
            self.outcome.setText(compared_words(self._answers[0], self._answers[1], self._names))


def compared_words(before: object, after: object, names: tuple[str, str]) -> str:
    """How the rows of two runs compare, in words; an answer is `Rows` or an error."""
    for name, answer in zip(names, (before, after), strict=True):
        if isinstance(answer, NorthmoorError):
            return f"{name}: {answer.message}"
    assert isinstance(before, Rows)
    assert isinstance(after, Rows)
    if [name.lower() for name in before.names] != [name.lower() for name in after.names]:
        return tr("The columns differ: {first} and {second}.").format(
            first=", ".join(before.names), second=", ".join(after.names)
        )
    counts = tr("{before:,} and {after:,} rows").format(before=before.table.num_rows, after=after.table.num_rows)
    found = [Counter(map(_plain_row, rows.table.slice(0, MOST_COMPARED).to_pylist())) for rows in (before, after)]
    only = sum((found[0] - found[1]).values()), sum((found[1] - found[0]).values())
    if only == (0, 0) and before.table.num_rows == after.table.num_rows:
        return tr("{counts}; all that were compared are the same.").format(counts=counts)
    return tr("{counts}; {own:,} only in {first}, {others:,} only in {second}.").format(
        counts=counts, own=only[0], first=names[0], others=only[1], second=names[1]
    )


def _plain_row(row: dict[str, object]) -> tuple[str, ...]:
    """A row's values in a form that does not depend on how a database types them."""
    return tuple("" if value is None else _plain_value(value) for value in row.values())


def _plain_value(value: object) -> str:
    try:
        return f"{float(value):.6f}"  # type: ignore[arg-type]  # what is no number is compared as a text
    except (TypeError, ValueError):
        return str(value)
