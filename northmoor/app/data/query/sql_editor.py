"""The SQL editor: highlighting, completion of tables, columns and parameters, and marks where faults are."""

import re
from collections.abc import Iterable, Sequence

from PyQt6.Qsci import QsciAPIs, QsciLexerSQL, QsciScintilla
from PyQt6.QtCore import QPoint
from PyQt6.QtGui import QFont
from PyQt6.QtWidgets import QToolTip, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.widgets.theme import (
    GORSE_TEXT,
    HEATHER,
    LICHEN_TEXT,
    LIT,
    MIST,
    MONO_FONT,
    PAPER,
    PEAT,
    ROWAN,
    STONE_TEXT,
    ink,
)
from northmoor.app.widgets.widget_tools import on_another_look, plain_tip
from northmoor.core.errors import Correction

EDITOR_POINTS = 9.5
"""Size of the SQL; the editor component knows points only."""
_FAULT, _LIKELY = 8, 9
"""Marks below the text: what a run found at fault, and what looks so while one writes."""
_LETTERS_BEFORE_OFFERING = 2
_DWELL = 400
"""Milliseconds that the pointer rests before a fault under it is explained."""
_COLORS = {
    QsciLexerSQL.Keyword: HEATHER,
    QsciLexerSQL.SingleQuotedString: LICHEN_TEXT,
    QsciLexerSQL.DoubleQuotedString: LICHEN_TEXT,
    QsciLexerSQL.Number: GORSE_TEXT,
    QsciLexerSQL.Comment: STONE_TEXT,
    QsciLexerSQL.CommentLine: STONE_TEXT,
}


_NO_LETTERS = re.compile(r"\W+")


class SqlEditor(QsciScintilla):
    """An editor for one query's SQL."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(tr("SQL"))
        font = QFont(MONO_FONT)
        font.setPointSizeF(EDITOR_POINTS)
        lexer = QsciLexerSQL(self)
        lexer.setDefaultFont(font)
        lexer.setFont(font)
        self._words = QsciAPIs(lexer)
        self.setLexer(lexer)
        self.setFont(font)
        self._behave()
        self._look(font)
        self._color()
        on_another_look(self, self._color)

    def _behave(self) -> None:
        self.setUtf8(True)
        self.setTabWidth(2)
        self.setIndentationsUseTabs(False)
        self.setAutoIndent(True)
        self.setWrapMode(QsciScintilla.WrapMode.WrapWord)
        self.setWrapIndentMode(QsciScintilla.WrapIndentMode.WrapIndentIndented)
        self.setBraceMatching(QsciScintilla.BraceMatch.SloppyBraceMatch)
        self.setAutoCompletionSource(QsciScintilla.AutoCompletionSource.AcsAPIs)
        self.setAutoCompletionThreshold(_LETTERS_BEFORE_OFFERING)
        self.setAutoCompletionCaseSensitivity(False)
        self.setAutoCompletionReplaceWord(True)
        self.SendScintilla(QsciScintilla.SCI_SETMULTIPLESELECTION, 0)
        self.SendScintilla(QsciScintilla.SCI_SETMOUSEDWELLTIME, _DWELL)
        self._underlined: list[tuple[int, int, str]] = []
        self._written: dict[str, str] = {}
        """The names that are completed, by what the list has for each."""
        self.SCN_DWELLSTART.connect(self._explain)
        self.SCN_AUTOCSELECTION.connect(lambda word, begin, *_: self._complete(word, begin))

    def _look(self, font: QFont) -> None:
        self.setMarginWidth(0, 0)
        self.setMarginWidth(1, 6)
        self.setMarginsFont(font)
        self.setCaretLineVisible(True)
        self.setFrameShape(QsciScintilla.Shape.NoFrame)
        for mark in (_FAULT, _LIKELY):
            self.indicatorDefine(QsciScintilla.IndicatorStyle.SquiggleIndicator, mark)
        self.SendScintilla(QsciScintilla.SCI_SETEXTRAASCENT, 2)
        self.SendScintilla(QsciScintilla.SCI_SETEXTRADESCENT, 2)

    def _color(self) -> None:
        """Take the colours of the look that is shown."""
        lexer = self.lexer()
        assert lexer is not None
        lexer.setColor(ink(PEAT))
        lexer.setPaper(ink(PAPER))
        for style, color in _COLORS.items():
            lexer.setColor(ink(color), style)
        self.setMatchedBraceBackgroundColor(ink(LIT))
        self.setMatchedBraceForegroundColor(ink(PEAT))
        self.setMarginsBackgroundColor(ink(PAPER))
        self.setCaretForegroundColor(ink(HEATHER))
        self.setCaretLineBackgroundColor(ink(MIST))
        self.setSelectionBackgroundColor(ink(LIT))
        self.setSelectionForegroundColor(ink(PEAT))
        self.setIndicatorForegroundColor(ink(ROWAN), _FAULT)
        self.setIndicatorForegroundColor(ink(GORSE_TEXT), _LIKELY)

    def set_completions(self, names: Iterable[str]) -> None:
        """Complete these names, which are as SQL writes them; one in quotes is found and listed by its letters."""
        self._words.clear()
        self._written = {_NO_LETTERS.sub("_", name).strip("_") or name: name for name in names}
        for word in sorted(self._written, key=str.lower):
            self._words.add(word)
        self._words.prepare()

    def _complete(self, word: bytes, begin: int) -> None:
        """Write the name in its quotes that is chosen from the list by its letters; the editor writes any other."""
        name = self._written.get(word.decode(), "")
        if name and name != word.decode():
            self.SendScintilla(QsciScintilla.SCI_AUTOCCANCEL)
            self.SendScintilla(QsciScintilla.SCI_SETSEL, begin, self.SendScintilla(QsciScintilla.SCI_GETCURRENTPOS))
            self.replaceSelectedText(name)

    def mark_fault(self, position: int | None) -> None:
        """Underline the word at a character of the text; None takes the mark away."""
        self._clear(_FAULT)
        if position is None:
            return
        line, column = self._line_column(position)
        rest = self.text()[position:].split("\n")[0]
        length = next((n for n, letter in enumerate(rest) if not (letter.isalnum() or letter in "_.\"'")), len(rest))
        self.fillIndicatorRange(line, column, line, column + max(length, 1), _FAULT)
        self.setCursorPosition(line, column)

    def go_to(self, position: int) -> None:
        """Put the caret before a character of the text."""
        self.setCursorPosition(*self._line_column(position))
        self.setFocus()

    def underline(self, spans: Sequence[tuple[int, int, str]]) -> None:
        """Underline pieces of the text: the character that each begins at, how many it takes, and what a tooltip says
        about it."""
        self._underlined = list(spans)
        self._clear(_LIKELY)
        for position, length, _ in spans:
            self.fillIndicatorRange(*self._line_column(position), *self._line_column(position + length), _LIKELY)

    def write_instead(self, correction: Correction) -> None:
        """Write what is likely meant."""
        begin, end = correction.position, correction.position + correction.length
        self.setSelection(*self._line_column(begin), *self._line_column(end))
        self.replaceSelectedText(correction.text)

    def _clear(self, mark: int) -> None:
        lines = self.lines()
        self.clearIndicatorRange(0, 0, lines - 1, self.lineLength(lines - 1), mark)

    def _line_column(self, position: int) -> tuple[int, int]:
        before = self.text()[:position]
        return before.count("\n"), len(before) - before.rfind("\n") - 1

    def _explain(self, at: int, x: int, y: int) -> None:
        """Say what is at fault under the pointer; `at` counts bytes."""
        character = len(self.text().encode()[: max(at, 0)].decode(errors="ignore"))
        found = next((words for begin, count, words in self._underlined if begin <= character <= begin + count), "")
        if at >= 0 and found:
            QToolTip.showText(self.viewport().mapToGlobal(QPoint(x, y + 16)), plain_tip(found), self)
