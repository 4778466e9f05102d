"""A device before the rings: it leads while it is there, the system's timer while it is gone."""

from abc import ABC, abstractmethod
from collections.abc import Callable

from .rings import RingPort


class LeadingPort(ABC):
    """What `_open`, `_watch`, `_lead_by_timer` and `_close` are is each device's own."""

    rest: RingPort
    lost_frames = 0  # what the device had and was never asked for since it opened
    _goes_on = True
    _there = False
    _clock_ns = 0

    @property
    def clock_ns(self) -> int:
        return self._clock_ns if self._there else self.rest.clock_ns

    def start(self) -> None:
        self.rest.start()

    def drive(self, block: Callable[[], bool]) -> None:
        """Call `block` once a period until it says that it was the last."""
        self._block = block
        while self._goes_on:
            if self._open():
                self._watch()
            else:
                self._lead_by_timer()
        self._close()

    @abstractmethod
    def _open(self) -> bool: ...
    @abstractmethod
    def _watch(self) -> None: ...
    @abstractmethod
    def _lead_by_timer(self) -> None: ...
    @abstractmethod
    def _close(self) -> None: ...
