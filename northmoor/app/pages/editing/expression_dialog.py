"""A larger editor of an expression: room for it, what can be written in it, and its value in the chosen cell."""

import re

from PyQt6.QtCore import QEvent, QObject, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFont, QKeyEvent, QPaintEvent, QSyntaxHighlighter, QTextCharFormat, QTextCursor, QTextDocument
from PyQt6.QtWidgets import (
    QDialog,
    QDialogButtonBox,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPlainTextEdit,
    QPushButton,
    QTextEdit,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.pages.editing.expression_context import ExpressionContext, ExpressionUse
from northmoor.app.widgets.headings import draw_hint
from northmoor.app.widgets.theme import GORSE_TEXT, HEATHER, LICHEN_TEXT, ROWAN, STONE_TEXT, ink
from northmoor.app.widgets.widget_tools import on_another_look
from northmoor.app.widgets.word_completer import argument_place
from northmoor.core.authoring.completions import FIELDS, Completion, matching_completions
from northmoor.core.authoring.expression_check import ExpressionFault, check_expression
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.checks.trace.trial import Trial

_AFTER = 250
"""Milliseconds without typing after which a text is checked and computed."""
_WORD = re.compile(r"[\w\":]+$")
_WORDS = "and|or|not|is|null|in|like|ilike|between|case|when|then|else|end|over|order by|filter|where|as"
_COLORS = (
    (re.compile(rf"\b\w+(?=\()|\b(?:{_WORDS})\b"), HEATHER),
    (re.compile(r"\b\d+(?:\.\d+)?\b|:\w+"), GORSE_TEXT),
    (re.compile(r"'(?:[^']|'')*'"), LICHEN_TEXT),
)
_COMPLETION = Qt.ItemDataRole.UserRole
_NOWHERE = tr("Choose a cell of a table on the page first, and its value is shown here.")


class _Colors(QSyntaxHighlighter):
    def __init__(self, document: QTextDocument, is_template: bool) -> None:
        super().__init__(document)
        self._is_template = is_template

    def highlightBlock(self, text: str | None) -> None:
        text = text or ""
        spans = [m.span() for m in re.finditer(r"\{[^}]*\}?", text)] if self._is_template else [(0, len(text))]
        for begin, end in spans:
            for pattern, color in _COLORS:
                for found in pattern.finditer(text, begin, end):
                    self.setFormat(found.start(), found.end() - found.start(), ink(color))


class _Offered(QTreeWidget):
    """What can be written; a search that finds none of it says so."""

    def paintEvent(self, event: QPaintEvent | None) -> None:
        super().paintEvent(event)
        draw_hint(self, tr("Nothing has these words. Try fewer of them."))


class ExpressionDialog(QDialog):
    """The editor. Tab takes the first of what is offered, Ctrl+Enter the expression; Esc leaves it as it was."""

    _tried = pyqtSignal(object)

    def __init__(self, text: str, context: ExpressionContext, use: ExpressionUse, parent: QWidget) -> None:
        super().__init__(parent)
        is_template = use == "template"
        self.setWindowTitle(tr("Text with expressions") if is_template else tr("Expression"))
        self._context, self._is_template, self._is_condition = context, is_template, use == "condition"
        self._asked = 0
        self._trial: CancelToken | None = None
        self.fault: ExpressionFault | None = None
        self.editor, self.offered, self.search = QPlainTextEdit(text), _Offered(), QLineEdit()
        self.value, self.message, self.help = QLabel(), QLabel(), QLabel()
        self.correct = QPushButton(tr("Correct it"))
        self._colors = _Colors(self.editor.document(), is_template)  # type: ignore[arg-type]  # an editor has one
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_AFTER)
        self._place()
        self._connect()
        self.editor.moveCursor(QTextCursor.MoveOperation.End)
        self._fill("")
        self._check()
        self.resize(720, 520)

    def _place(self) -> None:
        self.editor.setObjectName("expression")
        self.editor.setAccessibleName(tr("Expression"))
        self.editor.setTabChangesFocus(True)
        self.editor.setFixedHeight(120)
        self.search.setPlaceholderText(tr("search fields, parameters, groups, functions"))
        self.search.setAccessibleName(tr("Search fields and functions"))
        self.search.setClearButtonEnabled(True)
        self.offered.setAccessibleName(tr("Fields and functions"))
        self.offered.setToolTip(tr("Enter or a double click inserts it into the expression"))
        self.offered.setColumnCount(2)
        self.offered.setHeaderHidden(True)
        self.offered.setUniformRowHeights(True)
        header = self.offered.header()
        assert header is not None
        header.setSectionResizeMode(0, QHeaderView.ResizeMode.Fixed)
        header.resizeSection(0, 300)
        self.message.setObjectName("fault")
        for label in (self.message, self.value, self.help):
            label.setTextFormat(Qt.TextFormat.PlainText)
            label.setWordWrap(True)
        self.help.setObjectName("quiet")
        self.help.setMinimumHeight(36)
        self.help.setAlignment(Qt.AlignmentFlag.AlignTop)
        row = QHBoxLayout()
        row.addWidget(self.message, 1)
        row.addWidget(self.value, 1)
        row.addWidget(self.correct)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        ok = buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert ok is not None
        ok.setObjectName("primary")
        ok.setToolTip(tr("Use it (Ctrl+Enter)"))
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.setSpacing(8)
        column.addWidget(self.editor)
        column.addLayout(row)
        column.addWidget(self.search)
        column.addWidget(self.offered, 1)
        column.addWidget(self.help)
        column.addWidget(buttons)

    def _connect(self) -> None:
        self.editor.installEventFilter(self)
        self.search.installEventFilter(self)
        self.editor.textChanged.connect(self._typed)
        self.editor.cursorPositionChanged.connect(self._follow_word)
        self.search.textEdited.connect(self._fill)
        self.offered.currentItemChanged.connect(lambda item, _: self._explain(item))
        self.offered.itemActivated.connect(lambda item, _: self.insert(item))
        self.correct.clicked.connect(lambda _=False: self._correct())
        self._timer.timeout.connect(self._check)
        self._tried.connect(self._show_trial)
        self.finished.connect(lambda _: self._stop())
        on_another_look(self, self._recolor)

    def _recolor(self) -> None:
        self._colors.rehighlight()
        self._fill(self.search.text())

    @property
    def text(self) -> str:
        """The expression, on one line: line breaks mean nothing in it."""
        text = self.editor.toPlainText()
        return text if self._is_template else " ".join(text.split("\n")).strip()

    # what can be written

    def _fill(self, word: str) -> None:
        known = list(self._context.completions)
        found = matching_completions(known, word.strip()) if word.strip() else known
        self.offered.clear()
        heads: dict[str, QTreeWidgetItem] = {}
        for each in found:
            if each.kind not in heads:
                head = heads[each.kind] = QTreeWidgetItem(self.offered, [tr(each.kind)])
                head.setFlags(Qt.ItemFlag.ItemIsEnabled)
                head.setExpanded(True)
                bold = QFont(head.font(0))
                bold.setBold(True)
                head.setFont(0, bold)
            item = QTreeWidgetItem(heads[each.kind], [each.text, self._about(each)])
            item.setForeground(1, ink(STONE_TEXT))
            item.setData(0, _COMPLETION, each)

    def _about(self, each: Completion) -> str:
        sample = self._context.samples.get(each.text.strip('"'))
        return f"{each.about} · {sample}" if sample and each.kind == FIELDS else each.about

    def _explain(self, item: QTreeWidgetItem | None) -> None:
        each: Completion | None = item.data(0, _COMPLETION) if item is not None else None
        self.help.setText(f"{each.text} — {self._about(each)}" if each is not None else "")

    def _items(self) -> list[QTreeWidgetItem]:
        root = self.offered.invisibleRootItem()
        heads = [root.child(at) for at in range(root.childCount())] if root is not None else []
        return [own for head in heads if head for at in range(head.childCount()) if (own := head.child(at))]

    def _word(self) -> str:
        """The word that is being typed."""
        cursor = self.editor.textCursor()
        found = _WORD.search(self.editor.toPlainText()[: cursor.position()])
        is_typed = found is not None and not found[0][0].isdigit() and self._is_inside(cursor.position())
        return found[0] if found is not None and is_typed else ""

    def _typed_name(self) -> str:
        """The word that is being typed where something that can be written begins like it."""
        word = self._word()
        return word if word and matching_completions(list(self._context.completions), word) else ""

    def _is_inside(self, position: int) -> bool:
        """Whether an expression is at a place, not the text around one."""
        before = self.editor.toPlainText()[:position]
        return not self._is_template or before.rfind("{") > before.rfind("}")

    def _follow_word(self) -> None:
        if self.focusWidget() is self.editor:  # also while the window is not in front
            self.search.clear()
            self._fill(self._typed_name())

    def insert(self, item: QTreeWidgetItem) -> None:
        """Put what was chosen in place of the word that is being typed, or where the cursor is."""
        each: Completion | None = item.data(0, _COMPLETION)
        if each is None:
            return
        cursor, word = self.editor.textCursor(), self._word()
        if not self.search.text() and word and not cursor.hasSelection():
            cursor.movePosition(QTextCursor.MoveOperation.Left, QTextCursor.MoveMode.KeepAnchor, len(word))
        is_inside = self._is_inside(cursor.selectionStart())
        text = each.text if is_inside else f"{{{each.text}}}"
        begin = cursor.selectionStart()
        cursor.insertText(text)
        if (place := argument_place(text)) is not None:
            cursor.setPosition(begin + place[0])
            cursor.setPosition(begin + place[0] + place[1], QTextCursor.MoveMode.KeepAnchor)
        self.editor.setTextCursor(cursor)
        self.editor.setFocus()

    # what is typed

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Tab takes the first of what is offered for the word; Down goes into the list; Ctrl+Enter accepts."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            is_enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            if is_enter and (event.modifiers() & Qt.KeyboardModifier.ControlModifier or watched is self.search):
                self.accept() if watched is self.editor else self._take_first()
                return True
            if event.key() == Qt.Key.Key_Tab and watched is self.editor and self._typed_name():
                self._take_first()
                return True
            if event.key() == Qt.Key.Key_Down and watched is self.search and self._items():
                self.offered.setCurrentItem(self._items()[0])
                self.offered.setFocus()
                return True
        return super().eventFilter(watched, event)

    def _take_first(self) -> None:
        if items := self._items():
            self.insert(items[0])

    def _typed(self) -> None:
        self._stop()
        self.value.setText("")
        self._timer.start()

    def _check(self) -> None:
        """Look at the text as it is now, and compute it where nothing is wrong with it."""
        self.fault = check_expression(self.text, self._context.names, self._is_template, self._is_condition)
        self._mark()
        self.message.setText(core_text(self.fault.message) if self.fault is not None else "")
        self.correct.setVisible(self.fault is not None and self.fault.corrected is not None)
        self.message.setVisible(self.fault is not None)
        self.value.setVisible(self.fault is None)
        self.value.setText("")
        if self.fault is None and self.text.strip():
            if self._context.begin_trial is None:
                self.value.setText(_NOWHERE)
                return
            self._asked += 1
            asked = self._asked
            self._trial = self._context.begin_trial(
                self.text, self._is_template, lambda found: self._tried.emit((asked, found))
            )

    def _show_trial(self, tried: tuple[int, object]) -> None:
        asked, found = tried
        if asked != self._asked or self.fault is not None:
            return
        if isinstance(found, Trial):
            shown = found.shown if found.shown else tr("no value")
            self.value.setText(tr("Here: {shown}").format(shown=shown) + (f"   ({found.kind})" if found.kind else ""))
        else:
            self.message.setText(str(getattr(found, "message", found)))
            self.message.show()
            self.value.hide()

    def _stop(self) -> None:
        self._timer.stop()
        self._asked += 1
        if self._trial is not None:
            self._trial.cancel()
            self._trial = None

    def _mark(self) -> None:
        """Underline what is wrong."""
        marks = []
        if self.fault is not None and self.text == self.editor.toPlainText():
            mark = QTextEdit.ExtraSelection()
            mark.format.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
            mark.format.setUnderlineColor(ink(ROWAN))
            cursor = self.editor.textCursor()
            last = len(self.text)
            cursor.setPosition(min(self.fault.position, last))
            end = min(self.fault.position + self.fault.length, last)
            cursor.setPosition(end, QTextCursor.MoveMode.KeepAnchor)
            mark.cursor = cursor
            marks.append(mark)
        self.editor.setExtraSelections(marks)

    def _correct(self) -> None:
        if self.fault is not None and self.fault.corrected is not None:
            self.editor.setPlainText(self.fault.corrected)
            self.editor.moveCursor(QTextCursor.MoveOperation.End)
            self._check()
            self.editor.setFocus()
