"""The editor of a text block: its runs as they look, with buttons for what is chosen.

What a run is beyond its text (its style, its own look, its link) is kept with its characters, so that typing goes on in
the look of what is before.
"""

from collections.abc import Callable, Iterator
from typing import Any

from msgspec import Struct
from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtGui import QColor, QFont, QKeyEvent, QTextCharFormat, QTextCursor
from PyQt6.QtWidgets import (
    QColorDialog,
    QComboBox,
    QHBoxLayout,
    QInputDialog,
    QTextEdit,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.translation import tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import HEATHER, PEAT, ink
from northmoor.app.widgets.widget_tools import on_another_look, pass_focus
from northmoor.core.model.blocks.text import TextBlock, TextRun
from northmoor.core.model.edits import changed_style
from northmoor.core.model.styles import Style

_RUN = QTextCharFormat.Property.UserProperty + 1


class RunFormat(Struct, frozen=True):
    """What a run is beyond its text."""

    style: str | None = None
    look: Style | None = None
    link: str | None = None


PLAIN = RunFormat()
CommitRuns = Callable[[str, tuple[TextRun, ...]], object]


class RichTextEditor(QWidget):
    """Edits a text and its runs. Leaving it or Enter commits; Shift and Enter start a new line."""

    def __init__(self, block: TextBlock, styles: list[str], commit: CommitRuns) -> None:
        super().__init__()
        self._commit = commit
        self.text = QTextEdit()
        self.text.setAcceptRichText(False)
        self.text.setTabChangesFocus(True)
        self.text.setFixedHeight(96)
        self.text.setAccessibleName(tr("Text"))
        self.text.setToolTip(
            tr("Template; expressions are in braces. Enter applies it, Shift+Enter starts a new line.")
        )
        self.text.setProperty("field", "text")
        self.text.installEventFilter(self)
        pass_focus(self, self.text)
        self.styles = QComboBox()
        self.styles.setMinimumContentsLength(4)
        self.styles.setSizeAdjustPolicy(QComboBox.SizeAdjustPolicy.AdjustToMinimumContentsLengthWithIcon)
        self.styles.addItem(tr("As the text"), None)
        for name in styles:
            self.styles.addItem(name, name)
        self.styles.setToolTip(tr("The style of what is chosen"))
        self.styles.setAccessibleName(tr("Style of the run"))
        self.styles.activated.connect(lambda at: self._change(style=self.styles.itemData(at)))
        self.buttons = {
            name: self._button(name, text, run)
            for name, text, run in (
                ("bold", tr("Bold (Ctrl+B)"), lambda: self._toggle("bold")),
                ("italic", tr("Italic (Ctrl+I)"), lambda: self._toggle("italic")),
                ("palette", tr("Colour"), self._choose_color),
                ("link", tr("Link"), self._ask_link),
                ("indent-increase", tr("Insert a tab"), lambda: self.text.textCursor().insertText("\t")),
            )
        }
        row = QHBoxLayout()
        row.setSpacing(2)
        for button in self.buttons.values():
            row.addWidget(button)
        row.addWidget(self.styles, 1)
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        column.addLayout(row)
        column.addWidget(self.text)
        self._fill(block)
        self._before = (block.text, block.runs)
        self.text.cursorPositionChanged.connect(self._show_style)
        on_another_look(self, self._recolor)

    def _recolor(self) -> None:
        document = self.text.document()
        assert document is not None
        cursor, block, faded = QTextCursor(document), document.begin(), []
        while block.isValid():
            pieces = block.begin()
            while not pieces.atEnd():
                piece = pieces.fragment()
                wanted = _format(_manner(piece.charFormat()))
                if piece.charFormat().foreground() != wanted.foreground():
                    faded.append((piece.position(), piece.length(), wanted))
                pieces += 1
            block = block.next()
        for begin, length, wanted in faded:  # pieces may become one as they are coloured
            cursor.setPosition(begin)
            cursor.setPosition(begin + length, QTextCursor.MoveMode.KeepAnchor)
            cursor.setCharFormat(wanted)

    def _button(self, drawing: str, text: str, run: Callable[[], object]) -> QToolButton:
        button = QToolButton()
        button.setIcon(icon(drawing))
        button.setToolTip(text)
        button.setAccessibleName(text)
        button.clicked.connect(run)
        button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        return button

    @property
    def chosen(self) -> tuple[int, int]:
        """What is chosen: from where, to where."""
        cursor = self.text.textCursor()
        return cursor.anchor(), cursor.position()

    def choose(self, begin: int, end: int) -> None:
        """Choose from one place to another."""
        length = len(self.text.toPlainText())
        cursor = self.text.textCursor()
        cursor.setPosition(min(begin, length))
        cursor.setPosition(min(end, length), QTextCursor.MoveMode.KeepAnchor)
        self.text.setTextCursor(cursor)

    def show_value(self, block: TextBlock) -> None:
        """Show another text; what is chosen stays chosen."""
        if (block.text, block.runs) != self._before:
            chosen = self.chosen
            self._before = (block.text, block.runs)
            self.text.clear()
            self._fill(block)
            self.choose(*chosen)

    def _fill(self, block: TextBlock) -> None:
        cursor = self.text.textCursor()
        cursor.insertText(block.text, _format(PLAIN))
        for run in block.runs:
            cursor.insertText(run.text, _format(RunFormat(run.style, run.look, run.link)))
        cursor.movePosition(QTextCursor.MoveOperation.Start)
        self.text.setTextCursor(cursor)

    @property
    def parts(self) -> tuple[str, tuple[TextRun, ...]]:
        """The text and its runs as they are now."""
        runs: list[tuple[str, RunFormat]] = []
        for text, manner in self._fragments():
            if runs and runs[-1][1] == manner:
                runs[-1] = (runs[-1][0] + text, manner)
            else:
                runs.append((text, manner))
        first = runs.pop(0)[0] if runs and runs[0][1] == PLAIN else ""
        return first, tuple(TextRun(text=text, style=m.style, look=m.look, link=m.link) for text, m in runs)

    def _fragments(self) -> Iterator[tuple[str, RunFormat]]:
        document = self.text.document()
        assert document is not None
        block, manner = document.begin(), PLAIN
        while block.isValid():
            if block != document.begin():
                yield "\n", manner
            at = block.begin()
            while not at.atEnd():
                fragment = at.fragment()
                manner = _manner(fragment.charFormat())
                yield fragment.text().replace("\u2028", "\n"), manner
                at += 1
            block = block.next()

    # what is chosen

    def _chosen(self) -> QTextCursor:
        """What is chosen, or all where nothing is."""
        cursor = self.text.textCursor()
        if not cursor.hasSelection():
            cursor.select(QTextCursor.SelectionType.Document)
        return cursor

    def _change(self, **changes: Any) -> None:
        """Change what is chosen: its style, its link, or properties of its look."""
        chosen = self._chosen()
        begin, end = chosen.selectionStart(), chosen.selectionEnd()
        at = QTextCursor(chosen)
        for place in range(begin, end):
            at.setPosition(place)
            at.setPosition(place + 1, QTextCursor.MoveMode.KeepAnchor)
            at.setCharFormat(_format(_changed(_manner(at.charFormat()), changes)))
        self._finish()

    def _toggle(self, name: str) -> None:
        chosen = self._chosen()
        probe = QTextCursor(chosen)
        probe.setPosition(min(chosen.selectionStart() + 1, chosen.selectionEnd()))
        look = _manner(probe.charFormat()).look
        self._change(**{name: None if look is not None and getattr(look, name) else True})

    def _choose_color(self) -> None:
        color = QColorDialog.getColor(ink(PEAT), self, tr("Choose a colour"))
        if color.isValid():
            self._change(color=color.name().upper())

    def _ask_link(self) -> None:
        chosen = self._chosen()
        probe = QTextCursor(chosen)
        probe.setPosition(min(chosen.selectionStart() + 1, chosen.selectionEnd()))
        message = tr("Address to open: https://…, #place, or other.moor?parameter={field}. Empty removes the link.")
        text, is_set = QInputDialog.getText(self, tr("Link"), message, text=_manner(probe.charFormat()).link or "")
        if is_set:
            self._change(link=text.strip() or None)

    def _show_style(self) -> None:
        self.styles.setCurrentIndex(max(self.styles.findData(_manner(self.text.currentCharFormat()).style), 0))

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Commit on leaving and on Enter; Ctrl+I and Ctrl+B mark."""
        if event is not None and event.type() == QEvent.Type.FocusOut:
            self._finish()
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            keys = event.modifiers()
            if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and not keys & Qt.KeyboardModifier.ShiftModifier:
                self._finish()
                return True
            marked = {Qt.Key.Key_B: "bold", Qt.Key.Key_I: "italic"}.get(Qt.Key(event.key()))
            if marked is not None and keys & Qt.KeyboardModifier.ControlModifier:
                self._toggle(marked)
                return True
        return super().eventFilter(watched, event)

    def _finish(self) -> None:
        now = self.parts
        if now != self._before and not self.text.signalsBlocked():
            self._before = now
            self._commit(*now)


def _changed(manner: RunFormat, changes: dict[str, Any]) -> RunFormat:
    own = {"style": manner.style, "link": manner.link} | {k: v for k, v in changes.items() if k in ("style", "link")}
    looks = {k: v for k, v in changes.items() if k not in own}
    return RunFormat(own["style"], changed_style(manner.look, **looks) if looks else manner.look, own["link"])


def _manner(shown: QTextCharFormat) -> RunFormat:
    found = shown.property(_RUN)
    return found if isinstance(found, RunFormat) else PLAIN


def _format(manner: RunFormat) -> QTextCharFormat:
    """How a run is shown in the editor: enough of its look to tell it from others."""
    shown = QTextCharFormat()
    shown.setProperty(_RUN, manner)
    look = manner.look or Style()
    if look.bold:
        shown.setFontWeight(QFont.Weight.Bold)
    shown.setFontItalic(bool(look.italic))
    shown.setForeground(QColor(look.color) if look.color else ink(HEATHER if manner.style else PEAT))
    shown.setFontUnderline(manner.link is not None)
    return shown
