"""The reports that were opened last, each with a picture of its first page."""

import hashlib
from collections.abc import Callable, Sequence
from pathlib import Path

from PyQt6.QtCore import QObject, QSettings, Qt
from PyQt6.QtGui import QPixmap

from northmoor.app.document_controller import DocumentController
from northmoor.app.widgets.widget_tools import image_of
from northmoor.app.worker import PageShown, Worker
from northmoor.core.document import Document
from northmoor.core.output.raster import Raster

MOST = 12
PICTURE_WIDTH = 300
"""Pixels that the picture of a page is wide."""


class RecentReports:
    """Kept in the settings; pictures lie beside them."""

    def __init__(self, settings: QSettings) -> None:
        self._settings = settings
        self._folder = Path(settings.fileName()).parent / "northmoor-first-pages"

    @property
    def paths(self) -> list[Path]:
        """The reports that are still there, the newest first."""
        kept = self._settings.value("recent") or []
        texts: Sequence[object] = [kept] if isinstance(kept, str) else kept
        return [path for path in map(Path, map(str, texts)) if path.is_file()]

    def add(self, path: Path) -> None:
        """Note that a report was opened."""
        path = path.resolve()
        kept = [path, *(each for each in self.paths if each != path)][:MOST]
        self._settings.setValue("recent", [str(each) for each in kept])

    def keep_picture(self, path: Path, raster: Raster) -> None:
        """Keep the picture of a report's first page."""
        small = image_of(raster).scaledToWidth(PICTURE_WIDTH, Qt.TransformationMode.SmoothTransformation)
        try:
            self._folder.mkdir(parents=True, exist_ok=True)
        except OSError:
            return  # a picture is not worth a message
        small.save(str(self._picture(path)))

    def picture(self, path: Path) -> QPixmap | None:
        """The picture of a report's first page, if there is one."""
        file = self._picture(path)
        pixmap = QPixmap(str(file)) if file.is_file() else QPixmap()
        return None if pixmap.isNull() else pixmap

    def _picture(self, path: Path) -> Path:
        name = hashlib.sha256(str(path.resolve()).encode("utf-8", "surrogatepass")).hexdigest()[:24]
        return self._folder / f"{name}.png"


class FirstPagePictures(QObject):
    """Keeps the picture of a report's first page when it is opened, and when it was saved."""

    def __init__(
        self,
        recent: RecentReports,
        controller: DocumentController,
        worker: Worker,
        shown_document: Callable[[], Document | None],
    ) -> None:
        super().__init__(controller)
        self._recent, self._controller, self._shown_document = recent, controller, shown_document
        self._is_wanted = False
        controller.opened.connect(self._want)
        controller.saved_changed.connect(self._want)
        worker.page_shown.connect(self._keep)

    def _want(self) -> None:
        self._is_wanted = self._controller.is_saved

    def _keep(self, shown: PageShown) -> None:
        path = self._controller.path
        is_of_it = shown.index == 0 and shown.document is self._shown_document()
        if self._is_wanted and is_of_it and path is not None:
            self._is_wanted = False
            self._recent.keep_picture(path, shown.raster)
