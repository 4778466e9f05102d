"""How soon something that ended is started again."""

from dataclasses import dataclass

FIRST_PAUSE_S, LONGEST_PAUSE_S = 0.5, 30.0
GOOD_S = 10.0  # what has run for so long since it could first have been started again has started


@dataclass
class Backoff:
    """Not at all the first time, then longer and longer while it ends soon after it began. Seconds, monotonic."""

    pause_s: float = 0.0
    again_at: float = -GOOD_S

    def may(self, now: float) -> bool:
        return now >= self.again_at

    def begins(self, now: float) -> None:
        """It is started again now."""
        soon = now - self.again_at < GOOD_S
        self.pause_s = min(LONGEST_PAUSE_S, max(FIRST_PAUSE_S, 2 * self.pause_s)) if soon else 0.0
        self.again_at = now + self.pause_s
