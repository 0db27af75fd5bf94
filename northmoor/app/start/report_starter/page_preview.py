"""The first page of the report that is being begun, as wide as there is room for it."""

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPixmap, QResizeEvent
from PyQt6.QtWidgets import QFrame, QLabel, QScrollArea, QVBoxLayout, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.widgets.widget_tools import image_of
from northmoor.core.output.raster import Raster

_MARGIN = 14
_WIDEST = 860
"""Pixels of a page that is not made larger."""


class PagePreview(QScrollArea):
    """Shows a page, and scrolls it where it is higher than the room."""

    def __init__(self) -> None:
        super().__init__()
        self.setObjectName("start")
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setWidgetResizable(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setAccessibleName(tr("First page"))
        self.page, self.note = QLabel(), QLabel()
        self.note.setObjectName("quiet")
        self.note.setWordWrap(True)
        held = QWidget()
        held.setObjectName("start")
        column = QVBoxLayout(held)
        column.setContentsMargins(_MARGIN, _MARGIN, _MARGIN, _MARGIN)
        for label in (self.note, self.page):
            label.setAlignment(Qt.AlignmentFlag.AlignHCenter | Qt.AlignmentFlag.AlignTop)
            label.hide()
            column.addWidget(label)
        column.addStretch(1)
        self.setWidget(held)
        self._picture: QPixmap | None = None

    def show_page(self, raster: Raster) -> None:
        """Show a page."""
        self._picture = page_picture(raster)
        self.note.hide()
        self.page.show()
        self._fit()

    def show_message(self, text: str) -> None:
        """Say why there is no page."""
        self._picture = None
        self.page.hide()
        self.note.setText(text)
        self.note.show()

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        """The page stays as wide as the room."""
        super().resizeEvent(event)
        self._fit()

    def _fit(self) -> None:
        viewport = self.viewport()
        if self._picture is None or viewport is None:
            return
        ratio = self.devicePixelRatioF()
        wide = min(viewport.width() - 2 * _MARGIN, _WIDEST)
        shown = self._picture.scaledToWidth(int(max(wide, 80) * ratio), Qt.TransformationMode.SmoothTransformation)
        shown.setDevicePixelRatio(ratio)
        self.page.setPixmap(shown)


def page_picture(raster: Raster) -> QPixmap:
    """The picture of a page."""
    return QPixmap.fromImage(image_of(raster).copy())
