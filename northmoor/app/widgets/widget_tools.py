"""Small things that Qt needs each time."""

from collections.abc import Callable, Sequence
from html import escape
from pathlib import Path

from PyQt6.QtCore import QEvent, QObject, QSignalBlocker, QSize, Qt
from PyQt6.QtGui import QDropEvent, QFocusEvent, QImage
from PyQt6.QtWidgets import (
    QAbstractButton,
    QAbstractSpinBox,
    QApplication,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPlainTextEdit,
    QScrollArea,
    QTextEdit,
    QWidget,
)

from northmoor.core.output.raster import Raster

_EDITORS = (QLineEdit, QTextEdit, QPlainTextEdit, QComboBox, QAbstractSpinBox, QAbstractButton)

_PICTURES = (".png", ".jpg", ".jpeg", ".svg")
_FRAME = QSize(16, 48)
"""Room for the borders and the title of a window."""


def image_of(raster: Raster) -> QImage:
    """The picture that pixels are, which have to be kept as long as it is."""
    return QImage(raster.data, raster.width, raster.height, raster.stride, QImage.Format.Format_RGB32)


def plain_tip(text: str) -> str:
    """A text of a stranger as a tooltip: marks in it are shown and do nothing; none for no text."""
    return f"<p>{escape(text).replace(chr(10), '<br>')}</p>" if text else ""


def first_size(window: QWidget, wanted: QSize) -> QSize:
    """The size of a window that is opened for the first time: one that the screen has room for, with its frame."""
    screen = window.screen()
    room = screen.availableSize() if screen is not None else wanted + _FRAME
    return wanted.boundedTo(room - _FRAME).expandedTo(window.minimumSize())


def hide_and_delete(widget: QWidget) -> None:
    """Take a widget off the screen now; Qt frees it when nothing of it runs any more.

    What is typed there and not committed is dropped: it belongs to what is no longer shown.
    """
    for editor in (widget, *widget.findChildren(QWidget)):
        if isinstance(editor, _EDITORS):
            editor.blockSignals(True)
    widget.hide()
    widget.deleteLater()  # its parent keeps it until then: it may be handling the very event that ends it


def commit_typing(window: QWidget) -> None:
    """Commit what is being typed into a field of a window, as leaving it does; the keyboard stays there."""
    field = window.focusWidget()
    if isinstance(field, QLineEdit | QTextEdit | QPlainTextEdit):
        for kind in (QEvent.Type.FocusOut, QEvent.Type.FocusIn):
            QApplication.sendEvent(field, QFocusEvent(kind, Qt.FocusReason.OtherFocusReason))


def replace_content(area: QScrollArea, content: QWidget) -> None:
    """Show other content in an area, at the same height; what was there is deleted as `hide_and_delete` does."""
    bar = area.verticalScrollBar()
    height = bar.value() if bar is not None else 0
    old = area.takeWidget()
    if old is not None:
        hide_and_delete(old)
    area.setWidget(content)
    if bar is not None and height:
        content.adjustSize()
        bar.setValue(height)


def items_in_list(shown: QListWidget) -> list[QListWidgetItem]:
    """The items of a list, in order."""
    return [item for at in range(shown.count()) if (item := shown.item(at)) is not None]


def show_items(shown: QListWidget, names: Sequence[str], chosen: str | None, texts: Sequence[str] = ()) -> None:
    """Show names in a list, with texts of their own if any, one of them chosen; items stay where they can.

    An item's name is its `UserRole`. Nothing is said of the choice: it follows what is shown elsewhere.
    """
    with QSignalBlocker(shown):
        while shown.count() > len(names):
            shown.takeItem(shown.count() - 1)
        for at, (name, text) in enumerate(zip(names, texts or names, strict=True)):
            item = shown.item(at)
            if item is None:
                shown.addItem(item := QListWidgetItem())
            item.setText(text)
            item.setData(Qt.ItemDataRole.UserRole, name)
        shown.setCurrentRow(names.index(chosen) if chosen in names else -1)


def close_row(dialog: QDialog) -> QDialogButtonBox:
    """The Close button of a dialog in which every change holds at once."""
    row = QDialogButtonBox(QDialogButtonBox.StandardButton.Close)
    row.rejected.connect(dialog.reject)
    button = row.button(QDialogButtonBox.StandardButton.Close)
    if button is not None:
        button.setAutoDefault(False)  # Enter belongs to what is edited
    return row


def set_style_name(widget: QWidget, name: str) -> None:
    """Give a widget another name in the style sheet; the style is looked up again only where that is a change."""
    if widget.objectName() != name:
        widget.setObjectName(name)
        reapply_style(widget)


def mark_invalid(widget: QWidget, is_invalid: bool) -> None:
    """Show that what a widget holds cannot be used, or that it can."""
    if bool(widget.property("invalid")) != is_invalid:
        widget.setProperty("invalid", is_invalid)
        reapply_style(widget)


def reapply_style(widget: QWidget) -> None:
    """Let the style sheet look at a widget again."""
    style = widget.style()
    if style is not None:
        style.unpolish(widget)
        style.polish(widget)


def pass_focus(whole: QWidget, part: QWidget) -> None:
    """Let a part have the keyboard when the whole is given it: also by the letter of its label, which a widget without
    a focus policy of its own would not hear."""
    whole.setFocusProxy(part)
    whole.setFocusPolicy(Qt.FocusPolicy.ClickFocus)


def dragged_file(event: QDropEvent) -> Path | None:
    """The one file or folder that is dragged; None for anything else."""
    data = event.mimeData()
    urls = data.urls() if data is not None else []
    path = Path(urls[0].toLocalFile()) if len(urls) == 1 and urls[0].isLocalFile() else None
    return path if path is not None and path.exists() else None


def is_picture(path: Path) -> bool:
    """Whether a file is a picture that a report can have."""
    return path.suffix.lower() in _PICTURES


def on_another_look(widget: QWidget, recolor: Callable[[], object]) -> None:
    """Have what a widget was coloured with by itself coloured again when the window takes another look."""
    widget.installEventFilter(_LookWatch(widget, recolor))


class _LookWatch(QObject):
    def __init__(self, widget: QWidget, recolor: Callable[[], object]) -> None:
        super().__init__(widget)
        self._recolor = recolor

    def eventFilter(self, _: QObject | None, event: QEvent | None) -> bool:
        if event is not None and event.type() == QEvent.Type.StyleChange:
            self._recolor()
        return False
