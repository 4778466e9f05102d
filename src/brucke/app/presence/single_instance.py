"""One Brucke for a user: a second start hands what it was asked for to the first, and ends."""

import os
from pathlib import Path
from urllib.parse import quote, unquote_to_bytes

from platformdirs import user_runtime_path
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtNetwork import QLocalServer, QLocalSocket

ANSWER_MS = 3000
MOST_BYTES = 16384
ASKS, TAKEN = b"open ", b"taken\n"  # a file, or nothing, quoted as in an address


def place() -> str:
    """Of the socket, the user's own."""
    folder = user_runtime_path("brucke")
    folder.mkdir(parents=True, exist_ok=True, mode=0o700)
    return str(folder / "one.socket")


def hand_over(file: Path | None, where: str) -> bool:
    """Whether another Brucke runs, and has taken over what this one was asked for."""
    socket = QLocalSocket()
    socket.connectToServer(where)
    if not socket.waitForConnected(ANSWER_MS):
        return False
    socket.write(ASKS + quote(os.fsencode(file.resolve()) if file is not None else b"").encode() + b"\n")
    socket.flush()
    answered = socket.waitForReadyRead(ANSWER_MS) and bytes(socket.readAll().data()) == TAKEN
    socket.disconnectFromServer()
    return answered


class SingleInstance(QObject):
    """Listens for others that start; `asked` is told the file they were given, or none."""

    asked = pyqtSignal(object)

    def __init__(self, where: str):
        super().__init__()
        self._server = QLocalServer(self)
        self._server.setSocketOptions(QLocalServer.SocketOption.UserAccessOption)
        self._server.newConnection.connect(self._came)
        if not self._server.listen(where) and os.path.exists(where):
            QLocalServer.removeServer(where)  # of one that ended without a word
            self._server.listen(where)

    @property
    def listens(self) -> bool:
        return self._server.isListening()

    def close(self) -> None:
        self._server.close()

    def _came(self) -> None:
        while (socket := self._server.nextPendingConnection()) is not None:
            socket.readyRead.connect(lambda s=socket: self._read(s))
            socket.disconnected.connect(socket.deleteLater)
            if socket.bytesAvailable():
                self._read(socket)

    def _read(self, socket: QLocalSocket) -> None:
        if socket.bytesAvailable() > MOST_BYTES:
            socket.abort()
            return
        if not socket.canReadLine():
            return
        line = bytes(socket.readLine().data())
        file = unquote_to_bytes(line.removeprefix(ASKS).rstrip(b"\n"))
        if not line.startswith(ASKS) or b"\0" in file:
            socket.abort()
            return
        socket.write(TAKEN)
        socket.flush()
        self.asked.emit(Path(os.fsdecode(file)) if file else None)
