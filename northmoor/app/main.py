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
from northmoor.app.widgets.theme import apply_look, apply_theme
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


def follow_system(application: QApplication) -> None:
    """Become dark and light as the system does, while that is preferred."""
    hints = application.styleHints()
    assert hints is not None

    def follow() -> None:
        preferred = read_preferences(own_settings())
        if preferred.look == "system":
            apply_look(application, preferred)

    hints.colorSchemeChanged.connect(lambda _: follow())


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

    apply_theme(application, preferred)
    follow_system(application)
    window = TabbedWindow()
    sys.excepthook = partial(_show_mistake, window)
    if not reports and preferred.begin_with == "last":
        reports = window.current.recent.paths[:1]
    for report in reports:
        window.open(report, values if report is reports[0] else {})
    watch(window.current)
    window.show()
    return application.exec()
