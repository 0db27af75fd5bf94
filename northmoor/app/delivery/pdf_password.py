"""Asks for the password of PDF files, which no report holds."""

from PyQt6.QtWidgets import QCheckBox, QDialog, QDialogButtonBox, QFormLayout, QLabel, QLineEdit, QWidget

from northmoor.app.language.translation import tr
from northmoor.core.errors import ConnectionFault
from northmoor.core.sources.drivers.credentials import PDF_ADDRESS, VARIABLE, Secrets


class PdfPasswordDialog(QDialog):
    """Takes a password twice; it is known in this session, and kept in the keyring if that is wanted."""

    def __init__(self, name: str, secrets: Secrets, parent: QWidget) -> None:
        super().__init__(parent)
        self.setWindowTitle(tr("Password {name}").format(name=name))
        self._address, self._secrets = f"{PDF_ADDRESS}{name}", secrets
        self.password, self.again = QLineEdit(), QLineEdit()
        self.keep = QCheckBox(tr("Keep it in the keyring, for orders and the terminal too"))
        self.note = QLabel()
        self.note.setObjectName("quiet")
        self.note.setWordWrap(True)
        buttons = QDialogButtonBox(QDialogButtonBox.StandardButton.Ok | QDialogButtonBox.StandardButton.Cancel)
        ok = buttons.button(QDialogButtonBox.StandardButton.Ok)
        assert ok is not None
        self._ok = ok
        buttons.accepted.connect(self.accept)
        buttons.rejected.connect(self.reject)
        form = QFormLayout(self)
        for text, line in ((tr("&Password"), self.password), (tr("&Again"), self.again)):
            line.setEchoMode(QLineEdit.EchoMode.Password)
            line.setAccessibleName(text.replace("&", ""))
            line.setToolTip(
                tr("The password that opens the PDF. Nobody can open it without; give it to its readers separately")
            )
            line.textChanged.connect(lambda _: self._update())
            form.addRow(text, line)
        form.addRow(self.keep)
        form.addRow(self.note)
        form.addRow(buttons)
        self._update()

    def _update(self) -> None:
        first, second = self.password.text(), self.again.text()
        fault = "" if first else tr("The report holds only its name.")
        if first and second and first != second:
            fault = tr("The two are not the same.")
        self.note.setText(fault)
        self._ok.setEnabled(bool(first) and first == second)

    def accept(self) -> None:
        """Know the password; where it cannot be kept, say so and go on."""
        is_kept = self._secrets.remember_password(self._address, self.password.text(), self.keep.isChecked())
        if self.keep.isChecked() and not is_kept:
            self.keep.setChecked(False)
            self.note.setText(
                tr(
                    "There is no keyring here. It is known until the window is closed; for others use {variable}."
                ).format(variable=VARIABLE)
            )
            return
        super().accept()


def ask_pdf_password(name: str, secrets: Secrets, parent: QWidget) -> bool:
    """Ask for the password of a name unless it is known; whether it is known now."""
    try:
        if secrets.password_of(f"{PDF_ADDRESS}{name}"):
            return True
    except ConnectionFault:
        pass  # the environment's passwords cannot be read, but one can be typed
    return PdfPasswordDialog(name, secrets, parent).exec() == QDialog.DialogCode.Accepted
