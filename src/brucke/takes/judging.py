"""The verdict of a whole take: every listener but the monitors, by the one rule of `core/timing/take_verdict.py`."""

from ..core.measure.take_offset import WINDOW_S
from ..core.timing.take_verdict import TakeVerdict, take_verdict
from .take import Take


def judge(take: Take, exact: bool = False) -> dict[str, TakeVerdict]:
    """By listener. `exact` holds known sources on one clock to one frame."""
    frame_s = 1 / take.setup.rate_hz if exact else 0.0
    return {
        x.id: take_verdict(take.setup, take.moment, x.id, take.proof.get(x.id), WINDOW_S, frame_s)
        for x in take.setup.listeners
        if x.kind != "monitor"
    }


def scatter_ms(take: Take) -> float:
    """The players' own scatter as it was measured in the take; 0 where nothing was."""
    return max((x.scatter_ms for p in take.proof.values() for x in p.left.values()), default=0.0)
