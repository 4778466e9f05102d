"""Who has heard an open listener and does no longer. Pure but for the clock that is given."""

from collections.abc import Collection

QUIET_S = 10.0


class Unheard:
    """By listener: when sound last went to a program there."""

    def __init__(self) -> None:
        self._last: dict[str, float] = {}

    def see(self, open_ids: Collection[str], flowing: Collection[str], now: float) -> dict[str, float]:
        """When that was, of those where it is a while ago. `flowing` are the listeners where a program takes sound now.
        One that was never heard since it was opened is waited for, not missed."""
        self._last = {x: at for x, at in self._last.items() if x in open_ids}
        self._last |= dict.fromkeys((x for x in flowing if x in open_ids), now)
        return {x: at for x, at in self._last.items() if now - at > QUIET_S}
