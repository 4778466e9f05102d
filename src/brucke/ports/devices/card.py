"""A real sound card as a port: PortAudio's own thread calls the block, so that nothing stands between.

The card is one device of several: the rings behind it bring everybody else's sound. While the card is gone the
system timer leads with the same phase; it is looked for by a helper process, and joins again by itself.
"""

import subprocess
import sys
import threading
import time
from typing import Any

import numpy as np
import numpy.typing as npt

from ...core.document.setup import Setup
from ...core.routing.captures import capture_channels
from ...core.routing.rows import Order
from ...core.units import buffer_seconds
from .card_list import check_card, list_cards, parse_cards
from .kind import Kind, Told, Wired, WiringBase
from .leading import LeadingPort
from .port import Port
from .rings import RingPort

F32 = npt.NDArray[np.float32]
GONE_S = 0.5  # without a block for so long, the card is gone
LOOK_AGAIN_S = 1.0


class CardWiring(WiringBase, frozen=True, kw_only=True, tag="card"):
    """`rows` are (row of the captures, channel of the card); the listener in row `listener` is heard on its first
    `outputs` channels, nobody with −1."""

    inputs: int
    outputs: int
    rows: tuple[tuple[int, int], ...]
    listener: int
    latency_s: float

    def check(self, rate_hz: int) -> None:
        check_card(self.name, self.inputs, self.outputs, rate_hz)

    def port(self, rest: RingPort, block: int, rate: int, told: Told) -> Port:
        return CardPort(self, rest, block, rate, told)

    def can_follow(self, before: Wired) -> bool:
        """Where the card need not be opened with more channels."""
        return isinstance(before, CardWiring) and (self.name, self.devices, self.latency_s) == (
            before.name, before.devices, before.latency_s,
        ) and self.inputs <= before.inputs and self.outputs <= before.outputs  # fmt: skip


def card_wiring(setup: Setup, order: Order) -> CardWiring | None:
    """The interface that is a real sound card, and what goes in and out of it; None where all are stand-ins."""
    at = next((i for i, d in enumerate(setup.devices) if d.kind == "interface" and d.card), None)
    if at is None:
        return None
    device = setup.devices[at]
    captures = zip(order.captures, capture_channels(setup), strict=True)
    rows = tuple((row, c) for row, (d, c) in captures if d == device.id)
    heard = next((i for i, x in enumerate(setup.listeners) if x.device == device.id), -1)
    listener = order.listeners[heard] if heard >= 0 else -1
    return CardWiring(
        name=device.card, devices=(order.devices[at],), inputs=max([1, *(c + 1 for _, c in rows)]),
        outputs=setup.listeners[heard].channels if heard >= 0 else 1, rows=rows, listener=listener,
        latency_s=buffer_seconds(device.buffer_frames, device.buffers, device.rate_hz),
    )  # fmt: skip


CARDS = Kind(list_cards, card_wiring)


class CardPort(LeadingPort):
    """`drive` calls the block once a period until it says that it was the last.

    `told(missing, in_s, out_s, dropouts, 0)` is called whenever one of these changed; latencies as PortAudio reports
    them for the open stream.
    """

    def __init__(self, wiring: CardWiring, rest: RingPort, block: int, rate: int, told: Told):
        self.wiring, self.rest, self.n, self.rate, self._told = wiring, rest, block, rate, told
        self._in = np.zeros((block, wiring.inputs), np.float32)
        self._out = np.zeros((block, wiring.outputs), np.float32)
        self._stream: Any = None
        self._beat = 0.0
        self._dropouts = 0
        self._goes_on = True
        self._there = False
        self._done = threading.Event()
        self._opened = wiring  # with so many channels
        self._look: subprocess.Popen[bytes] | None = None
        self._next_look = 0.0

    # The port protocol

    def read(self, captures: F32) -> bool:
        good = self.rest.read(captures)
        for row, channel in self.wiring.rows:
            captures[row] = self._in[:, channel] if self._there else 0.0
        return good

    def write(self, outs: F32) -> None:
        self.rest.write(outs)
        if self.wiring.listener < 0:
            self._out[:] = 0.0
            return
        wide = min(self.wiring.outputs, outs.shape[1])
        self._out[:, :wide] = outs[self.wiring.listener, :wide].T

    def rewire(self, wiring: WiringBase) -> None:
        """Other rows from the next block on; a card that would have to be opened anew stays as it is."""
        if isinstance(wiring, CardWiring) and wiring.can_follow(self._opened):
            self.wiring = wiring

    # Driving

    def _called(self, indata: F32, outdata: F32, frames: int, _time: Any, status: Any) -> None:
        """One period of the card, in PortAudio's thread."""
        if status:
            self._dropouts += 1
            self._tell()
        self._beat = time.monotonic()
        if frames != self.n or not self._goes_on or not self._there:
            outdata[:] = 0.0
            return
        self._in[:] = indata
        np.clip(self._in, -1e3, 1e3, out=self._in)
        self._goes_on = self._block()
        np.clip(self._out, -1.0, 1.0, out=outdata)
        if not self._goes_on:
            self._done.set()

    def _open(self) -> bool:
        """Whether the card could be opened; it plays and records from now on."""
        import sounddevice as sd

        w = self._opened
        try:
            device = next((d for d in sd.query_devices() if d["name"] == w.name), None)
            if device is None:
                return self._failed()
            self._stream = sd.Stream(
                samplerate=self.rate, blocksize=self.n, device=device["index"], channels=(w.inputs, w.outputs),
                dtype="float32", latency=w.latency_s, callback=self._called,
                prime_output_buffers_using_stream_callback=False,
            )  # fmt: skip
            self._beat = time.monotonic() + 2.0  # a card may take a moment to begin
            self._there = True
            self._stream.start()
        except (sd.PortAudioError, ValueError):
            return self._failed()
        self._tell()
        return True

    def _failed(self) -> bool:
        self._close()
        if self._there or self._beat == 0.0:
            self._there = False
            self._tell()
        self._there = False
        return False

    def _watch(self) -> None:
        """Until the card falls silent, or the last block was done."""
        while self._goes_on:
            if self._done.wait(0.05):
                return
            stream = self._stream
            if time.monotonic() - self._beat > GONE_S or stream is None or not stream.active:
                self._there = False
                self._dropouts += 1
                self._tell()
                self._close()
                return

    def _close(self) -> None:
        """Without waiting for a card that no longer answers."""
        stream, self._stream = self._stream, None
        if stream is None:
            return

        def end() -> None:
            try:
                stream.abort(ignore_errors=True)
                stream.close(ignore_errors=True)
            except Exception:
                pass

        ending = threading.Thread(target=end, daemon=True)
        ending.start()
        ending.join(1.0)

    def _lead_by_timer(self) -> None:
        """The rest goes on by the system's clock while the card is looked for."""
        self.rest.start()
        self._next_look = time.monotonic() + LOOK_AGAIN_S
        while self._goes_on:
            self._goes_on = self._block()
            self.rest.wait()
            if self._found():
                self._begin_anew()
                return

    def _found(self) -> bool:
        """Whether the helper that was sent to look has seen the card."""
        if self._look is None:
            if time.monotonic() >= self._next_look:
                self._look = subprocess.Popen(
                    [sys.executable, "-m", "brucke.ports.devices.card_list"],
                    stdout=subprocess.PIPE,
                    stderr=subprocess.DEVNULL,
                )
            return False
        if self._look.poll() is None:
            return False
        look, self._look = self._look, None
        self._next_look = time.monotonic() + LOOK_AGAIN_S
        assert look.stdout is not None
        try:
            cards = parse_cards(look.stdout.read().decode())
        except (ValueError, TypeError):
            return False
        return any(c.name == self.wiring.name for c in cards)

    def _begin_anew(self) -> None:
        """PortAudio sees what came back only after it has started again."""
        import sounddevice as sd

        try:
            sd._terminate()
            sd._initialize()
        except sd.PortAudioError:
            self._next_look = time.monotonic() + LOOK_AGAIN_S

    def _tell(self) -> None:
        in_s, out_s = self._stream.latency if self._there and self._stream is not None else (0.0, 0.0)
        self._told(not self._there, in_s, out_s, self._dropouts, 0)
