"""Sound between the engine and another computer: what goes out says which frame of our engine it is, what comes in lies
a set point later than it was at its sender, by both engines' clocks and the offset between the computers.
"""

import os
import time
from typing import Any

import numpy as np

from ...core.network.clock_offset import OffsetFit
from ...core.network.control_messages import EngineClock
from ...core.network.engine_ahead import EngineAhead
from ...core.network.frame_map import FrameMap, frame_map
from ...core.network.jitter_buffer import FADE, JitterBuffer
from ...core.network.set_point import SetPoint, lateness
from ...core.routing.clocks import CONVERTER_FRAMES
from ...ports.devices.clocks.head import MatchedHead
from ...ports.devices.clocks.loop import Clock
from ...ports.devices.clocks.matching import Incoming
from ...ports.devices.peer import PeerWiring
from ...ports.network.plain_streams import PlainStreams
from ...ports.network.sound_streams import RtpSender
from ..step.plan import F32
from .peer_messages import Found
from .peer_streams import PeerStreams
from .region import PORT_BLOCKS, Head, Region

MOST_SLACK_S = 0.04  # beyond LEAD_S, where this process was late again and again
LEAD_S = 0.004  # before its block what comes in has to lie ready: how late this process may be
LEAST_FRAMES = 16  # that are worth a conversion
STALLED_NS = 500_000_000
CHECK_S = 0.1
WANDER_S = 10.0
MOST_EAGER = 0.5  # of the ring that the engine reads
QUIET_S = 0.3  # what does not come for so long is gone


class PeerSound:
    """Of one engine. `turn` is called about every millisecond."""

    def __init__(self, region: Region, streams: PeerStreams | PlainStreams, found: Found | None = None):
        self.region, self.streams, self.wiring = region, streams, PeerWiring(name="", devices=(0,))
        shape = region.shape
        self.n, self.rate = shape.block, shape.rate
        self._size = PORT_BLOCKS * self.n
        self._ring, self._outs = region.sound("matched_ring"), region.sound("out_ring")
        self.told: Any = None
        self.leading = Clock(self.rate)
        self._clock_ns = 0
        self._turned_at = 0  # the frame up to which the engine was when this was last done
        self._life = time.monotonic_ns()
        streams.rate_hz = self.rate
        self._order: list[str] = []  # of the streams that come in, as the jitter buffer has them
        self._place_of: dict[str, int] = {}
        self._buffer = JitterBuffer(0)
        self._sent_rows = self._rows = self._sources = np.zeros(0, np.intp)
        self._is_there = np.zeros((0, 1), np.float32)
        self.set_point = SetPoint(self.rate, found.set_point_s if found is not None else 0.0)
        self._engine = os.fstat(region.fd).st_ino
        known = found.ahead if found is not None and found.engine == self._engine else None
        self.ahead = EngineAhead(self.n, self.rate, known)
        self.incoming: Incoming | None = None
        self._life_there = 0
        self._came, self._checked = 0.0, 0.0
        self._heard: dict[str, float] = {}  # when each stream last came
        self._wander, self._wander_from = 0.0, time.monotonic()
        self._late_blocks = 0
        self._own_lateness, self._slack_s = lateness(), 0.0
        self._lost = self._late = 0

    def rewire(self, wiring: PeerWiring) -> None:
        """Other streams, or other rows of them, from the next turn on."""
        if self.told is None or wiring.devices != self.wiring.devices:
            all_told: Any = self.region["matched"]
            self.told = all_told[wiring.devices[0]]
            self.told[: MatchedHead.LATE] = 0
        self.wiring = wiring
        self._sent_rows = np.array([row for _, row in wiring.sends], np.intp)
        self.streams.want(tuple(k for k, _ in wiring.comes), tuple(k for k, _ in wiring.sends))
        self._checked = 0.0

    def find_anew(self) -> None:
        """The set point; nothing comes from there until it is known."""
        self.set_point, self.incoming = SetPoint(self.rate), None
        self._own_lateness, self._slack_s = lateness(), 0.0
        if self.told is not None:
            self.told[MatchedHead.THERE] = 0

    def turn(self, fit: OffsetFit | None) -> None:
        """One look at everything; `fit` is the other computer's clock, None while nobody answers."""
        if self.told is None:
            return
        now = time.monotonic()
        if now - self._checked > CHECK_S:
            self._checked = now
            self._check(now, fit)
        done = self._done()
        if done == self._turned_at:
            return  # about every other turn: it costs next to nothing
        if not self._engine_runs(now, done):
            return
        self._send(done)
        self._receive(now, fit, done)
        self._turned_at = done

    def end(self) -> None:
        """The engine reads nothing of ours any more."""
        if self.told is not None:
            self.told[MatchedHead.THERE] = 0
            self.region["missing"][self.wiring.devices[0]] = 1

    # Our engine

    def _engine_runs(self, now: float, done: int) -> bool:
        region = self.region
        blocks, clock = region.get(Head.CLOCK_BLOCKS), region.get(Head.CLOCK_NS)
        if clock != self._clock_ns and blocks == region.get(Head.CLOCK_BLOCKS):
            self._clock_ns = clock
            if self.leading.see(blocks * self.n, clock / 1e9):
                self.ahead.begin_anew()
        if self.leading.known:
            self.ahead.see(done, self.leading.frames_at(now))
        return self.leading.known and time.monotonic_ns() - region.get(Head.BEAT_NS) < STALLED_NS

    def _done(self) -> int:
        return self.region.get(Head.OUT_BLOCKS) * self.n

    @property
    def known(self) -> bool:
        """Whether it was watched for long enough where our engine is."""
        return self.leading.known and self.ahead.known

    @property
    def found(self) -> Found | None:
        """For whoever comes after this process; None before it is known."""
        if not (self.known and self.set_point.known):
            return None
        return Found(set_point_s=self.set_point.seconds, ahead=self.ahead.frames, engine=self._engine)

    def engine_clock(self) -> EngineClock | None:
        """Which frame our engine does now, for the other side; None before that is known."""
        if not self.known:
            return None
        now = time.monotonic_ns()
        frame = self.leading.frames_at(now / 1e9) + self.ahead.frames
        return EngineClock(at_ns=now, frame=frame, rate_hz=self.leading.rate_hz, life=self._life)

    # What goes there

    def _send(self, done: int) -> None:
        sending: dict[str, RtpSender] = {**self.streams.sent}
        blocks: dict[int, F32] = {}
        for row, (key, _) in enumerate(self.wiring.sends):
            stream = sending.get(key)
            if stream is None:
                continue
            sent = max(done if stream.sent_to is None else stream.sent_to, done - self._size // 2)
            while sent < done:
                if sent not in blocks:
                    blocks[sent] = self._block(sent)
                stream.push(sent, blocks[sent][row])
                sent += self.n
            stream.sent_to = sent

    def _block(self, first: int) -> F32:
        """All that is sent of one block [streams, frames, 2]."""
        at, wide = first % self._size, min(2, self._outs.shape[1])
        sound = self._outs[self._sent_rows, :wide, at : at + self.n].transpose(0, 2, 1)
        return np.ascontiguousarray(sound if wide == 2 else np.pad(sound, ((0, 0), (0, 0), (0, 1))))

    # What comes from there

    def _receive(self, now: float, fit: OffsetFit | None, done: int) -> None:
        clock = self.streams.clock
        known = fit is not None and clock is not None and self.known
        if not self._order or not known:
            self.streams.pull(0)  # what came before it can be placed is of no use
            self._rest(now)
            return
        assert fit is not None
        assert clock is not None
        where = frame_map(clock, fit, self.leading.frames_at(now) + self.ahead.frames, now, self.leading.rate_hz)
        if self._life_there != clock.life:
            self._life_there = clock.life
            self.set_point.begin_anew()
            self._begin_at(where)
        packets = self.streams.pull(round(where.back(done)))
        seen = None
        for key, first, sound in packets:
            stream = self._place_of.get(key)
            if stream is None:
                continue
            self._came = self._heard[key] = now
            if first != seen:  # streams come together, and say the same
                seen = first
                # It came after what was taken at the turn before, and is there for this one; what is not there FADE
                # frames before it is taken fades away.
                self.set_point.see(now, (self._turned_at + self._lead + FADE - where.at(first)) / self.rate)
            self._buffer.put(stream, first, sound)
        if not self.set_point.known:
            return
        if self.incoming is None or self.set_point.changed:
            self._begin_at(where)
        self._place(where, done)
        self._tell(now, where.speed)

    @property
    def _lead(self) -> float:
        return self.n + CONVERTER_FRAMES + (LEAD_S + self._slack_s) * self.rate

    def _begin_at(self, where: FrameMap) -> None:
        """The next frame that can still come in time is the first."""
        frames = self.set_point.frames
        self._buffer.begin_at(max(0, round(where.back(self._done() + self._lead - frames))))
        self.incoming = Incoming(max(1, 2 * len(self._order)), frames, self.rate)
        self.set_point.changed = False

    def _place(self, where: FrameMap, done: int) -> None:
        incoming, buffer = self.incoming, self._buffer
        assert incoming is not None
        if incoming.written - done > self._size - 2 * self.n:
            self.told[MatchedHead.DROPOUTS] += 1
            self.incoming = None
            return
        due = round(where.back(done + self._lead - incoming.set_point))
        most = round(where.back(done + MOST_EAGER * self._size - incoming.set_point))
        flowing = [i for i, key in enumerate(self._order) if buffer.newest(i) > buffer.taken]
        eager = buffer.complete_to(flowing, most) - FADE if flowing else 0
        end = max(due, eager)
        if end - buffer.taken < LEAST_FRAMES:
            return
        if end - buffer.taken > self._size // 2:  # this process stood still: what lies between is left out
            buffer.begin_at(end - self.n)
            incoming.begin_anew()
        first = buffer.taken
        sound = buffer.take(end)
        place, made = incoming.push(sound, first, where.at, where.speed)
        if not len(made):
            return
        self._lay(place, made)
        self.told[MatchedHead.DELIVERED] = place + len(made)
        self.told[MatchedHead.THERE] = 1
        self._wander = max(self._wander, abs(incoming.error))

    def _lay(self, where: int, made: F32) -> None:
        at, count = where % self._size, len(made)
        before = min(count, self._size - at)
        sound = made.T[self._sources] * self._is_there
        self._ring[self._rows, at : at + before] = sound[:, :before]
        if before < count:
            self._ring[self._rows, : count - before] = sound[:, before:]

    def _rest(self, now: float) -> None:
        """Nobody answers, or nothing is wanted: what lies ready fades by itself, then it is silent."""
        if self.wiring.comes and now - self._came > QUIET_S:
            self.told[MatchedHead.THERE] = 0
            self.incoming = None

    # Watching

    def _check(self, now: float, fit: OffsetFit | None) -> None:
        changed = self.streams.settle()
        self.streams.check()
        order = [key for key, _ in self.wiring.comes if key in self.streams.received]
        self._find_rows(order)
        if changed or order != self._order:
            self._order = order
            self._place_of = {key: i for i, key in enumerate(order)}
            self._buffer, self.incoming = JitterBuffer(len(order)), None
        late = int(self.told[MatchedHead.LATE])
        if late != self._late_blocks:
            self._late_blocks = late
            # Not the network was late but this process: what comes in has to lie ready earlier.
            more = self._own_lateness.see(now, int(self.told[MatchedHead.SHORT]) / self.rate)
            more = min(more, MOST_SLACK_S - self._slack_s)
            self._slack_s += more
            self.set_point.grow(more)
            self.told[MatchedHead.SHORT] = 0
        self.region["missing"][self.wiring.devices[0]] = int(fit is None)
        far = self.streams.far
        self.told[MatchedHead.OUT_SET] = round(far.set_point_s * self.rate) if far is not None else 0
        if far is not None and far.set_point_s and not self.wiring.comes:
            self.told[MatchedHead.THERE] = 1  # nothing comes from there, and it is matched all the same
        if fit is None and now - self._came > QUIET_S:
            self.told[MatchedHead.THERE] = 0

    def _find_rows(self, order: list[str]) -> None:
        """Which row of the engine's is which channel of what the jitter buffer gives; silent where it is none."""
        first = dict(self.wiring.comes)
        channels = {first[key] + side: 2 * i + side for i, key in enumerate(order) for side in (0, 1)}
        self._rows = np.array([row for row, _ in self.wiring.rows], np.intp)
        self._sources = np.array([channels.get(channel, 0) for _, channel in self.wiring.rows], np.intp)
        there = [channel in channels for _, channel in self.wiring.rows]
        self._is_there = np.array(there, np.float32)[:, None]

    def _tell(self, now: float, speed: float) -> None:
        told = self.told
        told[MatchedHead.LOOKED_NS] = time.monotonic_ns()
        assert self.incoming is not None
        told[MatchedHead.IN_SET] = max(1, self.incoming.set_point)
        told[MatchedHead.FAST_PPB] = round((1.0 / speed - 1.0) * 1e9)
        wander_ns, over = round(self._wander / self.rate * 1e9), now - self._wander_from > WANDER_S
        if over or wander_ns > told[MatchedHead.WANDER_NS]:
            told[MatchedHead.WANDER_NS] = wander_ns
        if over:
            self._wander, self._wander_from = 0.0, now
        lost, late = sum(self._buffer.lost), sum(self._buffer.late)
        self.streams.lost, self.streams.late = lost, late

    def flows(self) -> tuple[str, ...]:
        """The streams that come in now."""
        since = time.monotonic() - QUIET_S
        return tuple(k for k in self._order if self._heard.get(k, 0.0) > since)

    def received(self) -> tuple[float, float, int, int]:
        """For the other side: (set point s, wander s, frames lost, late since this was last asked)."""
        lost, late = sum(self._buffer.lost), sum(self._buffer.late)
        since = max(0, lost - self._lost), max(0, late - self._late)
        self._lost, self._late = lost, late
        frames = self.incoming.set_point if self.incoming is not None else 0
        return frames / self.rate, self._wander / self.rate, *since
