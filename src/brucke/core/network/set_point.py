"""How much later than at its sender sound of another computer is used: as little as nearly everything still comes in
time for. Pure."""

from collections import deque

SETTLES_S = 1.0  # after the first packet, in which what has piled up before is worked off
WATCHES_S = 3.0  # before it is known
IGNORED = 1 / 300  # of the packets while it is watched: what is that rare is left to growing
MARGIN_S = 0.001  # beyond what was needed while it was watched
LEAST_S, MOST_S = 0.008, 0.25
TOO_LATE, WITHIN_S, APART_S = 3, 10.0, 0.5  # so often, on its own: it was too small
STEP_S = 0.001
STALL_S = 0.04  # what is later than that was not the network: a computer stood still, and that is a dropout


class SetPoint:
    """`frames` at `rate_hz`, `seconds` where it was found before. `changed` is set whenever it is another, and taken
    back by whoever did it."""

    def __init__(self, rate_hz: int, seconds: float = 0.0):
        self._rate = rate_hz
        self._begun: float | None = None
        self._needs: list[float] = []
        self._late: deque[tuple[float, float]] = deque()
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
        self._late.clear()

    def see(self, now: float, need_s: float) -> None:
        """A packet that came now would just be in time with a set point of `need_s`."""
        if self.known:
            self.late(now, need_s - self.seconds)
            return
        self._begun = now if self._begun is None else self._begun
        if now - self._begun < SETTLES_S:
            return
        self._needs.append(need_s)
        if now - self._begun > SETTLES_S + WATCHES_S:
            self._needs.sort()
            usual = [n for n in self._needs if n < self._needs[len(self._needs) // 2] + STALL_S]
            self._set(usual[-1 - int(len(usual) * IGNORED)] + MARGIN_S)
            self._needs.clear()

    def late(self, now: float, by_s: float) -> None:
        """Something was not there in time, by so much."""
        if not self.known or not 0 < by_s < STALL_S:
            return
        if self._late and now - self._late[-1][0] < APART_S:
            last, most = self._late[-1]
            self._late[-1] = (last, max(most, by_s))
            return
        self._late.append((now, by_s))
        while now - self._late[0][0] > WITHIN_S:
            self._late.popleft()
        if len(self._late) >= TOO_LATE:
            more = sorted(s for _, s in self._late)[TOO_LATE // 2]
            self._late.clear()
            self._set(self.seconds + more + STEP_S)

    def _set(self, seconds: float) -> None:
        self.seconds = min(MOST_S, max(LEAST_S, round(seconds, 4)))
        self.changed = True
