"""The desktop's sound server as a port: its own data thread calls the block, for every device of ours that it carries.

Other devices stay behind the rings. While the server is gone the system timer leads, and it is looked for.
"""

import threading
import time
from typing import Any, cast

import numpy as np
import numpy.typing as npt

from ..kind import DeviceError, Told
from ..leading import LeadingPort
from ..rings import RingPort
from .buffers import ask_for, read_from, take_rows, write_to
from .connection import Connection, keep
from .library import Dict, ffi, library
from .names import ENGINE, GROUP, come_port, go_port
from .queue import BlockQueue
from .spare import Ends, with_ports

F32 = npt.NDArray[np.float32]
LOOK_AGAIN_S = 0.5
GONE_S = 1.0  # without a block for so long the server is taken as gone
RT_PROCESS, MAP_BUFFERS = 1 << 2, 1
IN, OUT = 0, 1
MOST_DELAY_S = 2.0
LIKE_S = 0.05
DELAY_MOVED_S = 1e-3  # less is no news


class ServerPort(LeadingPort):
    """`drive` calls the block once a period until it says that it was the last; `told` as for every device."""

    def __init__(self, ends: Ends, rest: RingPort, block: int, rate: int, told: Told, name: str = ENGINE):
        library()  # an engine that cannot have it says so at once
        self.ends, self.rest, self.n, self.rate, self._told, self._name = ends, rest, block, rate, told, name
        self._wide = rest.channels  # of a listener
        self._counts = rest.captures, rest.listeners * rest.channels
        self._opened = with_ports(ends, rest.captures, rest.listeners)
        self._queue = BlockQueue(*self._counts, block)
        self._come, self._go = (np.zeros((count, 0), np.float32) for count in self._counts)
        self._connection: Connection | None = None
        # Addresses of the ports, by row, what goes by row and channel, and room for those of their buffers.
        nothing = np.zeros(0, np.uintp)
        self._ports = (nothing, nothing), (nothing, nothing)
        self._get = 0
        self._come_rows = np.array(ends.come, np.intp)
        self._goes_on, self._there = True, False
        self._position = self._duration = self._dropouts = self._cycle_ns = self._blocks = self._delay = 0
        self._told_delay = 0
        self._beat = 0.0
        self._server_rate = rate  # what it really runs at
        self._end = threading.Event()

    # The port protocol

    def read(self, captures: F32) -> bool:
        good = self.rest.read(captures)
        rows = self._come_rows
        if len(rows):
            if self._there:
                take_rows(self._queue.come, rows, captures)
            else:
                captures[rows] = 0.0
        return good

    def write(self, outs: F32) -> None:
        self.rest.write(outs)
        self._queue.go = outs.reshape(-1, self.n)  # within ± 1: the engine's guard has seen to it

    def rewire(self, wiring: object) -> None:
        """Other rows are read from the next block on; what goes out goes out of every row."""
        self.ends = cast(Ends, wiring)
        self._come_rows = np.array(self.ends.come, np.intp)

    # What the server calls

    def _process(self, duration: int, position: int, rate: int) -> None:
        """One cycle of the server, in its thread, however many blocks it is."""
        before, self._beat = self._beat, time.monotonic()
        if rate and rate != self._server_rate:
            self._server_rate = rate
            self._there = False  # until `_watch` has left the timer: one of the two calls the block
            self._end.set()
        # Another cycle has moved every device at the server, as a gap has: what was measured wants confirming.
        moved = self._duration and (duration != self._duration or position != self._position + self._duration)
        another = duration != self._duration
        other_way = abs(self._delay - self._told_delay) > DELAY_MOVED_S * self.rate
        if moved or another or other_way:
            self._dropouts += bool(moved)
            self.lost_frames += self._passed(position, duration, before) if moved else 0
            self._told_delay = self._delay
        self._position, self._duration = position, duration
        if moved or another or other_way:
            self._tell()
        # Every port is asked for its buffer in every cycle: one that was passed over once gives none for ever.
        (come_ports, come), (go_ports, go) = self._ports
        ask_for(self._get, come_ports, duration, come)
        ask_for(self._get, go_ports, duration, go)
        if self._come.shape[1] != duration:
            self._come, self._go = (np.zeros((count, duration), np.float32) for count in self._counts)
        read_from(come, self._come[: len(come)])
        if not self._there or not self._goes_on:
            self._go[:] = 0.0
        elif not self._queue.run(self._come, self._go, self._one):
            self._goes_on = self._there = False
            self._end.set()
        write_to(go, self._go[: len(go)])

    def _passed(self, position: int, duration: int, before: float) -> int:
        """Frames of cycles that never came here, where the clock's jump is as long as the time; another clock begins
        anywhere."""
        lost = position - self._position - self._duration
        by_time = (self._beat - before) * self.rate - duration
        return lost if lost > 0 and abs(lost - by_time) < LIKE_S * self.rate else 0

    def _one(self) -> bool:
        """One block of as many as a cycle has."""
        self._clock_ns = self._cycle_ns + round(self._blocks * self.n / self.rate * 1e9)
        self._blocks += 1
        return self._block()

    # Opening

    def _open(self) -> bool:
        """Whether the server carries us from now on."""
        try:
            self._lib = library()
            connection = Connection(
                self._name, lost=lambda _why: self._end.set(), settings={"config.name": "client-rt.conf"}
            )
        except DeviceError:
            return self._failed()
        self._end.clear()
        self._queue = BlockQueue(*self._counts, self.n)  # nothing old is heard
        self._connection, self._duration, self._there = connection, 0, True
        self._server_rate = self.rate
        self._beat = time.monotonic() + 2.0  # it may take a moment to begin
        with connection:
            self._add(connection)
        self._tell()
        return True

    def _add(self, connection: Connection) -> None:
        lib = connection.lib
        properties = Dict(
            {
                "node.name": self._name, "node.description": "Brucke", "media.type": "Audio", "media.category":
                "Filter",
                "media.role": "DSP", "node.latency": f"{self.n}/{self.rate}", "node.force-quantum": self.n,
                "node.force-rate": self.rate, "node.group": GROUP, "node.always-process": "true", "node.autoconnect":
                "false",
            }
        )  # fmt: skip
        self._filter = lib.pw_filter_new(connection.core, b"brucke", lib.pw_properties_new_dict(properties.c))

        @ffi.callback("void(void *, struct spa_io_clock *)", onerror=self._failing)
        def process(_data: Any, clock: Any) -> None:
            self._cycle_ns, self._blocks, self._delay = clock.nsec, 0, clock.delay
            rate = clock.rate
            self._process(clock.duration, clock.position, rate.denom // max(1, rate.num))

        events = ffi.new("struct pw_filter_events *", {"version": 1, "process": process})
        hook = ffi.new("struct spa_hook *")
        keep(process, events, hook)
        lib.pw_filter_add_listener(self._filter, hook, events, ffi.NULL)

        def port(direction: int, name: str) -> Any:
            given = Dict({"format.dsp": "32 bit float mono audio", "port.name": name})
            return lib.pw_filter_add_port(
                self._filter, direction, MAP_BUFFERS, 8, lib.pw_properties_new_dict(given.c), ffi.NULL, 0
            )  # fmt: skip

        captures, listeners = self._opened
        come = [port(IN, come_port(row)) for row in range(captures)]
        go = [port(OUT, go_port(x, c)) for x in range(listeners) for c in range(self._wide)]
        addresses = (np.array([int(ffi.cast("uintptr_t", p)) for p in ports], np.uintp) for ports in (come, go))
        first, second = ((a, np.zeros_like(a)) for a in addresses)
        self._get = int(ffi.cast("uintptr_t", ffi.addressof(lib, "pw_filter_get_dsp_buffer")))
        self._ports = first, second
        if lib.pw_filter_connect(self._filter, RT_PROCESS, ffi.NULL, 0) < 0:
            self._end.set()

    def _failing(self, kind: type[BaseException], error: BaseException, trace: object) -> None:
        """An exception in the block: the engine's process ends by it, and another one takes its place."""
        import traceback

        traceback.print_exception(error)
        self._goes_on = False
        self._end.set()

    def _watch(self) -> None:
        """Until the server is gone, or the last block was done."""
        while self._goes_on:
            if self._end.wait(0.05) and self._server_rate != self.rate and self._connection is not None:
                self._wait_for_rate(self._connection)
                continue
            if self._end.is_set() or time.monotonic() - self._beat > GONE_S:
                break
        if self._goes_on:
            self._dropouts += 1
        self._failed()

    def _wait_for_rate(self, connection: Connection) -> None:
        """The server runs at another rate: what we make at ours would sound wrong there, so nothing goes in or out, it
        is said, and the system's timer leads until the rate is ours again or the server is gone."""
        self._end.clear()
        self._tell()
        self.rest.start()
        while self._goes_on and connection.alive and time.monotonic() - self._beat < GONE_S:
            if self._server_rate == self.rate:
                self._end.clear()
                self._there = True
                self._tell()
                return
            self._goes_on = self._block()
            self.rest.wait()
        self._server_rate = self.rate
        self._tell()
        self._end.set()

    def _failed(self) -> bool:
        was, self._there = self._there, False
        self._close()
        if was or self._beat == 0.0:
            self._beat = time.monotonic()
            self._tell()
        return False

    def _close(self) -> None:
        connection, self._connection = self._connection, None
        if connection is not None:
            connection.close()

    def _lead_by_timer(self) -> None:
        """The rest goes on by the system's clock; then the server is looked for again."""
        self.rest.start()
        until = time.monotonic() + LOOK_AGAIN_S
        while self._goes_on and time.monotonic() < until:
            self._goes_on = self._block()
            self.rest.wait()

    def _tell(self) -> None:
        cycle = self._duration if self._there and self._duration != self.n else 0
        other = self._server_rate if self._server_rate != self.rate else 0
        self._told(not self._there, *reported(self._delay, self.rate), self._dropouts, cycle, other)


def reported(delay: int, rate: int) -> tuple[float, float]:
    """(in, out) in seconds as the clock of a cycle tells them: how far its position is from the hardware, positive for
    what comes in, negative for what goes out; 0 where it says nothing, or nothing one could believe."""
    seconds = delay / rate
    return (seconds if 0 < seconds < MOST_DELAY_S else 0.0), (-seconds if -MOST_DELAY_S < seconds < 0 else 0.0)
