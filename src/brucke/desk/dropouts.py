"""How many dropouts there were, and how many lately."""

import time

RECENT_S = 60.0


class Dropouts:
    def __init__(self) -> None:
        self._count = 0
        self._heard_of: list[tuple[float, int]] = []  # (when, how many)

    def see(self, count: int) -> bool:
        """All there were by now; whether that is another number than before."""
        if count == self._count:
            return False
        self._heard_of.append((time.monotonic(), count - self._count))
        self._count = count
        return True

    def recent(self) -> int:
        """Those of the last minute."""
        now = time.monotonic()
        self._heard_of = [(at, n) for at, n in self._heard_of if now - at < RECENT_S]
        return sum(n for _, n in self._heard_of)
