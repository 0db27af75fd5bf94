"""Preferences of the window: its look, size of text, language and unit of lengths, and what it begins with."""

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import (
    QApplication,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFormLayout,
    QLabel,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.length_unit import use_unit
from northmoor.app.language.translation import tr
from northmoor.app.pages.inspector.inspector_panel import InspectorPanel
from northmoor.app.widgets.preferences import OFFERED, Preferences, read_preferences, write_preferences

_WORDS: dict[str | int, str] = {
    "light": tr("Light"), "dark": tr("Dark"), "system": tr("As the system"),
    12: tr("Small"), 13: tr("Normal"), 15: tr("Large"), 18: tr("Very large"),
    "start": tr("The start screen"), "last": tr("The last report"),
    "en": "English", "de": "Deutsch",
    "mm": tr("Millimetres"), "cm": tr("Centimetres"),
    "in": tr("Inches"), "pt": tr("Points"),
}  # fmt: skip
_FIELDS = (
    ("look", tr("&Look"), tr("Colours of the window; pages stay white")),
    ("text_size", tr("&Text size"), tr("Size of the window's text")),
    ("language", tr("L&anguage"), tr("Language of the window; reports have one of their own")),
    ("unit", tr("&Unit of lengths"), tr("The unit of lengths on pages; any other can be typed")),
    ("begin_with", tr("&Start with"), tr("What is shown when the program starts")),
)


class PreferencesDialog(QDialog):
    """Asks for the preferences. The unit is used at once; what texts and colours are made with, from the next start."""

    def __init__(self, settings: QSettings, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Preferences"))
        self._settings = settings
        now = read_preferences(settings)
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
        note = QLabel(tr("Look, text size and language change when Northmoor is started the next time."))
        note.setObjectName("quiet")
        note.setWordWrap(True)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(note)
        column.addWidget(buttons)
        self.resize(380, 240)

    def accept(self) -> None:
        """Keep what was chosen, and show lengths in the unit."""
        chosen = Preferences(**{name: box.currentData() for name, box in self.boxes.items()})
        write_preferences(self._settings, chosen)
        use_unit(chosen.unit)
        for widget in QApplication.allWidgets():
            if isinstance(widget, InspectorPanel):
                widget.refresh()
        super().accept()
