"""Links followed in the window: to a place in the document, to another report with values, to the web; and back."""

from collections.abc import Callable
from pathlib import Path
from typing import Any

from msgspec import Struct
from PyQt6.QtCore import QObject, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices

from northmoor.app.document_controller import DocumentController
from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr
from northmoor.app.pages.canvas.canvas_widget import PageCanvas
from northmoor.app.worker import Rendered
from northmoor.core.errors import NorthmoorError
from northmoor.core.model.links import is_web, place_named, report_named

OpenReport = Callable[[Path, dict[str, Any]], bool]
_LONGEST_TRAIL = 50


class HistoryEntry(Struct, frozen=True):
    """Where one was: the report, its values and edition, and how far the pages were scrolled."""

    path: Path
    values: dict[str, Any]
    edition: str | None
    scrolled: int


class LinkNavigation(QObject):
    """Follows links and remembers the way back."""

    message = pyqtSignal(str, str)
    trail_changed = pyqtSignal()

    def __init__(
        self, controller: DocumentController, canvas: PageCanvas, open_report: OpenReport, parent: QObject
    ) -> None:
        super().__init__(parent)
        self._controller, self._canvas, self._open = controller, canvas, open_report
        self._rendered: Rendered | None = None
        self._trail: list[HistoryEntry] = []
        self._scroll_to: int | None = None
        canvas.link_opened.connect(self.follow)

    @property
    def can_go_back(self) -> bool:
        """Whether a link has been followed."""
        return bool(self._trail)

    def show_rendered(self, rendered: Rendered) -> None:
        """Take the document whose links are followed; after a way back, scroll to where one was."""
        self._rendered = rendered
        if self._scroll_to is not None:
            self._canvas.verticalScrollBar().setValue(self._scroll_to)
            self._scroll_to = None

    def follow(self, address: str) -> None:
        """Open what an address leads to, or say why not."""
        place, report = place_named(address), report_named(address)
        if is_web(address):
            QDesktopServices.openUrl(QUrl(address))
        elif place is not None:
            self._go_to_place(place)
        elif report is not None:
            self._open_report(report.file, report.values)

    def _go_to_place(self, name: str) -> None:
        found = self._rendered.document.composition.anchors.place(name) if self._rendered is not None else None
        if found is None:
            self.message.emit(tr("Nothing in this document is named {name}.").format(name=name[:80]), "warning")
            return
        self._remember()
        self._canvas.go_to(*found)

    def _open_report(self, file: str, values: dict[str, Any]) -> None:
        library = self._controller.library
        assert library is not None  # a report is open, the link is its
        try:
            path = library.report_path(file)
        except NorthmoorError as error:
            self.message.emit(core_text(error.message), "fault")
            return
        entry = self._current_entry()
        if self._open(path, values) and entry is not None:
            self._push(entry)

    def _current_entry(self) -> HistoryEntry | None:
        controller = self._controller
        if controller.path is None:
            return None
        return HistoryEntry(
            controller.path, dict(controller.values), controller.edition_name, self._canvas.verticalScrollBar().value()
        )

    def _remember(self) -> None:
        entry = self._current_entry()
        if entry is not None:
            self._push(entry)

    def _push(self, entry: HistoryEntry) -> None:
        self._trail = [*self._trail, entry][-_LONGEST_TRAIL:]
        self.trail_changed.emit()

    def back(self) -> None:
        """Go back to where the last link was followed."""
        if not self._trail:
            return
        entry = self._trail[-1]
        if entry.path != self._controller.path:
            if not self._open(entry.path, entry.values):
                return
            if entry.edition is not None:
                self._controller.show_edition(entry.edition)
            self._scroll_to = entry.scrolled
        else:
            self._canvas.verticalScrollBar().setValue(entry.scrolled)
        self._trail = self._trail[:-1]
        self.trail_changed.emit()
