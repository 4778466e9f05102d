"""A soft tone in the headphones, left and then right: are they the right ones, and the right way round?"""

import numpy as np
import numpy.typing as npt

from .running import LiveEngine
from .session import Session

LEVEL_DB, HZ, SIDE_S, FADE_S = -30.0, 440.0, 0.8, 0.05


def soft_tone(rate_hz: int) -> npt.NDArray[np.float32]:
    """[2, frames]: left, then right, each faded in and out."""
    frames, fade = round(SIDE_S * rate_hz), round(FADE_S * rate_hz)
    window = np.clip(np.minimum(np.arange(frames), frames - 1 - np.arange(frames)) / fade, 0, 1)
    tone = 10 ** (LEVEL_DB / 20) * np.sin(2 * np.pi * HZ * np.arange(frames) / rate_hz)
    made = np.zeros((2, 2 * frames), np.float32)
    made[0, :frames] = made[1, frames:] = tone * np.sin(np.pi / 2 * window) ** 2
    return made


class SoftTone:
    def __init__(self, session: Session, running: LiveEngine):
        self.session, self.running = session, running

    def play(self) -> bool:
        """Whether it sounds; said where it cannot."""
        session, link = self.session, self.running.link
        monitor = next((i for i, x in enumerate(session.setup.listeners) if x.kind == "monitor"), None)
        if session.live.on_air:
            session.noticed.emit("On air, no tone is played.", "amber")
        elif link is None or self.running.state != "running":
            session.noticed.emit("Start first (F5): the headphones are off.", "amber")
        elif monitor is not None:
            link.listen_back(monitor, soft_tone(session.setup.rate_hz))
            return True
        return False
