"""Someone who plays to what reaches their ears.

The performer knows the tune and listens: the sound at the ear is compared with the lead's track, and what
is heard sets when the own part is played. Nothing tells the performer how late the headphones are. Human
scatter moves every phrase by itself; exact performers have none.
"""

from collections.abc import Callable

import numpy as np

from ..core.measure.correlation import correlate, find_peak
from ..core.measure.offset import level_db
from ..core.measure.stimulus import taper
from .delays import F32, Timeline, read_looped

LISTEN_S = 2.0
CHECK_S = 1.0
SURE_CHECK_S = 4.0  # once playing, listening for a change may be rarer
REACH_S = 2.0
MOVED_FRAMES = 24
SURE = 8.0


def phrase_starts(stem: F32, rate: int) -> "np.typing.NDArray[np.int64]":
    """Where phrases begin: the middle of every silence of at least 30 ms."""
    step = rate // 200
    level = np.sqrt(np.add.reduceat(stem**2, np.arange(0, len(stem) - step, step)) / step)
    quiet = level < 0.004
    starts, run = [], 0
    for i, silent in enumerate(quiet):
        run = run + 1 if silent else 0
        if run == 6:
            starts.append(i * step)
    return np.array(starts or [0], np.int64)


class Performer:
    """`lead` and `stem` are mono loops of one length, the tune and the own part on the beat."""

    def __init__(
        self, lead: F32, stem: F32, rate: int, scatter_s: float, seed: int, own_in_monitor: bool = False,
        defer: Callable[[Callable[[], None]], None] | None = None,
    ):  # fmt: skip
        self.lead, self.stem, self.rate = lead, stem, rate
        self._scatter = scatter_s * rate
        self._rng = np.random.default_rng(seed)
        self._phrases = phrase_starts(stem, rate)
        self._phrase, self._shift = -1, 0.0
        self._ear = Timeline(8 * rate)
        self._heard_until = 0
        self._era = 0  # how often the music jumped; what was heard before a jump no longer counts
        self._deaf_until = round((LISTEN_S + 0.3) * rate)
        self._next_check = 0
        self._own_in_monitor, self._lead_in = own_in_monitor, 0.0
        self._own_known = not own_in_monitor
        self._own_at = 0
        self.lateness: float | None = None  # frames between the track's clock and what is heard
        # Live, listening is done aside so that the sound is never late; offline, at once.
        self._defer = defer or (lambda work: work())

    def forget(self, now: int) -> None:
        """The music jumped: listen anew before playing on."""
        self.lateness = None
        self._era += 1
        self._deaf_until = now + round((LISTEN_S + 0.3) * self.rate)
        self._next_check = 0

    def hear(self, at: int, sound: F32, rough: int) -> None:
        """Sound at the ear from absolute frame `at`; `rough` = frame − track position now, by the player's display."""
        self._ear.write(at, sound)
        self._heard_until = at + len(sound)
        if self._heard_until >= max(self._deaf_until, self._next_check):
            pause = CHECK_S if self.lateness is None or not self._own_known else SURE_CHECK_S
            self._next_check = self._heard_until + round(pause * self.rate)
            begin = self._heard_until - round(LISTEN_S * self.rate)
            window = self._ear.look(begin, round(LISTEN_S * self.rate)).copy()
            era = self._era
            self._defer(lambda: self._listen(begin, window, rough, era))

    def _listen(self, begin: int, window: F32, rough: int, era: int) -> None:
        found = self._lag(self.lead, begin, window, rough)
        if era != self._era:
            return
        if found is None:
            self.lateness = None
        elif self.lateness is None or abs(self._apart(found, self.lateness)) > MOVED_FRAMES:
            self.lateness = found
            self._own_at = begin + round((LISTEN_S + 3.5) * self.rate)
        elif not self._own_known and begin > self._own_at:
            own = self._lag(self.stem, begin, window, rough)
            if own is not None:
                self._lead_in, self._own_known = self._apart(own, self.lateness), True

    def _apart(self, a: float, b: float) -> float:
        """a − b where a whole loop is no difference."""
        half = len(self.lead) / 2
        return (a - b + half) % len(self.lead) - half

    def _lag(self, track: F32, begin: int, window: F32, rough: int) -> float | None:
        """Frames by which `track` is heard later than its own clock; None where it is not heard."""
        if level_db(window) < -70:
            return None
        reach = round(REACH_S * self.rate)
        start = begin - rough - reach
        known = np.take(track, np.arange(start, begin - rough + len(window)), mode="wrap")
        peak = find_peak(correlate(taper(window, self.rate), known, (0, reach)), self.rate, signed=False)
        return rough + reach - peak.lag if peak.to_rms > SURE else None

    def position(self, frame: int) -> float | None:
        """Where in the own part the performer is at an absolute frame; None while only listening."""
        if self.lateness is None:
            return None
        return frame - self.lateness + self._lead_in

    def pose(self, frame: int) -> float | None:
        """Where the body is: the part's position with the scatter of this phrase in it."""
        position = self.position(frame)
        return None if position is None else position - self._shift

    def play(self, at: int, frames: int) -> F32:
        """The own sound at the source from absolute frame `at`."""
        position = self.position(at)
        if position is None:
            return np.zeros(frames, np.float32)
        phrase = int(np.searchsorted(self._phrases, (position + frames / 2) % len(self.stem)))
        if phrase != self._phrase:
            self._phrase = phrase
            self._shift = float(self._rng.normal(0, self._scatter)) if self._scatter else 0.0
        return read_looped(self.stem, position - self._shift, frames).astype(np.float32)
