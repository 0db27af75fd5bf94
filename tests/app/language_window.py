"""The window on a report in another language, in a process of its own, as modules hold their texts from their import on.

Usage: language_window.py REPORT PICTURES LANGUAGE, where LANGUAGE is one that there is, or `longer`: English with texts
four tenths longer. Writes as JSON the texts that are shown, and those of buttons and labels that are cut.
"""

import json
import sys
from collections.abc import Iterator
from pathlib import Path

from PyQt6.QtCore import QEventLoop, QSettings
from PyQt6.QtGui import QAction
from PyQt6.QtWidgets import QAbstractButton, QApplication, QLabel, QToolButton, QWidget

from northmoor.app.language.catalogue import Catalogue, use_language


def longer(text: str) -> str:
    """A text that is four tenths longer, with what is filled in still there."""
    return text + "ẽ" * max(round(len(text) * 0.4), 1) if text.strip() else text


class LongerTexts(Catalogue):
    """All texts, longer."""

    def __init__(self, application: QApplication) -> None:
        super().__init__({"": "any"}, application)

    def translate(self, context: str | None, text: str | None, *_: object) -> str | None:  # type: ignore[override]
        """The text, longer."""
        return longer(text) if text and context == "Northmoor" else None


def shown_texts(window: QWidget) -> Iterator[str]:
    """Texts of what can be seen, of menus, and of what explains them."""
    for widget in window.findChildren(QWidget):
        if widget.isVisible():
            yield from (widget.toolTip(), widget.accessibleName(), widget.accessibleDescription())
            if isinstance(widget, QLabel | QAbstractButton):
                yield widget.text()
    for action in window.findChildren(QAction):
        yield from (action.text().replace("&", ""), action.toolTip())


def cut_texts(window: QWidget) -> Iterator[str]:
    """Texts of buttons and of labels in one line that are wider than those."""
    for widget in window.findChildren(QWidget):
        if not widget.isVisible() or not isinstance(widget, QLabel | QAbstractButton) or not widget.text():
            continue
        is_free = isinstance(widget, QLabel) and (widget.wordWrap() or "<" in widget.text())
        is_icon = isinstance(widget, QToolButton) and widget.width() < 40
        width = max(widget.fontMetrics().horizontalAdvance(line) for line in widget.text().replace("&", "").split("\n"))
        if not is_free and not is_icon and width > widget.width() + 1:
            yield f"{type(widget).__name__} {widget.text()}"


def main(report: Path, pictures: Path, language: str) -> None:
    """Show the beginning and each workspace, and say what is seen."""
    application = QApplication([])
    if language == "longer":
        application.installTranslator(LongerTexts(application))
    else:
        use_language(application, language)
    from northmoor.app.widgets.theme import apply_theme
    from northmoor.app.window import Window

    apply_theme(application)
    window = Window(QSettings(str(pictures / "settings.ini"), QSettings.Format.IniFormat))
    window.resize(1280, 800)
    window.show()
    texts: set[str] = set()
    cut: set[str] = set()
    for workspace in ("start", "pages", "data", "delivery"):
        if workspace == "pages":
            window.open(report)
        if workspace != "start":
            window.show_workspace(workspace)
        for _ in range(3):
            while workspace != "start" and not window.is_up_to_date:
                application.processEvents(QEventLoop.ProcessEventsFlag.WaitForMoreEvents, 50)
            application.processEvents(QEventLoop.ProcessEventsFlag.AllEvents, 200)
        window.grab().save(str(pictures / f"{language}-{workspace}.png"))
        texts |= set(shown_texts(window))
        cut |= set(cut_texts(window))
    window.close()
    json.dump({"texts": sorted(filter(None, texts)), "cut": sorted(cut), "width": window.width()}, sys.stdout)


if __name__ == "__main__":
    main(Path(sys.argv[1]), Path(sys.argv[2]), sys.argv[3])
