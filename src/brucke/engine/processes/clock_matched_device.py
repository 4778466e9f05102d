"""A sound card with a clock of its own, in a process of its own: what it captures and plays is matched to the engine's
clock.

python -m brucke.engine.processes.clock_matched_device SHAPE FD SOCKET WIRING — started by `link.py`, never by hand.
"""

import os
import sys
import time
from typing import Any

import msgspec
import numpy as np

from ...core.files.run_log import begin
from ...core.measure.lateness import Lateness
from ...core.routing.clocks import set_points
from ...ports.devices.card import CardWiring
from ...ports.devices.card_stream import CardLook
from ...ports.devices.clocks.head import MatchedHead
from ...ports.devices.clocks.loop import Clock
from ...ports.devices.clocks.matching import Incoming, Outgoing
from ...ports.devices.clocks.settling import Settling
from ..step.plan import F32
from .channel import Channel
from .messages import Quit, RewireMatched
from .realtime_priority import be_prompt
from .region import PORT_BLOCKS, Head, Region, attach

LOOK_S = 0.05
GONE_S = 0.5
STALLED_NS = 500_000_000  # an engine that has done nothing for so long is waited for
MORE_S = 0.001
MOST_MORE_S = 0.04  # later than that nobody wants it: what is late then is a dropout
WANDER_S = 10.0
MOST_WATCHES = 4  # a clock that jumps while it is watched is watched from there anew, so often
HOPELESS_S = 2.0  # for so long nothing came in time: its buffers are no longer as they were watched


class MatchedCard:
    """Between one card and the region; the card calls in PortAudio's thread, `run` watches it."""

    def __init__(self, region: Region, channel: Channel, wiring: CardWiring):
        self.region, self.channel, self.wiring, self._opened = region, channel, wiring, wiring
        shape = region.shape
        self.n, self.rate = shape.block, shape.rate
        told: Any = region["matched"]
        self.told = told[wiring.devices[0]]
        self.told[: MatchedHead.LATE] = 0
        self._ring, self._outs = region.sound("matched_ring"), region.sound("out_ring")
        self._size = PORT_BLOCKS * shape.block
        self._ahead, self._says = 0, False
        self._least = set_points(self.n, wiring.rate_hz, self.n, self.rate)
        self.incoming = Incoming(max(1, wiring.inputs), self._least[0], self.rate)
        self.outgoing = Outgoing(max(1, wiring.outputs), self._least[1], wiring.rate_hz, self.rate)
        self.leading = Clock(self.rate)
        self._stream = wiring.stream(self.n, wiring.rate_hz)
        self._look, self._tried = CardLook(wiring.name, wiring.taken), False
        self._clock = 0
        self._late_in, self._late_out = Lateness(), Lateness()
        self._seen_late = int(self.told[MatchedHead.LATE])
        self._wander, self._wander_from = 0.0, time.monotonic()
        self._begin()

    def _begin(self) -> None:
        """A stream that was opened counts from nothing, and is only watched at first."""
        self.clock, self._count = Clock(self.wiring.rate_hz), 0
        self._says = False  # when its frames are at the converter
        self._watches = 0
        self._watch_again()

    def _watch_again(self) -> None:
        """Nothing sounds before both clocks are known; one that jumps later is followed while it sounds."""
        self._settling: Settling | None = Settling(self.rate, self.n)
        self._hopeless, self._fine_in, self._fine_out = False, time.monotonic(), time.monotonic()
        self.told[MatchedHead.DELIVERED] = 0
        self.incoming.begin_anew()
        self.outgoing.begin_anew()

    def _jumped(self) -> None:
        """One of the two clocks has: while they are watched what was seen counts no more, as long as that can end."""
        if self._settling is not None and self._watches < MOST_WATCHES:
            self._watches += 1
            self._watch_again()

    # In the card's thread

    def _called(self, indata: F32, outdata: F32, lost: bool, when: float | None) -> None:
        now = time.monotonic()
        first, self._count = self._count, self._count + self.n
        self.told[MatchedHead.DROPOUTS] += lost
        if self.clock.see(first, now if when is None else when):
            self._jumped()
        if self._hopeless:
            self._watch_again()
        self._says = when is not None
        if not self._engine_runs() or not self._has_settled(now, first):
            outdata[:] = 0.0
            return
        if self.wiring.inputs:
            self._comes(np.clip(np.nan_to_num(indata), -1e3, 1e3), first)
        if self.wiring.outputs:
            self._goes(outdata, first, now)
        self._wander = max(self._wander, abs(self.incoming.error), abs(self.outgoing.error))
        self.told[MatchedHead.THERE] = 1

    def _has_settled(self, now: float, first: int) -> bool:
        """Once it was watched for a while beside the engine: then its set points are known."""
        watch = self._settling
        if watch is None:
            return True
        done = self._done()
        period = self.n * self.leading.rate_hz / self.clock.rate_hz
        if watch.see(now, done, self.leading.frames_at(now), self._at(first), period):
            self._ahead, self._least = round(watch.ahead), watch.set_points()
            self.incoming.begin_anew(self._least[0])
            self.outgoing.begin_anew(self._least[1])
            self._settling, self._fine_in, self._fine_out = None, now, now
        return self._settling is None

    def _engine_runs(self) -> bool:
        """Where the leading stream is now."""
        region = self.region
        blocks, clock = region.get(Head.CLOCK_BLOCKS), region.get(Head.CLOCK_NS)
        if clock != self._clock and blocks == region.get(Head.CLOCK_BLOCKS):
            self._clock = clock
            if self.leading.see(blocks * self.n, clock / 1e9):
                self._jumped()
        return self.leading.known and time.monotonic_ns() - region.get(Head.BEAT_NS) < STALLED_NS

    def _done(self) -> int:
        """Frames that the engine has handed out."""
        return self.region.get(Head.OUT_BLOCKS) * self.n

    def _at(self, frame: float) -> float:
        return self.leading.frames_at(self.clock.time_of(frame))

    def _comes(self, sound: F32, first: int) -> None:
        if self.incoming.written - self._done() > self._size - 2 * self.n:
            self.incoming.begin_anew()  # it would write over what nobody has read yet
            self.told[MatchedHead.DROPOUTS] += 1
            return
        where, made = self.incoming.push(sound, first, self._at, self.leading.rate_hz / self.clock.rate_hz)
        if not len(made):
            return
        at = (where + np.arange(len(made))) % self._size
        for row, channel in self.wiring.rows:
            if channel < made.shape[1]:
                self._ring[row, at] = made[:, channel]
        self.told[MatchedHead.DELIVERED] = where + len(made)

    def _goes(self, outdata: F32, first: int, now: float) -> None:
        there = self._done()
        old = there - self.outgoing.fetched > self._size - 2 * self.n
        if old:
            self.outgoing.begin_anew()  # what it would fetch was written over
        speed = self.clock.rate_hz / self.leading.rate_hz
        made = self.outgoing.pull(len(outdata), first, self._at, speed, self._fetch, there)
        np.clip(made, -1.0, 1.0, out=outdata)
        if not (old or self.outgoing.short):
            self._fine_out = now
        self._hopeless = self._hopeless or now - self._fine_out > HOPELESS_S
        if self.outgoing.short:
            self.told[MatchedHead.DROPOUTS] += 1
            more = round(self._late_out.see(now, self.outgoing.short))
            if more:
                self.outgoing.begin_anew(self._larger(self.outgoing.set_point, more, self._least[1]))

    def _fetch(self, first: int, count: int) -> F32:
        made = np.zeros((count, self.outgoing.channels), np.float32)
        x, wide = self.wiring.listener, min(self.outgoing.channels, self.wiring.heard, self._outs.shape[1])
        places = (first + np.arange(count)) % self._size
        if x >= 0:
            made[:, :wide] = self._outs[x, :wide, places]
        for row, channel in self.wiring.sends:
            if channel + 2 <= self.outgoing.channels:
                made[:, channel : channel + 2] = self._outs[row, :2, places]
        return made

    def _larger(self, set_point: int, more: int, least: int) -> int:
        return min(least + round(MOST_MORE_S * self.rate), set_point + more + round(MORE_S * self.rate))

    # Watching

    def run(self) -> None:
        """Until the other side closes."""
        self.told[MatchedHead.LOOKED_NS] = time.monotonic_ns()  # a first opening that hangs is one, too
        while not self.channel.lost:
            message = self.channel.receive()
            if message is not None:
                if isinstance(message, Quit):
                    break
                if isinstance(message, RewireMatched) and message.wiring.can_follow(self._opened):
                    self.wiring = msgspec.structs.replace(
                        message.wiring, inputs=self._opened.inputs, outputs=self._opened.outputs
                    )
                continue
            if self._stream.silent_for(GONE_S):
                self._open_again()
            self._tell()
            time.sleep(LOOK_S)
        self._stream.close()

    def _open_again(self) -> None:
        was = int(self.told[MatchedHead.THERE])
        self.told[MatchedHead.THERE] = 0
        self.told[MatchedHead.DROPOUTS] += was
        self._stream.close()
        if not self._tried or self._look.found():
            self._tried = True
            self._begin()
            self._stream.open(self._called)
        self.region["missing"][list(self.wiring.devices)] = int(self._stream.silent_for(GONE_S))

    def _tell(self) -> None:
        told, now = self.told, time.monotonic()
        told[MatchedHead.LOOKED_NS] = time.monotonic_ns()
        if told[MatchedHead.LATE] == self._seen_late or self._settling is not None:
            self._fine_in = now
        self._hopeless = self._hopeless or now - self._fine_in > HOPELESS_S
        if told[MatchedHead.LATE] != self._seen_late:
            self._seen_late = int(told[MatchedHead.LATE])
            more = round(self._late_in.see(now, int(told[MatchedHead.SHORT])))
            told[MatchedHead.SHORT] = 0
            if more:
                self.incoming.begin_anew(self._larger(self.incoming.set_point, more, self._least[0]))
        if self._settling is None:
            in_s, out_s = (0.0, 0.0) if self._says else self._stream.latency
            into = self.incoming.set_point - self._ahead + round(in_s * self.rate)
            out_of = self.outgoing.set_point + self._ahead + round(out_s * self.rate)
            told[MatchedHead.IN_SET] = max(1, into) if self.wiring.inputs else 0
            told[MatchedHead.OUT_SET] = max(1, out_of) if self.wiring.outputs else 0
        if self._settling is None and self.leading.known and self.clock.known:
            off = self.clock.rate_hz / self.wiring.rate_hz / (self.leading.rate_hz / self.rate) - 1.0
            told[MatchedHead.FAST_PPB] = round(off * 1e9)
        if now - self._wander_from > WANDER_S:
            told[MatchedHead.WANDER_NS] = round(self._wander / self.rate * 1e9)
            self._wander, self._wander_from = 0.0, now


def main() -> None:
    begin(os.environ.get("BRUCKE_ROLE", "matched"))
    region, channel = attach(sys.argv[1], int(sys.argv[2])), Channel.attach(int(sys.argv[3]))
    card = MatchedCard(region, channel, msgspec.json.decode(sys.argv[4], type=CardWiring))
    be_prompt()
    card.run()


if __name__ == "__main__":
    main()
