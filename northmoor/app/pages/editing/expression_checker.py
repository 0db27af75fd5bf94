"""Checks an expression while it is typed: a fault is underlined and explained by the line, and a key corrects it."""

from collections.abc import Callable

from PyQt6.QtCore import QEvent, QObject, QPoint, Qt, QTimer
from PyQt6.QtGui import QInputMethodEvent, QKeyEvent, QTextCharFormat, QTextFormat
from PyQt6.QtWidgets import QApplication, QFrame, QHBoxLayout, QLabel, QLineEdit, QToolButton

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.widgets.theme import ROWAN, ink
from northmoor.core.authoring.expression_check import ExpressionFault, KnownNames, check_expression

_AFTER = 250
"""Milliseconds without typing after which a text is checked."""
_WIDEST = 460


class ExpressionChecker(QObject):
    """Belongs to a line. Alt+Enter takes the correction; the names are asked for at each check."""

    def __init__(
        self, line: QLineEdit, names: Callable[[], KnownNames], is_template: bool = False, is_condition: bool = False
    ) -> None:
        super().__init__(line)
        self._line, self._names, self._is_template, self._is_condition = line, names, is_template, is_condition
        self.fault: ExpressionFault | None = None
        self._message_shown: QFrame | None = None
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(_AFTER)
        self._timer.timeout.connect(self.check)
        line.textEdited.connect(lambda _: self._timer.start())
        line.installEventFilter(self)

    def eventFilter(self, watched: QObject | None, event: QEvent | None) -> bool:
        """Alt+Enter takes the correction; the message goes with the keyboard."""
        if isinstance(event, QKeyEvent) and event.type() == QEvent.Type.KeyPress:
            is_enter = event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            if is_enter and event.modifiers() & Qt.KeyboardModifier.AltModifier and self.fault is not None:
                self.correct()
                return True
        if event is not None and event.type() in (QEvent.Type.FocusOut, QEvent.Type.Hide, QEvent.Type.DeferredDelete):
            self._timer.stop()
            self._hide()
        return super().eventFilter(watched, event)

    def check(self) -> None:
        """Look at the text as it is now."""
        self.fault = check_expression(self._line.text(), self._names(), self._is_template, self._is_condition)
        self._underline()
        self._hide()
        if self.fault is not None and self._line.isVisible():
            self._message_shown = self._message(self.fault)

    def correct(self) -> None:
        """Put the corrected text into the line; it is committed as if it had been typed."""
        if self.fault is not None and self.fault.corrected is not None:
            self._line.setText(self.fault.corrected)
            self.check()
            self._line.setFocus()

    def _underline(self) -> None:
        form = QTextCharFormat()
        form.setUnderlineStyle(QTextCharFormat.UnderlineStyle.WaveUnderline)
        form.setUnderlineColor(ink(ROWAN))
        kind = QInputMethodEvent.AttributeType.TextFormat
        begin = self._line.cursorPosition()
        marks = []
        if self.fault is not None:
            underlined = QTextFormat(form)  # a line takes formats of this class alone
            marks = [QInputMethodEvent.Attribute(kind, self.fault.position - begin, self.fault.length, underlined)]
        QApplication.sendEvent(self._line, QInputMethodEvent("", marks))

    def _message(self, fault: ExpressionFault) -> QFrame:
        frame = QFrame(self._line.window())
        frame.setObjectName("popup")
        row = QHBoxLayout(frame)
        row.setContentsMargins(8, 4, 4, 4)
        label = QLabel(core_text(fault.message))
        label.setObjectName("fault")
        label.setTextFormat(Qt.TextFormat.PlainText)
        label.setWordWrap(len(core_text(fault.message)) > 60)
        label.setMaximumWidth(_WIDEST)
        row.addWidget(label)
        if fault.corrected is not None:
            button = QToolButton()
            button.setText(tr("Correct it"))
            button.setToolTip(tr("{corrected} (Alt+Enter)").format(corrected=fault.corrected))
            button.setFocusPolicy(Qt.FocusPolicy.NoFocus)
            button.clicked.connect(self.correct)
            row.addWidget(button)
        frame.adjustSize()
        window = self._line.window()
        below = self._line.mapTo(window, QPoint(0, self._line.height() + 2))
        above = self._line.mapTo(window, QPoint(0, -frame.height() - 2))
        place = above  # completions open below the line
        if above.y() < 0:
            place = below
        frame.move(max(min(place.x(), window.width() - frame.width() - 4), 0), place.y())
        frame.show()
        frame.raise_()
        return frame

    def _hide(self) -> None:
        if self._message_shown is not None:
            self._message_shown.hide()
            self._message_shown.deleteLater()
            self._message_shown = None
