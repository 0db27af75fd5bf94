"""The service as a unit of the user's systemd, so that it starts with the machine and again when it ends."""

import os
import shutil
import subprocess
import sys
from hashlib import sha256
from pathlib import Path

from northmoor.core.base.atomic_write import write_atomically
from northmoor.core.errors import OutputError

_UNIT = """\
[Unit]
Description=Northmoor deliveries of {name}
After=network-online.target

[Service]
ExecStart={command}
Restart=always
RestartSec=5
KillMode=control-group
NoNewPrivileges=yes

[Install]
WantedBy=default.target
"""


def unit_name(root: Path) -> str:
    """The name of a library's unit."""
    return f"northmoor-{sha256(str(root.resolve()).encode()).hexdigest()[:12]}.service"


def unit_text(root: Path) -> str:
    """The unit of a library's service."""
    arguments = [sys.executable, "-m", "northmoor", "service", "run", str(root.resolve())]
    command = " ".join(map(_quoted, arguments))
    name = "".join(char for char in root.resolve().name if char.isprintable()).replace("%", "%%")
    return _UNIT.format(name=name, command=command)


def _quoted(text: str) -> str:
    """An argument as systemd reads it (systemd.syntax and systemd.service)."""
    escaped = text.replace("\\", "\\\\").replace('"', '\\"').replace("%", "%%").replace("$", "$$")
    return f'"{escaped}"'


def unit_folder() -> Path:
    """Where units of the user are."""
    return Path(os.environ.get("XDG_CONFIG_HOME", "~/.config")).expanduser() / "systemd" / "user"


def install_unit(root: Path) -> tuple[Path, str]:
    """Write the unit, and start it where systemd is there; its file, and what was done in words. Raises OutputError and
    ReportFileError."""
    path = unit_folder() / unit_name(root)
    try:
        path.parent.mkdir(parents=True, exist_ok=True)
    except OSError as error:
        raise OutputError(f"{path.parent} cannot be made: {error.strerror}.") from error
    write_atomically(path, lambda part: part.write_text(unit_text(root), encoding="utf-8"))
    fault = _systemctl("daemon-reload") or _systemctl("enable", "--now", path.name)
    if fault:
        return path, f"The unit is in {path}; systemd did not start it ({fault})."
    return path, f"The service runs, and starts with your session: {path.name}."


def remove_unit(root: Path) -> str:
    """Stop the service and remove its unit; what was done in words. Raises OutputError."""
    path = unit_folder() / unit_name(root)
    if not path.is_file():
        raise OutputError("The library's service is not installed.")
    _systemctl("disable", "--now", path.name)
    path.unlink()
    _systemctl("daemon-reload")
    return f"{path.name} is removed."


def _systemctl(*arguments: str) -> str:
    """Ask the user's systemd; why it did not, or nothing."""
    command = shutil.which("systemctl")
    if command is None:
        return "there is no systemd here"
    try:
        done = subprocess.run([command, "--user", *arguments], capture_output=True, text=True, check=False, timeout=30)
    except subprocess.TimeoutExpired:
        return "it does not answer"
    return " ".join((done.stderr or done.stdout).split())[:200] if done.returncode else ""
