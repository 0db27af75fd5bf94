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

    def remember(self) -> None:
        """Keep how wide the panels are."""
        for name, split in self._splits.items():
            self._settings.setValue(f"{name}-split", split.saveState())
