"""OSC by UDP: one socket, only from the addresses that are listed."""

import contextlib
import threading
from collections.abc import Callable, Collection
from typing import Any

from pythonosc.dispatcher import Dispatcher
from pythonosc.osc_server import BlockingOSCUDPServer

from ...core.errors import BruckeError

LOOPBACK = "127.0.0.1"


class OscError(BruckeError, OSError):
    """Why nothing can be listened to, in one sentence."""

    code = "osc"


class _Server(BlockingOSCUDPServer):
    """`allowed` are the addresses that are listened to. What cannot be read is dropped."""

    allowed: Collection[str] = ()

    def verify_request(self, request: Any, client_address: Any) -> bool:
        return client_address[0] in self.allowed

    def handle_error(self, request: Any, client_address: Any) -> None:
        """A packet that is none changes nothing."""


class OscServer:
    """From its beginning to `close`. `heard(address, values)` is called in its thread. OscError where the port is
    taken."""

    def __init__(self, host: str, port: int, allowed: Collection[str], heard: Callable[[str, tuple[Any, ...]], None]):
        dispatcher = Dispatcher()
        dispatcher.set_default_handler(lambda address, *values: heard(address, values))
        try:
            self._server = _Server((host, port), dispatcher)
        except OSError as e:
            raise OscError(f"port {port}: {(e.strerror or str(e)).lower()}") from None
        self._server.allowed = frozenset(allowed)
        self.port = int(self._server.server_address[1])
        self._thread = threading.Thread(target=self._serve, name="osc", daemon=True)
        self._thread.start()

    def _serve(self) -> None:
        with contextlib.suppress(OSError, ValueError):  # it was closed
            self._server.serve_forever(poll_interval=0.2)

    def close(self) -> None:
        self._server.shutdown()
        self._server.server_close()
        self._thread.join(1.0)
