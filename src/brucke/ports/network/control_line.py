"""One encrypted connection on which two computers say records of `control_messages.py` to each other."""

import asyncio
import contextlib
import socket
import ssl
import time

import msgspec

from ...core.errors import BruckeError
from ...core.network.control_messages import MOST_BYTES, Said, decode, encode

HANDSHAKE_S = 3.0
MOST_A_SECOND = 400  # records; whoever says more is cut off


class LineEnded(BruckeError, ConnectionError):
    """The other side has gone, or said what is no record."""

    code = "line"


class ControlLine:
    """`address` is where the other side is, `certificate` the one it came with (b"": none)."""

    def __init__(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter):
        self._reader, self._writer = reader, writer
        self.address: str = writer.get_extra_info("peername", ("", 0))[0]
        tls: ssl.SSLObject | None = writer.get_extra_info("ssl_object")
        self.certificate = (tls.getpeercert(binary_form=True) if tls is not None else None) or b""
        self._second, self._count = 0.0, 0
        self.heard = time.monotonic()
        plain = writer.get_extra_info("socket")
        if plain is not None:
            with contextlib.suppress(OSError):
                plain.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)

    def say(self, said: Said) -> None:
        """Nothing waits here: a line that the other side does not read is ended."""
        if self._writer.transport.get_write_buffer_size() > 4 * MOST_BYTES:
            self.end()
            return
        self._writer.write(encode(said))

    async def hear(self) -> Said:
        """The next record. Errors: LineEnded."""
        try:
            line = await self._reader.readuntil(b"\n")
            said = decode(line)
        except (OSError, ValueError, asyncio.IncompleteReadError, asyncio.LimitOverrunError, msgspec.MsgspecError) as e:
            self.end()
            raise LineEnded(str(e)) from e
        self.heard = time.monotonic()
        self._count_one()
        return said

    def _count_one(self) -> None:
        if self.heard - self._second > 1.0:
            self._second, self._count = self.heard, 0
        self._count += 1
        if self._count > MOST_A_SECOND:
            self.end()
            raise LineEnded("too much at once")

    def end(self) -> None:
        """At once, nothing is waited for."""
        self._writer.transport.abort()

    async def finish(self) -> None:
        """What was said last still goes out, for a moment."""
        with contextlib.suppress(OSError, asyncio.TimeoutError, ssl.SSLError):
            async with asyncio.timeout(0.3):
                await self._writer.drain()
                self._writer.close()
                await self._writer.wait_closed()
        self.end()


async def dial(address: str, port: int, context: ssl.SSLContext, seconds: float) -> ControlLine:
    """A line to somebody who listens. Errors: OSError (ssl.SSLError, TimeoutError among them)."""
    async with asyncio.timeout(seconds):
        reader, writer = await asyncio.open_connection(
            address, port, ssl=context, limit=MOST_BYTES, ssl_handshake_timeout=seconds, ssl_shutdown_timeout=0.2
        )
    return ControlLine(reader, writer)
