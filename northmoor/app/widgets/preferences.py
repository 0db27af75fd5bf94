"""What a user prefers of the window itself; read once, when the program starts."""

from collections.abc import Mapping
from typing import Any

from msgspec import Struct
from msgspec.structs import fields
from PyQt6.QtCore import QSettings, Qt
from PyQt6.QtGui import QGuiApplication

from northmoor.core.base.replace import replace


class Preferences(Struct, frozen=True):
    """The look, the size of the window's text in pixels, what the program begins with, the language of the window, its
    unit of lengths, and the rows above which is asked before a query fetches them (0 for never)."""

    look: str = "light"
    text_size: int = 13
    begin_with: str = "start"
    language: str = "en"
    unit: str = "mm"
    ask_above: int = 1_000_000

    @property
    def is_dark(self) -> bool:
        """Whether the window is dark; as the system says where it is to follow that."""
        if self.look != "system":
            return self.look == "dark"
        application = QGuiApplication.instance()
        hints = application.styleHints() if isinstance(application, QGuiApplication) else None
        return hints is not None and hints.colorScheme() == Qt.ColorScheme.Dark


OFFERED: dict[str, tuple[Any, ...]] = {
    "look": ("light", "dark", "system"),
    "text_size": (12, 13, 15, 18),
    "begin_with": ("start", "last"),
    "language": ("en", "de"),
    "unit": ("mm", "cm", "in", "pt"),
    "ask_above": (100_000, 1_000_000, 10_000_000, 0),
}
"""What can be chosen of each."""


def read_preferences(settings: QSettings) -> Preferences:
    """The preferences that some settings hold; what is none of those offered is as at first."""
    found = Preferences()
    for known in fields(Preferences):
        value = settings.value(f"preferred-{known.name}", known.default, type(known.default))
        if value in OFFERED[known.name]:
            found = replace(found, **{known.name: value})
    return found


def write_preferences(settings: QSettings, preferences: Preferences) -> None:
    """Keep preferences."""
    for known in fields(Preferences):
        settings.setValue(f"preferred-{known.name}", getattr(preferences, known.name))
    settings.sync()


def preferred_keys(settings: QSettings) -> dict[str, str]:
    """The keys of commands that are other than usual, by their names; empty for a command that is to have none."""
    settings.beginGroup("keys")
    found = {name: str(settings.value(name, "")) for name in settings.childKeys()}
    settings.endGroup()
    return found


def write_keys(settings: QSettings, keys: Mapping[str, str]) -> None:
    """Keep keys of commands that are other than usual, and no others."""
    settings.remove("keys")
    settings.beginGroup("keys")
    for name, own in keys.items():
        settings.setValue(name, own)
    settings.endGroup()
    settings.sync()


def own_settings() -> QSettings:
    """The settings of the program."""
    return QSettings("Northmoor", "Northmoor")
