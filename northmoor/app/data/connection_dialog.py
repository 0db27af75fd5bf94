"""The connection dialog: what is entered is tested, and what is wrong with it is one sentence."""

from contextlib import suppress
from typing import Any, get_args

from pydantic import ValidationError
from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QCheckBox,
    QComboBox,
    QDialog,
    QDialogButtonBox,
    QFileDialog,
    QFormLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QSpinBox,
    QToolButton,
    QVBoxLayout,
    QWidget,
)

from northmoor.app.language.core_sentences import core_text
from northmoor.app.language.translation import tr, tr_count
from northmoor.app.widgets.icons import icon
from northmoor.app.widgets.theme import PEAT
from northmoor.app.widgets.widget_tools import set_style_name
from northmoor.app.worker import Worker
from northmoor.core.base.cancellation import CancelToken
from northmoor.core.errors import NorthmoorError
from northmoor.core.model.data.connections import CONNECTION_KINDS, KIND_OF_CONNECTION, Connection, ServerConnection
from northmoor.core.sources.drivers.catalog import Catalog
from northmoor.core.sources.drivers.credentials import Credential, Secrets
from northmoor.core.sources.library import Library

_LABELS = {
    "database": tr("Database"),
    "host": tr("Host"),
    "port": tr("Port"),
    "user": tr("User"),
    "encryption": tr("Encryption"),
    "path": tr("File or folder"),
    "encoding": tr("Encoding"),
    "separator": tr("Separator"),
    "decimal_sign": tr("Decimal sign"),
}
_FIXED_ROWS = 2  # kind and name
_AS_SEEN = tr("automatic")
_BY_HOST = tr("verified to other machines")


class ConnectionDialog(QDialog):
    """Asks for a new connection, or changes one."""

    tested = pyqtSignal(object)

    def __init__(
        self, library: Library, worker: Worker, connection: Connection | None, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self._library, self._worker, self._old = library, worker, connection
        self.setWindowTitle(
            tr("Connection") if connection is None else tr("Connection {name}").format(name=connection.name)
        )
        self.setMinimumWidth(520)
        self.kind = QComboBox()
        self.kind.setAccessibleName(tr("Kind of connection"))
        for kind in CONNECTION_KINDS:
            self.kind.addItem(tr(kind.choice_label or kind.label), kind.name)
        self.name = QLineEdit()
        self.name.setAccessibleName(tr("Name"))
        self.name.setToolTip(tr("The name that queries use: letters, digits, _ and -"))
        self.fields: dict[str, QWidget] = {}
        self.password = QLineEdit()
        self.keep = QCheckBox(tr("Keep it in the system's keyring"))
        self.message = QLabel()
        self.message.setWordWrap(True)
        self.message.setTextFormat(Qt.TextFormat.PlainText)
        self.message.setMinimumHeight(40)
        self.message.setAlignment(Qt.AlignmentFlag.AlignTop)
        self._form = QFormLayout()
        self._form.setLabelAlignment(Qt.AlignmentFlag.AlignLeft)
        self.test_button = QPushButton(icon("plug"), tr("Test"))
        self.test_button.setToolTip(tr("Try to connect with these settings"))
        self._build()
        self.kind.currentIndexChanged.connect(self._fill)
        self.test_button.clicked.connect(self.test)
        self.tested.connect(self._show_tested)
        if connection is not None:
            self.kind.setCurrentIndex(self.kind.findData(connection.kind))
            self.kind.setEnabled(False)
            self.name.setText(connection.name)
        self._fill()

    def _build(self) -> None:
        buttons = QDialogButtonBox()
        self.save_button = QPushButton(tr("Save"))
        self.save_button.setObjectName("primary")
        buttons.addButton(self.test_button, QDialogButtonBox.ButtonRole.ActionRole)
        buttons.addButton(self.save_button, QDialogButtonBox.ButtonRole.AcceptRole)
        buttons.addButton(QDialogButtonBox.StandardButton.Cancel)
        self.save_button.clicked.connect(self.accept)
        buttons.rejected.connect(self.reject)
        self._form.addRow(tr("Kind"), self.kind)
        self._form.addRow(tr("Name"), self.name)
        layout = QVBoxLayout(self)
        layout.addLayout(self._form)
        layout.addWidget(self.message)
        layout.addWidget(buttons)

    def choose_kind(self, name: str) -> None:
        """Begin with a kind of connection."""
        self.kind.setCurrentIndex(self.kind.findData(name))

    def _fill(self) -> None:
        """Show the fields of the chosen kind."""
        while self._form.rowCount() > _FIXED_ROWS:
            self._form.takeRow(_FIXED_ROWS)
        for widget in (*self.fields.values(), *self.findChildren(QLabel, "field-label")):
            widget.hide()
            widget.deleteLater()
        kind = KIND_OF_CONNECTION[str(self.kind.currentData())]
        model, is_file = kind.model, not kind.is_server
        self.fields = {}
        for name, field in model.model_fields.items():
            if name in _LABELS:
                value = getattr(self._old, name) if self._old is not None else field.get_default()
                known = None if repr(value) == "PydanticUndefined" else value
                widget = self._editor(is_file, name, field.annotation, known)
                widget.setToolTip(tr(model.help_of(name)))
                self.fields[name] = widget
                label = QLabel(tr("File") if is_file and name == "database" else _LABELS[name])
                label.setObjectName("field-label")
                self._form.addRow(label, widget)
        if kind.is_server:
            self._add_password()
        self._say("", "quiet")
        self.adjustSize()

    def _add_password(self) -> None:
        self.password = QLineEdit()
        self.password.setEchoMode(QLineEdit.EchoMode.Password)
        self.password.setAccessibleName(tr("Password"))
        self.password.setToolTip(tr("It is never written into the library; leave it empty to keep the present one"))
        if self._old is not None:
            self.password.setPlaceholderText(tr("as it is"))
        self.keep = QCheckBox(tr("Keep it in the system's keyring"))
        self.keep.setToolTip(tr("Otherwise it is remembered until Northmoor is closed"))
        self.unencrypted = QCheckBox(tr("Allow an unencrypted connection to another machine"))
        self.unencrypted.setToolTip(tr("Anyone on the network can then read it; only for trusted networks"))
        if isinstance(self._old, ServerConnection):
            with suppress(NorthmoorError):  # passwords of the environment that cannot be read; connecting says so
                self.unencrypted.setChecked(self._library.secrets.credential(self._old).unencrypted)
        rows = (
            ("password", tr("Password"), self.password),
            ("keep", "", self.keep),
            ("unencrypted", "", self.unencrypted),
        )
        for name, text, widget in rows:
            label = QLabel(text)
            label.setObjectName("field-label")
            self.fields[f"_{name}"] = widget
            self._form.addRow(label, widget)

    def _editor(self, is_file: bool, name: str, annotation: Any, value: Any) -> QWidget:
        choices = [c for part in (annotation, *get_args(annotation)) for c in get_args(part) if isinstance(c, str)]
        if name in ("encryption", "decimal_sign"):
            box = QComboBox()
            box.addItem(_AS_SEEN if name == "decimal_sign" else _BY_HOST, None)
            for choice in dict.fromkeys(choices):
                box.addItem(choice, choice)
            box.setCurrentIndex(max(box.findData(value), 0))
            box.setAccessibleName(_LABELS[name])
            return box
        if name == "port":
            spin = QSpinBox()
            spin.setRange(1, 65_535)
            spin.setValue(int(value))
            spin.setAccessibleName(tr("Port"))
            return spin
        line = QLineEdit("" if value is None else str(value))
        line.setAccessibleName(_LABELS[name])
        if name == "separator":
            line.setPlaceholderText(_AS_SEEN)
        if name == "path" or (is_file and name == "database"):
            return self._with_browse(line, name == "path")
        return line

    def _with_browse(self, line: QLineEdit, may_be_folder: bool) -> QWidget:
        """A line with buttons that find the file, or the folder."""
        whole = QWidget()
        row = QHBoxLayout(whole)
        row.setContentsMargins(0, 0, 0, 0)
        row.addWidget(line, 1)
        ways = [("file-text", tr("Choose a file"), QFileDialog.getOpenFileName)]
        if may_be_folder:
            ways.append(("folder-open", tr("Choose a folder"), QFileDialog.getExistingDirectory))  # type: ignore[arg-type]
        for drawing, message, ask in ways:
            button = QToolButton()
            button.setIcon(icon(drawing, PEAT))
            button.setToolTip(message)
            button.setAccessibleName(message)
            button.clicked.connect(lambda _=False, ask=ask, message=message: self._browse(line, ask, message))
            row.addWidget(button)
        whole.setProperty("line", line)
        return whole

    def _browse(self, line: QLineEdit, ask: Any, message: str) -> None:
        found = ask(self, message, line.text() or str(self._library.root))
        path = found if isinstance(found, str) else found[0]
        if path:
            line.setText(path)
            if not self.name.text():
                self.name.setText(self._library.free_name(path))

    def connection(self) -> Connection:
        """The connection as it is entered. Raises ValueError with a sentence for what does not fit."""
        entries: dict[str, Any] = {"kind": self.kind.currentData(), "name": self.name.text().strip()}
        for name, widget in self.fields.items():
            if not name.startswith("_"):
                entries[name] = _value(widget)
        entries = {name: value for name, value in entries.items() if value is not None}
        if not entries["name"]:
            target = str(entries.get("database") or entries.get("path") or "data")
            entries["name"] = self._library.free_name(target)
        for name in ("database", "path", "user", "host"):
            if name in self.fields and not entries.get(name):
                raise ValueError(tr("{name} is empty; fill it in.").format(name=_LABELS[name]))
        try:
            made: Connection = KIND_OF_CONNECTION[entries["kind"]].model.model_validate(entries)  # type: ignore[assignment]  # one of them
            return made
        except ValidationError as error:
            first = error.errors(include_url=False)[0]
            label = {**_LABELS, "name": tr("Name")}.get(str(first["loc"][0]), str(first["loc"][0]))
            raise ValueError(
                tr("{label} does not fit: letters, digits, _ and - are allowed.").format(label=label)
            ) from error

    def test(self) -> None:
        """Connect with what is entered."""
        try:
            connection = self.connection()
            trial = Library(self._library.root, None, self._secrets(connection))
        except (ValueError, NorthmoorError) as error:
            self._say(core_text(error), "fault")
            return
        self._say(tr("Connecting …"), "quiet")
        self.test_button.setEnabled(False)

        def ask(stop: CancelToken) -> object:
            return trial.driver_for(connection).catalog(stop)

        self._worker.run_task(ask, self.tested.emit)

    def _secrets(self, connection: Connection) -> Secrets:
        """The passwords that are known, with the one entered."""
        secrets = Secrets()
        if isinstance(connection, ServerConnection):
            known = self._credential(connection)
            if known.password is not None:
                secrets.remember(connection, known.password, unencrypted=known.unencrypted)
        return secrets

    def _credential(self, connection: ServerConnection) -> Credential:
        """The password that was entered, or else the known one, and whether it may go unencrypted."""
        password = self.password.text() or self._library.secrets.credential(connection).password
        return Credential(password, self.unencrypted.isChecked())

    def _show_tested(self, found: object) -> None:
        self.test_button.setEnabled(True)
        if isinstance(found, Catalog):
            faulty = [table for table in found.tables if table.fault]
            count = len(found.tables) - len(faulty)
            message = tr_count(count, "Connected. {count} table found.", "Connected. {count} tables found.")
            self._say(message + (f" {faulty[0].fault}" if faulty else ""), "warning" if faulty else "good")
        else:
            self._say(core_text(found), "fault")

    def accept(self) -> None:
        """Keep the connection in the library."""
        try:
            connection = self.connection()
            self._library.add(connection, self._old.name if self._old is not None else None)
            if isinstance(connection, ServerConnection):
                self._remember(connection)
        except (ValueError, NorthmoorError) as error:
            self._say(core_text(error), "fault")
            return
        self.name.setText(connection.name)
        super().accept()

    def _remember(self, connection: ServerConnection) -> None:
        """Know the password as it is given here, where anything about it is new."""
        secrets, given = self._library.secrets, self._credential(connection)
        if given.password is not None and (self.keep.isChecked() or given != secrets.credential(connection)):
            secrets.remember(connection, given.password, self.keep.isChecked(), given.unencrypted)

    def _say(self, text: str, kind: str) -> None:
        set_style_name(self.message, kind)
        self.message.setText(text)


def _value(widget: QWidget) -> Any:
    if isinstance(widget, QComboBox):
        return widget.currentData()
    if isinstance(widget, QSpinBox):
        return widget.value()
    line = widget if isinstance(widget, QLineEdit) else widget.property("line")
    assert isinstance(line, QLineEdit)
    return line.text().strip() or None
