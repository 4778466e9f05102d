"""Where a stream is at any time: a delay-locked loop on the times at which its frames were seen. Pure.

Source: F. Adriaensen, “Using a DLL to filter time”, Linux Audio Conference 2005 (second order, critically damped
enough: b = √2·ω, c = ω²).
"""

import math

BANDWIDTH_HZ = 0.03
FIRST_HZ = 1.0  # so wide at the beginning, and narrower with the time it has seen
NARROWS = 0.5  # bandwidth times seconds seen, while it narrows
MOST_OFF = 2e-3  # no clock is farther from its nominal rate
OFF_S = 0.003  # a callback that is farther from its time says no more than one that is so far: it was held up
JUMPED_S = 0.5  # for so long nothing but such ones: the stream itself has jumped
MOST_OFF_S = 0.024  # a stream that seems to jump again and again is restless: up to so far off is near enough for it
RESTLESS_S = 10.0


class Clock:
    """Frames of one stream against seconds of the system's monotonic clock, `rate_hz` as the device states it."""

    def __init__(self, rate_hz: float, bandwidth_hz: float = BANDWIDTH_HZ):
        self.nominal, self._bandwidth = 1.0 / rate_hz, bandwidth_hz
        self._period = self.nominal  # seconds a frame
        self._frames = 0
        self._time = self._began = 0.0
        self._good = 0.0  # when a callback last came near its time
        self._off = OFF_S
        self.known = False

    def see(self, frames: int, seconds: float) -> bool:
        """So many frames have passed at this time; True where the stream has jumped, and is followed from here anew."""
        new = frames - self._frames
        if not self.known or new < 0:
            return self._begin(frames, seconds)
        if new == 0:
            return False
        expected = self._time + new * self._period
        error = seconds - expected
        if abs(error) <= self._off:
            self._good = seconds
        elif abs(seconds - self._good) > JUMPED_S and seconds - self._began > JUMPED_S:
            if seconds - self._began < RESTLESS_S:
                self._off = min(MOST_OFF_S, 2 * self._off)
            return self._begin(frames, seconds)
        error = min(self._off, max(-self._off, error))
        width = max(self._bandwidth, min(FIRST_HZ, NARROWS / max(1e-3, expected - self._began)))
        omega = min(0.5, 2 * math.pi * width * new * self._period)
        self._time = expected + math.sqrt(2) * omega * error
        period = self._period + omega * omega * error / new
        self._period = min(self.nominal * (1 + MOST_OFF), max(self.nominal * (1 - MOST_OFF), period))
        self._frames = frames
        return False

    def _begin(self, frames: int, seconds: float) -> bool:
        """Nothing of before counts: a rate that was found wrongly looks like a jump, too."""
        jumped, self.known = self.known, True
        self._period = self.nominal
        self._frames, self._time, self._began, self._good = frames, seconds, seconds, seconds
        return jumped

    @property
    def rate_hz(self) -> float:
        """As found until now."""
        return 1.0 / self._period

    def frames_at(self, seconds: float) -> float:
        return self._frames + (seconds - self._time) / self._period

    def time_of(self, frames: float) -> float:
        """Seconds at which a frame was, or will be."""
        return self._time + (frames - self._frames) * self._period
