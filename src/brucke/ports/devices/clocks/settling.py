"""A matched device is watched for a while before it sounds: how early or late its periods come beside the engine's
blocks says where its sound has to lie so that nothing is ever too late. Pure; frames of the leading clock."""

from dataclasses import dataclass

from ....core.routing.clocks import CONVERTER_FRAMES, MARGIN_S

FOLLOWS_S = 2.0  # until the loops have found both clocks
WATCHES_S = 3.0


@dataclass
class Settling:
    """`into` and `out_of` are the set points that would just have held, `ahead` how far the engine was before the place
    that its clock is at."""

    leading_hz: int
    block: int
    into: float = -1e9
    out_of: float = -1e9
    _begun: float | None = None
    _ahead: float = 0.0
    _seen: int = 0

    def see(self, now: float, done: int, here: float, first: float, period: float) -> bool:
        """The engine has done so many frames while its clock is at `here`; a period of the device, `period` leading
        frames long, begins with the one at `first`. True once it was watched for long enough."""
        self._begun = now if self._begun is None else self._begun
        if now - self._begun < FOLLOWS_S:
            return False
        self.into = max(self.into, done + self.block + CONVERTER_FRAMES - first)
        self.out_of = max(self.out_of, first + period + CONVERTER_FRAMES - done)
        self._ahead += done - here
        self._seen += 1
        return now - self._begun > FOLLOWS_S + WATCHES_S

    @property
    def ahead(self) -> float:
        return self._ahead / max(1, self._seen)

    def set_points(self) -> tuple[int, int]:
        """(of what comes in, of what goes out), with room for what did not happen while it was watched."""
        margin = MARGIN_S * self.leading_hz
        return round(self.into + margin), round(self.out_of + margin)
