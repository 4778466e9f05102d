"""The conversation with one computer that this one is open to: kept up in a thread of its own, made anew when it
breaks, and the clock of the other side by its answers.
"""

import asyncio
import contextlib
import random
import socket
import ssl
import threading
import time
from collections.abc import Callable
from typing import Protocol

from ...core.network.clock_offset import ClockOffset, FourTimes, OffsetFit
from ...core.network.control_messages import VERSION, Goodbye, Hello, Ping, Pong, Refused, Said
from .control_line import HANDSHAKE_S, ControlLine, LineEnded, dial
from .identity import Identity

PING_S = 0.1  # each asks twice, one right behind the other: who has just been awake answers sooner
SILENT_S = 1.0  # a line on which nothing was said for so long is made anew
DIAL_S = 0.7
FOLLOWED_S = 0.5  # before anything is laid by the other side's clock
MOST_HANDSHAKES = 8


class Hears(Protocol):
    """Who is told, in the thread of the conversation."""

    def line_begins(self, address: str, name: str) -> None: ...

    def line_ends(self) -> None: ...

    def hears(self, said: Said) -> None: ...

    def refused(self, why: str) -> None: ...


class SessionControl:
    """With the computer whose certificate is `theirs`; `listening` is where it may call, `address` and `port` where it
    may be called. `name` is what we are called."""

    def __init__(
        self, identity: Identity, theirs: bytes, name: str, listening: socket.socket, address: str, port: int,
        hears: Hears,
    ):  # fmt: skip
        self._identity, self._theirs, self._name = identity, theirs, name
        self._listening, self.address, self.port, self._hears = listening, address, port, hears
        self.clock = ClockOffset()
        self._lock = threading.Lock()
        self._fit: OffsetFit | None = None
        self._followed = self._asks_again = False
        self._line: ControlLine | None = None
        self._handshakes = 0
        self._loop = asyncio.new_event_loop()
        self._thread = threading.Thread(target=self._run, name="conversation", daemon=True)
        self._ended = False

    # From any thread

    def start(self) -> None:
        self._thread.start()

    def say(self, said: Said) -> None:
        """Lost where nobody is there."""
        self._from_outside(lambda: self._line.say(said) if self._line is not None else None)

    def doubt(self) -> None:
        """This computer slept, or something else has moved what was watched."""
        self._from_outside(self.clock.doubt)

    @property
    def there(self) -> bool:
        """Whether the other side answers."""
        return self._line is not None

    @property
    def fit(self) -> OffsetFit | None:
        with self._lock:
            return self._fit

    @property
    def followed(self) -> bool:
        """Whether the other side answers, and its clock was followed for long enough to lay sound by it."""
        return self.there and self._followed

    @property
    def watched_s(self) -> float:
        """For how long nothing was strange."""
        return self.clock.watched_s(time.monotonic()) if self.there else 0.0

    def end(self, says_goodbye: bool = True) -> None:
        """The other side is told, and nothing listens any more."""
        self._ended = True
        if says_goodbye:
            self.say(Goodbye())
        self._from_outside(lambda: asyncio.ensure_future(self._close()))
        self._thread.join(1.0)

    def _from_outside(self, what: Callable[[], object]) -> None:
        with contextlib.suppress(RuntimeError):  # it has ended
            self._loop.call_soon_threadsafe(what)

    # In its own thread

    def _run(self) -> None:
        asyncio.set_event_loop(self._loop)
        with contextlib.suppress(asyncio.CancelledError, RuntimeError):
            self._loop.run_until_complete(self._talk())
        self._loop.close()

    async def _talk(self) -> None:
        context = self._identity.context(True, (self._theirs,))
        server = await asyncio.start_server(
            self._called, sock=self._listening, ssl=context, ssl_handshake_timeout=HANDSHAKE_S,
            ssl_shutdown_timeout=0.2, limit=65536,
        )  # fmt: skip
        async with server:
            calling = asyncio.ensure_future(self._call())
            asking = asyncio.ensure_future(self._ask())
            self._tasks = (calling, asking)
            await asyncio.gather(calling, asking, return_exceptions=True)

    async def _close(self) -> None:
        line, self._line = self._line, None
        if line is not None:
            await line.finish()
        for task in self._tasks:
            task.cancel()

    async def _called(self, reader: asyncio.StreamReader, writer: asyncio.StreamWriter) -> None:
        await self._use(ControlLine(reader, writer), dialled=False)

    async def _call(self) -> None:
        """Who has the smaller number calls at once, the other one only where nobody calls."""
        context = self._identity.context(False, (self._theirs,))
        first = self._identity.certificate < self._theirs
        while not self._ended:
            if self._line is None and self.port:
                await asyncio.sleep(random.uniform(0.02, 0.1) if first else random.uniform(0.25, 0.5))
                if self._line is None:
                    with contextlib.suppress(OSError, ssl.SSLError):
                        line = await dial(self.address, self.port, context, DIAL_S)
                        await self._use(line, dialled=True)
            else:
                await asyncio.sleep(0.05)

    async def _use(self, line: ControlLine, dialled: bool) -> None:
        """Until it breaks. A line from somebody else, or one too many, is ended at once."""
        if line.certificate != self._theirs or self._ended:
            line.end()
            return
        line.say(Hello(version=VERSION, name=self._name, wants="session"))
        try:
            async with asyncio.timeout(SILENT_S):
                hello = await line.hear()
            if not isinstance(hello, Hello) or hello.version != VERSION:
                line.say(Refused(why="version"))
                self._hears.refused("version")
                await line.finish()
                return
            old, now = self._line, time.monotonic()
            if old is not None and now - old.heard < 3 * PING_S and old.address == line.address:
                line.end()  # both have called at once: the first one that works stays
                return
            if old is not None:
                self._let_go(old)
            if line.address != self.address:
                self.clock.begin_anew()
                self._followed = False
            self._line, self.address = line, line.address
            self.clock.doubt()
            self._hears.line_begins(line.address, hello.name)
            while True:
                self._take(await line.hear())
        except (LineEnded, TimeoutError):
            pass
        finally:
            if self._line is line:
                self._let_go(line)

    def _let_go(self, line: ControlLine) -> None:
        line.end()
        self._line = None
        self.clock.doubt()
        self._hears.line_ends()

    def _take(self, said: Said) -> None:
        arrived = time.monotonic_ns()
        match said:
            case Ping():
                if self._line is not None:
                    self._line.say(Pong(sent_ns=said.sent_ns, arrived_ns=arrived, answered_ns=time.monotonic_ns()))
            case Pong():
                times = (said.sent_ns, said.arrived_ns, said.answered_ns, arrived)
                self.clock.see(FourTimes(*(t / 1e9 for t in times)))
                with self._lock:
                    self._fit = self.clock.fit
                self._followed = self.clock.followed_s > FOLLOWED_S
                if self._asks_again and self._line is not None:
                    self._asks_again = False
                    self._line.say(Ping(sent_ns=time.monotonic_ns()))
            case Refused():
                self._hears.refused(said.why)
            case Hello():
                pass
            case _:
                self._hears.hears(said)

    async def _ask(self) -> None:
        """What time it is there, again and again; a line on which nobody answers is given up."""
        while not self._ended:
            line = self._line
            if line is not None:
                if time.monotonic() - line.heard > SILENT_S:
                    self._let_go(line)
                else:
                    self._asks_again = True
                    line.say(Ping(sent_ns=time.monotonic_ns()))
            await asyncio.sleep(PING_S)
