"""Preferences of the window: its look, size of text, language and unit of lengths, and what it begins with."""

from PyQt6.QtCore import QSettings, pyqtSignal
from PyQt6.QtWidgets import (
    QApplication,
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.length_unit import use_unit
from northmoor.app.language.translation import tr
from northmoor.app.pages.inspector.inspector_panel import InspectorPanel
from northmoor.app.widgets.preferences import OFFERED, Preferences, read_preferences, write_preferences
from northmoor.app.widgets.theme import apply_look

_WORDS: dict[str | int, str] = {
    "light": tr("Light"), "dark": tr("Dark"), "system": tr("As the system"),
    12: tr("Small"), 13: tr("Normal"), 15: tr("Large"), 18: tr("Very large"),
    "start": tr("The start screen"), "last": tr("The last report"),
    "en": "English", "de": "Deutsch",
    "mm": tr("Millimetres"), "cm": tr("Centimetres"),
    "in": tr("Inches"), "pt": tr("Points"),
    100_000: tr("100,000 rows"), 1_000_000: tr("1,000,000 rows"), 10_000_000: tr("10,000,000 rows"), 0: tr("Never"),
}  # fmt: skip
_FIELDS = (
    ("look", tr("&Look"), tr("Colours of the window; pages stay white")),
    ("text_size", tr("&Text size"), tr("Size of the window's text")),
    ("language", tr("L&anguage"), tr("Language of the window; reports have one of their own")),
    ("unit", tr("&Unit of lengths"), tr("The unit of lengths on pages; any other can be typed")),
    ("ask_above", tr("Ask &before fetching"), tr("More rows than these are fetched in Data only when it is confirmed")),
    ("begin_with", tr("&Start with"), tr("What is shown when the program starts")),
)


class PreferencesDialog(QDialog):
    """Asks for the preferences. They are used at once, but for the language: texts are written when the program starts,
    which it does again, if wanted."""

    restart_wanted = pyqtSignal()

    def __init__(self, settings: QSettings, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Preferences"))
        self._settings = settings
        self._before = now = read_preferences(settings)
        self.boxes = {name: QComboBox() for name, *_ in _FIELDS}
        form = QFormLayout()
        for name, label, tip in _FIELDS:
            box = self.boxes[name]
            for value in OFFERED[name]:
                box.addItem(_WORDS[value], value)
            box.setCurrentIndex(box.findData(getattr(now, name)))
            box.setToolTip(tip)
            box.setAccessibleName(label.replace("&", ""))
            form.addRow(label, box)
        self.at_once = QCheckBox(tr("Start Northmoor again in this language"))
        self.at_once.setToolTip(
            tr("The reports that are open are opened again; without it, the language changes at the next start")
        )
        self.at_once.setChecked(True)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        self.boxes["language"].currentIndexChanged.connect(self._follow)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(self.at_once)
        column.addWidget(buttons)
        self.resize(380, 240)
        self._follow()

    def _chosen(self) -> Preferences:
        return Preferences(**{name: box.currentData() for name, box in self.boxes.items()})

    @property
    def _needs_start(self) -> bool:
        return self._chosen().language != self._before.language

    def _follow(self) -> None:
        self.at_once.setVisible(self._needs_start)

    def accept(self) -> None:
        """Keep what was chosen, and show it."""
        chosen = self._chosen()
        write_preferences(self._settings, chosen)
        use_unit(chosen.unit)
        application = QApplication.instance()
        assert isinstance(application, QApplication)
        if (chosen.look, chosen.text_size) != (self._before.look, self._before.text_size):
            apply_look(application, chosen)
        for widget in QApplication.allWidgets():
            if isinstance(widget, InspectorPanel):
                widget.refresh()
        super().accept()
        if self._needs_start and self.at_once.isChecked():
            self.restart_wanted.emit()
