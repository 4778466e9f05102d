"""Whether an open stream loses time: its driver says nothing of what it leaves out when its buffer is too small.
Pure."""

from collections import deque

LOOKS_S = 1.0
SLIP_S = 0.004  # in a second: ten times what any clock drifts
TOO_MANY, WITHIN_S = 6, 10.5


class Slips:
    """`see` says whether it has lost time too often: six seconds of ten."""

    def __init__(self, rate_hz: float):
        self._rate = rate_hz
        self._least, self._before = float("inf"), float("inf")
        self._from = 0.0
        self._slips: deque[float] = deque(maxlen=TOO_MANY)

    def see(self, frames: int, seconds: float) -> bool:
        """So many frames have passed at this time. How late the earliest of a second was counts: callbacks come in
        bunches."""
        self._from = self._from or seconds
        self._least = min(self._least, seconds - frames / self._rate)
        if seconds - self._from < LOOKS_S:
            return False
        if self._least - self._before > SLIP_S:
            self._slips.append(seconds)
        self._before, self._least, self._from = self._least, float("inf"), seconds
        return len(self._slips) == TOO_MANY and seconds - self._slips[0] < WITHIN_S
