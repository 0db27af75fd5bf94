"""The reports beside the one that is open, listed beside the window: a folder may be slow to answer."""

from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from northmoor.app.document_controller import DocumentController
from northmoor.app.worker import Worker
from northmoor.core.base.cancellation import CancelToken

_MOST = 500


class OtherReports(QObject):
    """Knows the other reports in the folder of the open one."""

    _listed = pyqtSignal(object)

    def __init__(self, controller: DocumentController, worker: Worker, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._controller, self._worker = controller, worker
        self.paths: list[Path] = []
        self._listed.connect(self._take)
        controller.opened.connect(self._ask)

    def _ask(self) -> None:
        path = self._controller.path
        if path is not None:
            self.paths = []
            self._worker.run_task(lambda stop: (path, _reports_beside(path, stop)), self._listed.emit)

    def _take(self, found: object) -> None:
        if isinstance(found, tuple) and found[0] == self._controller.path:
            self.paths = found[1]


def _reports_beside(path: Path, stop: CancelToken) -> list[Path]:
    found: list[Path] = []
    try:
        for other in path.parent.iterdir():
            stop.raise_if_cancelled()
            if other.suffix == ".moor" and other != path:
                found.append(other)
            if len(found) >= _MOST:
                break
    except OSError:
        return []  # it is only offered for searching
    return sorted(found)
