"""Messages between processes: one each over a non-blocking socket pair, see `messages.py`."""

import select
import socket

import msgspec

from .messages import Message

_decoder = msgspec.json.Decoder(Message)
_encoder = msgspec.json.Encoder()


class Channel:
    def __init__(self, end: socket.socket):
        self._socket = end
        end.setblocking(False)
        self._waiting = select.poll()
        self._waiting.register(end, select.POLLIN)
        self.lost = False
        self.takes_handles, self.handles = False, list[int]()  # of files, in the order in which they came

    @classmethod
    def pair(cls) -> tuple["Channel", socket.socket]:
        ours, theirs = socket.socketpair(socket.AF_UNIX, socket.SOCK_SEQPACKET)
        return cls(ours), theirs

    @classmethod
    def attach(cls, fd: int) -> "Channel":
        return cls(socket.socket(fileno=fd))

    def send(self, message: Message, handle: int = -1) -> bool:
        """False where the other side is gone or does not read. It gets a `handle` of its own to the same file."""
        try:
            if handle >= 0:
                socket.send_fds(self._socket, [_encoder.encode(message)], [handle])
            else:
                self._socket.send(_encoder.encode(message))
        except OSError:
            return False
        return True

    def receive(self) -> Message | None:
        """The next message, or None; `lost` turns true when the other side has closed. Errors: msgspec.MsgspecError for
        what is none of `Message`."""
        if not self._waiting.poll(0):
            return None  # nearly always, in every block: cheaper than an attempt that fails
        try:
            if self.takes_handles:
                data, given, _flags, _address = socket.recv_fds(self._socket, 65536, 1)
                self.handles.extend(given)
            else:
                data = self._socket.recv(65536)
        except BlockingIOError:
            return None
        except OSError:
            self.lost = True
            return None
        if not data:
            self.lost = True
            return None
        return _decoder.decode(data)

    def fileno(self) -> int:
        return self._socket.fileno()

    def wait(self) -> None:
        """Sleep until there is a message or the other side has closed."""
        select.select([self._socket], [], [])

    def close(self) -> None:
        self._socket.close()
