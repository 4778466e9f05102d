"""Where another computer may call."""

import socket


def listening_socket() -> socket.socket:
    """On a free port of every address of this computer; it may be handed to another process."""
    made = socket.socket(socket.AF_INET, socket.SOCK_STREAM)
    made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    made.bind(("0.0.0.0", 0))
    made.listen(8)
    made.setblocking(False)
    return made


def own_address(towards: str) -> str:
    """Which address of this computer the other side sees; the loopback's where there is no way to it."""
    with socket.socket(socket.AF_INET, socket.SOCK_DGRAM) as made:
        try:
            made.connect((towards, 9))  # nothing is sent by this
        except OSError:
            return "127.0.0.1"
        return str(made.getsockname()[0])
