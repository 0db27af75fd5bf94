"""The workspaces of a window, one shown at a time, whose splits are remembered."""

from PyQt6.QtCore import QByteArray, QSettings
from PyQt6.QtWidgets import QSplitter, QStackedWidget, QWidget

from northmoor.app.help.help_actions import GUIDE_PROPERTY

_GUIDES = {"data": "queries", "deliveries": "delivery"}
"""What explains a workspace; on the pages that is the guide about what is selected."""


class Workspaces(QStackedWidget):
    """The workspaces that have been built so far, and what else is shown in their place."""

    def __init__(self, settings: QSettings, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self._settings = settings
        self._splits: dict[str, QSplitter] = {}

    def add(self, name: str, workspace: QWidget, split: QSplitter) -> None:
        """Take a workspace, its panels as wide as they were left."""
        self._splits[name] = split
        state = self._settings.value(f"{name}-split")
        if isinstance(state, QByteArray):
            split.restoreState(state)
        workspace.setProperty(GUIDE_PROPERTY, _GUIDES.get(name))
        self.addWidget(workspace)

    def has(self, name: str) -> bool:
        """Whether a workspace has been built."""
        return name in self._splits

    def panels(self) -> list[QWidget]:
        """The panels of the workspace that is shown: what is beside one another in its splits."""
        split = next((own for own in self._splits.values() if own.isVisible()), None)
        return _parts(split) if split is not None else []

    def remember(self) -> None:
        """Keep how wide the panels are."""
        for name, split in self._splits.items():
            self._settings.setValue(f"{name}-split", split.saveState())


def _parts(split: QSplitter) -> list[QWidget]:
    """What is in a split, and in those within it."""
    within = [each for at in range(split.count()) if (each := split.widget(at)) is not None]
    return [part for each in within for part in (_parts(each) if isinstance(each, QSplitter) else [each])]
