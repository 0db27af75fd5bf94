"""One window a report: the one that has it open for changes holds a lock file beside it; others are told, and may ask
it to come forward."""

import os
from collections.abc import Callable
from pathlib import Path

from msgspec import Struct
from PyQt6.QtCore import QLockFile, QObject
from PyQt6.QtNetwork import QLocalServer, QLocalSocket

from northmoor.app.language.translation import tr

_WAIT = 1000
"""Milliseconds that another window has to answer in."""
_LONGEST = 10_000


class Holder(Struct, frozen=True):
    """Who has a report open: a process, and on which machine, where that is not this one."""

    process: int
    machine: str = ""

    def __str__(self) -> str:
        return tr("on {machine}").format(machine=self.machine) if self.machine else tr("in another window")


class ReportLock:
    """The lock of the report that a window has open."""

    def __init__(self) -> None:
        self._held: QLockFile | None = None
        self._path: Path | None = None

    def take(self, path: Path) -> Holder | None:
        """Hold the lock of a report instead of what is held; who holds it, if somebody does. Where no lock can be
        written nothing can be saved either, and nobody is in the way."""
        path = path.resolve()
        if path == self._path:
            return None
        lock = QLockFile(str(path.with_name(f".{path.name}.lock")))
        lock.setStaleLockTime(0)  # only the end of its process frees it
        if not lock.tryLock(0) and lock.error() == QLockFile.LockError.LockFailedError:
            _, process, machine, _ = lock.getLockInfo()
            return Holder(process, "" if machine in ("", os.uname().nodename) else machine)
        self.release()
        self._held, self._path = lock, path
        return None

    def release(self) -> None:
        """Hold no lock any more."""
        if self._held is not None:
            self._held.unlock()
        self._held = self._path = None


def _address(process: int) -> str:
    return f"northmoor-{os.getuid()}-{process}"


def ask_to_come_forward(holder: Holder, path: Path) -> bool:
    """Ask the window that has a report open to come forward; whether it answers."""
    socket = QLocalSocket()
    socket.connectToServer(_address(holder.process))
    if holder.machine or not socket.waitForConnected(_WAIT):
        return False
    socket.write(str(path.resolve()).encode())
    return socket.waitForBytesWritten(_WAIT)


class ForwardRequests(QObject):
    """Listens to other windows of this user that ask one to come forward; what they say is a path and nothing else."""

    def __init__(self, come_forward: Callable[[Path], object], parent: QObject) -> None:
        super().__init__(parent)
        self._come_forward = come_forward
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._answer)
        if not self._server.listen(_address(os.getpid())):
            QLocalServer.removeServer(_address(os.getpid()))  # one of an ended process that had this number
            self._server.listen(_address(os.getpid()))

    def _answer(self) -> None:
        socket = self._server.nextPendingConnection()
        if socket is None:
            return
        if socket.bytesAvailable() or socket.waitForReadyRead(_WAIT):
            asked = bytes(socket.read(_LONGEST)).decode("utf-8", "replace")
            self._come_forward(Path(asked))
        socket.close()
        socket.deleteLater()
