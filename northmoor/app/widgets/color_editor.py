"""Chooses a colour: by its code, from swatches of the report, of the last and of the usual ones, or freely, with its
contrast to what it is seen with."""

import re
from collections.abc import Callable, Sequence
from functools import partial
from math import floor

from msgspec import Struct
from PyQt6.QtCore import QSettings
from PyQt6.QtGui import QColor, QIcon, QPainter, QPixmap
from PyQt6.QtWidgets import (
    QColorDialog,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QPushButton,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.translation import tr
from northmoor.app.widgets.popups import BesidePopup
from northmoor.app.widgets.theme import PAPER, STONE, ink
from northmoor.app.widgets.value_editors import Commit, LineEditor
from northmoor.app.widgets.widget_tools import pass_focus
from northmoor.core.layout.chart.palette import contrast

USUAL = (
    "#000000", "#404040", "#6B645A", "#A6A198", "#D8D2C6", "#FFFFFF",
    "#7B4B94", "#2F7F86", "#B0612B", "#5E7F3A", "#B3402E", "#C9971C",
)  # fmt: skip
_IN_A_ROW = 6
_MOST_RECENT = 6
WHITE = "#FFFFFF"
_COLOR = re.compile("#[0-9A-F]{6}")
_READABLE = 4.5
"""WCAG 2.2, 1.4.3: the contrast that text needs on its ground."""


def _swatch(color: str | None, size: int = 16) -> QIcon:
    """A square in a colour; an empty one where none is set."""
    pixmap = QPixmap(size, size)
    pixmap.fill(ink(STONE))
    painter = QPainter(pixmap)
    painter.fillRect(1, 1, size - 2, size - 2, QColor(color) if color else ink(PAPER))
    painter.end()
    return QIcon(pixmap)


class RecentColors:
    """The colours that were chosen last, the newest first; the settings keep them."""

    def __init__(self, settings: QSettings | None = None) -> None:
        self._settings = settings
        kept = settings.value("recent-colors", [], list) if settings is not None else []
        self.colors: list[str] = [color for color in kept if _COLOR.fullmatch(str(color))]

    def add(self, color: str) -> None:
        """Put a colour first; what was typed and is none is not kept."""
        if not _COLOR.fullmatch(color):
            return
        self.colors = [color, *(each for each in self.colors if each != color)][:_MOST_RECENT]
        if self._settings is not None:
            self._settings.setValue("recent-colors", self.colors)


class ColorOffers(Struct, frozen=True, eq=False):
    """What is offered with a colour: those of the report, those chosen last, and the colour that it is seen with."""

    own: Sequence[str] = ()
    recent: RecentColors | None = None
    seen_with: str = WHITE


class ColorPopup(BesidePopup):
    """Swatches of the report's colours, of the last and of the usual ones, and a button for any other."""

    def __init__(self, value: str | None, offers: ColorOffers, commit: Commit, parent: QWidget) -> None:
        super().__init__(tr("Colour"), parent)
        self._value, self._offers, self._commit = value, offers, commit
        self.swatches: dict[str, QToolButton] = {}
        layout = QVBoxLayout(self)
        layout.setContentsMargins(10, 10, 10, 10)
        layout.setSpacing(6)
        recent = offers.recent.colors if offers.recent is not None else ()
        for title, colors in ((tr("In this report"), offers.own), (tr("Recent"), recent), (tr("Usual"), USUAL)):
            if colors:
                label = QLabel(title)
                label.setObjectName("quiet")
                layout.addWidget(label)
                layout.addLayout(self._grid(colors))
        if value is not None:
            layout.addWidget(QLabel(contrast_text(value, offers.seen_with)))
        more = QPushButton(tr("Any colour…"))
        more.clicked.connect(self._choose_any)
        none = QPushButton(tr("None"))
        none.setToolTip(tr("Remove the colour and use the style's"))
        none.clicked.connect(lambda: self._take(None))
        row = QHBoxLayout()
        row.addWidget(more)
        row.addWidget(none)
        layout.addLayout(row)

    def _grid(self, colors: Sequence[str]) -> QGridLayout:
        grid = QGridLayout()
        grid.setSpacing(2)
        grid.setColumnStretch(_IN_A_ROW, 1)  # few stay together at the left
        for at, color in enumerate(colors):
            button = QToolButton()
            button.setObjectName("picture")
            button.setIcon(_swatch(color, 18))
            button.setCheckable(True)
            button.setChecked(color == self._value)
            button.setToolTip(f"{color} · {contrast_text(color, self._offers.seen_with)}")
            button.setAccessibleName(tr("Colour {color}").format(color=color))
            button.clicked.connect(partial(self._take, color))
            grid.addWidget(button, at // _IN_A_ROW, at % _IN_A_ROW)
            self.swatches.setdefault(color, button)
        return grid

    def _take(self, color: str | None, _: bool = False) -> None:
        self.close()
        self._commit(color)

    def _choose_any(self) -> None:
        self.close()
        color = QColorDialog.getColor(QColor(self._value or "#000000"), self.parentWidget(), tr("Choose a colour"))
        if color.isValid():
            self._commit(color.name().upper())


def contrast_text(color: str, seen_with: str) -> str:
    """How well a text can be read where one of two colours is its own and the other that of its background."""
    ratio = contrast(color, seen_with)
    where = tr("on white") if seen_with == WHITE else tr("with {color}").format(color=seen_with)
    ample = tr("good for text") if ratio >= _READABLE else tr("too little for text")
    return f"{floor(ratio * 10) / 10:.1f} : 1 {where}, {ample}"  # 4.48 is not 4.5, which would be enough


class ColorEditor(QWidget):
    """A colour: its code, and a button that shows it and opens the swatches."""

    def __init__(self, value: str | None, commit: Commit) -> None:
        super().__init__()
        layout = QHBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.setSpacing(4)
        self._value, self._commit = value, commit
        self.offers: Callable[[], ColorOffers] = ColorOffers
        """What is offered with the colour, asked when it is needed."""
        self._line = LineEditor(value, lambda text: self._take(text or None))
        self._line.setPlaceholderText(tr("as styled"))
        self.button = QToolButton()
        self.button.setIcon(_swatch(value))
        self.button.setToolTip(tr("Choose a colour"))
        self.button.clicked.connect(self._open)
        self.popup: ColorPopup | None = None
        layout.addWidget(self._line, 1)
        layout.addWidget(self.button)
        pass_focus(self, self._line)

    def setAccessibleName(self, name: str | None) -> None:
        """Name the line and the button too: they take the keyboard."""
        super().setAccessibleName(name)
        self._line.setAccessibleName(name)
        self.button.setAccessibleName(tr("Choose: {name}").format(name=name))

    def show_unset(self, text: str) -> None:
        """Say what holds while there is no colour."""
        self._line.show_unset(text)

    def show_value(self, value: str | None) -> None:
        """Show another colour."""
        self._line.show_value(value)
        if value != self._value:
            self._value = value
            self.button.setIcon(_swatch(value))

    def _take(self, color: str | None) -> None:
        recent = self.offers().recent
        if color is not None and recent is not None:
            recent.add(color.upper())
        self._commit(color)

    def _open(self) -> None:
        self.popup = ColorPopup(self._value, self.offers(), self._take, self)
        self.popup.adjustSize()
        place = self.button.rect().translated(self.button.mapToGlobal(self.button.rect().topLeft()))
        self.popup.open_beside(place, self.window() or self)
