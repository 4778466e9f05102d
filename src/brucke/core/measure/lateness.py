"""When what was late again and again has to have more room, and how much. Pure."""

import math
from collections import deque

TOO_LATE, WITHIN_S, APART_S = 3, 10.0, 0.5  # so often, on its own: there was too little room


class Lateness:
    """Of one direction; by how much something was late is in seconds or in frames, as whoever sees it likes. `step` is
    added to what was missing; what is late by `most` or more was no lack of room."""

    def __init__(self, step: float = 0.0, most: float = math.inf) -> None:
        self._step, self._most = step, most
        self._seen: deque[tuple[float, float]] = deque()

    def see(self, now: float, by: float) -> float:
        """Something was late by so much: how much more room there has to be, 0 while it may have been chance. What
        comes within half a second is of the same stall, and counts with its worst."""
        if not 0 < by < self._most:
            return 0.0
        if self._seen and now - self._seen[-1][0] < APART_S:
            last, worst = self._seen[-1]
            self._seen[-1] = (last, max(worst, by))
            return 0.0
        self._seen.append((now, by))
        while now - self._seen[0][0] > WITHIN_S:
            self._seen.popleft()
        if len(self._seen) < TOO_LATE:
            return 0.0
        more = sorted(b for _, b in self._seen)[TOO_LATE // 2]
        self._seen.clear()
        return more + self._step
