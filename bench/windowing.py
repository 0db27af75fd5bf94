"""The window on a report, on a virtual screen: from a refresh to its first page, and from an edit to the changed page.

Usage: python bench/windowing.py REPORT. Prints medians in seconds: of a refresh in the window, of the same by the core
alone, and of an edit in the window.
"""

import statistics
import sys
import time
from collections.abc import Callable
from functools import partial
from pathlib import Path
from tempfile import TemporaryDirectory

from PyQt6.QtCore import QEventLoop, QSettings
from PyQt6.QtWidgets import QApplication

from northmoor.app.widgets.theme import apply_theme
from northmoor.app.window import Window
from northmoor.app.worker import PageShown
from northmoor.core.model.blocks.table import TableBlock
from northmoor.core.output.raster import rasterise
from northmoor.core.session import Session
from northmoor.core.sources.library import Library
from northmoor.core.store.report_files import load_report

RUNS = 9


def core_seconds(report_file: Path, scale: float) -> list[float]:
    """What the core takes from fetching to the first page's pixels, again and again."""
    session = Session(Library.around(report_file))
    report = load_report(report_file)
    found = []
    for _ in range(RUNS):
        session.refresh()
        began = time.perf_counter()
        rasterise(session.render(report).page_pdf(0), 0, scale)
        found.append(time.perf_counter() - began)
    return found


def window_seconds(window: Window, change: Callable[[], object], application: QApplication) -> float:
    """From a change to the newest first page's being painted."""
    shown: list[PageShown] = []
    window.worker.page_shown.connect(shown.append)
    before = window._rendered
    began = time.perf_counter()
    change()
    while not (shown and shown[-1].index == 0 and window._rendered is not before):
        application.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
    window.pages.canvas.repaint()
    seconds = time.perf_counter() - began
    window.worker.page_shown.disconnect(shown.append)
    while not window.is_up_to_date:
        application.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents)
    return seconds


def main(report_file: Path, application: QApplication) -> None:
    """Print the three medians."""
    apply_theme(application)
    with TemporaryDirectory() as folder:
        window = Window(QSettings(str(Path(folder) / "settings.ini"), QSettings.Format.IniFormat))
        window.resize(1280, 800)
        window.show()
        window_seconds(window, lambda: window.open(report_file), application)
        refreshes = [window_seconds(window, lambda: window.show_report(refresh=True), application) for _ in range(RUNS)]
        scale = window.pages.canvas.scale() * 1000
        core = core_seconds(report_file, scale)
        edition = window.controller.edition
        assert edition is not None
        table = next(block for block in edition.data_blocks if isinstance(block, TableBlock))
        width, column = window.pages.set_width, table.columns[1].name
        edits = [
            window_seconds(window, partial(width, table.name, column, 60_000 + n * 500), application)
            for n in range(RUNS)
        ]
        window.controller._saved_at = window.controller._at  # nothing is asked at the end
        window.close()
    print(statistics.median(refreshes), statistics.median(core), statistics.median(edits))


if __name__ == "__main__":
    outlasting = QApplication([])  # the window is gone before it
    main(Path(sys.argv[1]), outlasting)
