"""What a running engine tells, and what whoever stands behind its ports is asked, while one runs."""

import numpy as np
from PyQt6.QtCore import QObject

from ...engine.processes.link import EngineLink
from ...engine.processes.messages import Absent, Seek
from ...engine.processes.region import Head
from ...words.open_closed import not_running_text
from ..session.session import Session
from .dropouts import Dropouts

OURS = ("player", "recorder", "camera")


class EngineView(QObject):
    """`link` is None while nothing runs; `state`: stopped, starting, running, restarting. Peaks, readings and loudness
    are those of the newest frame."""

    def __init__(self, session: Session):
        super().__init__()
        self.session = session
        self.link: EngineLink | None = None
        self.state = "stopped"
        self.part_peaks = np.zeros((1, 2), np.float32)
        self.out_peaks = np.zeros((1, 2), np.float32)
        self.readings = self.loudness = self.chain_loudness = np.zeros((0, 0), np.float32)
        self._dropouts = Dropouts()

    def chain_index(self, owner: str) -> int:
        """Where a chain stands in what the engine tells of chains: parts first, then listeners; −1 where it is not."""
        setup, (kind, _, id) = self.session.setup, owner.partition("/")
        ids = [p.id for p in setup.parts] if kind == "part" else [x.id for x in setup.listeners]
        at = ids.index(id) if id in ids else -1
        return at if kind == "part" or at < 0 else at + len(setup.parts)

    def measure_loudness_anew(self) -> None:
        if self.link is not None:
            self.link.measure_loudness_anew()

    def set_absent(self, devices: set[str]) -> None:
        """Stand-in equipment unplugged and plugged in again."""
        if self.link is not None:
            self.link.tell_world(Absent(devices=sorted(devices)))

    @property
    def playing(self) -> bool:
        return self.link is not None and self.link.get(Head.PLAYER_STATE) == 1

    @property
    def track(self) -> tuple[float, float]:
        """(position, length) of the backing track in seconds."""
        if self.link is None:
            return 0.0, 0.0
        rate = self.link.shape.rate
        return self.link.get(Head.PLAYER_FRAME) / rate, self.link.get(Head.PLAYER_LENGTH) / rate

    def ducked_db(self, listener: str) -> dict[str, float]:
        """By how many dB each part is held down at a listener now; nothing while none is."""
        link, setup = self.link, self.session.setup
        if link is None or not any(r.duck is not None and r.listener == listener for r in setup.routes):
            return {}
        less = link.ducked()
        at = next((i for i, x in enumerate(setup.listeners) if x.id == listener), -1)
        if not 0 <= at < len(less):
            return {}
        return {p.id: float(db) for p, db in zip(setup.parts, less[at], strict=False) if db > 0}

    def seek(self, seconds: float) -> None:
        if self.link is not None:
            length = max(1, self.link.get(Head.PLAYER_LENGTH))
            self.link.tell_world(Seek(frame=round(seconds * self.link.shape.rate) % length))

    def begin_at(self, seconds: float) -> None:
        """From here in a track that was chosen just now: how long it is may not be known yet."""
        if self.link is not None:
            self.link.tell_world(Seek(frame=round(max(0.0, seconds) * self.link.shape.rate)))

    @property
    def dropouts(self) -> int:
        if self.link is None:
            return 0
        matched = sum(m.lost for m in self.session.facts.matched.values())
        totals = (Head.LATE, Head.MISSED, Head.CARD_DROPOUTS, Head.MATCHED_LOST)
        return sum(self.link.get(h) for h in totals) + matched

    @property
    def gaps(self) -> int:
        """How often since it was started sound was missing because an engine ended or stood still."""
        return max(0, self.link.get(Head.LIVES) - 1) if self.link is not None else 0

    @property
    def cycle(self) -> int:
        """Frames at a time that a device insists on, 0 where it takes what was asked for."""
        return self.link.get(Head.CYCLE) if self.link is not None and self.state == "running" else 0

    def recent_dropouts(self) -> int:
        """Those of the last minute."""
        return self._dropouts.recent()

    @property
    def simulated(self) -> bool:
        """Whether any equipment of this setup is a stand-in. What plays tracks and what records is ours; a camera's
        picture never goes through here."""
        return any(d.kind not in OURS and not d.card for d in self.session.setup.devices)

    @property
    def why_silent(self) -> str:
        """Why nothing can be done with sound now; empty while it runs."""
        return "" if self.state == "running" else not_running_text(self.state)

    @property
    def back_frame(self) -> int:
        """How far listening back has come, −1 when nothing is played back."""
        return self.link.get(Head.BACK) if self.link is not None else -1
