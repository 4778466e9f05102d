"""Sound of a device from its own clock to the one that leads, and back. Positions are frames; `at` says where the
leading stream was when a frame of the device was, by two delay-locked loops.

What comes in lies a set point later than it was captured, what goes out a set point later than it was given: room for
the periods of both, for the converter, and for how late a process may be. Where that was too little, it grows and says
so.
"""

import math
from collections.abc import Callable

import numpy as np
import numpy.typing as npt
import samplerate

F32 = npt.NDArray[np.float32]
At = Callable[[float], float]

CONVERTER = "sinc_medium"
SETTLES_S = 5.0  # in which a distance from the set point goes back to 1/e
MOST_BEND = 1e-3  # of the speed: less than two cents
JUMP_S = 0.02  # a distance that is not bent away
FADE_S = 0.01


class _Matched:
    def __init__(self, channels: int, set_point: int, fade_hz: int, leading_hz: int):
        self.channels, self.set_point, self._leading_hz = channels, set_point, leading_hz
        self.error = 0.0  # frames of the leading clock away from the set point
        self.jumps = 0
        self._fade = round(FADE_S * fade_hz)
        self._sounded = 0
        self._begun = False

    def _restart(self) -> None:
        self._converter = samplerate.Resampler(CONVERTER, self.channels)
        self._sounded = 0
        self.jumps += self._begun
        self._begun = True
        self.error = 0.0

    def begin_anew(self, set_point: int | None = None) -> None:
        """With another set point, or after a gap: with the next sound."""
        if set_point is not None:
            self.set_point = set_point
        self.jumps += self._begun
        self._begun = False

    def _ratio(self, speed: float, error: float) -> float:
        bend = error / (SETTLES_S * self._leading_hz)
        return speed * (1.0 + min(MOST_BEND, max(-MOST_BEND, bend)))

    def _convert(self, sound: F32, ratio: float) -> F32:
        """[frames, channels]; what begins comes up gently."""
        self._converter.set_ratio(ratio)
        made: F32 = self._converter.process(sound, ratio).reshape(-1, self.channels)
        if self._sounded < self._fade and len(made):
            up = (self._sounded + np.arange(len(made), dtype=np.float32)) / self._fade
            made = made * np.minimum(1.0, up)[:, None]
        self._sounded += len(made)
        return made


class Incoming(_Matched):
    """What a device captures. `written` is where in the leading stream the next frame goes."""

    def __init__(self, channels: int, set_point: int, leading_hz: int):
        super().__init__(channels, set_point, leading_hz, leading_hz)
        self.written = 0
        self._next = 0.0  # frame of the device that is converted next

    def push(self, sound: F32, first: int, at: At, speed: float) -> tuple[int, F32]:
        """`sound` [frames, channels] beginning with frame `first` of the device; `speed` in leading frames a frame of
        it. Returns (position, frames [n, channels]) to be laid into the leading stream."""
        if self._begun:
            self.error = at(self._next) + self.set_point - self.written
        if not self._begun or abs(self.error) > JUMP_S * self._leading_hz:
            self._restart()
            self._next, self.written = float(first), round(at(first) + self.set_point)
            self.error = at(first) + self.set_point - self.written
        ratio = self._ratio(speed, self.error)
        made = self._convert(sound, ratio)
        where = self.written
        self._next += len(made) / ratio
        self.written += len(made)
        return where, made


class Outgoing(_Matched):
    """What a device plays. `fetched` is where in the leading stream it fetches next."""

    def __init__(self, channels: int, set_point: int, rate_hz: int, leading_hz: int):
        super().__init__(channels, set_point, rate_hz, leading_hz)
        self.fetched = 0
        self.short = 0  # frames that were not there yet when this was last too late
        self._next = 0.0  # leading frame that is converted next
        self._ready: F32 = np.zeros((0, channels), np.float32)

    def pull(self, frames: int, first: int, at: At, speed: float, fetch: Callable[[int, int], F32], there: int) -> F32:
        """The next `frames` [frames, channels] of the device, of which the first is its frame `first`; `speed` in
        frames of it a leading frame. `fetch(from, count)` gives leading frames [count, channels], of which those before
        `there` are there. Silence, and `short`, where they are not."""
        self.short = 0
        if self._begun:
            self.error = self._next - len(self._ready) / speed - at(first) + self.set_point
        if not self._begun or abs(self.error) > JUMP_S * self._leading_hz:
            self._restart()
            self._ready = self._ready[:0]
            self.fetched = round(at(first) - self.set_point)
            self._next = float(self.fetched)
            self.error = self._next - at(first) + self.set_point
        ratio = self._ratio(speed, self.error)
        while len(self._ready) < frames:
            count = max(1, math.ceil((frames - len(self._ready)) / ratio))
            if self.fetched + count > there:
                self.short = self.fetched + count - there
                self.begin_anew()
                return np.zeros((frames, self.channels), np.float32)
            made = self._convert(fetch(self.fetched, count), ratio)
            self.fetched += count
            self._next += len(made) / ratio
            self._ready = np.concatenate([self._ready, made])
        played, self._ready = self._ready[:frames], self._ready[frames:]
        return played
