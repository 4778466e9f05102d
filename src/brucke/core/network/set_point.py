"""How much later than at its sender sound of another computer is used: as little as nearly everything still comes in
time for. Pure."""

import statistics

from ..measure.lateness import Lateness

SETTLES_S = 1.0  # after the first packet, in which what has piled up before is worked off
WATCHES_S, STRETCH_S = 3.5, 0.5  # before it is known, in such stretches
MARGIN_S = 0.0005  # beyond what was needed while it was watched
LEAST_S, MOST_S = 0.008, 0.25
STEP_S = 0.001
NONSENSE_S = 1.0  # an engine that has begun anew there, and has not said so yet
STALL_S = 0.04  # what is later than that was not the network: a computer stood still, and that is a dropout


def lateness() -> Lateness:
    """Of what comes over a network, in seconds."""
    return Lateness(STEP_S, STALL_S)


class SetPoint:
    """`frames` at `rate_hz`, `seconds` where it was found before. `changed` is set whenever it is another, and taken
    back by whoever did it."""

    def __init__(self, rate_hz: int, seconds: float = 0.0):
        self._rate = rate_hz
        self._begun: float | None = None
        self._needs: dict[int, float] = {}  # the most of every stretch
        self._late = lateness()
        self.seconds = seconds
        self.changed = False

    @property
    def known(self) -> bool:
        return self.seconds > 0

    @property
    def frames(self) -> int:
        return round(self.seconds * self._rate)

    def begin_anew(self) -> None:
        """What was seen of lateness counts no more, what was found is kept."""
        self._begun = None
        self._needs.clear()
        self._late = lateness()

    def see(self, now: float, need_s: float) -> None:
        """A packet that came now would just be in time with a set point of `need_s`."""
        if abs(need_s) > NONSENSE_S:
            return
        if self.known:
            self.grow(self._late.see(now, need_s - self.seconds))
            return
        self._begun = now if self._begun is None else self._begun
        if now - self._begun < SETTLES_S:
            return
        stretch = int((now - self._begun - SETTLES_S) / STRETCH_S)
        self._needs[stretch] = max(need_s, self._needs.get(stretch, need_s))
        if now - self._begun > SETTLES_S + WATCHES_S:
            # A computer that stood still fills a stretch or two with what the network never needs: that is left to
            # growing.
            self._set(statistics.median(self._needs.values()) + MARGIN_S)
            self._needs.clear()

    def grow(self, by_s: float) -> None:
        """Where it is known, by so much."""
        if self.known and by_s > 0:
            self._set(self.seconds + by_s)

    def _set(self, seconds: float) -> None:
        self.seconds = min(MOST_S, max(LEAST_S, round(seconds, 4)))
        self.changed = True
