"""A real sound card as a port: PortAudio's own thread calls the block, so that nothing stands between.

The card is one device of several: the rings behind it bring everybody else's sound. While the card is gone the
system timer leads with the same phase; it is looked for by a helper process, and joins again by itself.
"""

import threading

import numpy as np
import numpy.typing as npt

from ...core.document.setup import Device, Setup
from ...core.routing.captures import capture_channels
from ...core.routing.clocks import leading_card, matched
from ...core.routing.outside_steps import placed_steps
from ...core.routing.rows import Order
from ...core.units import buffer_seconds
from .card_list import check_card, list_cards
from .card_stream import CardLook, CardStream
from .clocks.slips import Slips
from .kind import Kind, Told, Wired, WiringBase
from .leading import LeadingPort
from .port import Port
from .rings import RingPort

F32 = npt.NDArray[np.float32]
GONE_S = 0.5  # without a block for so long, the card is gone
MOST_LATENCY_S, MORE_S = 0.2, 0.01  # of a stream that has to be opened with larger buffers


class CardWiring(WiringBase, frozen=True, kw_only=True, tag="card"):
    """`rows` are (row of the captures, channel of the card); the listener in row `listener` is heard on its first
    `heard` channels, nobody with −1; `sends` are (row of a step outside, the first of its two channels). A card may be
    there for one direction only: its other channels are 0. `rate_hz` is its own where it does not lead; `source` and
    `sink` are what a server of the older protocol gives its stream, “” for what the desktop has chosen."""

    source: str = ""
    sink: str = ""
    taken: tuple[str, ...] = ()  # what the other cards of the setup are called
    rate_hz: int
    inputs: int
    outputs: int
    rows: tuple[tuple[int, int], ...]
    listener: int
    heard: int = 0
    sends: tuple[tuple[int, int], ...] = ()
    latency_s: float

    def check(self, rate_hz: int) -> None:
        check_card(self.name, self.inputs, self.outputs, rate_hz)

    @property
    def used(self) -> bool:
        """Whether anything goes in or out."""
        return bool(self.rows or self.sends) or self.listener >= 0

    def stream(self, frames: int, rate_hz: int) -> CardStream:
        """The card, not yet opened, so many frames at a time."""
        ends = (self.source, self.sink)
        return CardStream(self.name, (self.inputs, self.outputs), frames, rate_hz, self.latency_s, ends, self.taken)

    def port(self, rest: RingPort, block: int, rate: int, told: Told) -> Port:
        return CardPort(self, rest, block, rate, told)

    def can_follow(self, before: Wired) -> bool:
        """Where the card need not be opened with more channels."""
        return isinstance(before,
            CardWiring) and _opened_as(
                self) == _opened_as(
                    before) and self.inputs <= before.inputs and self.outputs <= before.outputs  # fmt: skip


def _opened_as(w: CardWiring) -> tuple[object, ...]:
    return w.name, w.devices, w.latency_s, w.rate_hz, w.source, w.sink


def leading_wiring(setup: Setup, order: Order) -> CardWiring | None:
    """Of the sound card that leads; None where none does."""
    device = leading_card(setup)
    return wiring_of_card(setup, order, device) if device is not None else None


def matched_wirings(setup: Setup, order: Order) -> tuple[CardWiring, ...]:
    """Of the sound cards that are matched to the clock that leads, as far as anything goes in or out of them."""
    return tuple(w for d in matched(setup) if (w := wiring_of_card(setup, order, d)).used)


def wiring_of_card(setup: Setup, order: Order, device: Device) -> CardWiring:
    captures = zip(order.captures, capture_channels(setup), strict=True)
    rows = tuple((row, c) for row, (d, c) in captures if d == device.id)
    heard = next((i for i, x in enumerate(setup.listeners) if x.device == device.id), -1)
    inputs, own = max([0, *(c + 1 for _, c in rows)]), setup.listeners[heard].channels if heard >= 0 else 0
    sends = tuple(
        (row, placed.step.send_channel)
        for row, placed in zip(order.steps, placed_steps(setup), strict=True)
        if placed.step.send_device == device.id
    )
    outputs = max([own, *(first + 2 for _row, first in sends)])
    return CardWiring(
        name=device.card, devices=(order.devices[setup.devices.index(device)],), rate_hz=device.rate_hz,
        inputs=inputs or int(not outputs), outputs=outputs or int(not inputs), rows=rows,
        listener=order.listeners[heard] if heard >= 0 else -1, heard=own, sends=sends,
        latency_s=buffer_seconds(device.buffer_frames, device.buffers, device.rate_hz),
        taken=tuple(d.card for d in setup.devices if d.card and d.id != device.id),
    )  # fmt: skip


CARDS = Kind(list_cards, leading_wiring)


class CardPort(LeadingPort):
    """`drive` calls the block once a period until it says that it was the last.

    `told(missing, in_s, out_s, dropouts, 0, 0)` is called whenever one of these changed; latencies as PortAudio reports
    them for the open stream.
    """

    def __init__(self, wiring: CardWiring, rest: RingPort, block: int, rate: int, told: Told):
        self.wiring, self.rest, self.n, self._told = wiring, rest, block, told
        self._in = np.zeros((block, wiring.inputs), np.float32)
        self._out = np.zeros((block, wiring.outputs), np.float32)
        self._stream = wiring.stream(block, rate)
        self._look = CardLook(wiring.name, wiring.taken)
        self._dropouts = 0
        self._goes_on = True
        self._slips, self._frames, self._too_small = Slips(rate), 0, False
        self._rate = rate
        self._there = self._said = False
        self._done = threading.Event()
        self._opened = wiring  # with so many channels

    # The port protocol

    def read(self, captures: F32) -> bool:
        good = self.rest.read(captures)
        for row, channel in self.wiring.rows:
            captures[row] = self._in[:, channel] if self._there else 0.0
        return good

    def write(self, outs: F32) -> None:
        self.rest.write(outs)
        self._out[:, :] = 0.0
        if self.wiring.listener >= 0:
            wide = min(self._out.shape[1], self.wiring.heard, outs.shape[1])
            self._out[:, :wide] = outs[self.wiring.listener, :wide].T
        for row, first in self.wiring.sends:
            if first + 2 <= self._out.shape[1]:
                self._out[:, first : first + 2] = outs[row, :2].T

    def rewire(self, wiring: object) -> None:
        """Other rows from the next block on; a card that would have to be opened anew stays as it is."""
        if isinstance(wiring, CardWiring) and wiring.can_follow(self._opened):
            self.wiring = wiring

    # Driving

    def _called(self, indata: F32, outdata: F32, lost: bool, when: float | None) -> None:
        """One period of the card, in PortAudio's thread."""
        if lost:
            self._dropouts += 1
            self._tell()
        if len(indata) != self.n or not self._goes_on or not self._there:
            outdata[:] = 0.0
            return
        self._frames += self.n
        self._too_small = self._too_small or self._slips.see(self._frames, self._stream.beat)
        self._clock_ns = round((self._stream.beat if when is None else when) * 1e9)
        self._in[:] = indata
        np.clip(self._in, -1e3, 1e3, out=self._in)
        self._goes_on = self._block()
        np.clip(self._out, -1.0, 1.0, out=outdata)
        if not self._goes_on:
            self._done.set()

    def _open(self) -> bool:
        """Whether the card could be opened; it plays and records from now on."""
        was, self._there = self._there, True
        self._slips, self._frames, self._too_small = Slips(self._rate), 0, False
        if not self._stream.open(self._called):
            self._there = False
            if was or not self._said:
                self._tell()
            return False
        self._tell()
        return True

    def _watch(self) -> None:
        """Until the card falls silent, has to be opened with larger buffers, or the last block was done."""
        while self._goes_on:
            if self._done.wait(0.05):
                return
            larger = self._too_small and self._stream.latency_s < MOST_LATENCY_S
            if larger:
                self._stream.latency_s = min(MOST_LATENCY_S, self._stream.latency_s * 1.5 + MORE_S)
            if larger or self._stream.silent_for(GONE_S):
                self._there = False
                self._dropouts += 1
                self._tell()
                self._close()
                return

    def _close(self) -> None:
        self._stream.close()

    def _lead_by_timer(self) -> None:
        """The rest goes on by the system's clock while the card is looked for."""
        self.rest.start()
        self._look.later()
        while self._goes_on:
            self._goes_on = self._block()
            self.rest.wait()
            if self._look.found():
                return

    def _tell(self) -> None:
        self._said = True
        self._told(not self._there, *(self._stream.latency if self._there else (0.0, 0.0)), self._dropouts, 0, 0)
