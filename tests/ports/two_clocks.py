"""A sound that comes in by one clock, passes the leading one and goes out by a third: what is heard, second by second.

Each clock is off by so many parts in a million, its callbacks come late by chance as a process without a real-time
right does (a gamma distribution with a mean of 0.4 ms), and nobody is told the truth.
"""

from dataclasses import dataclass, field

import numpy as np
from scipy.signal import butter, sosfilt

from brucke.core.routing.clocks import set_points
from brucke.ports.devices.clocks.loop import Clock
from brucke.ports.devices.clocks.matching import Incoming, Outgoing

LATE_S = 0.0004
RING = 1 << 16
SETTLED_S = 60.0


@dataclass
class Heard:
    """`delays_s` of every second from source to ear beyond the two set points, `residue` the highest sample above a
    fourth of the rate (dBFS of a full-scale tone), since it settled; `lost` blocks that were not there in time, `jumps`
    of the two ways."""

    lost: int = 0
    jumps: int = 0
    residue_db: float = -np.inf
    found_ppm: tuple[float, float] = (0.0, 0.0)
    delays_s: list[float] = field(default_factory=list)


class Ticks:
    """When the callbacks of one clock come, and when its frames truly are."""

    def __init__(self, rate, ppm, period, rng, begins=0.0):
        self.rate, self.period, self.begins, self._rng = rate * (1 + ppm * 1e-6), period, begins, rng
        self.count = 0
        self._last = 0.0
        self._late = iter(())
        self.next = self._when()

    def time(self, frame):
        return self.begins + frame / self.rate

    def _when(self):
        late = next(self._late, None)
        if late is None:
            self._late = iter(self._rng.gamma(1.5, LATE_S / 1.5, 4096))
            late = next(self._late)
        return max(self._last, self.time((self.count + 1) * self.period) + late)

    def tick(self):
        """(when, frames of it until now)."""
        now = self._last = self.next
        self.count += 1
        self.next = self._when()
        return now, self.count * self.period


def sing_through(seconds, rate, period, block, ppm, tone_hz, seed=1):
    """`ppm` of the clock that captures and of the one that plays, against the leading one."""
    rng = np.random.default_rng(seed)
    leads, comes, goes = (
        Ticks(rate, 0, block, rng),
        Ticks(rate, ppm[0], period, rng),
        Ticks(rate, ppm[1], period, rng, 0.0117),
    )
    leading, captured, played = Clock(rate), Clock(rate), Clock(rate)
    into, out_of = set_points(period, rate, block, rate)
    incoming, outgoing = Incoming(1, into, rate), Outgoing(1, out_of, rate, rate)
    ring, heard = np.zeros((RING, 1), np.float32), Heard()
    band = butter(6, 0.5, "high", output="sos")
    state, turn = np.zeros((3, 2)), 2 * np.pi * tone_hz
    written = done = 0
    second: list[tuple[int, np.ndarray]] = []
    while (now := min(leads.next, comes.next, goes.next)) < seconds:
        if now == leads.next:
            _, done = leads.tick()
            leading.see(done, now)
            heard.lost += now > 1.0 and written < done
        elif now == comes.next:
            _, count = comes.tick()
            captured.see(count, now)
            first = count - period
            sound = np.sin(turn * comes.time(np.arange(first, count))).astype(np.float32)[:, None]
            if leading.known:
                at = lambda frame: leading.frames_at(captured.time_of(frame))  # noqa: E731
                where, made = incoming.push(sound, first, at, leading.rate_hz / captured.rate_hz)
                ring[(where + np.arange(len(made))) % RING] = made
                written = where + len(made) if len(made) else written
        else:
            _, count = goes.tick()
            played.see(count, now)
            if not written or now < 0.5:
                continue
            at = lambda frame: leading.frames_at(played.time_of(frame))  # noqa: E731
            fetch = lambda first, count: ring[(first + np.arange(count)) % RING]  # noqa: E731
            made = outgoing.pull(period, count, at, played.rate_hz / leading.rate_hz, fetch, done)[:, 0]
            heard.lost += outgoing.short > 0
            high, state = sosfilt(band, made, zi=state)
            if now > SETTLED_S:
                second.append((count, made))
                heard.residue_db = max(heard.residue_db, 20 * np.log10(np.abs(high).max() + 1e-12))
            if len(second) * period >= rate:
                sound = np.concatenate([s for _, s in second])
                times = goes.time(second[0][0] + np.arange(len(sound)))
                phase = np.angle(np.sum(sound * np.hanning(len(sound)) * np.exp(-1j * turn * times)) * 1j)
                expected = turn * (into + out_of) / rate
                heard.delays_s.append(-float(np.angle(np.exp(1j * (phase + expected)))) / turn)
                second.clear()
    heard.jumps = incoming.jumps + outgoing.jumps
    heard.found_ppm = tuple((c.rate_hz / leading.rate_hz - 1) * 1e6 for c in (captured, played))
    return heard
