"""Which frame of our engine was being done when another computer's engine did one of its own. Pure."""

from typing import NamedTuple

from .clock_offset import OffsetFit
from .control_messages import EngineClock


class FrameMap(NamedTuple):
    """Their frame `theirs` is our frame `ours`, and `speed` of ours pass in one of theirs."""

    theirs: float
    ours: float
    speed: float

    def at(self, frame: float) -> float:
        """In our frames."""
        return self.ours + (frame - self.theirs) * self.speed

    def back(self, frame: float) -> float:
        """Of ours in theirs."""
        return self.theirs + (frame - self.ours) / self.speed


def frame_map(clock: EngineClock, fit: OffsetFit, our_frame: float, our_time_s: float, our_rate_hz: float) -> FrameMap:
    """By what their engine says of itself, the offset of their clock, and `our_frame` being ours at `our_time_s`. Both
    offsets are linear, so everything is."""
    theirs_s = clock.at_ns / 1e9
    ours_s = fit.at_s + (theirs_s - fit.at_s - fit.offset_s) / (1.0 + fit.slope)
    speed = our_rate_hz / (clock.rate_hz * (1.0 + fit.slope))
    return FrameMap(clock.frame, our_frame + (ours_s - our_time_s) * our_rate_hz, speed)
