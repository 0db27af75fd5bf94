"""Opens the window."""

import logging
import signal
import sys
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from types import TracebackType
from typing import TYPE_CHECKING, Any

from PyQt6.QtWidgets import QApplication

from northmoor.app.language.catalogue import use_language
from northmoor.app.language.length_unit import use_unit
from northmoor.app.language.translation import tr
from northmoor.app.widgets.preferences import own_settings, read_preferences
from northmoor.core.base.gc_pause import gc_paused
from northmoor.core.sources.local.reader_start import start_reader

if TYPE_CHECKING:
    from northmoor.app.tabbed_window import TabbedWindow
    from northmoor.app.window import Window


def _show_mistake(
    window: "TabbedWindow", kind: type[BaseException], error: BaseException, trace: TracebackType | None
) -> None:
    """A mistake of ours in the window's own thread is logged and reported; the window and unsaved work stay."""
    logging.getLogger(__name__).error("Unexpected", exc_info=(kind, error, trace))
    window.current.tell(
        tr("Northmoor made a mistake ({name}: {error}). Save your report and start again.").format(
            name=kind.__name__, error=error
        ),
        "fault",
    )


def run_window(
    reports: Sequence[Path], values: dict[str, Any], watch: Callable[["Window"], object] = lambda _: None
) -> int:
    """Open the window, on some reports, the first with values, and run until it is closed; the exit code.

    `watch` is called with the window of the last report before it is shown.
    """
    start_reader()
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    application = QApplication(sys.argv[:1])
    application.setApplicationName("Northmoor")
    preferred = read_preferences(own_settings())
    use_language(application, preferred.language)
    use_unit(preferred.unit)
    with gc_paused():
        from northmoor.app.tabbed_window import TabbedWindow
        from northmoor.app.widgets.theme import apply_theme  # it asks the application whether the system is dark

    apply_theme(application)
    window = TabbedWindow()
    sys.excepthook = partial(_show_mistake, window)
    if not reports and preferred.begin_with == "last":
        reports = window.current.recent.paths[:1]
    for report in reports:
        window.open(report, values if report is reports[0] else {})
    watch(window.current)
    window.show()
    return application.exec()
