"""Choices that are seen rather than read: bold, italic, alignment and rotation as small pictures in a row."""

from collections.abc import Mapping
from functools import partial
from typing import Any

from msgspec import Struct
from PyQt6.QtWidgets import QHBoxLayout, QToolButton, QWidget

from northmoor.app.language.translation import tr
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import HEATHER, PEAT
from northmoor.app.widgets.value_editors import Commit
from northmoor.app.widgets.widget_tools import pass_focus


class PictureChoice(Struct, frozen=True):
    """A value, its icon, and what it is called."""

    value: Any
    drawing: str
    name: str


PICTURED: Mapping[str, tuple[PictureChoice, ...]] = {
    "bold": (PictureChoice(True, "bold", tr("Bold")), PictureChoice(False, "type", tr("Not bold"))),
    "italic": (PictureChoice(True, "italic", tr("Italic")), PictureChoice(False, "type", tr("Upright"))),
    "align": (
        PictureChoice("start", "text-align-start", tr("Left")),
        PictureChoice("center", "text-align-center", tr("Centre")),
        PictureChoice("end", "text-align-end", tr("Right")),
        PictureChoice("decimal", "decimals-arrow-right", tr("On the decimal sign")),
    ),
    "vertical_align": (
        PictureChoice("top", "align-vertical-justify-start", tr("Top")),
        PictureChoice("middle", "align-vertical-justify-center", tr("Middle")),
        PictureChoice("bottom", "align-vertical-justify-end", tr("Bottom")),
    ),
    "turn": (
        PictureChoice("none", "type", tr("Not rotated")),
        PictureChoice("up", "rotate-ccw", tr("90° upward")),
        PictureChoice("down", "rotate-cw", tr("90° downward")),
    ),
}
"""The properties of a look that are chosen so."""


class PictureEditor(QWidget):
    """A row of small buttons, of which one is pressed; pressing it again leaves the value to the style."""

    def __init__(self, choices: tuple[PictureChoice, ...], value: Any, commit: Commit) -> None:
        super().__init__()
        self._commit, self._value = commit, value
        self.buttons: dict[Any, QToolButton] = {}
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(2)
        self._drawings = {choice.value: choice.drawing for choice in choices}
        for choice in choices:
            button = QToolButton()
            button.setCheckable(True)
            button.setObjectName("picture")
            button.setToolTip(tr("{name}; again: from the style").format(name=choice.name))
            button.setAccessibleName(choice.name)
            button.clicked.connect(partial(self._choose, choice.value))
            self.buttons[choice.value] = button
            row.addWidget(button)
        row.addStretch(1)
        pass_focus(self, next(iter(self.buttons.values())))
        self.show_value(value)

    def show_value(self, value: Any) -> None:
        """Show another choice."""
        self._value = value
        for each, button in self.buttons.items():
            button.setChecked(each == value and value is not None)
            button.setIcon(icon(self._drawings[each], HEATHER if button.isChecked() else PEAT))

    def _choose(self, value: Any, _: bool = False) -> None:
        chosen = None if value == self._value else value
        self.show_value(chosen)
        self._commit(chosen)
