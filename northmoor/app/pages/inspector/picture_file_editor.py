"""The editor of a picture's file: the picture itself, which opens those of the library to choose from, and its path."""

from collections.abc import Callable
from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject, QPoint, QRect, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QPixmap
from PyQt6.QtWidgets import QLabel, QListWidget, QListWidgetItem, QPushButton, QToolButton, QVBoxLayout, QWidget

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.widgets.popups import BesidePopup
from northmoor.app.widgets.value_editors import Commit, LineEditor
from northmoor.app.widgets.widget_tools import image_of, pass_focus
from northmoor.app.worker import Worker
from northmoor.core.authoring.picture_samples import SAMPLE_PAGE, picture_files, picture_sample
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import Cancelled, LayoutError, NorthmoorError
from northmoor.core.output.raster import Raster, rasterise
from northmoor.core.session import Session
from northmoor.core.sources.library import Library

_SAMPLE = QSize(SAMPLE_PAGE[0] // 1000, SAMPLE_PAGE[1] // 1000)
_DENSITY = 2
"""Pixels a point, so that samples are sharp on fine screens too."""
_PLACE = _SAMPLE + QSize(28, 36)
_ACROSS, _ROWS, _SCROLL_BAR = 3, 3, 24
FilePlace = tuple[Path, str]
"""A library's folder, and a picture's path from there."""
FileSample = tuple[FilePlace, int, Raster | NorthmoorError]
"""Where a picture is, when it was written, and what it looks like or why it cannot be shown."""


class PictureShelf(QObject):
    """The pictures of the report's library, drawn in the background and kept; `drawn` gives the path of each."""

    drawn = pyqtSignal(str)
    _made = pyqtSignal(object)

    def __init__(self, library: Callable[[], Library | None], worker: Worker, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._library, self._worker = library, worker
        self._samples: dict[FilePlace, tuple[int, QPixmap | str]] = {}
        self._asked: set[FilePlace] = set()
        self._made.connect(self._keep)

    def files(self) -> list[str]:
        """Paths of the pictures that can be chosen."""
        library = self._library()
        return picture_files(library) if library is not None else []

    def sample(self, file: str) -> QPixmap | str | None:
        """What a picture looks like, or why it cannot be shown; None while it is drawn."""
        library = self._library()
        if library is None or not file:
            return None
        place, written = (library.root, file), _written(library, file)
        known = self._samples.get(place)
        if known is not None and known[0] == written:
            return known[1]
        if place not in self._asked:
            self._asked.add(place)
            self._worker.run_task(partial(_draw, library, file), lambda found: self._made.emit((place, written, found)))
        return None

    def _keep(self, made: FileSample) -> None:
        place, written, found = made
        self._asked.discard(place)
        if isinstance(found, Raster):
            self._samples[place] = (written, QPixmap.fromImage(image_of(found).copy()))
        elif not isinstance(found, Cancelled):  # who shows one that was stopped asks for it again
            self._samples[place] = (written, core_text(found))
        self.drawn.emit(place[1])


def _written(library: Library, file: str) -> int:
    try:
        return library.resolve_path(file).stat().st_mtime_ns
    except (OSError, NorthmoorError):
        return 0


def _draw(library: Library, file: str, stop: CancelToken) -> Raster | NorthmoorError:
    document = Session(library).render(picture_sample(file), stop=stop)
    faults = [finding for finding in document.findings if finding.is_error]
    if faults:
        return LayoutError(faults[0].message)
    return rasterise(document.page_pdf(0), 0, _DENSITY)


class PicturePopup(BesidePopup):
    """The library's pictures; Enter or a click takes one."""

    def __init__(
        self, value: str, shelf: PictureShelf, commit: Commit, ask: Callable[[], str | None], parent: QWidget
    ) -> None:
        super().__init__(tr("Pictures of the library"), parent)
        self._shelf, self._commit, self._ask = shelf, commit, ask
        self.list = QListWidget()
        self.list.setViewMode(QListWidget.ViewMode.IconMode)
        self.list.setIconSize(_SAMPLE)
        self.list.setGridSize(_PLACE)
        self.list.setMovement(QListWidget.Movement.Static)
        self.list.setResizeMode(QListWidget.ResizeMode.Adjust)
        self.list.setAccessibleName(tr("Pictures of the library"))
        self._items = {file: self._item(file, value) for file in shelf.files()}
        rows = min(-(-len(self._items) // _ACROSS), _ROWS)
        self.list.setFixedSize(_PLACE.width() * _ACROSS + _SCROLL_BAR, _PLACE.height() * rows + 8)
        self.list.itemClicked.connect(self._take)
        self.list.itemActivated.connect(self._take)
        other = QPushButton(tr("Other file…"))
        other.setToolTip(tr("Choose a picture from any folder; it is copied into the library"))
        other.clicked.connect(self._choose_any)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        if self._items:
            layout.addWidget(self.list)
        else:
            layout.addWidget(QLabel(tr("The library has no pictures yet.")))
        layout.addWidget(other)
        self.setFocusProxy(self.list if self._items else other)
        shelf.drawn.connect(self._show)

    def _item(self, file: str, value: str) -> QListWidgetItem:
        item = QListWidgetItem(Path(file).stem, self.list)
        item.setData(Qt.ItemDataRole.UserRole, file)
        item.setToolTip(file)
        _show_sample(item, self._shelf.sample(file))
        if file == value:
            self.list.setCurrentItem(item)
        return item

    def _show(self, file: str) -> None:
        if file in self._items:
            _show_sample(self._items[file], self._shelf.sample(file))

    def _take(self, item: QListWidgetItem) -> None:
        self.close()
        self._commit(item.data(Qt.ItemDataRole.UserRole))

    def _choose_any(self) -> None:
        self.close()
        file = self._ask()
        if file is not None:
            self._commit(file)


def _show_sample(item: QListWidgetItem, found: QPixmap | str | None) -> None:
    if isinstance(found, QPixmap):
        item.setIcon(QIcon(found))
    elif found is not None:
        item.setToolTip(found)


class PictureFileEditor(QWidget):
    """A picture's file: what it looks like, as a button that opens the library's pictures, and its path."""

    def __init__(self, value: str | None, commit: Commit, optional: bool) -> None:
        super().__init__()
        self._value, self._commit = value or "", commit
        self._shelf: PictureShelf | None = None
        self._ask: Callable[[], str | None] = lambda: None
        self.line = LineEditor(value, lambda text: commit(text or None if optional else text))
        self.line.setPlaceholderText(tr("none") if optional else "")
        self.button = QToolButton()
        self.button.setObjectName("picture")
        self.button.setIconSize(_SAMPLE)
        self.button.setToolTip(tr("Choose a picture"))
        self.button.clicked.connect(self.choose)
        self.popup: PicturePopup | None = None
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        layout.addWidget(self.button)
        layout.addWidget(self.line)
        pass_focus(self, self.line)

    def use_shelf(self, shelf: PictureShelf, ask: Callable[[], str | None]) -> None:
        """Offer the pictures of a shelf, and any other file by what asks for one."""
        if self._shelf is None:
            shelf.drawn.connect(self._follow)
        self._shelf, self._ask = shelf, ask
        self._show_picture()

    def setAccessibleName(self, name: str | None) -> None:
        """Name the line and the button too: they take the keyboard."""
        super().setAccessibleName(name)
        self.line.setAccessibleName(name)
        self.button.setAccessibleName(tr("Choose: {name}").format(name=name))

    def show_value(self, value: str | None) -> None:
        """Show another picture."""
        self.line.show_value(value)
        if (value or "") != self._value:
            self._value = value or ""
            self._show_picture()

    def _follow(self, file: str) -> None:
        if file == self._value:
            self._show_picture()

    def _show_picture(self) -> None:
        found = self._shelf.sample(self._value) if self._shelf is not None else None
        self.button.setIcon(QIcon(found) if isinstance(found, QPixmap) else QIcon())
        self.button.setText("" if isinstance(found, QPixmap) else tr("Choose…"))
        self.button.setToolTip(found if isinstance(found, str) else tr("Choose a picture"))

    def choose(self) -> None:
        """Open the pictures."""
        if self._shelf is None:
            return
        self.popup = PicturePopup(self._value, self._shelf, self._commit, self._ask, self)
        self.popup.adjustSize()
        row = self.parentWidget() or self  # with the name at its left, which stays in sight
        place = QRect(row.mapToGlobal(QPoint(0, 0)), row.size())
        place.moveTop(self.mapToGlobal(QPoint(0, 0)).y())
        self.popup.open_beside(place, self.window() or self)
        self.popup.setFocus()
