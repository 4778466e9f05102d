"""How many dropouts there were, and how many lately."""

import time

RECENT_S = 60.0


class Dropouts:
    def __init__(self) -> None:
        self._count = 0
        self._heard_of: list[tuple[float, int]] = []  # (when, how many)

    def see(self, count: int) -> bool:
        """All there were by now; whether there are more than before. A device that was let go takes its count with it,
        and nothing of what was heard of."""
        more, self._count = count - self._count, count
        if more > 0:
            self._heard_of.append((time.monotonic(), more))
        return more > 0

    def recent(self) -> int:
        """Those of the last minute."""
        now = time.monotonic()
        self._heard_of = [(at, n) for at, n in self._heard_of if now - at < RECENT_S]
        return sum(n for _, n in self._heard_of)
