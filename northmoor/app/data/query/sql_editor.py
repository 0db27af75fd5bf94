"""The SQL editor: highlighting, completion of tables, columns and parameters, and a mark where a fault is."""

from collections.abc import Iterable

from PyQt6.Qsci import QsciAPIs, QsciLexerSQL, QsciScintilla
from PyQt6.QtGui import QColor, QFont
from PyQt6.QtWidgets import QWidget

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
)

EDITOR_POINTS = 9.5
"""Size of the SQL; the editor component knows points only."""
_FAULT = 8
_LETTERS_BEFORE_OFFERING = 2
_COLORS = {
    QsciLexerSQL.Keyword: HEATHER,
    QsciLexerSQL.SingleQuotedString: LICHEN_TEXT,
    QsciLexerSQL.DoubleQuotedString: LICHEN_TEXT,
    QsciLexerSQL.Number: GORSE_TEXT,
    QsciLexerSQL.Comment: STONE_TEXT,
    QsciLexerSQL.CommentLine: STONE_TEXT,
}


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
        lexer.setColor(QColor(PEAT))
        lexer.setPaper(QColor(PAPER))
        for style, color in _COLORS.items():
            lexer.setColor(QColor(color), style)
        self._words = QsciAPIs(lexer)
        self.setLexer(lexer)
        self.setFont(font)
        self._behave()
        self._look(font)

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

    def _look(self, font: QFont) -> None:
        self.setMatchedBraceBackgroundColor(QColor(LIT))
        self.setMatchedBraceForegroundColor(QColor(PEAT))
        self.setMarginWidth(0, 0)
        self.setMarginWidth(1, 6)
        self.setMarginsBackgroundColor(QColor(PAPER))
        self.setMarginsFont(font)
        self.setCaretForegroundColor(QColor(HEATHER))
        self.setCaretLineVisible(True)
        self.setCaretLineBackgroundColor(QColor(MIST))
        self.setSelectionBackgroundColor(QColor(LIT))
        self.setSelectionForegroundColor(QColor(PEAT))
        self.setFrameShape(QsciScintilla.Shape.NoFrame)
        self.indicatorDefine(QsciScintilla.IndicatorStyle.SquiggleIndicator, _FAULT)
        self.setIndicatorForegroundColor(QColor(ROWAN), _FAULT)
        self.SendScintilla(QsciScintilla.SCI_SETEXTRAASCENT, 2)
        self.SendScintilla(QsciScintilla.SCI_SETEXTRADESCENT, 2)

    def set_completions(self, words: Iterable[str]) -> None:
        """Complete these names."""
        self._words.clear()
        for word in sorted(set(words), key=str.lower):
            self._words.add(word)
        self._words.prepare()

    def mark_fault(self, position: int | None) -> None:
        """Underline the word at a character of the text; None takes the mark away."""
        lines = self.lines()
        self.clearIndicatorRange(0, 0, lines - 1, self.lineLength(lines - 1), _FAULT)
        if position is None:
            return
        before = self.text()[:position]
        line, column = before.count("\n"), len(before) - before.rfind("\n") - 1
        rest = self.text()[position:].split("\n")[0]
        length = next((n for n, letter in enumerate(rest) if not (letter.isalnum() or letter in "_.\"'")), len(rest))
        self.fillIndicatorRange(line, column, line, column + max(length, 1), _FAULT)
        self.setCursorPosition(line, column)
