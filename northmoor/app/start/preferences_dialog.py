"""Preferences of the window: its look, the size of its text, and what it begins with."""

from PyQt6.QtCore import QSettings
from PyQt6.QtWidgets import QComboBox, QDialog, QDialogButtonBox, QFormLayout, QLabel, QVBoxLayout, QWidget

from northmoor.app.widgets.preferences import (
    STARTS,
    TEXT_SIZES,
    WINDOW_LOOKS,
    Preferences,
    read_preferences,
    write_preferences,
)


class PreferencesDialog(QDialog):
    """Asks for the preferences; they hold from the next start on."""

    def __init__(self, settings: QSettings, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle("Preferences")
        self._settings = settings
        now = read_preferences(settings)
        self.look, self.text_size, self.begin_with = QComboBox(), QComboBox(), QComboBox()
        form = QFormLayout()
        for label, box, offered, chosen, tip in (
            ("&Look", self.look, WINDOW_LOOKS, now.look, "Colours of the window; pages stay white"),
            (
                "&Text size",
                self.text_size,
                TEXT_SIZES,
                now.text_size,
                "Size of the window's text",
            ),
            ("&Start with", self.begin_with, STARTS, now.begin_with, "What is shown when the program starts"),
        ):
            for value, name in offered.items():
                box.addItem(name, value)
            box.setCurrentIndex(box.findData(chosen))
            box.setToolTip(tip)
            box.setAccessibleName(label.replace("&", ""))
            form.addRow(label, box)
        note = QLabel("Look and text size change when Northmoor is started the next time.")
        note.setObjectName("quiet")
        note.setWordWrap(True)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        column = QVBoxLayout(self)
        column.addLayout(form)
        column.addWidget(note)
        column.addWidget(buttons)
        self.resize(380, 200)

    def accept(self) -> None:
        """Keep what was chosen."""
        chosen = (box.currentData() for box in (self.look, self.text_size, self.begin_with))
        write_preferences(self._settings, Preferences(*chosen))
        super().accept()
