"""Processes that start, show their first thing on a virtual screen, print the time and end.

Usage: python bench/starting.py bare            a bare PyQt6 main window, painted once
       python bench/starting.py window REPORT   the product's window, until a report's first page is on it
"""

import os
import sys
import time
from pathlib import Path


def done() -> None:
    """Print the moment and end at once: taking a process down is no part of starting it."""
    sys.stdout.write(f"{time.time()}\n")
    sys.stdout.flush()
    os._exit(0)


def bare() -> None:
    """A main window without anything in it, until it has been painted."""
    from PyQt6.QtCore import QTimer
    from PyQt6.QtWidgets import QApplication, QMainWindow

    application = QApplication([])
    window = QMainWindow()
    window.resize(1280, 800)
    window.show()
    QTimer.singleShot(0, lambda: (window.repaint(), done()))
    application.exec()


def window(report: Path) -> None:
    """The product's window, until the first page is painted."""
    from northmoor.core.base.gc_pause import gc_paused
    from northmoor.core.sources.local.reader_start import start_reader

    start_reader()
    with gc_paused():  # as `northmoor open` does
        from northmoor.app.main import run_window
        from northmoor.app.window import Window

    def end_at_first_page(shown: Window) -> None:
        shown.worker.page_shown.connect(lambda _: (shown.repaint(), done()))

    run_window((report,), {}, end_at_first_page)


if __name__ == "__main__":
    if sys.argv[1] == "bare":
        bare()
    else:
        window(Path(sys.argv[2]))
