"""Learning the noise of the room: some seconds of a part while nobody sounds, with progress, and a check that it was
silence."""

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal

from ...core.edits.chain_edits import keep_profile
from ...core.edits.naming import free_name
from ...core.sound.noise_profile import GOOD_S, NotSilent, ProfileLearner
from ...core.sound.processors import NoiseRemoval
from ...core.units import db_to_gain
from ...engine.processes.region import Head
from ...words import timing
from ...words.detail import choose
from ...words.shape import not_silent_text
from ...words.translation import _
from ..engine.live_engine import LiveEngine
from ..session.session import Session

TAKE_S = 0.25  # so much is taken at once


class NoiseLearner(QObject):
    """`part` is whose noise is learnt now, “” while none is; `share` how far; `message` the newest outcome."""

    changed = pyqtSignal()

    def __init__(self, session: Session, running: LiveEngine):
        super().__init__()
        self.session, self.running = session, running
        self.part, self.share, self.message, self.failed = "", 0.0, "", False
        self._learner: ProfileLearner | None = None
        self._at = self._dropouts = 0
        session.replaced.connect(self.cancel)

    def begin(self, part: str) -> None:
        link = self.running.link
        if self.part:
            return
        if link is None or self.running.state != "running":
            self._end(self.running.why_silent, True)
            return
        self.part, self.share, self.message, self.failed = part, 0.0, "", False
        self._learner = ProfileLearner(self.session.setup.rate_hz)
        self._at = link.get(Head.RECORDED)
        self._dropouts = self.running.dropouts
        self.changed.emit()

    def cancel(self) -> None:
        if self.part:
            self._end(_("Not learnt: it was stopped."), True)

    def _end(self, message: str, failed: bool) -> None:
        self.part, self.share, self._learner = "", 0.0, None
        self.message, self.failed = message, failed
        self.changed.emit()

    def tick(self) -> None:
        """Once a frame: what came in since."""
        link, learner = self.running.link, self._learner
        if not self.part or learner is None:
            return
        index = next((i for i, p in enumerate(self.session.setup.parts) if p.id == self.part), -1)
        if link is None or self.running.state != "running" or index < 0:
            self._end(_("Not learnt: the engine stopped, or the part is gone."), True)
            return
        done = link.get(Head.RECORDED)
        frames = done - self._at
        if frames < TAKE_S * learner.rate:
            return
        parts, _listeners = link.recent(frames / learner.rate)
        self._at = done
        dropouts, self._dropouts = self._dropouts, self.running.dropouts
        if dropouts != self._dropouts:
            return  # what has holes in it is no silence of this room
        part = self.session.setup.parts[index]
        sides = max(1, min(2, len(part.channels)))
        learner.push(parts[index, :sides] / np.float32(db_to_gain(part.trim_db)))
        self.share = min(1.0, learner.seconds / GOOD_S)
        if learner.seconds >= GOOD_S:
            self._conclude(learner)
        else:
            self.changed.emit()

    def _conclude(self, learner: ProfileLearner) -> None:
        setup, part = self.session.setup, self.session.setup.part(self.part)
        name = free_name(_("{part}, room").format(part=part.name), [p.name for p in setup.profiles])
        found = learner.profile(name)
        if isinstance(found, NotSilent):
            self._end(_("Not learnt: {why}.").format(why=not_silent_text(found.code, found.at_s, found.over_db)), True)
            return
        if not part.chain or not isinstance(part.chain[0], NoiseRemoval):
            self._end(_("Not learnt: its noise removal is gone."), True)
            return
        after = keep_profile(setup, f"part/{part.id}", found)
        self._end(choose(_("Learnt."), _("Learnt: {db} of noise.")).format(db=timing.dbfs_text(found.level_db)), False)
        self.session.edit(_("{name} learnt").format(name=name), after, "shape", f"part/{part.id}/0")
