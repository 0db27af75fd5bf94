"""What a user prefers of the window itself; read once, when the program starts."""

from dataclasses import dataclass, fields, replace
from typing import Any

from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtGui import QGuiApplication

WINDOW_LOOKS = {"light": "Light", "dark": "Dark", "system": "As the system"}
TEXT_SIZES = {12: "Small", 13: "Normal", 15: "Large", 18: "Very large"}
"""Sizes of the window's text in pixels, by name."""
STARTS = {"start": "The start screen", "last": "The last report"}


@dataclass(frozen=True)
class Preferences:
    """`look` is a key of WINDOW_LOOKS, `text_size` one of TEXT_SIZES, `begin_with` one of STARTS."""

    look: str = "light"
    text_size: int = 13
    begin_with: str = "start"

    @property
    def is_dark(self) -> bool:
        """Whether the window is dark; as the system says where it is to follow that."""
        if self.look != "system":
            return self.look == "dark"
        application = QGuiApplication.instance()
        hints = application.styleHints() if isinstance(application, QGuiApplication) else None
        return hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark


_OFFERED: dict[str, dict[Any, str]] = {"look": WINDOW_LOOKS, "text_size": TEXT_SIZES, "begin_with": STARTS}


def read_preferences(settings: QSettings) -> Preferences:
    """The preferences that some settings hold; what is none of those offered is as at first."""
    found = Preferences()
    for known in fields(Preferences):
        value = settings.value(f"preferred-{known.name}", known.default, type(known.default))
        if value in _OFFERED[known.name]:
            found = replace(found, **{known.name: value})
    return found


def write_preferences(settings: QSettings, preferences: Preferences) -> None:
    """Keep preferences."""
    for known in fields(Preferences):
        settings.setValue(f"preferred-{known.name}", getattr(preferences, known.name))
    settings.sync()


def own_settings() -> QSettings:
    """The settings of the program."""
    return QSettings("Northmoor", "Northmoor")
