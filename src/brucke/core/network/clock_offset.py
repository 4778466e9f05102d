"""How far the clock of another computer is from ours, from messages that are answered. Pure.

Every exchange has four times: T1 sent and T4 returned by our clock, T2 arrived and T3 answered by theirs. Offset and
delay of one exchange: RFC 5905, section 8. An exchange that took δ is at most δ/2 wrong, however unequal its two ways
were, and no evaluation can know better. So the ± is half of what the quickest took, and what those that count can be
beyond it, each half of how much longer it took.
"""

from collections import deque
from collections.abc import Iterable
from typing import NamedTuple

import numpy as np
import numpy.typing as npt

F64 = npt.NDArray[np.float64]
WINDOW_S = 20.0
BIN_S = 0.5  # of every such stretch the exchange that took least counts
SLOPE_FROM_S = 4.0  # watched for so long, the clocks' rates are told apart
MOST_SLOPE = 1e-3  # no two clocks drift faster
EXCESS_S = 20e-6  # an exchange that took so much longer than the quickest counts half
GROWN_S, GROWN_SHARE = 3e-4, 0.5  # a round trip longer by this is another way
SHIFTED_S, SHIFT_MORE_S = 1.0, 1e-4  # what was seen so lately is held against the line of before, so near
LEAST_SCATTER_S, UNSEEN = 1e-5, 0.05
RECENT_S, USUAL = 3.0, 0.25
FITS_S = 0.2  # once it was followed for a while, a line is laid through what was seen no more often than this
JUMPED = 8  # so many exchanges in a row that cannot be true: a clock has jumped


class FourTimes(NamedTuple):
    """Seconds: sent and returned by our clock, arrived and answered by theirs."""

    sent: float
    arrived: float
    answered: float
    returned: float


def offset_and_delay(t: FourTimes) -> tuple[float, float]:
    """(their clock minus ours, time on the way both ways together) in seconds: RFC 5905, section 8."""
    return ((t.arrived - t.sent) + (t.answered - t.returned)) / 2, (t.returned - t.sent) - (t.answered - t.arrived)


class OffsetFit(NamedTuple):
    """Their clock is `offset_s` + `slope` · (t − `at_s`) before ours; at most `bound_s` wrong as far as the quickest
    way there and back is unequal, and `scatter_s` by what others took longer. `round_trip_s` is the smallest."""

    offset_s: float
    slope: float
    at_s: float
    bound_s: float
    scatter_s: float
    round_trip_s: float

    def offset_at(self, seconds: float) -> float:
        """Their clock minus ours when ours shows `seconds`."""
        return self.offset_s + self.slope * (seconds - self.at_s)

    @property
    def plus_minus_s(self) -> float:
        """Half the width that holds the truth."""
        return self.bound_s + self.scatter_s


class ClockOffset:
    """Follows the offset. `fit` is None before anything was seen; `watched_s` for how long nothing made it doubtful."""

    def __init__(self) -> None:
        self._seen: deque[tuple[float, float, float]] = deque()  # (our time, offset, delay)
        self._strange = 0
        self._since: float | None = None
        self._fitted = 0.0  # when
        self.fit: OffsetFit | None = None

    def watched_s(self, now: float) -> float:
        """Seconds since it was last doubtful; 0 before the first exchange."""
        return 0.0 if self._since is None else max(0.0, now - self._since)

    @property
    def followed_s(self) -> float:
        """For how long what is known of it was seen."""
        return self._seen[-1][0] - self._seen[0][0] if self._seen else 0.0

    def doubt(self) -> None:
        """Nothing of before counts for how long it was watched; what is known is kept until something says else."""
        self._since = None

    def begin_anew(self) -> None:
        """What was seen is of another clock or another way."""
        self._seen.clear()
        self._since, self._strange = None, 0

    def see(self, t: FourTimes) -> bool:
        """One more exchange; True where a clock has jumped or the way has become longer, and it begins anew. What
        cannot be (a delay below 0 or of more than 5 s) is left out."""
        offset, delay = offset_and_delay(t)
        if not 0.0 <= delay <= 5.0:
            return False
        jumped = self._is_strange(t.returned, offset, delay)
        if jumped:
            self.begin_anew()
        elif self._strange:
            return False
        self._since = t.returned if self._since is None else self._since
        self._seen.append((t.returned - delay / 2, offset, delay))
        while self._seen[0][0] < t.returned - WINDOW_S:
            self._seen.popleft()
        if self.followed_s > RECENT_S and 0.0 <= t.returned - self._fitted < FITS_S:
            return False
        self._fitted = t.returned
        another_way = self._has_grown(t.returned) or self._has_shifted(t.returned)
        self.fit = _fit(self._seen)
        return jumped or another_way

    def _is_strange(self, now: float, offset: float, delay: float) -> bool:
        fit = self.fit
        if fit is None or not self._seen:
            return False
        drifted = 2e-3 * MOST_SLOPE + MOST_SLOPE * max(0.0, now - self._seen[-1][0])
        away = abs(offset - fit.offset_at(now)) - delay / 2 - fit.plus_minus_s - drifted
        self._strange = self._strange + 1 if away > 0 else 0
        return self._strange >= JUMPED

    def _has_grown(self, now: float) -> bool:
        """Whether even the quickest of late took much longer than the quickest before: another way."""
        old = [d for t, _o, d in self._seen if t < now - RECENT_S]
        new = [d for t, _o, d in self._seen if t >= now - RECENT_S]
        if len(old) < 20 or len(new) < 20 or min(new) < min(old) + max(GROWN_S, GROWN_SHARE * min(old)):
            return False
        if min(new) < np.quantile(old, USUAL):  # it may be the same way: many took as long before
            return False
        self._begin_with(RECENT_S, now)
        return True

    def _has_shifted(self, now: float) -> bool:
        """Whether the quickest of the last second lies off the line of before by more than what it took longer can
        explain: the two ways are unequal in another way, while both together take what they took."""
        old = [s for s in self._seen if s[0] < now - SHIFTED_S]
        new = [s for s in self._seen if s[0] >= now - SHIFTED_S]
        if len(old) < 20 or len(new) < 10:
            return False
        at, offset, delay = min(new, key=lambda s: s[2])
        before = _fit(old)
        longer = max(0.0, delay - before.round_trip_s) / 2 + _unseen_s(np.array([s[2] for s in old]))
        drifted = MOST_SLOPE * (at - before.at_s) if old[-1][0] - old[0][0] < WINDOW_S / 2 else 0.0
        if abs(offset - before.offset_at(at)) <= longer + before.scatter_s + drifted + SHIFT_MORE_S:
            return False
        self._begin_with(SHIFTED_S / 2, now)
        return True

    def _begin_with(self, seconds: float, now: float) -> None:
        """Only the newest of what was seen counts."""
        self._seen = deque(s for s in self._seen if s[0] >= now - seconds)
        self._since = now


def _unseen_s(delays: F64) -> float:
    """By how much a way may be quicker still than the quickest seen: about as much as that is quicker than one in
    twenty."""
    return float(np.quantile(delays, UNSEEN) - delays.min())


def _fit(seen: Iterable[tuple[float, float, float]]) -> OffsetFit:
    """A straight line through the quickest exchanges, the quicker the more weight."""
    times, offsets, delays = (np.array(column) for column in zip(*seen, strict=True))
    chosen = _quickest(times, delays)
    unseen = _unseen_s(delays)
    times, offsets, delays = times[chosen], offsets[chosen], delays[chosen]
    least, last = float(delays.min()), float(times[-1])
    x = times - last
    sloped = bool(times[-1] - times[0] > SLOPE_FROM_S)
    if not sloped:  # how fast they drift is not known yet: the newest count
        recent = x >= -2 * BIN_S
        x, offsets, delays = x[recent], offsets[recent], delays[recent]
    weights = 1.0 / (1.0 + (delays - least) / (EXCESS_S + unseen)) ** 2
    shares = _line_shares(x, weights, sloped)
    offset, slope = float(shares[0] @ offsets), float(np.clip(shares[1] @ offsets, -MOST_SLOPE, MOST_SLOPE))
    scatter = float(np.abs(shares[0]) @ (delays - least)) / 2 + LEAST_SCATTER_S
    scatter += (float(np.abs(shares[0]).sum()) - 1.0) * unseen / 2
    if not sloped:
        scatter += MOST_SLOPE * float(weights @ np.abs(x) / weights.sum())
    return OffsetFit(offset, slope, last, least / 2, scatter, least)


def _quickest(times: F64, delays: F64) -> npt.NDArray[np.intp]:
    """Of every stretch of BIN_S the index of the exchange that took least."""
    bins = np.floor((times[-1] - times) / BIN_S).astype(int)
    order = np.lexsort((delays, bins))
    first = np.unique(bins[order], return_index=True)[1]
    return np.sort(order[first])


def _line_shares(x: F64, weights: F64, sloped: bool) -> F64:
    """How much each value counts [2, n] in the value at x = 0 and in the slope of a weighted straight line."""
    if not sloped:
        return np.stack([weights / weights.sum(), np.zeros_like(x)])
    design = np.stack([np.ones_like(x), x], axis=1)
    normal = design.T @ (weights[:, None] * design)
    return np.linalg.solve(normal, design.T * weights).astype(np.float64)
