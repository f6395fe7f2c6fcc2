"""One running window takes over the files that are opened later."""

import hashlib
import json
import os
from pathlib import Path
from typing import Final

from PySide6.QtCore import QObject, Signal
from PySide6.QtNetwork import QLocalServer, QLocalSocket

from peel.work.session.memory import state_folder

__all__ = ["OneWindow", "hand_over"]

_WAIT_MS: Final = 600
_MOST_BYTES: Final = 1_000_000


def _name() -> str:
    """Return the name under which the window of this user, with this state folder, is found."""
    return "peel-" + hashlib.sha256(f"{os.getuid()} {state_folder()}".encode()).hexdigest()[:16]


def hand_over(files: list[Path]) -> bool:
    """Hand files to a running window; return whether one took them."""
    socket = QLocalSocket()
    socket.connectToServer(_name())
    if not socket.waitForConnected(_WAIT_MS):
        return False
    socket.write(json.dumps([str(path.absolute()) for path in files]).encode() + b"\n")
    socket.flush()
    socket.waitForReadyRead(_WAIT_MS)
    answer = bytes(socket.readAll().data())
    socket.disconnectFromServer()
    return answer.startswith(b"taken")


class OneWindow(QObject):
    """Listens for files that later starts hand over.

    Signals
    -------
    handed : (list of Path,)
        Empty where only the window itself was asked for.
    """

    handed = Signal(object)

    def __init__(self, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._on_connection)
        if not self._server.listen(_name()):
            QLocalServer.removeServer(_name())  # left over from one that was killed: nobody answered at it
            self._server.listen(_name())

    def close(self) -> None:
        """Listen no more."""
        self._server.close()

    def _on_connection(self) -> None:
        socket = self._server.nextPendingConnection()
        socket.readyRead.connect(lambda: self._on_read(socket))
        socket.disconnected.connect(socket.deleteLater)
        if socket.bytesAvailable():  # it was there before anyone listened
            self._on_read(socket)

    def _on_read(self, socket: QLocalSocket) -> None:
        if socket.bytesAvailable() > _MOST_BYTES or not socket.canReadLine():
            return
        try:
            found = json.loads(bytes(socket.readLine().data()))
            paths = [Path(text) for text in found if isinstance(text, str)]
        except (ValueError, TypeError, RecursionError):
            return
        socket.write(b"taken\n")
        socket.flush()
        self.handed.emit(paths)
