"""Opens the window."""

import signal
import sys
from pathlib import Path

from PyQt6.QtWidgets import QApplication

from northmoor.app.theme import apply_theme
from northmoor.app.window import Window


def run_window(report: Path | None) -> int:
    """Open the window, on a report if one is given, and run until it is closed; the exit code."""
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    application = QApplication(sys.argv[:1])
    application.setApplicationName("Northmoor")
    apply_theme(application)
    window = Window()
    if report is not None:
        window.open(report)
    window.show()
    return application.exec()
