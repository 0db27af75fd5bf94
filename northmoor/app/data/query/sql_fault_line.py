"""Faults of SQL while it is being written: underlined in the editor, the first one in words below it, with what would
correct it."""

import re
from collections.abc import Callable
from html import escape

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QWidget

from northmoor.app.data.query.sentence_context import SentenceContext
from northmoor.app.data.query.sentence_text import short
from northmoor.app.data.query.sql_editor import SqlEditor
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr, tr_count
from northmoor.core.sources.typing.name_check import SqlFault, sql_faults

_IN_LINE = re.compile(r"(?<=') in line \d+")
"""Where messages about words that cannot be parsed name the line, which is named before them here."""
_LONGEST = 20_000
"""Characters that are looked at without a wait that could be noticed; Check looks at longer ones."""


class SqlFaultLine(QWidget):
    """The first fault of the SQL in an editor, and a button that corrects it; nothing while there is none."""

    found = pyqtSignal(int, str)
    parameter_wanted = pyqtSignal(str)

    def __init__(self, editor: SqlEditor, around: Callable[[], SentenceContext | None]) -> None:
        super().__init__()
        self._editor, self._around = editor, around
        self.faults: tuple[SqlFault, ...] = ()
        self._looked_at = ""
        self.text, self.correct = QLabel(), QPushButton()
        self.text.setWordWrap(True)
        self.text.setTextInteractionFlags(
            Qt.TextInteractionFlag.LinksAccessibleByMouse | Qt.TextInteractionFlag.LinksAccessibleByKeyboard
        )
        self.text.linkActivated.connect(lambda _: self._editor.go_to(self.faults[0].position))
        self.correct.setToolTip(tr("Correct it in the SQL (Alt+Return)"))
        self.correct.clicked.connect(self.correct_first)
        QShortcut(QKeySequence("Alt+Return"), editor, self.correct_first, context=Qt.ShortcutContext.WidgetShortcut)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(self.text, 1)
        row.addWidget(self.correct, 0, Qt.AlignmentFlag.AlignTop)
        self.hide()

    def look(self) -> None:
        """Look at the text as it is now."""
        around, sql = self._around(), self._editor.text()
        self._looked_at = sql
        is_seen = around is not None and len(sql) <= _LONGEST
        self.faults = sql_faults(sql, around.dialect, around.catalog, around.parameters) if around and is_seen else ()
        self._editor.underline([(fault.position, fault.length, core_text(fault.message)) for fault in self.faults])
        self.setVisible(bool(self.faults))
        if not self.faults:
            return
        first = self.faults[0]
        self.found.emit(first.position, core_text(first.message))
        line = tr("Line {number}").format(number=sql.count("\n", 0, first.position) + 1)
        words = core_text(_IN_LINE.sub("", first.message))
        others = len(self.faults) - 1
        more = tr_count(others, " {count} more is underlined.", " {count} more are underlined.") if others else ""
        self.text.setText(f'<a href="#">{line}</a>: {escape(words + more)}')
        if first.parameter is not None:
            self.correct.setText(tr("Add :{name}").format(name=first.parameter))
        elif first.correction is not None:
            self.correct.setText(tr("Write {text}").format(text=short(first.correction.text)))
        self.correct.setVisible(first.parameter is not None or first.correction is not None)

    def correct_first(self) -> None:
        """Do what corrects the first fault, if that is known."""
        first = self.faults[0] if self.faults else None
        if first is None or self._editor.text() != self._looked_at:
            return
        if first.parameter is not None:
            self.parameter_wanted.emit(first.parameter)
        elif first.correction is not None:
            self._editor.write_instead(first.correction)
            self.look()
